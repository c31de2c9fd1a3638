"""The Mirror's window part: film, ribbon, transport, and the paper beside them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QSlider,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from deepmirror.core.reps import Rep
from deepmirror.core.skeleton import SIDES, near_side, sided
from deepmirror.errors import DeepMirrorError
from deepmirror.services.desk import FilmState
from deepmirror.services.ghost import GhostMaker
from deepmirror.services.review import MARK_KINDS, Review
from deepmirror.ui.jobs import FrameReader
from deepmirror.ui.rooms.mirror.overlay import drawn
from deepmirror.ui.rooms.mirror.placing import SUBJECT, SWAP_END, SWAP_START, PlacingPanel
from deepmirror.ui.rooms.mirror.reading import ReadingPanel
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.film_view import FilmView
from deepmirror.ui.widgets.panel_helpers import PlainLabel
from deepmirror.ui.widgets.ribbon import RepRibbon, RibbonData

SPEEDS = (1.0, 0.5, 0.25)
NUDGE_PX = 0.25
MEND = "Press P to look at the points and marks of this film."
WORKING = "Working out the numbers…"
NOT_MEASURED = (
    "This film has not been measured yet. Press M to measure now. Placing the joints on one frame first makes the numbers surer: press P."
)
DOUBT_PX = 6.0  # a doubt (k = 2) smaller than this in the picture is not worth a look
VIEWS = (("side-left", "left side"), ("side-right", "right side"), ("front", "from the front"), ("rear", "from behind"))


class MirrorRoom(QWidget):
    """Shows one Review. Background work is asked for by signals; results come back through show_review and refresh."""

    wants_measuring = pyqtSignal()
    wants_reply = pyqtSignal()
    edited = pyqtSignal()
    complained = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.review: Review | None = None
        self.frame = 0
        self._wanted = 0
        self._speed, self._looping, self._lines = 0, False, True
        self._mark: tuple[str, list[QPointF]] | None = None
        self._selected: str | None = None
        self._finding = -1
        self._ghosts: GhostMaker | None = None
        self._ghost_on = False
        self._swap_from: int | None = None
        self._doubtful = np.zeros(0, bool)
        self.reader = FrameReader(self)
        self.reader.arrived.connect(self._show_frame)
        self.reader.failed.connect(self.complained)
        self._clock = QTimer(self)
        self._clock.timeout.connect(self._tick)
        self._build()

    def _build(self) -> None:
        self.film = FilmView()
        self.film.show_message(tr("Take a film from the Desk."))
        self.film.clicked.connect(self._clicked)
        self.film.chosen.connect(self._pick_placed)
        self.film.moved.connect(self._drag)
        self.film.dropped.connect(self._place)
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
        self.placing = PlacingPanel()
        self.placing.point_chosen.connect(self._choose_point)
        self.placing.mark_chosen.connect(self._start_mark)
        self.placing.remove_wanted.connect(self._remove_point)
        self.placing.hide_wanted.connect(self._hide_point)
        self.placing.hold_wanted.connect(self._hold_point)
        self.placing.swap_wanted.connect(self._swap)
        self.placing.subject_wanted.connect(lambda: self._start_mark(SUBJECT))
        self.placing.machine_named.connect(self._name_machine)
        self.placing.take_over_wanted.connect(lambda: self._edit(self.review.take_over_marks) if self.review else None)
        self.placing.fit_said.connect(lambda: self._edit(self.review.marks_fit) if self.review else None)
        self.placing.done.connect(self.finish_placing)
        self.paper = QStackedWidget()
        self.paper.addWidget(self.reading)
        self.paper.addWidget(self.placing)
        self.paper.setFixedWidth(372)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(stage, 1)
        layout.addWidget(self.paper)

    def _build_header(self) -> QHBoxLayout:
        self.title = PlainLabel()
        self.title.setStyleSheet("font-weight: 700; font-size: 17px")
        self.view = QComboBox()
        for key, words in VIEWS:
            self.view.addItem(tr(words), key)
        self.view.activated.connect(lambda: self._set(view=self.view.currentData()))
        self.ghost_button, self.opacity = QPushButton(tr("Ghost")), QSlider(Qt.Orientation.Horizontal)
        self.ghost_button.setCheckable(True)
        self.ghost_button.clicked.connect(self.toggle_ghost)
        self.ghost_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.opacity.setRange(15, 100)
        self.opacity.setValue(80)
        self.opacity.setFixedWidth(70)
        self.opacity.setAccessibleName(tr("How strongly the ghost is drawn"))
        self.opacity.valueChanged.connect(self._redraw)
        self.tempo = QLineEdit()
        self.tempo.setPlaceholderText(tr("tempo"))
        self.tempo.setFixedWidth(90)
        self.tempo.setToolTip(tr("Lowering-bottom-lifting-top in seconds, X as fast as possible"))
        self.tempo.editingFinished.connect(self._set_tempo)
        row = QHBoxLayout()
        row.addWidget(self.title, 1)
        row.addWidget(self.ghost_button)
        row.addWidget(self.opacity)
        row.addWidget(self.view)
        row.addWidget(self.tempo)
        return row

    def _build_transport(self) -> QHBoxLayout:
        self.play_button, self.place_button = QPushButton(tr("Play")), QPushButton(tr("Place points"))
        self.play_button.clicked.connect(self.play)
        self.place_button.setCheckable(True)
        self.place_button.clicked.connect(self.toggle_placing)
        self.measure_button = QPushButton(tr("Measure now"))
        self.measure_button.clicked.connect(self.wants_measuring)
        self.reply_button = QPushButton(tr("Compose the reply"))
        self.reply_button.clicked.connect(self.wants_reply)
        self.where = PlainLabel()
        for label in (self.where, self.title):  # what is long gives way to the buttons
            label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.signal = QComboBox()
        self.signal.setFixedWidth(106)  # filled only when the numbers are there: its first width would be that of nothing
        self.signal.setAccessibleName(tr("Signal drawn in the ribbon"))
        self.signal.activated.connect(self._show_signal)
        row = QHBoxLayout()
        row.addWidget(self.play_button)
        row.addWidget(self.where, 1)
        row.addWidget(self.signal)
        for button in (self.place_button, self.measure_button, self.reply_button):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            row.addWidget(button)
        self.play_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        return row

    def show_review(self, review: Review) -> None:
        """Open a film's review at its first turn-round."""
        self.pause()
        self.film.set_placing(False)
        self.place_button.setChecked(False)
        self.paper.setCurrentWidget(self.reading)
        self.review, self._finding, self._mark = review, -1, None
        self._ghosts, self._doubtful = None, np.zeros(0, bool)
        self.refresh()
        turns = review.record.turns
        self.seek(turns[0] if turns else 0)
        self.film.setFocus()

    def refresh(self) -> None:
        """Show the review's present state."""
        review = self.review
        if review is None:
            return
        file, analysis = review.brief.file, review.analysis
        load = f" · {file.load_kg:g} kg" if file.load_kg else ""
        notes = f" · {tr('one-and-a-half reps')}" if file.pattern else ""
        notes += f" · {tr('a first look, the numbers will change')}" if review.record.state == FilmState.MEASURING else ""
        self.title.setText(f"{review.record.client_name} · {review.desk.catalogue.movement(file.movement).title}{load}{notes}")
        self.view.setCurrentIndex(self.view.findData(file.view))
        self.tempo.setText(file.tempo or "")
        duration = float(review.film.facts.duration_s)
        if analysis is None:
            self.reading.show_words(
                f"{review.problem} {MEND}" if review.problem else (WORKING if review.evidence is not None else NOT_MEASURED)
            )
            self.ribbon.set_data(RibbonData(), duration)
        else:
            self.reading.show_analysis(analysis)
            self._ghosts = GhostMaker(analysis)
            self.ghost_button.setChecked(self._ghost_on and self._ghosts.reason is None)
            near = near_side(file.view)
            legs = [sided(j, s) for j in ("hip", "knee", "ankle") for s in ((near,) if near else SIDES)]
            self._doubtful = analysis.scene.film_track.doubtful(legs, DOUBT_PX)
            chosen = self.signal.currentData()
            self.signal.clear()
            self.signal.addItem(tr("rep signal"), None)
            for name in analysis.scene.angles:
                self.signal.addItem(name.replace("_", " "), name)
            self.signal.setCurrentIndex(max(self.signal.findData(chosen), 0))
            self._show_signal()
        self._show_points()
        self._show_marks()
        self._redraw()

    def _show_signal(self) -> None:
        """Draw the chosen signal in the ribbon, in step with the playhead."""
        review = self.review
        if review is None or review.analysis is None:
            return
        analysis, name = review.analysis, self.signal.currentData()
        series = analysis.scene.angles.get(name, analysis.signal) if name else analysis.signal
        off = frozenset(r for f in analysis.judgement.findings for r in f.reps)
        unit = "" if name == "knee_ankle_separation_ratio" else " %" if str(name).startswith("knee_medial") else "°"
        scene, first = analysis.scene, analysis.movement.first_phase
        data = RibbonData(series.times, series.values, series.u, scene.reps, off, scene.tempo, first, unit, self._doubtful)
        self.ribbon.set_data(data, float(review.film.facts.duration_s))

    def next_doubt(self) -> None:
        """Go to the next stretch of frames the program is unsure of, round and round."""
        starts = np.flatnonzero(np.diff(np.concatenate([[0], self._doubtful.astype(int)])) == 1)
        if len(starts):
            self.pause()
            later = starts[starts > self._wanted]
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
        self._wanted = min(max(number, 0), len(self.review.film.times) - 1)
        self.reader.ask(self.review.picture, self._wanted)

    def _show_frame(self, number: int, image: QImage) -> None:
        if self.review is None:
            return
        self.frame = number
        self.film.show_image(image)
        now = float(self.review.film.times[number])
        self.ribbon.set_now(now)
        self.where.setText(
            f"frame {number + 1} of {len(self.review.film.times)}   {now:.3f} s   ×{SPEEDS[self._speed]:g}"
            + ("   loop" if self._looping else "")
        )
        rep = self.rep_here()
        values = self.review.analysis.measured.reps[rep.number - 1] if rep and self.review.analysis else {}
        self.reading.show_rep(rep, values)
        if self.film.placing:
            self._show_points()
        self._redraw()

    def rep_here(self) -> Rep | None:
        """The rep under the playhead."""
        if self.review is None or self.review.analysis is None:
            return None
        now = float(self.review.film.times[self.frame])
        return next((r for r in self.review.analysis.scene.reps if r.start_s <= now <= r.end_s), None)

    def _redraw(self) -> None:
        review = self.review
        if review is None:
            return
        analysis = review.analysis
        drawing = drawn(review, self.frame, self._lines, everything=self.film.placing or analysis is None)
        drawing.selected = self._selected
        ghost = self._ghosts.at(self.frame) if self._ghosts is not None and self._ghost_on and analysis is not None else None
        self.reading.show_ghost(ghost.why if ghost else ())
        if ghost is not None:
            drawing.ghost = [(QPointF(*a), QPointF(*b)) for a, b in ghost.lines()]
            drawing.ghost_opacity = self.opacity.value() / 100
        if self._mark is not None:
            drawing.marks["placing"] = self._mark[1]
        self.film.drawing = drawing
        self.film.update()

    def play(self) -> None:
        """Play or pause."""
        if self._clock.isActive():
            self.pause()
        elif self.review is not None:
            self._clock.start(max(5, round(1000 / (self.review.film.facts.fps * SPEEDS[self._speed]))))
            self.play_button.setText(tr("Pause"))

    def pause(self) -> None:
        """Stop playing."""
        self._clock.stop()
        self.play_button.setText(tr("Play"))

    def _tick(self) -> None:
        if self.review is None or self.frame != self._wanted:
            return
        rep = self.rep_here()
        nxt = self.frame + 1
        if self._looping and rep is not None and self.review.film.times[min(nxt, len(self.review.film.times) - 1)] > rep.end_s:
            nxt = self.review.film.frame_at(rep.start_s)
        if nxt >= len(self.review.film.times):
            self.pause()
        else:
            self.seek(nxt)

    def step(self, count: int) -> None:
        """Go some frames on (or back); while a placed point is selected, single steps nudge it sideways."""
        if abs(count) == 1 and self._nudge(count * NUDGE_PX, 0.0):
            return
        self.pause()
        self.seek(self._wanted + count)

    def turn(self, way: int) -> None:
        """Go to the next (1) or previous (-1) turn-round; while a placed point is selected, nudge it down or up."""
        if self._nudge(0.0, way * NUDGE_PX):
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
        self._speed = (self._speed + 1) % len(SPEEDS)
        if self._clock.isActive() and self.review is not None:
            self._clock.start(max(5, round(1000 / (self.review.film.facts.fps * SPEEDS[self._speed]))))
        self.seek(self._wanted)

    def toggle_loop(self) -> None:
        """Loop the rep under the playhead, or stop looping."""
        self._looping = not self._looping
        self.seek(self._wanted)

    def toggle_halves(self) -> None:
        """Say that every rep holds a half rep (down, half up, down, up), or take it back."""
        if self.review is not None:
            self._set(pattern=None if self.review.brief.file.pattern else "one_and_a_half")

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
                self._finding = i
                self.pause()
                self.reading.pick(code)
                self.seek(self.review.film.frame_at(finding.time_s))

    def toggle_placing(self) -> None:
        """Start or stop placing points."""
        if self.review is None:
            return
        on = not self.film.placing
        self.pause()
        self.film.set_placing(on)
        self.place_button.setChecked(on)
        self.paper.setCurrentWidget(self.placing if on else self.reading)
        self._mark = None
        self.placing.show_mark(None)
        if on:
            self._selected = self._first_missing()
        self._show_points()
        self._show_marks()
        self._redraw()
        self.film.setFocus()

    def finish_placing(self) -> None:
        """Leave placing and follow the points through the film when they changed."""
        if self.film.placing:
            self.toggle_placing()
        if self.review is not None and self.review.needs_following():
            self.wants_measuring.emit()

    def _first_missing(self) -> str | None:
        if self.review is None:
            return None
        seed = self.review.seed(self.frame)
        return next((n for n in self.review.point_names() if n not in seed), None)

    def _show_points(self) -> None:
        if self.review is not None:
            self.placing.show_points(self.review, self.review.seed(self.frame), self._selected)

    def _show_marks(self) -> None:
        """The marks and what is in question: they change with an edit, not from frame to frame."""
        if self.review is not None:
            self.placing.show_marks(self.review)

    def _choose_point(self, name: str) -> None:
        self._selected, self._mark = name, None
        self.placing.show_mark(None)
        self._redraw()

    def _pick_placed(self, name: str) -> None:
        self._choose_point(name)
        self._show_points()

    def _clicked(self, at: QPointF) -> None:
        if self._mark is not None:
            self._click_mark(at)
        elif self._selected is not None:
            self._place(self._selected, at)
            self._selected = self._first_missing() or self._selected
            self._show_points()
            self._redraw()

    def _place(self, name: str, at: QPointF) -> None:
        if self.review is not None:
            self._selected = name
            self._edit(self.review.place, self.frame, name, (at.x(), at.y()))

    def _drag(self, name: str, at: QPointF) -> None:
        self.film.drawing.placed[name] = at
        self.film.update()

    def _remove_point(self, name: str) -> None:
        if self.review is not None and name in self.review.seed(self.frame):
            self._edit(self.review.unplace, self.frame, name)

    def _hide_point(self, name: str) -> None:
        if self.review is not None and name:
            self._edit(self.review.toggle_hidden, name)

    def _hold_point(self, name: str) -> None:
        if self.review is not None and name:
            self._edit(self.review.toggle_held, name)

    def _swap(self) -> None:
        """First press: where the swapped stretch begins; second press: where it ends."""
        if self.review is None:
            return
        if self._swap_from is None:
            self._swap_from = self.frame
        else:
            first, self._swap_from = self._swap_from, None
            self._edit(self.review.swap_sides, first, self.frame)
        self.placing.swap.setText(tr(SWAP_START if self._swap_from is None else SWAP_END))

    def _start_mark(self, kind: str) -> None:
        self._mark = (kind, [])
        self.placing.show_mark(kind)

    def _click_mark(self, at: QPointF) -> None:
        assert self._mark is not None
        kind, points = self._mark
        if kind == SUBJECT:
            self._follow_another(at)
            return
        points.append(at)
        if len(points) == MARK_KINDS[kind] and self.review is not None:
            self._mark = None
            self.placing.show_mark(None)
            size = (self.placing.width_cm.value(), self.placing.height_cm.value())
            spots = [self.review.home(self.frame, (p.x(), p.y())) for p in points]
            self._edit(self.review.mark, kind, spots, self.placing.length.value(), size)
        self._redraw()

    def _edit(self, edit: Callable[..., None], *told: Any, **fields: Any) -> None:
        """Do an edit of the review and show what it changed; one that is refused changes nothing, and its reason is told."""
        try:
            edit(*told, **fields)
        except DeepMirrorError as error:
            self.complained.emit(error.sentence)
            self.refresh()
        else:
            self._after_edit()

    def _name_machine(self, name: str) -> None:
        if self.review is not None and (name or None) != self.review.brief.file.machine:
            self._set(machine=name or None)

    def _follow_another(self, at: QPointF) -> None:
        """The one clicked is the client: the film is looked at again, around her."""
        self._mark = None
        if self.review is None:
            return
        try:
            self.review.choose_subject(self.frame, (round(at.x(), 1), round(at.y(), 1)))
        except DeepMirrorError as error:
            self.complained.emit(error.sentence)
        else:
            self.finish_placing()  # the numbers of now are somebody else's: nothing is solved before the film was looked at

    def _set(self, **fields: object) -> None:
        if self.review is not None:
            self._edit(self.review.set_field, **fields)

    def _set_tempo(self) -> None:
        if self.review is not None and (self.tempo.text().strip() or None) != self.review.brief.file.tempo:
            self._set(tempo=self.tempo.text().strip() or None)

    def _after_edit(self) -> None:
        self._show_points()
        self._show_marks()
        self._redraw()
        self.edited.emit()

    def _nudge(self, dx: float, dy: float) -> bool:
        """Move the selected hand-placed point by a fraction of a pixel; False when there is none on this frame."""
        seed = self.review.seed(self.frame) if self.review is not None and self.film.placing else {}
        if self._selected not in seed or self._selected is None:
            return False
        x, y = seed[self._selected]
        self._place(self._selected, QPointF(x + dx, y + dy))
        return True

    def forget(self) -> None:
        """Let go of the film on show."""
        self.pause()
        self.review = None
        self.film.show_message(tr("Take a film from the Desk."))

    def close_reader(self) -> None:
        """Stop the frame thread."""
        self.pause()
        self.reader.close()
