"""Beside the next session: a lift's trend, hard sets by muscle, and what the plan's reader should know."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from deepmirror.core.units import in_their_units
from deepmirror.services.training import trends
from deepmirror.services.training.equipment import screen_lacks
from deepmirror.services.training.training_file import NextSession, TrainingFile
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel, clear_layout, heading
from deepmirror.ui.widgets.set_bars import SetBars
from deepmirror.ui.widgets.trend_plot import PlotPoint, PlotStep, TrendPlot

SHOWN_AT_ONCE = 3


class SidePanel(QWidget):
    """Reads a TrainingFile; the lift and the number are chosen by two boxes."""

    wants_reminder = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._file: TrainingFile | None = None
        self.lift, self.number = QComboBox(), QComboBox()
        self.lift.setAccessibleName(tr("Which lift"))
        self.number.setAccessibleName(tr("Which number"))
        self.lift.activated.connect(self._choose_lift)
        self.number.activated.connect(self._draw)
        self.plot, self.bars = TrendPlot(), SetBars()
        boxes = QHBoxLayout()
        boxes.addWidget(self.lift, 1)
        boxes.addWidget(self.number, 1)
        self.notes = QVBoxLayout()
        self.notes.setSpacing(4)
        self.more = QPushButton(self)
        self.more.setCheckable(True)
        self.more.toggled.connect(self._fill_notes)
        self._words: list[str] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 8, 0)
        column.addWidget(heading(tr("Over the months")))
        column.addLayout(boxes)
        column.addWidget(self.plot)
        column.addWidget(heading(tr("Hard sets this week, and what is usual")))
        column.addWidget(self.bars)
        column.addWidget(heading(tr("To know")))
        column.addLayout(self.notes)
        column.addWidget(self.more)
        column.addStretch(1)

    def show_file(self, file: TrainingFile, session: NextSession | None) -> None:
        """Read everything anew, keeping what was chosen where it is still there."""
        kept = self.lift.currentData()
        self._file = file
        self.lift.clear()
        for movement, side in trends.lifts(file):
            title = file.library.catalogue.title(movement)
            self.lift.addItem(tr(title) if side == "both" else tr("{title}, {side}", title=title, side=side), (movement, side))
        self._select(kept)
        self._choose_lift()
        self.bars.show_sets(session.weekly_sets if session is not None else {}, file.usual_sets())
        lacks = screen_lacks(file)
        self._words = [lacks] if lacks else []
        self._words += [in_their_units(a, file.body.imperial) for a in session.advice] if session is not None else []
        self._fill_notes(self.more.isChecked())

    def _select(self, data: object) -> None:
        for i in range(self.lift.count()):
            if self.lift.itemData(i) == data:
                self.lift.setCurrentIndex(i)
                return

    def show_lift(self, movement: str, side: str) -> None:
        """Choose a lift."""
        self._select((movement, side))
        self._choose_lift()

    def _choose_lift(self) -> None:
        kept, chosen = self.number.currentData(), self.lift.currentData()
        self.number.clear()
        if self._file is not None and chosen is not None:
            for name, title in trends.numbers(self._file, *chosen):
                self.number.addItem(tr(title), name)
            self.number.setCurrentIndex(max(self.number.findData(kept), 0))
        self._draw()

    def _draw(self) -> None:
        chosen, number = self.lift.currentData(), self.number.currentData()
        if self._file is None or chosen is None or number is None:
            self.plot.show_trend("", "", (), ())
            return
        movement, side = chosen
        found = trends.trend(self._file, movement, side, number)
        points = [PlotPoint(p.day, p.value, p.u) for p in found.points]
        self.plot.show_trend(found.title, found.unit, points, [PlotStep(s.start, s.end, s.real) for s in found.steps], found.certain)

    def _fill_notes(self, everything: bool) -> None:
        clear_layout(self.notes)
        for words in self._words if everything else self._words[:SHOWN_AT_ONCE]:
            label = PlainLabel(words)
            label.setWordWrap(True)
            self.notes.addWidget(label)
        rest = len(self._words) - SHOWN_AT_ONCE
        self.more.setVisible(rest > 0)
        self.more.setText(tr("Fewer") if everything else tr("{count} more", count=rest))
