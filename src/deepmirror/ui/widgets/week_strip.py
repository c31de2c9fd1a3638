"""Weeks across, sessions as cards whose height is their hard sets: the outline is what was planned, the fill what was done."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from PyQt6.QtCore import QEvent, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFocusEvent, QFont, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QToolTip, QWidget

from deepmirror.core.uncertain_value import Verdict
from deepmirror.ui.theme import tokens as t
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import shortened, tip
from deepmirror.ui.widgets.verdict_mark import paint_mark

HEAD, GAP, SIDE, MARK = 40.0, 6.0, 4.0, 13.0
LEAST_HEIGHT = 26.0
DONE, MISSED, NEXT, AHEAD, EXTRA = "done", "missed", "next", "ahead", "extra"


@dataclass(frozen=True)
class WeekCard:
    """One session: its day, state, hard sets planned and done, the verdicts of its films, and what a tool tip says."""

    day: date
    state: str
    planned: int
    done: int
    marks: tuple[Verdict, ...]
    words: str
    name: str = ""


@dataclass(frozen=True)
class WeekColumn:
    """One week: what stands over it, whether it is a lighter one, whether it is this one, its sessions."""

    title: str
    below: str
    lighter: bool
    present: bool
    cards: tuple[WeekCard, ...]


class WeekStrip(QWidget):
    """`picked` brings the day of the card that was clicked, or walked to with the arrow keys."""

    picked = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMinimumHeight(150)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self._columns: tuple[WeekColumn, ...] = ()
        self.chosen: date | None = None

    def sizeHint(self) -> QSize:
        return QSize(900, 168)

    def show_weeks(self, columns: Sequence[WeekColumn], chosen: date | None) -> None:
        """Draw these weeks; chosen: the day whose card is framed."""
        self._columns, self.chosen = tuple(columns), chosen
        cards = [c for column in columns for c in column.cards]
        self.setAccessibleName(tr("{columns} weeks, {part} sessions done", columns=len(columns), part=sum(c.state == DONE for c in cards)))
        self.update()

    def boxes(self) -> list[tuple[WeekCard, QRectF]]:
        """Every card with where it is drawn."""
        if not self._columns:
            return []
        width = self.width() / len(self._columns)
        most = max((sum(max(c.planned, c.done) for c in col.cards) for col in self._columns), default=1)
        deepest = max(len(col.cards) for col in self._columns)
        room = self.height() - HEAD - GAP * max(deepest, 1)
        out = []
        for i, column in enumerate(self._columns):
            y = HEAD
            heights = [max(room * max(card.planned, card.done) / max(most, 1), LEAST_HEIGHT) for card in column.cards]
            fits = min(1.0, (self.height() - HEAD - GAP * len(heights)) / max(sum(heights), 1.0))  # many small cards get narrower
            for card, height in zip(column.cards, (h * fits for h in heights), strict=True):
                out.append((card, QRectF(i * width + SIDE, y, width - 2 * SIDE, height)))
                y += height + GAP
        return out

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        width = self.width() / max(len(self._columns), 1)
        for i, column in enumerate(self._columns):
            box = QRectF(i * width, 0, width, self.height())
            if column.present:
                painter.fillRect(box, QColor(t.PAPER))
            self._paint_head(painter, column, box)
        for card, box in self.boxes():
            self._paint_card(painter, card, box)

    def _paint_head(self, painter: QPainter, column: WeekColumn, box: QRectF) -> None:
        face = QFont(painter.font())
        for top, words, bold, colour in (
            (1, column.title, column.present, t.TEXT if column.present else t.TEXT_DIM),
            (18, column.below, False, t.TEAL if column.lighter else t.TEXT_DIM),
        ):
            face.setBold(bold)
            painter.setFont(face)
            painter.setPen(QColor(colour))
            line = QRectF(box.left(), top, box.width(), 18)
            painter.drawText(line, int(Qt.AlignmentFlag.AlignCenter), shortened(painter, tr(words), box.width()))

    def _paint_card(self, painter: QPainter, card: WeekCard, box: QRectF) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        share = min(card.done / card.planned, 1.0) if card.planned else 1.0
        if card.done:
            fill = QRectF(box.left(), box.bottom() - share * box.height(), box.width(), share * box.height())
            painter.setBrush(QColor(t.TEAL))
            painter.setOpacity(0.22)
            painter.drawRoundedRect(fill, 4, 4)
            painter.setOpacity(1.0)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        line = Qt.PenStyle.DashLine if card.state in (MISSED, AHEAD) else Qt.PenStyle.SolidLine
        colour = t.COPPER if card.state in (MISSED, NEXT) else t.TEAL if card.done else t.TEXT_DIM
        painter.setPen(QPen(QColor(colour), 2.6 if card.day == self.chosen else 1.2, line))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(QColor(t.TEXT if card.state != AHEAD else t.TEXT_DIM))
        row = QRectF(box.left() + 5, box.top() + 2, box.width() - 8, 20)
        painter.drawText(row, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter), tr(_words(card)))
        if box.height() >= 42 and card.name:
            painter.setPen(QColor(t.TEXT_DIM))
            name = QRectF(box.left() + 5, box.top() + 20, box.width() - 8, 18)
            words = painter.fontMetrics().elidedText(card.name, Qt.TextElideMode.ElideRight, int(name.width()))
            painter.drawText(name, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter), tr(words))
        x = box.right() - 5 - MARK
        for verdict in reversed(card.marks):
            paint_mark(painter, QRectF(x, box.top() + 6, MARK, MARK), verdict)
            x -= MARK + 2
        if card.day == self.chosen and self.hasFocus():
            painter.setPen(QPen(QColor(t.COPPER), 1, Qt.PenStyle.DotLine))
            painter.drawRoundedRect(box.adjusted(-3, -3, 3, 3), 6, 6)

    def _at(self, x: float, y: float) -> WeekCard | None:
        return next((card for card, box in self.boxes() if box.contains(x, y)), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        card = self._at(event.position().x(), event.position().y()) if event is not None else None
        if card is not None:
            self._pick(card)

    def _pick(self, card: WeekCard) -> None:
        self.chosen = card.day
        self.update()
        self.picked.emit(card.day)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1}.get(
            Qt.Key(event.key()) if event else Qt.Key.Key_No
        )
        cards = [card for card, _ in self.boxes()]
        if step is None or not cards:
            super().keyPressEvent(event)
            return
        now = next((i for i, c in enumerate(cards) if c.day == self.chosen), len(cards) - 1)
        self._pick(cards[min(max(now + step, 0), len(cards) - 1)])

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        self.update()
        super().focusInEvent(event)

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent):
            card = self._at(event.pos().x(), event.pos().y())
            QToolTip.showText(event.globalPos(), tip(card.words) if card else "", self)
            return True
        return super().event(event)


def _words(card: WeekCard) -> str:
    if card.state in (DONE, EXTRA):
        return f"{card.done}/{card.planned}" if card.planned else f"+{card.done}"
    return {MISSED: "not done", NEXT: "next"}.get(card.state, f"{card.planned}")
