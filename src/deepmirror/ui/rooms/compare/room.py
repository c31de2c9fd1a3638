"""The Compare room: two pictures at the same phase, both curves over each other, and the numbers that differ."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QElapsedTimer, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QSlider,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from deepmirror.core.motion.series import series_title
from deepmirror.core.motion.time_normalisation import WHOLE
from deepmirror.core.uncertain_value import bare_unit, with_unit
from deepmirror.services.films.rep_comparison import SideBySide
from deepmirror.ui.jobs import FrameReader
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.film_view import FilmView
from deepmirror.ui.widgets.panel_helpers import PlainLabel
from deepmirror.ui.widgets.phase_plot import PhaseCurves, PhasePlot

TICKS = 600  # slider steps over a whole rep
TICK_MS = 25


class CompareRoom(QWidget):
    """Shows one SideBySide. The films are chosen by signals; the window opens them in the background."""

    films_chosen = pyqtSignal(int, int)  # film ids

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.pair: SideBySide | None = None
        self._phase = 0.0
        self._clock, self._since = QTimer(self), QElapsedTimer()
        self._clock.timeout.connect(self._tick)
        self._start = 0.0
        self.reader = FrameReader(self)
        self.reader.arrived.connect(self._show)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        stage = QWidget()
        stage.setObjectName("stage")
        column = QVBoxLayout(stage)
        column.setContentsMargins(12, 8, 12, 8)
        self.told = PlainLabel()
        self.told.setTextFormat(Qt.TextFormat.RichText)  # its writer marks up and escapes
        self.told.setWordWrap(True)
        self.told.setVisible(False)
        column.addWidget(self.told)
        column.addLayout(self._build_choices())
        self.view = FilmView()
        self.view.show_message(tr("Take a film from the Desk, then compare."))
        column.addWidget(self.view, 1)
        column.addLayout(self._build_transport())
        self.plot = PhasePlot()
        self.plot.sought.connect(self.seek)
        column.addWidget(self.plot)
        layout.addWidget(stage, 1)
        layout.addWidget(self._build_numbers())

    def _build_choices(self) -> QHBoxLayout:
        self.film_a, self.film_b, self.rep_a, self.rep_b = QComboBox(), QComboBox(), QComboBox(), QComboBox()
        row = QHBoxLayout()
        for film, rep, name in ((self.film_a, self.rep_a, "Left"), (self.film_b, self.rep_b, "Right")):
            film.setAccessibleName(tr("{which} film", which=name))
            film.setMinimumWidth(300)
            rep.setAccessibleName(tr("{which} rep", which=name))
            film.activated.connect(self._choose_films)
            rep.activated.connect(self._choose_reps)
            row.addWidget(film, 1)
            row.addWidget(rep)
        return row

    def _build_transport(self) -> QHBoxLayout:
        self.play_button = QPushButton(tr("Play"))
        self.play_button.clicked.connect(self.play)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, TICKS)
        self.slider.setAccessibleName(tr("Phase of the rep"))
        self.slider.valueChanged.connect(lambda v: self.seek(v / TICKS * WHOLE))
        self.signal = QComboBox()
        self.signal.setAccessibleName(tr("Curve"))
        self.signal.setMinimumWidth(170)
        self.signal.activated.connect(self._show_curves)
        row = QHBoxLayout()
        for widget, stretch in ((self.play_button, 0), (self.slider, 1), (self.signal, 0)):
            row.addWidget(widget, stretch)
        return row

    def _build_numbers(self) -> QTableWidget:
        self.numbers = QTableWidget(0, 4)
        self.numbers.setAccessibleName(tr("The numbers of both, and what changed"))
        self.numbers.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.numbers.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.numbers.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.numbers.setShowGrid(False)
        header, side = self.numbers.horizontalHeader(), self.numbers.verticalHeader()
        if header is not None and side is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
            side.setVisible(False)
            side.setDefaultSectionSize(26)
        self.numbers.setFixedHeight(132)
        return self.numbers

    def show_words(self, words: str) -> None:
        """Say above the pictures what became of a correction; nothing hides the line."""
        self.told.setText(words)
        self.told.setVisible(bool(words))

    def show_films(self, films: list[tuple[int, str]], first: int, second: int) -> None:
        """Films to choose from, and which two are compared."""
        for box, chosen in ((self.film_a, first), (self.film_b, second)):
            box.clear()
            for film_id, words in films:
                box.addItem(tr(words), film_id)
            box.setCurrentIndex(max(box.findData(chosen), 0))

    def show_pair(self, pair: SideBySide, phase: float = 0.0) -> None:
        """Compare these two."""
        self.pause()
        old, self.pair = self.pair, pair
        if old is not None and old is not pair:
            old.close()
        for box, reps, chosen in ((self.rep_a, pair.first.reps(), pair.rep_a), (self.rep_b, pair.second.reps(), pair.rep_b)):
            box.clear()
            for rep in reps:
                box.addItem(tr("rep {number}", number=rep.number), rep.number)
            box.setCurrentIndex(chosen - 1)
        present = self.signal.currentData()
        self.signal.clear()
        for name in pair.signals():
            self.signal.addItem(tr(series_title(name)), name)
        self.signal.setCurrentIndex(max(self.signal.findData(present), 0))
        self._refresh()
        self.seek(phase)

    def _refresh(self) -> None:
        self._show_curves()
        pair = self.pair
        if pair is None:
            return
        rows = pair.rows()
        self.numbers.setHorizontalHeaderLabels([tr("Number"), *(tr(name) for name in pair.names()), tr("second minus first")])
        self.numbers.setRowCount(len(rows))
        for i, row in enumerate(rows):
            said = row.change if row.real else tr("{change} (not distinguishable)", change=row.change)
            for j, words in enumerate((row.words, row.first, row.second, said)):
                self.numbers.setItem(i, j, QTableWidgetItem(tr(words)))

    def _show_curves(self) -> None:
        pair = self.pair
        name = str(self.signal.currentData())
        found = pair.curves(name) if pair is not None else None
        curves = None
        if pair is not None and found is not None:
            a, b, gap = found
            unit = with_unit("", bare_unit(pair.unit(name)))
            curves = PhaseCurves(gap.phases, a.values, a.u, b.values, b.u, gap.real, unit)
        self.plot.show_curves(curves, pair.names() if pair is not None else ("", ""))

    def _choose_films(self) -> None:
        self.films_chosen.emit(self.film_a.currentData(), self.film_b.currentData())

    def _choose_reps(self) -> None:
        if self.pair is not None:
            self.pair.rep_a, self.pair.rep_b = self.rep_a.currentData(), self.rep_b.currentData()
            self._refresh()
            self.seek(self._phase)

    def seek(self, phase: float) -> None:
        """Go to a phase 0..3 in both."""
        pair = self.pair
        if pair is None:
            return
        self._phase = min(max(phase, 0.0), WHOLE)
        self.plot.set_phase(self._phase)
        self.slider.blockSignals(True)
        self.slider.setValue(round(self._phase / WHOLE * TICKS))
        self.slider.blockSignals(False)
        now = self._phase
        self.reader.ask(lambda _: _joined(pair.pictures(now)), 0)

    def phase(self) -> float:
        """The phase on show."""
        return self._phase

    def step(self, way: int) -> None:
        """One frame of the left film on or back."""
        if self.pair is not None:
            a, _ = self.pair.pair()
            frame = 1 / self.pair.first.film.facts.fps / max(a.end_s - a.start_s, 0.1) * WHOLE
            self.pause()
            self.seek(self._phase + way * frame)

    def play(self) -> None:
        """Play the left rep at its own speed, the right one in step with it; at the end it begins again."""
        if self._clock.isActive():
            self.pause()
        elif self.pair is not None:
            self._start = 0.0 if self._phase >= WHOLE else self._seconds_at(self._phase)
            self._since.start()
            self._clock.start(TICK_MS)
            self.play_button.setText(tr("Pause"))

    def _seconds_at(self, phase: float) -> float:
        assert self.pair is not None
        a, _ = self.pair.pair()
        return float(np.interp(phase, [0, 1, 2, 3], [0, a.turn_start_s - a.start_s, a.turn_end_s - a.start_s, a.end_s - a.start_s]))

    def pause(self) -> None:
        """Stop playing."""
        self._clock.stop()
        self.play_button.setText(tr("Play"))

    def _tick(self) -> None:
        if self.pair is not None:
            seconds = self._start + self._since.elapsed() / 1000
            if seconds > self.pair.seconds() + 0.6:
                self._start, seconds = 0.0, 0.0
                self._since.restart()
            self.seek(self.pair.phase_at(seconds))

    def _show(self, _: int, image: QImage) -> None:
        self.view.show_image(image)

    def forget(self) -> None:
        """Let go of both films."""
        self.pause()
        if self.pair is not None:
            self.pair.close()
            self.pair = None
        self.view.show_message(tr("Take a film from the Desk, then compare."))
        self.plot.show_curves(None, ("", ""))
        self.show_words("")
        self.numbers.setRowCount(0)

    def close_reader(self) -> None:
        """Stop the frame thread and let go of the films."""
        self.pause()
        self.reader.close()
        if self.pair is not None:
            self.pair.close()


def _joined(pictures: tuple[NDArray[np.uint8], NDArray[np.uint8]]) -> NDArray[np.uint8]:
    """Both pictures in one, the lower one padded."""
    a, b = pictures
    height = max(a.shape[0], b.shape[0])
    sides = [np.pad(p, ((0, height - p.shape[0]), (0, 0), (0, 0))) for p in (a, b)]
    return np.concatenate([sides[0], np.full((height, 8, 3), 40, np.uint8), sides[1]], axis=1)
