"""The build solver under the hand: what this body must do at a depth, with a set-up, on a machine."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QSignalBlocker, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFormLayout, QHBoxLayout, QLabel, QSlider, QVBoxLayout, QWidget

from deepmirror.core.body.squat_setup import Answer, Setup, SetupEffect, Support
from deepmirror.services.clients.person import GUIDED, HINGES, LIMIT_NAMES, PersonFile, Solved, deepest_against
from deepmirror.services.common.jobs import LatestOnlyWorker
from deepmirror.services.posture.known_limits import JOINTS
from deepmirror.services.posture.posture_commands import level_of, limit_words
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.figure import CurveView, FigureView, posture_figure
from deepmirror.ui.widgets.panel_helpers import Paper, PlainLabel, heading
from deepmirror.words import capital, joined

BAR_WORDS = {
    "high": "high on the back",
    "low": "low on the back",
    "front": "in front",
    "goblet": "held at the chest",
    "belt": "on a belt",
    "none": "no load",
}
MOST_LEVERS = 4  # as many as there is room for
RESTED_MS = 120  # a hand that moves no slider for so long rests


@dataclass(frozen=True)
class Asked:
    """What is asked of the solver: whose body, on which machine (None: a free squat), and how the sliders stand."""

    person: PersonFile
    movement: str | None
    setup: Setup
    thigh_deg: float
    bend_deg: float
    foot_height_cm: float

    def solved(self) -> Solved:
        """The answer; takes about a tenth of a second."""
        if self.movement is None:
            return self.person.solve(self.thigh_deg, self.setup)
        s = self.setup
        return self.person.machine(self.movement, self.bend_deg, self.foot_height_cm, s.load_kg, s.knees_open_deg)


@dataclass(frozen=True)
class Rest:
    """What is shown a moment after an answer: levers and curves, and the answer and set-up they belong to."""

    solved: Solved
    levers: list[SetupEffect]
    curves: dict[str, list[tuple[float, float]]]
    setup: Setup


class SolverPanel(Paper):
    """Sliders for depth and set-up, the solved posture, its verdict and numbers, and what the films showed."""

    _answered = pyqtSignal(object, object)  # Asked, Solved
    _worked_out = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.person: PersonFile | None = None
        self._moved = False
        self._asked: Asked | None = None  # the newest, and the one whose answer is on show
        self._shown: Asked | None = None
        self.answer: Answer | None = None
        self.solved: Solved | None = None
        self.live = FigureView()
        self.live.setAccessibleName(tr("Solved posture"))
        self.live.setMinimumHeight(120)
        self._build_levers()
        self._build_words()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        column.addWidget(heading(tr("What this body must do")))
        column.addWidget(self.live, 1)
        column.addLayout(self._levers)
        for label in (self.verdict, self.numbers, self.levers, self.films):
            column.addWidget(label)
        plots = QHBoxLayout()
        for view in self.curves.values():
            plots.addWidget(view)
        column.addLayout(plots)

    def _build_levers(self) -> None:
        """What can be changed: the lift, its depth, feet, load and bar."""
        self.kind = QComboBox()
        self.kind.addItem(tr("free squat"), None)
        for movement in GUIDED:
            self.kind.addItem(tr(movement.replace("_", " ")), movement)
        self.kind.activated.connect(self._solve)
        self.thigh, self.thigh_words = self._slider(-30, 60, 0)
        self.lift, self.lift_words = self._slider(0, 50, 0)
        self.open, self.open_words = self._slider(0, 40, 10)
        self.load, self.load_words = self._slider(0, 200, 40)
        self.feet, self.feet_words = self._slider(-15, 35, 10)
        self.bend, self.bend_words = self._slider(20, 140, 90)
        self.bar = QComboBox()
        for key, words in BAR_WORDS.items():
            self.bar.addItem(tr(words), key)
        self.bar.activated.connect(self._slid)
        for box in (self.kind, self.bar):
            box.setMinimumHeight(box.sizeHint().height())
        self._levers = QFormLayout()
        self._levers.setVerticalSpacing(4)
        self._levers.addRow(tr("Lift"), self.kind)
        for title, slider, value in (
            ("Depth: thigh above level", self.thigh, self.thigh_words),
            ("Knee or hip bend", self.bend, self.bend_words),
            ("Heel lift", self.lift, self.lift_words),
            ("Foot height", self.feet, self.feet_words),
            ("Knees turned out", self.open, self.open_words),
            ("Load", self.load, self.load_words),
        ):
            row = QWidget()
            line = QHBoxLayout(row)
            line.setContentsMargins(0, 0, 0, 0)
            line.addWidget(slider, 1)
            line.addWidget(value)
            slider.setAccessibleName(tr(title))
            self._levers.addRow(tr(title), row)
        self._levers.addRow(tr("Bar"), self.bar)

    def _build_words(self) -> None:
        """Verdict, numbers and levers in words, and the two curves, which follow a moment later."""
        self.curves = {name: CurveView(tr("Deepest by {name}", name=name)) for name in ("heel lift, cm", "knees turned out, °")}
        self.verdict, self.numbers, self.levers, self.films = PlainLabel(), PlainLabel(), PlainLabel(), PlainLabel()
        self.verdict.setStyleSheet("font-weight: 700")
        for label in (self.verdict, self.numbers, self.levers, self.films):
            label.setWordWrap(True)
        self.films.setObjectName("dim")
        self._rest_timer = QTimer(self)
        self._rest_timer.setSingleShot(True)
        self._rest_timer.setInterval(RESTED_MS)
        self._rest_timer.timeout.connect(self._work_out_rest)
        self._answers, self._rests = LatestOnlyWorker(), LatestOnlyWorker()  # no answer waits for the levers of the one before
        self._answered.connect(self._show_answer)
        self._worked_out.connect(self._show_rest)

    def close_workers(self) -> None:
        """Stop working out."""
        self._answers.close()
        self._rests.close()

    def up_to_date(self) -> bool:
        """True when what is on show belongs to how the sliders stand."""
        return self._asked is self._shown

    def _slider(self, low: int, high: int, value: int) -> tuple[QSlider, QLabel]:
        slider, words = QSlider(Qt.Orientation.Horizontal), PlainLabel()
        slider.setRange(low, high)
        slider.setValue(value)
        slider.valueChanged.connect(self._slid)
        words.setFixedWidth(64)
        return slider, words

    def show_person(self, person: PersonFile) -> None:
        """Solve for this record as it is now; a client's newest filmed squat sets the sliders until a hand has moved them."""
        if self.person is None or self.person.client_id != person.client_id:
            self._moved = False
        self.person = person
        self._open_as_filmed(person)
        self._solve()

    def _open_as_filmed(self, person: PersonFile) -> None:
        setup = person.newest_setup()
        if setup is None or self._moved:
            return
        for slider, value in (
            (self.load, round(setup.load_kg)),
            (self.open, round(setup.knees_open_deg)),
            (self.lift, round(10 * setup.heel_lift_cm)),
        ):
            with QSignalBlocker(slider):
                slider.setValue(value)
        self.bar.setCurrentIndex(self.bar.findData(setup.bar))

    def _slid(self) -> None:
        self._moved = True
        self._solve()

    def setup(self) -> Setup:
        """The set-up under the sliders."""
        bar = self.bar.currentData()
        support = Support.HANDS if bar == "belt" else Support.NONE
        return Setup(bar, float(self.load.value()), self.lift.value() / 10, float(self.open.value()), support=support)

    def _solve(self) -> None:
        self.thigh_words.setText(f"{self.thigh.value()}°")
        self.bend_words.setText(f"{self.bend.value()}°")
        self.lift_words.setText(tr("{lift:.1f} cm", lift=self.lift.value() / 10))
        self.feet_words.setText(tr("{feet:+} cm", feet=self.feet.value()))
        self.open_words.setText(f"{self.open.value()}°")
        self.load_words.setText(tr("{load} kg", load=self.load.value()))
        movement = self.kind.currentData()
        shown = {self.thigh: movement is None, self.lift: movement is None, self.bend: movement is not None}
        shown[self.feet] = movement is not None and movement not in HINGES
        for slider, on in shown.items():
            self._levers.setRowVisible(slider.parentWidget(), on)
        self._levers.setRowVisible(self.bar, movement is None)
        if self.person is None:
            return
        degrees = float(self.thigh.value()), float(self.bend.value())
        asked = self._asked = Asked(self.person, movement, self.setup(), *degrees, float(self.feet.value()))
        self._answers.ask(lambda: self._answered.emit(asked, asked.solved()))
        for view in self.curves.values():
            view.setVisible(movement is None)
        self._show_films(self.person)

    def _show_answer(self, asked: Asked, solved: Solved) -> None:
        """Also an answer the hand has left behind, so that the figure follows it."""
        if asked.person is not self.person or asked.movement != self.kind.currentData():
            return
        self._shown = asked
        if asked.movement is None:
            self._show_free(asked, solved)
        else:
            self._show_guided(asked, solved)
        self._rest_timer.start()

    def _work_out_rest(self) -> None:
        """Levers and curves take a moment longer: they are worked out beside the window, once the hand rests."""
        person, solved, setup = self.person, self.solved, self.setup()
        if person is None or solved is None:
            return
        names = list(self.curves) if self.kind.currentData() is None else []
        build = person.build()

        def work() -> None:
            curves = {name: deepest_against(build, name, setup) for name in names}
            self._worked_out.emit(Rest(solved, solved.levers, curves, setup))

        self._rests.ask(work)

    def _show_rest(self, rest: Rest) -> None:
        if rest.solved is not self.solved:
            return  # the hand moved on
        self.levers.setText(joined("\n", [_lever_words(lever) for lever in rest.levers[:MOST_LEVERS]]))
        now = {"heel lift, cm": rest.setup.heel_lift_cm, "knees turned out, °": rest.setup.knees_open_deg}
        for name, points in rest.curves.items():
            self.curves[name].set_curve(points, now[name])

    def _show_free(self, asked: Asked, solved: Solved) -> None:
        lengths = {r.name: r.cm for r in asked.person.lengths()}
        top = lengths["thigh"] + lengths["shank"] + lengths["trunk"] + 10
        film = asked.person.film_posture(asked.setup)
        drawing = posture_figure(solved.answer.posture.points_cm, solved.deepest.posture.points_cm, asked.setup.load_kg > 0, film)
        self._say(solved, "thigh_from_horizontal", asked.thigh_deg)
        self.live.set_drawing(drawing, (-60, 0, 60, top * 0.92))

    def _show_guided(self, asked: Asked, solved: Solved) -> None:
        drawing = posture_figure(solved.answer.posture.points_cm, solved.deepest.posture.points_cm, asked.setup.load_kg > 0)
        drawing.floor = asked.movement in HINGES
        places = [p for line in drawing.lines + drawing.ghost for p in line]
        xs, zs = [p[0] for p in places], [p[1] for p in places]
        self._say(solved, "hip_flexion" if asked.movement in HINGES else "knee_flexion", asked.bend_deg)
        self.live.set_drawing(drawing, (min(xs) - 25, min(zs) - 5, max(xs) + 25, max(zs) + 30))

    def _say(self, solved: Solved, depth: str, asked: float) -> None:
        """The verdict, the numbers and the levers in words."""
        answer, deepest = solved.answer, solved.deepest
        self.answer, self.solved = answer, solved
        p, d = getattr(answer.posture, depth), getattr(deepest.posture, depth)
        limit = limit_words(deepest.binding)
        where = (
            level_of
            if depth == "thigh_from_horizontal"
            else lambda deg: tr("{deg:.0f}° of {split} bend", deg=deg, split=depth.split("_", maxsplit=1)[0])
        )
        reached = tr("Within reach: {where}. Deepest: {where2}, then {limit}.", where=where(p), where2=where(d), limit=limit)
        missed = tr(
            "Out of reach: {where}. {limit} at {where2}.",
            where=where(asked),
            limit=capital(limit_words(answer.binding)),
            where2=where(p),
        )
        filmed = self.person.filmed_deg() if self.person is not None else None
        if not answer.feasible and solved.disagree_deg and filmed is not None and asked >= filmed[0]:
            missed = tr(
                "A film reached {level_of} ({filmed}); the model stops at {level_of2}. They disagree by ",
                level_of=level_of(filmed[0]),
                filmed=filmed[1],
                level_of2=level_of(p),
            )
            missed += tr("{disagree_deg:.0f}°, and the film counts.", disagree_deg=solved.disagree_deg)
        self.verdict.setText(reached if answer.feasible else missed)
        q, m = answer.posture, answer.moments_nm
        self.numbers.setText(
            tr(
                "Lean {lean:.0f}° · ankle {ankle:.0f}° · knee {knee:.0f}° · hip {hip:.0f}° · knee past toe {past:+.0f} cm",
                lean=q.trunk_lean,
                ankle=q.ankle_dorsiflexion,
                knee=q.knee_flexion,
                hip=q.hip_flexion,
                past=round(q.knee_past_toe_cm),  # a whole number has no minus zero
            )
            + "\n"
            + tr(
                "N·m to compare: knee {knee:.0f}, hip {hip:.0f}, low back {back}, ankle {ankle:.0f}",
                knee=m["knee"],
                hip=m["hip"],
                back=f"{m['low_back']:.0f}" if "low_back" in m else tr("not known on a pad"),
                ankle=m["ankle"],
            )
        )

    def _show_films(self, person: PersonFile) -> None:
        seen = [v for v in person.views if v.depths_deg]
        self.films.setText(
            "Films showed (copper): "
            + joined(
                "; ",
                [
                    tr("{level_of}, lean up to {leans_deg:.0f}°", level_of=level_of(min(v.depths_deg)), leans_deg=max(v.leans_deg))
                    for v in seen
                    if v.leans_deg
                ],
            )
            if seen
            else "No squat of this client was measured from the side yet."
        )
        hinge = self.kind.currentData() in HINGES
        limits = [
            tr("{limit_names} {words}", limit_names=LIMIT_NAMES[name], words=known.words)
            for name, known in person.limits().items()
            if name in JOINTS or hinge
        ]
        self.films.setText(joined("\n", [self.films.text(), tr("Limits: {limits}", limits=joined(", ", limits)), *person.left_and_right()]))


def _lever_words(lever: SetupEffect) -> str:
    what = tr("Bar {by}", by=BAR_WORDS.get(str(lever.by), lever.by))
    if lever.change == "heel_lift_cm":
        what = tr("Heel lift +{by} cm", by=lever.by)
    elif lever.change == "knees_open_deg":
        what = tr("Knees turned out +{by}°", by=lever.by)
    elif lever.change == "feet_forward_cm":
        what = tr("Feet {by:g} cm further forward", by=lever.by)
    elif lever.change == "foot_height_cm":
        what = tr("Feet {by:g} cm {which}", by=abs(float(lever.by)), which="higher" if float(lever.by) > 0 else "lower")
    words = tr("{what}: depth {depth_gain_deg:+.0f}°", what=what, depth_gain_deg=lever.depth_gain_deg)
    if lever.lean_change_deg is not None and lever.knee_travel_change_cm is not None:
        words += tr(
            ", lean {lean_change_deg:+.0f}°, knee {knee_travel_change_cm:+.1f} cm",
            lean_change_deg=lever.lean_change_deg,
            knee_travel_change_cm=lever.knee_travel_change_cm,
        )
    return words
