"""The reading panel's parts: findings one can open, checks that held, and what the film cannot tell."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from deepmirror.core.uncertain_value import Verdict
from deepmirror.ui.widgets.panel_helpers import PlainLabel
from deepmirror.ui.widgets.verdict_mark import VerdictMark


@dataclass(frozen=True)
class Card:
    """What one card says: a verdict, a title, a line of numbers, and the chain behind them."""

    key: str
    verdict: Verdict
    title: str
    line: str
    chain: tuple[str, ...] = ()


class FindingCard(QFrame):
    """One finding: click or Enter to go to its frame and unfold why it is said."""

    picked = pyqtSignal(str)

    def __init__(self, card: Card, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self.key = card.key
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"{card.verdict.value}: {card.title}. {card.line}")
        title = PlainLabel(card.title)
        title.setStyleSheet("font-weight: 700")
        title.setWordWrap(True)
        line = PlainLabel(card.line)
        line.setWordWrap(True)
        self.why = PlainLabel("\n".join(f"– {row}" for row in card.chain))
        self.why.setObjectName("dim")
        self.why.setWordWrap(True)
        self.why.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.why.setVisible(False)
        top = QHBoxLayout()
        top.setSpacing(9)
        top.addWidget(VerdictMark(card.verdict), 0, Qt.AlignmentFlag.AlignTop)
        top.addWidget(title, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 9, 12, 9)
        layout.setSpacing(3)
        layout.addLayout(top)
        layout.addWidget(line)
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
