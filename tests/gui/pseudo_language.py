"""A made-up language for the tests: every text that translators are given is marked and a third longer; all else stays English."""

from __future__ import annotations

import importlib.util
import json
import re
from collections.abc import Iterator
from functools import cache
from importlib import resources
from pathlib import Path

from PyQt6.QtCore import Qt, QTranslator
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QTabBar,
    QTableView,
    QWidget,
)

LONGER = 1.35  # German against English runs about a third longer; common practice, no source
WORD = re.compile(r"[A-Za-z]{3,}")
# Names of keys and of the program, and months as dates write them, are no sentences.
NAMES = {
    "Deep",
    "Mirror",
    "Ctrl",
    "Shift",
    "Alt",
    "Space",
    "Esc",
    "Enter",
    "Return",
    "Del",
    "Home",
    "End",
    "PgUp",
    "PgDown",
    "Left",
    "Right",
}
NAMES |= {"Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec", "UTC", "mp4", "MP4", "avi"}
NAMES |= {"Save", "Cancel", "Close", "Press", "shortcut"}  # of Qt's own dialogs, which Qt translates


@cache
def listed() -> frozenset[str]:
    """What a translator is given to translate (scripts/words.py)."""
    spec = importlib.util.spec_from_file_location("words", Path(__file__).parents[2] / "scripts" / "words.py")
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return frozenset(module.all_words())


class PseudoLanguage(QTranslator):
    """Qt's translation into it; patterns keep their {places}."""

    def isEmpty(self) -> bool:
        return False

    def translate(self, context: str | None, words: str | None, disambiguation: str | None = None, n: int = -1) -> str:
        if context != "deepmirror" or not words or words not in listed():
            return words or ""
        return "«" + words + ((8 * "~" + " ") * 99)[: round(len(words) * (LONGER - 1))] + "»"  # no word of it longer than 8


@cache
def invented() -> tuple[str, ...]:
    """What the demo's people are called and wrote, longest first: nobody translates that."""
    folder = Path(str(resources.files("deepmirror"))) / "assets" / "demo"
    tables = [json.loads(path.read_text("utf-8")) for path in [*folder.glob("*.json"), *folder.glob("arrivals/*.json")]]
    return tuple(sorted({t for table in tables for t in _texts(table) if len(t) > 3}, key=len, reverse=True))


def _texts(value: object) -> Iterator[str]:
    """The texts of a table that somebody in it wrote or is called; names of movements and the like are the program's own."""
    for key, inside in value.items() if isinstance(value, dict) else ():
        if isinstance(inside, str) and key in ("name", "client", "note", "coach", "told", "said", "film", "machine", "who", "why", "sign"):
            yield inside
            yield from inside.split() if key == "client" else ()
        yield from _texts(inside)
    for inside in value if isinstance(value, list) else ():
        yield from _texts(inside)


def english_in(text: str) -> list[str]:
    """Words of a shown text that no translator could have reached."""
    plain, depth = "", 0
    for letter in re.sub(r"<[^>]*>|&\w+;", " ", text):
        depth += (letter == "«") - (letter == "»")
        plain += letter if depth == 0 and letter != "»" else ""
    for theirs in invented():
        plain = plain.replace(theirs, " ")
    return [w for w in WORD.findall(plain) if w not in NAMES]


def shown_on(window: QWidget) -> Iterator[tuple[str, str]]:
    """Where and what: the texts of all widgets that are seen, with their tips and what screen readers say."""
    for widget in window.findChildren(QWidget):
        if widget.isVisible():
            for text in (*_own_texts(widget), widget.toolTip(), widget.accessibleName(), widget.accessibleDescription()):
                if text:
                    yield type(widget).__name__, text


def _own_texts(widget: QWidget) -> Iterator[str]:
    if isinstance(widget, QLabel | QAbstractButton):
        yield widget.text()
    elif isinstance(widget, QLineEdit):
        yield widget.placeholderText()
    elif isinstance(widget, QAbstractSpinBox):
        yield widget.text()
    elif isinstance(widget, QComboBox):
        yield from (widget.itemText(i) for i in range(widget.count()))
    elif isinstance(widget, QTabBar):
        yield from (widget.tabText(i) for i in range(widget.count()))
    elif isinstance(widget, QPlainTextEdit):
        yield widget.toPlainText()
    elif isinstance(widget, QAbstractItemView):
        yield from _cells(widget)


def _cells(view: QAbstractItemView) -> Iterator[str]:
    model, table = view.model(), isinstance(view, QTableView)
    if model is None:
        return
    for row in range(model.rowCount()):
        for column in range(model.columnCount() if table else 1):
            yield str(model.index(row, column).data() or "")
    for way, count in ((Qt.Orientation.Horizontal, model.columnCount), (Qt.Orientation.Vertical, model.rowCount)) if table else ():
        yield from (str(model.headerData(i, way) or "") for i in range(count()))
