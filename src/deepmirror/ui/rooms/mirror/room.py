"""The Mirror's window part: film, ribbon, transport, and the paper beside them."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtCore import QPointF, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from deepmirror.core.skeleton import SIDES, near_side, sided
from deepmirror.services.films.ghost import GhostMaker, ghosts_of
from deepmirror.services.films.measure_drawing import MeasureDrawings
from deepmirror.services.films.rep_table import moment, series_of
from deepmirror.services.films.review import Analysis, Review
from deepmirror.ui.jobs import FrameReader
from deepmirror.ui.rooms.mirror.annotating import Annotator
from deepmirror.ui.rooms.mirror.header import HeaderRow
from deepmirror.ui.rooms.mirror.overlay import drawn, ribbon_data
from deepmirror.ui.rooms.mirror.placing import PlacingPanel
from deepmirror.ui.rooms.mirror.playback import Playback
from deepmirror.ui.rooms.mirror.reading import ReadingPanel
from deepmirror.ui.rooms.mirror.transport import TransportRow
from deepmirror.ui.translation import tr
from deepmirror.ui.turns import Turns
from deepmirror.ui.widgets.film_view import FilmView
from deepmirror.ui.widgets.ribbon import RepRibbon, RibbonData

DOUBT_PX = 6.0  # an uncertainty (k = 2) smaller than this in the picture is not worth a look


class MirrorRoom(QWidget):
    """Shows one Review. Background work is asked for by signals; results come back through show_review and refresh."""

    wants_measuring = pyqtSignal()
    wants_reply = pyqtSignal()
    edited = pyqtSignal()
    complained = pyqtSignal(str)
    wants_why = pyqtSignal(str)
    wants_film = pyqtSignal()
    wants_other = pyqtSignal(int, str, int)  # another film, a measure, and a rep
    numbers_shown = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.review: Review | None = None
        self._lines, self._finding = True, -1
        self.visit = (1, 1)  # which film of how many of the visit
        self._asked = ""  # the measure that draws itself on the film
        self._drawings: MeasureDrawings | None = None
        self._ghosts: GhostMaker | None = None
        self._shown: Analysis | None = None  # whose numbers are on show
        self._ghost_on = False
        self._doubtful = np.zeros(0, bool)
        self.turns = Turns(self)  # in which what was worked out comes on show
        self.reader = FrameReader(self)
        self.reader.arrived.connect(self._show_frame)
        self.reader.failed.connect(self.complained)
        self.playback = Playback(self)
        self.playback.wants_frame.connect(self.seek)
        self.playback.turned.connect(lambda on: self.play_button.setText(tr("Pause") if on else tr("Play")))
        self._build()

    @property
    def frame(self) -> int:
        """The frame on show."""
        return self.playback.shown

    def _build(self) -> None:
        self.film = FilmView()
        self.film.show_message(tr("Take a film from the Desk."))
        self.ribbon = RepRibbon()
        self.ribbon.sought.connect(lambda s: self.seek(self.review.film.frame_at(s)) if self.review else None)
        stage = QWidget()
        stage.setObjectName("stage")
        column = QVBoxLayout(stage)
        column.setContentsMargins(10, 8, 10, 6)
        column.setSpacing(6)
        column.addLayout(self._build_header())
        column.addWidget(self.film, 1)
        column.addLayout(self._build_transport())
        column.addWidget(self.ribbon)
        self.reading = ReadingPanel()
        self.reading.finding_picked.connect(self.go_to_finding)
        self.reading.why_wanted.connect(self.wants_why)
        self.reading.film_wanted.connect(self.wants_film)
        self.reading.number_picked.connect(self.go_to_number)
        self.reading.other_picked.connect(self.wants_other)
        self.placing = PlacingPanel()
        self.annotator = Annotator(self.film, self.placing, self)
        self.annotator.changed.connect(self._redraw)
        self.annotator.edited.connect(self.edited)
        self.annotator.refused.connect(self._refused)
        self.annotator.subject_chosen.connect(self.finish_placing)
        self.placing.done.connect(self.finish_placing)
        self.paper = QStackedWidget()
        self.paper.addWidget(self.reading)
        self.paper.addWidget(self.placing)
        self.paper.setFixedWidth(448)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(stage, 1)
        layout.addWidget(self.paper)

    def _build_header(self) -> HeaderRow:
        row = self.header = HeaderRow()
        self.title, self.view, self.tempo, self.ghost_button, self.opacity = row.title, row.view, row.tempo, row.ghost_button, row.opacity
        self.view.activated.connect(lambda: self.annotator.set_field(view=self.view.currentData()))
        self.ghost_button.clicked.connect(self.toggle_ghost)
        self.opacity.valueChanged.connect(self._redraw)
        self.tempo.editingFinished.connect(self._set_tempo)
        return row

    def _build_transport(self) -> TransportRow:
        row = TransportRow()
        self.play_button, self.place_button, self.signal, self.where = row.play_button, row.place_button, row.signal, row.where
        self.play_button.clicked.connect(self.play)
        self.place_button.clicked.connect(self.toggle_placing)
        row.measure_button.clicked.connect(self.wants_measuring)
        row.reply_button.clicked.connect(self.wants_reply)
        self.signal.activated.connect(self._show_signal)
        self.transport = row
        return row

    def show_review(self, review: Review) -> None:
        """Open a film's review at its first reversal."""
        self.pause()
        self.film.set_placing(False)
        self.place_button.setChecked(False)
        self.paper.setCurrentWidget(self.reading)
        self.review = self.playback.review = review
        self._finding, self._asked, self._drawings = -1, "", None
        self.annotator.open(review)
        self._ghosts, self._doubtful, self._shown = None, np.zeros(0, bool), None
        self.refresh()
        turns = review.record.turns
        self.seek(turns[0] if turns else 0)
        self.film.setFocus()

    def refresh(self) -> None:
        """Show the review's present state."""
        review = self.review
        if review is None:
            return
        analysis = review.analysis
        self.header.show_for(review, self.visit)
        duration = float(review.film.facts.duration_s)
        self.transport.show_for(analysis is not None)
        if analysis is None:
            self.reading.show_missing(review.problem, observed=review.evidence is not None)
            self.ribbon.set_data(RibbonData(), duration)
            self._shown = self._drawings = None
            self.turns.forget()
            self.reading.setUpdatesEnabled(True)
        elif analysis is not self._shown:  # an edit whose numbers are still being worked out leaves those of before
            self._show_numbers(analysis)
        self.annotator.show()
        self._redraw()

    def _show_numbers(self, analysis: Analysis) -> None:
        """A part in each turn, so that keys and clicks come between; what is read is painted once it is whole."""
        self._shown, reading = analysis, self.reading
        reading.setUpdatesEnabled(False)
        parts = (reading.show_reps, reading.show_findings, self._pick_again, reading.show_numbers)
        shown = [partial(show, analysis) for show in parts]
        whole = partial(reading.setUpdatesEnabled, True)
        self.turns.begin(*shown, self._show_rep, whole, partial(self._show_drawings, analysis), self.numbers_shown.emit)

    def _pick_again(self, analysis: Analysis) -> None:
        """The finding gone to before its card was there, or before an edit, stands out again."""
        picked = [f.code for f in analysis.judgement.findings if f.measure == self._asked]
        if self._finding >= 0 and picked:
            self.reading.pick(picked[0])

    def _show_drawings(self, analysis: Analysis) -> None:
        """What stands on the film and in the ribbon."""
        self._ghosts, self._drawings = ghosts_of(analysis), MeasureDrawings(analysis)
        self.ghost_button.setChecked(self._ghost_on and self._ghosts.reason is None)
        near = near_side(analysis.scene.view)
        legs = [sided(j, s) for j in ("hip", "knee", "ankle") for s in ((near,) if near else SIDES)]
        self._doubtful = analysis.scene.film_track.doubtful(legs, DOUBT_PX)
        self.signal.offer(list(analysis.scene.angles))
        self._show_signal()
        self._redraw()

    def _show_signal(self) -> None:
        """Draw the chosen signal in the ribbon, in step with the playhead."""
        review = self.review
        if review is None or review.analysis is None:
            return
        data = ribbon_data(review.analysis, self.signal.currentData(), self._doubtful)
        self.ribbon.set_data(data, float(review.film.facts.duration_s))

    def next_doubt(self) -> None:
        """Go to the next stretch of frames the program is unsure of, round and round."""
        starts = np.flatnonzero(np.diff(np.concatenate([[0], self._doubtful.astype(int)])) == 1)
        if len(starts):
            self.pause()
            later = starts[starts > self.playback.wanted]
            self.seek(int(later[0] if len(later) else starts[0]))

    def toggle_ghost(self) -> None:
        """Show or hide this client's own body at the target posture."""
        if self._ghosts is None:
            return
        if self._ghosts.reason is not None:
            self.ghost_button.setChecked(False)
            self.complained.emit(self._ghosts.reason)
            return
        self._ghost_on = not self._ghost_on
        self.ghost_button.setChecked(self._ghost_on)
        self._redraw()

    def seek(self, number: int) -> None:
        """Go to a frame."""
        if self.review is None:
            return
        self.playback.wanted = min(max(number, 0), len(self.review.film.times) - 1)
        self.reader.ask(self.review.picture, self.playback.wanted)

    def _show_frame(self, number: int, image: QImage) -> None:
        if self.review is None:
            return
        self.playback.shown = self.annotator.frame = number
        self.film.show_image(image)
        now = float(self.review.film.times[number])
        self.ribbon.set_now(now)
        self.where.setText(
            tr(
                "frame {number} of {times}   {now:.3f} s   ×{speed:g}",
                number=number + 1,
                times=len(self.review.film.times),
                now=now,
                speed=self.playback.speed,
            )
            + ("   loop" if self.playback.looping else "")
        )
        self._show_rep()
        if self.film.placing:
            self.annotator.show_points()
        self._redraw()

    def _show_rep(self) -> None:
        """The numbers of the rep under the playhead."""
        analysis, rep = self.review.analysis if self.review is not None else None, self.playback.rep_here()
        self.reading.show_rep(rep, analysis.measured.reps[rep.number - 1] if rep and analysis is not None else {})

    def _redraw(self) -> None:
        review = self.review
        if review is None:
            return
        analysis = review.analysis
        drawing = drawn(review, self.frame, self._lines, everything=self.film.placing or analysis is None)
        drawing.selected = self.annotator.selected
        ghost = self._ghosts.at(self.frame) if self._ghosts is not None and self._ghost_on and analysis is not None else None
        self.reading.show_ghost(ghost.why if ghost else ())
        if ghost is not None:
            drawing.ghost = [(QPointF(*a), QPointF(*b)) for a, b in ghost.lines()]
            drawing.ghost_opacity = self.opacity.value() / 100
        if self._asked and self._drawings is not None and self._lines and not self.film.placing:
            shown = self._drawings.at(self._asked, self.frame)
            drawing.sketch, drawing.tag, drawing.faces = shown.sketch, shown.words, shown.faces
        if half := self.annotator.half_clicked():
            drawing.marks["placing"] = half
        self.film.drawing = drawing
        self.film.update()

    def play(self) -> None:
        """Play or pause."""
        self.playback.toggle()

    def pause(self) -> None:
        """Stop playing."""
        self.playback.pause()

    def step(self, count: int) -> None:
        """Go some frames on (or back); while a placed point is selected, single steps nudge it sideways."""
        if abs(count) == 1 and self.annotator.nudge(count, 0):
            return
        self.pause()
        self.seek(self.playback.wanted + count)

    def turn(self, way: int) -> None:
        """Go to the next (1) or previous (-1) reversal; while a placed point is selected, nudge it down or up."""
        if self.annotator.nudge(0, way):
            return
        if self.review is None or self.review.analysis is None:
            return
        turns = [self.review.film.frame_at(r.bottom_s) for r in self.review.analysis.scene.reps]
        ahead = [f for f in turns if (f - self.frame) * way > 0]
        if ahead:
            self.pause()
            self.seek(min(ahead, key=lambda f: abs(f - self.frame)))

    def slower(self) -> None:
        """Cycle through the playing speeds."""
        self.playback.slower()
        self.seek(self.playback.wanted)

    def toggle_loop(self) -> None:
        """Loop the rep under the playhead, or stop looping."""
        self.playback.looping = not self.playback.looping
        self.seek(self.playback.wanted)

    def toggle_halves(self) -> None:
        """Say that every rep holds a half rep (down, half up, down, up), or take it back."""
        if self.review is not None:
            self.annotator.set_field(pattern=None if self.review.brief.file.pattern else "one_and_a_half")

    def toggle_lines(self) -> None:
        """Show or hide the measured lines."""
        self._lines = not self._lines
        self._redraw()

    def next_finding(self) -> None:
        """Go to the next finding in order, round and round."""
        findings = self.review.analysis.judgement.findings if self.review and self.review.analysis else ()
        if findings:
            self._finding = (self._finding + 1) % len(findings)
            self.go_to_finding(findings[self._finding].code)

    def go_to_finding(self, code: str) -> None:
        """Go to a finding's worst frame and unfold why it is said."""
        if self.review is None or self.review.analysis is None:
            return
        for i, finding in enumerate(self.review.analysis.judgement.findings):
            if finding.code == code:
                self._finding, self._asked = i, finding.measure
                self.pause()
                self.reading.pick(code)
                self.seek(self.review.film.frame_at(finding.time_s))

    def go_to_number(self, measure: str, rep: int) -> None:
        """Go to the frame that shows a measure of a rep and draw it, with the curve it is read from; to the turn-round without one."""
        analysis = self.review.analysis if self.review is not None else None
        if self.review is None or analysis is None:
            return
        self.pause()
        self._asked = measure
        when = moment(analysis, measure, rep) if measure else analysis.scene.reps[rep - 1].bottom_s
        if measure and self.signal.choose(series_of(measure)):
            self._show_signal()
        self.seek(self.review.film.frame_at(when))

    def toggle_placing(self) -> None:
        """Start or stop placing points."""
        if self.review is None:
            return
        on = not self.film.placing
        self.pause()
        self.film.set_placing(on)
        self.place_button.setChecked(on)
        self.paper.setCurrentWidget(self.placing if on else self.reading)
        self.annotator.begin(on)
        self._redraw()
        self.film.setFocus()

    def finish_placing(self) -> None:
        """Leave placing and follow the points through the film when they changed."""
        if self.film.placing:
            self.toggle_placing()
        if self.review is not None and self.review.needs_following():
            self.wants_measuring.emit()

    def _set_tempo(self) -> None:
        if self.review is not None and (self.tempo.text().strip() or None) != self.review.brief.file.tempo:
            self.annotator.set_field(tempo=self.tempo.text().strip() or None)

    def _refused(self, sentence: str) -> None:
        self.complained.emit(sentence)
        self.refresh()

    def forget(self) -> None:
        """Let go of the film on show."""
        self.pause()
        self.turns.forget()
        self.review = self.playback.review = None
        self.annotator.open(None)
        self.film.show_message(tr("Take a film from the Desk."))

    def close_reader(self) -> None:
        """Stop the frame thread."""
        self.pause()
        self.reader.close()
