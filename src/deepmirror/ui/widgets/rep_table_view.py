"""A table of numbers rep by rep: a verdict's shape, the number, and its uncertainty small beside it."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QModelIndex, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QPainter, QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from deepmirror.core.uncertain_value import Verdict
from deepmirror.ui.theme import tokens as t
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import tip
from deepmirror.ui.widgets.verdict_mark import paint_mark
from deepmirror.words import joined

ROW_PX, COLUMN_PX, MARK_PX, TITLE_PX = 23, 60, 12, 200
SHOWN = Qt.ItemDataRole.UserRole


@dataclass(frozen=True)
class ShownCell:
    """One number as it is shown; verdict None: nothing is asked of it. number empty: it cannot be told."""

    number: str
    doubt: str
    verdict: Verdict | None


@dataclass(frozen=True)
class ShownRow:
    """One measure: its key, its title with the unit, and its cells."""

    key: str
    title: str
    cells: tuple[ShownCell, ...]


class RepTableView(QTableWidget):
    """`picked` brings a measure's key and a rep, from 1."""

    picked = pyqtSignal(str, int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._rows: tuple[ShownRow, ...] = ()
        self._high = ROW_PX
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setItemDelegate(_CellPainter(self))
        self.setAccessibleName(tr("Numbers rep by rep"))
        self.setShowGrid(False)
        across, down = self.horizontalHeader(), self.verticalHeader()
        assert across is not None and down is not None
        across.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        across.setDefaultSectionSize(COLUMN_PX)
        across.setHighlightSections(False)
        down.setDefaultSectionSize(ROW_PX)
        down.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        down.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        down.setHighlightSections(False)
        down.setFixedWidth(TITLE_PX)
        down.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.setObjectName("reps")
        self.cellClicked.connect(self._pick)
        self.cellActivated.connect(self._pick)

    def show_rows(self, rows: tuple[ShownRow, ...], verdicts: tuple[Verdict, ...], first: str) -> None:
        """Show these; verdicts: of each rep as a whole, in the first line, which is headed by `first`."""
        self._rows = rows
        self.setVisible(bool(rows))
        whole = ShownRow("", first, tuple(ShownCell("", "", v) for v in verdicts))
        self.setRowCount(len(rows) + 1)
        self.setColumnCount(len(verdicts))
        self.setHorizontalHeaderLabels([str(n + 1) for n in range(len(verdicts))])
        for i, row in enumerate((whole, *rows)):
            title = QTableWidgetItem(tr(row.title))
            title.setToolTip(tip(row.title))
            self.setVerticalHeaderItem(i, title)
        for i, row in enumerate((whole, *rows)):
            for j, cell in enumerate(row.cells):
                item = QTableWidgetItem()
                item.setData(SHOWN, cell)
                words = joined(" ", [w for w in (row.title, tr("rep {number}", number=j + 1), cell.number, cell.doubt) if w])
                words += tr(": {verdict}", verdict=cell.verdict.value) if cell.verdict is not None else ""
                item.setData(Qt.ItemDataRole.AccessibleTextRole, words)
                item.setToolTip(tip(words))
                self.setItem(i, j, item)
        header = self.horizontalHeader()
        self._high = (header.sizeHint().height() if header is not None else ROW_PX) + ROW_PX * (len(rows) + 1) + 4
        self._fit()

    def _fit(self) -> None:
        """As high as its rows, and the bar below them where the reps need one."""
        across = self.columnCount() * COLUMN_PX > self.width() - TITLE_PX - 4
        bar = self.horizontalScrollBar()
        self.setFixedHeight(self._high + (bar.sizeHint().height() if across and bar is not None else 0))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def mark_rep(self, number: int | None) -> None:
        """The rep under the playhead, from 1."""
        for j in range(self.columnCount()):
            item = self.horizontalHeaderItem(j)
            if item is not None:
                item.setText(f"▾ {j + 1}" if j + 1 == number else str(j + 1))

    def _pick(self, row: int, column: int) -> None:
        self.picked.emit(self._rows[row - 1].key if row else "", column + 1)


class _CellPainter(QStyledItemDelegate):
    """Draws a cell: shape, number, doubt."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._fonts: dict[str, tuple[QFont, QFont]] = {}

    def _fonts_of(self, usual: QFont) -> tuple[QFont, QFont]:
        """Those of the number and of its doubt; making one is slower than drawing with it."""
        key = usual.key()
        if key not in self._fonts:
            number, small = QFont(usual), QFont(usual)
            number.setPixelSize(14)
            small.setPixelSize(9)
            self._fonts[key] = number, small
        return self._fonts[key]

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        cell: ShownCell = index.data(SHOWN)
        if painter is None or cell is None:
            return
        box = QRectF(option.rect)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box, QColor("#eadfcb"))
        if cell.verdict is not None:
            paint_mark(painter, QRectF(box.left() + 2, box.center().y() - MARK_PX / 2, MARK_PX, MARK_PX), cell.verdict)
        left = box.left() + MARK_PX + 5
        number, small = self._fonts_of(option.font)
        painter.setFont(number)
        painter.setPen(QColor(t.COPPER if cell.verdict is Verdict.OFF else t.TEXT))
        painter.drawText(QRectF(left, box.top(), box.width(), box.height()), int(Qt.AlignmentFlag.AlignVCenter), tr(cell.number))
        gone = painter.fontMetrics().horizontalAdvance(cell.number)
        painter.setFont(small)
        painter.setPen(QColor(t.TEXT_DIM))
        painter.drawText(QRectF(left + gone + 1, box.top() + 2, box.width(), box.height()), int(Qt.AlignmentFlag.AlignVCenter), cell.doubt)

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(COLUMN_PX, ROW_PX)
