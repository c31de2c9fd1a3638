"""Writes all words of the interface as a Qt translation source (.ts) to standard output, for a translator's tools."""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from pathlib import Path
from xml.sax.saxutils import escape

from deepmirror.commands.table import ACTIONS
from deepmirror.ui.translation import CONTEXT

UI = Path(__file__).resolve().parent.parent / "src" / "deepmirror" / "ui"


def words_of(source: str) -> Iterator[str]:
    """Texts given to tr(), and texts of the tables whose entries are given to it: module constants in capitals."""
    tree = ast.parse(source)
    for node in ast.walk(tree):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "tr" and node.args:
            yield from (n.value for n in ast.walk(node.args[0]) if isinstance(n, ast.Constant) and isinstance(n.value, str))
    for node in tree.body:
        target = node.targets[0] if isinstance(node, ast.Assign) else node.target if isinstance(node, ast.AnnAssign) else None
        if isinstance(target, ast.Name) and target.id.isupper() and node.value is not None:
            texts = (n.value for n in ast.walk(node.value) if isinstance(n, ast.Constant) and isinstance(n.value, str))
            yield from (t for t in texts if " " in t or t.istitle())


def main() -> None:
    """Print the source file."""
    found = {w for path in sorted(UI.rglob("*.py")) for w in words_of(path.read_text("utf-8"))} | {a.title for a in ACTIONS}
    lines = ['<?xml version="1.0" encoding="utf-8"?>', "<!DOCTYPE TS>", '<TS version="2.1" sourcelanguage="en">', "<context>"]
    lines.append(f"<name>{CONTEXT}</name>")
    lines += [f'<message><source>{escape(w)}</source><translation type="unfinished"/></message>' for w in sorted(found) if w.strip()]
    sys.stdout.write("\n".join([*lines, "</context>", "</TS>", ""]))


if __name__ == "__main__":
    main()
