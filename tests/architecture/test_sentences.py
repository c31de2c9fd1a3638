"""Every sentence can be said in another language: what is formatted is a pattern with parts (deepmirror.words), not finished English."""

from __future__ import annotations

import ast
import re
from pathlib import Path

import pytest

SRC = Path(__file__).resolve().parents[2] / "src" / "deepmirror"
# What is formatted there is no sentence for a coach or a client: the terminal's lines, SQL, styles, reports of our own mistakes.
ALLOWED = ("__main__.py", "bootstrap.py", "commands/table.py", "store/sweep.py", "store/database.py", "store/migrations/")
ALLOWED += ("ui/help.py", "ui/theme/style.py", "services/common/failures.py")
KEYS = re.compile(r"height |id = |<b>|<br/>")  # of a cache, of a file, of a printed page


def formatted_sentences(source: str) -> list[tuple[int, str]]:
    """(line, text) of every f-string with words and spaces in it."""
    found = []
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.JoinedStr):
            text = "".join(str(part.value) for part in node.values if isinstance(part, ast.Constant))
            if " " in text and re.search(r"[A-Za-z]{3,}", text) and not KEYS.search(text):
                found.append((node.lineno, text))
    return found


def test_no_sentence_is_formatted_for_good() -> None:
    found = []
    for path in sorted(SRC.rglob("*.py")):
        place = str(path.relative_to(SRC))
        if not place.startswith(ALLOWED):
            found += [f"{place}:{line} {text}" for line, text in formatted_sentences(path.read_text("utf-8"))]
    assert found == []


@pytest.mark.parametrize("breach", ['raise BadFilm(f"“{name}” is no film.")', 'label.setText(f"{count} films wait")'])
def test_a_planted_breach_is_seen(breach: str) -> None:
    assert formatted_sentences(breach)
