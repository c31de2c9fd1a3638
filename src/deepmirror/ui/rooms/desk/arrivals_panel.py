"""What came in and needs a word of the coach: whose film it is, or what is wrong with it."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from deepmirror.errors import one_line
from deepmirror.services.program.arrivals import ArrivalRecord
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel, clear_layout, tip

MOST_ROWS, LONGEST_LINE = 3, 240
STANDS_FOR = {"waiting": "whose film?", "refused": "could not be taken in", "twin": "came twice"}


class PostPanel(QFrame):
    """One line per arrival that is not settled; hidden when there is none."""

    wants_place = pyqtSignal(object)
    wants_aside = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(12, 6, 8, 6)
        self._column.setSpacing(3)
        self.arrivals: list[ArrivalRecord] = []
        self.buttons: list[QPushButton] = []
        self.setVisible(False)

    def show_arrivals(self, arrivals: list[ArrivalRecord]) -> None:
        """Show those that wait for a word, those refused, and those that came twice."""
        open_ones = [a for a in arrivals if a.state in STANDS_FOR]
        if [(a.id, a.state) for a in open_ones] == [(a.id, a.state) for a in self.arrivals]:
            return
        self.arrivals, self.buttons = open_ones, []
        clear_layout(self._column)
        for arrival in open_ones[:MOST_ROWS]:
            self._column.addLayout(self._row(arrival))
        if len(open_ones) > MOST_ROWS:
            more = PlainLabel(tr("and {count} more", count=len(open_ones) - MOST_ROWS))
            more.setObjectName("dim")
            self._column.addWidget(more)
        self.setVisible(bool(open_ones))

    def _row(self, arrival: ArrivalRecord) -> QHBoxLayout:
        state, words = (
            PlainLabel(tr(STANDS_FOR[arrival.state])),
            PlainLabel(one_line(tr("· {name} · {sentence}", name=arrival.name, sentence=arrival.sentence), LONGEST_LINE)),
        )
        state.setStyleSheet("font-weight: 700")
        words.setToolTip(tip(arrival.sentence))
        words.setMinimumWidth(100)
        words.setWordWrap(True)
        row = QHBoxLayout()
        row.addWidget(state)
        row.addWidget(words, 1)
        if arrival.state == "waiting":
            place = QPushButton(tr("Say whose"))
            place.clicked.connect(lambda _, a=arrival: self.wants_place.emit(a))
            self.buttons.append(place)
            row.addWidget(place)
        aside = QPushButton(tr("Set aside"))
        aside.clicked.connect(lambda _, a=arrival: self.wants_aside.emit(a))
        row.addWidget(aside)
        return row

    def place_first(self) -> None:
        """Say whose the first waiting film is."""
        waiting = next((a for a in self.arrivals if a.state == "waiting"), None)
        if waiting is not None:
            self.wants_place.emit(waiting)
