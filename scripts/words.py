"""Writes all words that the interface, replies and records can say as a Qt translation source (.ts), for a translator's tools.

Besides what is given to tr() and say(), which are sentences or their patterns, it lists the texts of tables and of movement
definitions, and every constant that reads like words, since plain sentences are translated when they are shown.
"""

from __future__ import annotations

import ast
import re
import sys
import tomllib
from collections.abc import Iterator
from pathlib import Path
from xml.sax.saxutils import escape

from deepmirror.commands.table import ACTIONS
from deepmirror.core.skeleton import ALL_POINTS
from deepmirror.ui.translation import CONTEXT

SOURCES = Path(__file__).resolve().parent.parent / "src" / "deepmirror"
GIVERS = {"tr", "say", "heading", "PlainLabel"}
APART = ("store/migrations", "store/tables.py", "store/sweep.py", "commands", "bootstrap.py", "ui/theme", "pose/models")  # nobody reads
NAME = re.compile(r"[a-z]+([_-][a-z]+)+")  # an identifier of several words
SHORT = re.compile(r"[A-Z]?[a-z]+(-[a-z]+)?|[a-z]+[.:,]?|[A-Z][a-z]+[.:…]?")  # one plain word


def words_of(source: str) -> Iterator[str]:
    """Sentences, patterns and single words of one file that somebody may read."""
    tree = ast.parse(source)
    told = {id(n.body[0].value) for n in ast.walk(tree) if _documented(n)}
    for node in ast.walk(tree):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in GIVERS and node.args:
            yield from (n.value for n in ast.walk(node.args[0]) if isinstance(n, ast.Constant) and isinstance(n.value, str))
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in told and _reads(node.value):
            yield node.value


def _documented(node: ast.AST) -> bool:
    has_body = isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef)
    return has_body and bool(node.body) and isinstance(node.body[0], ast.Expr) and isinstance(node.body[0].value, ast.Constant)


def _reads(text: str) -> bool:
    """Whether a constant reads like words: several of them, or one without signs of code."""
    return (" " in text.strip() and any(c.isalpha() for c in text)) or SHORT.fullmatch(text) is not None


def texts_of(table: object) -> Iterator[str]:
    """All texts of a movement definition or of the rules."""
    if isinstance(table, str):
        yield table.replace("_", " ")
        yield from (part.strip() for part in table.split("; "))
    for inside in table.values() if isinstance(table, dict) else table if isinstance(table, list) else ():
        yield from texts_of(inside)


def names() -> Iterator[str]:
    """What identifiers are shown as: movements, points, faults, pathways and the like, with spaces between their words."""
    for path in sorted((SOURCES / "movements" / "data").glob("*.toml")):
        yield path.stem.replace("_", " ")
    for path in sorted(SOURCES.rglob("*.py")):
        if not str(path.relative_to(SOURCES)).startswith(APART):
            constants = (n.value for n in ast.walk(ast.parse(path.read_text("utf-8"))) if isinstance(n, ast.Constant))
            yield from (c.replace("_", " ").replace("-", " ") for c in constants if isinstance(c, str) and NAME.fullmatch(c))
    yield from (point.replace("_", " ") for point in ALL_POINTS)


def all_words() -> set[str]:
    """Everything there is to translate."""
    found = {a.title for a in ACTIONS} | set(names())
    for path in sorted(SOURCES.rglob("*.py")):
        if not str(path.relative_to(SOURCES)).startswith(APART):
            found |= set(words_of(path.read_text("utf-8")))
    for path in sorted(SOURCES.rglob("templates/*.html")):
        places = re.findall(r"\{[{%](.*?)[%}]\}", path.read_text("utf-8"))
        found |= {text for place in places for text in re.findall(r'"([^"]*)"', place)}
    for path in sorted(SOURCES.rglob("data/*.toml")):
        found |= set(texts_of(tomllib.loads(path.read_text("utf-8"))))
    return {w for w in found if any(c.isalpha() for c in w)}


def main() -> None:
    """Print the source file."""
    lines = ['<?xml version="1.0" encoding="utf-8"?>', "<!DOCTYPE TS>", '<TS version="2.1" sourcelanguage="en">', "<context>"]
    lines.append(f"<name>{CONTEXT}</name>")
    lines += [f'<message><source>{escape(w)}</source><translation type="unfinished"/></message>' for w in sorted(all_words())]
    sys.stdout.write("\n".join([*lines, "</context>", "</TS>", ""]))


if __name__ == "__main__":
    main()
