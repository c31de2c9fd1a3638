"""No decision reads a sentence: what a text means stands in a type beside it."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

SRC = Path(__file__).resolve().parents[2] / "src" / "deepmirror"
TEXTS = {"film_next", "reason", "words", "sentence", "verdict", "title", "cue", "why", "change", "drill", "held", "line", "unit", "chain"}
READING = {"startswith", "endswith", "removeprefix", "removesuffix", "split", "partition", "find", "index", "lower", "casefold"}
ALLOWED = {  # a text handled as a text: written in small letters, on one line, or a unit's own spelling
    ("core/uncertain_value.py", "unit"),
    ("reply/film.py", "words"),
    ("services/replies/retake_request.py", "title"),
    ("services/clients/sheets.py", "title"),
    ("ui/rooms/mirror/reading.py", "title"),
}


def names(node: ast.AST) -> set[str]:
    """The last name of an attribute or a variable."""
    return {node.attr} if isinstance(node, ast.Attribute) else {node.id} if isinstance(node, ast.Name) else set()


def read_as_meaning(source: str) -> list[tuple[int, str]]:
    """(line, text) of every place that looks into one of TEXTS or compares it with written words."""
    found = []
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr in READING:
            found += [(node.lineno, n) for n in names(node.func.value) & TEXTS]
        if isinstance(node, ast.Compare) and isinstance(node.left, ast.Constant) and isinstance(node.ops[0], ast.In | ast.NotIn):
            found += [(node.lineno, n) for n in names(node.comparators[0]) & TEXTS]
        elif isinstance(node, ast.Compare):
            sides = [node.left, *node.comparators]
            sentence = any(isinstance(s, ast.Constant) and isinstance(s.value, str) and " " in s.value.strip() for s in sides)
            found += [(node.lineno, n) for s in sides for n in names(s) & TEXTS if sentence]
    return found


def test_no_decision_reads_a_sentence() -> None:
    found = []
    for path in sorted(SRC.rglob("*.py")):
        place = str(path.relative_to(SRC))
        found += [f"{place}:{line} {text}" for line, text in read_as_meaning(path.read_text("utf-8")) if (place, text) not in ALLOWED]
    assert found == []


@pytest.mark.parametrize(
    "breach",
    [
        'rows = [u for u in unable if u.film_next.startswith("Film")]',
        'if row.reason.endswith(" show it"): pass',
        'front = sum("front" in a.film_next for a in advice)',
        'if words == "a first look is there": pass',
        "bare = f.unit.split()[0]",
    ],
)
def test_a_planted_breach_is_seen(breach: str) -> None:
    assert len(read_as_meaning(breach)) == 1
