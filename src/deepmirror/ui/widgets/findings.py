"""The reading panel's parts: findings one can open, checks that held, and what the film cannot tell."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from deepmirror.core.uncertain_value import Band, Verdict
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel
from deepmirror.ui.widgets.target_scale import TargetScale
from deepmirror.ui.widgets.verdict_mark import VerdictMark
from deepmirror.words import joined


@dataclass(frozen=True)
class Card:
    """What one card says: a verdict, a title, a line of numbers, a cue; the number against its target, to be drawn to scale; and lines
    that unfold. asks_why: a page answers for it."""

    key: str
    verdict: Verdict
    title: str
    line: str
    chain: tuple[str, ...] = ()
    cue: str = ""
    scale: tuple[float, float, Band] | None = None  # value, u, target
    asks_why: bool = False


class FindingCard(QFrame):
    """One finding in three lines: click or Enter to go to its frame; "Why?" opens the page that answers."""

    picked = pyqtSignal(str)
    why_wanted = pyqtSignal(str)

    def __init__(self, card: Card, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self.key = card.key
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(tr("{value}: {title}. {line}", value=card.verdict.value, title=card.title, line=card.line))
        title = PlainLabel(card.title)
        title.setStyleSheet("font-weight: 700")
        title.setWordWrap(True)
        line = PlainLabel(card.line)
        line.setWordWrap(True)
        self.why = PlainLabel(joined("\n", [tr("– {row}", row=row) for row in card.chain]))
        self.why.setObjectName("dim")
        self.why.setWordWrap(True)
        self.why.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.why.setVisible(False)
        top = QHBoxLayout()
        top.setSpacing(9)
        top.addWidget(VerdictMark(card.verdict), 0, Qt.AlignmentFlag.AlignTop)
        top.addWidget(title, 1)
        self.ask: QPushButton | None = None
        if card.asks_why:
            self.ask = QPushButton(tr("Why?"))
            self.ask.setObjectName("small")
            self.ask.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            self.ask.setAccessibleName(tr("Why: {title}", title=card.title))
            self.ask.clicked.connect(lambda: self.why_wanted.emit(self.key))
            top.addWidget(self.ask, 0, Qt.AlignmentFlag.AlignTop)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 10, 8)
        layout.setSpacing(2)
        layout.addLayout(top)
        layout.addWidget(line)
        if card.scale is not None:
            value, u, band = card.scale
            layout.addWidget(TargetScale(value, u, band, card.line))
        if card.cue:
            cue = PlainLabel(tr("“{cue}”", cue=card.cue))
            cue.setWordWrap(True)
            cue.setObjectName("cue")
            layout.addWidget(cue)
        layout.addWidget(self.why)

    def set_picked(self, on: bool) -> None:
        """Show as the one looked at, with its reasons unfolded."""
        self.setProperty("picked", on)
        self.why.setVisible(on and bool(self.why.text()))
        style = self.style()
        if style is not None:
            style.unpolish(self)
            style.polish(self)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.picked.emit(self.key)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.picked.emit(self.key)
        else:
            super().keyPressEvent(event)


def check_row(verdict: Verdict, words: str) -> QWidget:
    """One line: mark and words."""
    row = QWidget()
    layout = QHBoxLayout(row)
    layout.setContentsMargins(2, 1, 2, 1)
    label = PlainLabel(words)
    label.setWordWrap(True)
    layout.addWidget(VerdictMark(verdict), 0, Qt.AlignmentFlag.AlignTop)
    layout.addWidget(label, 1)
    return row


class Folded(QWidget):
    """One line that opens: how many, and what they are; the rows are made when it is opened first."""

    def __init__(self, title: str, rows: Callable[[], Sequence[QWidget]], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.button = QPushButton()
        self.button.setObjectName("fold")
        self.button.setCheckable(True)
        self.button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._title, self._rows, self._inside = title, rows, QWidget()
        self._column = QVBoxLayout(self._inside)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        layout.addWidget(self.button)
        layout.addWidget(self._inside)
        self.button.toggled.connect(self._fold)
        self._fold(False)

    def _fold(self, open_: bool) -> None:
        self.button.setText(("▾  " if open_ else "▸  ") + self._title)
        if open_ and not self._column.count():
            for row in self._rows():
                self._column.addWidget(row)
        self._inside.setVisible(open_)
