"""One client's record: reading and changing it, what the films say of it, and what the build solver makes of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from deepmirror.core.body.anthropometry import STATURE_SHARES
from deepmirror.core.body.client_body import JOINT_SHARE
from deepmirror.core.body.machine_model import MACHINES
from deepmirror.core.body.squat_model import Build
from deepmirror.core.body.squat_setup import Answer, SetupEffect
from deepmirror.core.body.squat_setup import Setup as Setup
from deepmirror.core.camera.sagittal_fit import film_length
from deepmirror.core.skeleton import near_side
from deepmirror.core.units import length_words, parse_length_cm, parse_mass_kg
from deepmirror.errors import BadBrief, BadFilm, CannotSolve, LibraryError
from deepmirror.exchange.brief import ClientPart, check_client
from deepmirror.movements.schools import for_exercise
from deepmirror.services.clients.school_topics import TopicRow, topic_rows
from deepmirror.services.clients.sheets import pain_words
from deepmirror.services.common.history import History
from deepmirror.services.common.jobs import Progress
from deepmirror.services.common.plausible import impossible_lengths
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.limb_asymmetry import Side, one_side, side_words
from deepmirror.services.posture.bodies import body_of
from deepmirror.services.posture.build_feedback import DISAGREE_DEG
from deepmirror.services.posture.known_limits import LIMIT_NAMES as LIMIT_NAMES
from deepmirror.services.posture.known_limits import FilmLimits, KnownLimit, film_limits, known_limits, limits_from
from deepmirror.services.posture.posture_commands import HINGES as HINGES
from deepmirror.services.posture.posture_commands import LENGTHS, PostureRequest, film_setup, solve_posture
from deepmirror.words import joined, say

RANGES_CM = {
    "thigh": (25, 65),
    "shank": (25, 65),
    "foot": (15, 40),
    "trunk": (30, 75),
    "biacromial": (20, 60),
    "hip_breadth": (12, 50),
    "seat_to_floor": (25, 65),
}
FLAG_SHARE = 0.07  # film and measured length further apart than this are flagged; common practice, no source
NEWEST_FILMS = 4  # read for a client's record; our own choice
GUIDED = (*MACHINES, *HINGES)
UNUSUAL_SHARE = 0.04  # of a ratio: less is about as usual; our own choice
DEPTH = "thigh_from_horizontal_min_deg"
DEPTH_STEP_DEG = 0.05  # how finely the solver finds the deepest posture

CURVES: dict[str, tuple[Callable[[Setup, float], Setup], tuple[float, ...]]] = {
    "heel lift, cm": (lambda setup, cm: replace(setup, heel_lift_cm=cm), (0.0, 1.0, 2.0, 3.0, 4.0, 5.0)),
    "knees turned out, °": (lambda setup, deg: replace(setup, knees_open_deg=deg), (0.0, 8.0, 16.0, 24.0, 32.0, 40.0)),
}


@dataclass(frozen=True)
class LengthRow:
    """A body length: value, where it comes from, what stature would predict, and what the films saw (value, u); breadths between
    the joints' centres."""

    name: str
    cm: float
    source: str
    predicted_cm: float
    film: tuple[float, float] | None = None

    @property
    def flagged(self) -> bool:
        """Measured and film disagree by more than 7 %, and by more than the film's own uncertainty."""
        if self.film is None or self.source != "measured":
            return False
        away = abs(self.film[0] - self.cm)
        return away > FLAG_SHARE * self.cm and away > self.film[1]


@dataclass(frozen=True)
class FilmView:
    """What one film showed of this body: lengths by segment (cm, u), each rep's depth and lean (degrees), and the posture of
    its deepest rep: shank from upright, thigh over level, trunk lean (degrees); None where the film does not show it. setup: how a free
    squat was lifted; limits: what the film says of the joints'."""

    film_id: int
    lengths: dict[str, tuple[float, float]]
    depths_deg: tuple[float, ...]
    leans_deg: tuple[float, ...]
    deepest_deg: tuple[float, float, float] | None = None
    movement: str = ""
    side: Side | None = None
    day: str = ""
    setup: Setup | None = None
    limits: FilmLimits | None = None


@dataclass(frozen=True)
class Solved:
    """An answer of the build solver, the deepest posture beside it, and what would change it, worked out when it is asked for."""

    answer: Answer
    deepest: Answer
    find_levers: Callable[[], list[SetupEffect]]
    disagree_deg: float = 0.0  # how much deeper than the model reaches a film went

    @cached_property
    def levers(self) -> list[SetupEffect]:
        """What each change of the set-up would do."""
        return self.find_levers()


class PersonFile:
    """An open client's record with undo and redo without limit; every change is saved as it happens and kept in the history."""

    def __init__(self, library: FilmLibrary, client_id: int) -> None:
        if not library.saver.retry():
            raise LibraryError(say("Your last edits are not saved yet: {sentence}", sentence=library.saver.sentence))
        self.library, self.client_id = library, client_id
        record = library.store.client(client_id)
        self.name = record.name
        self._unknown = {k: v for k, v in record.body.items() if k not in ClientPart.model_fields}  # of a newer program: kept as it is
        self._history = History(check_client(record.body))
        self.views: list[FilmView] = []

    @property
    def client(self) -> ClientPart:
        """The record."""
        return self._history.present

    def lengths(self) -> list[LengthRow]:
        """All body lengths with their source, the prediction and the films' own."""
        body = body_of(self.client)
        rows = []
        for name in LENGTHS:
            length = body.joint_breadth(name) if name in JOINT_SHARE else body.length(name)
            seen = [v.lengths[name] for v in self.views if name in v.lengths]
            film = (float(np.mean([s[0] for s in seen])), float(np.max([s[1] for s in seen]))) if seen else None
            usual = JOINT_SHARE.get(name, 1.0) * STATURE_SHARES[name] * body.stature()
            rows.append(LengthRow(name, length.cm, length.source, usual, film))
        return rows

    def proportions(self) -> list[str]:
        """What is unusual about the proportions, in plain words without praise or blame."""
        rows = {r.name: r for r in self.lengths()}
        out = []
        for a, b in (("thigh", "shank"), ("thigh", "trunk")):
            usual = rows[a].predicted_cm / rows[b].predicted_cm
            ratio = rows[a].cm / rows[b].cm
            if rows[a].source == rows[b].source == "predicted":
                continue
            away = ratio / usual - 1
            size = (
                "about as usual"
                if abs(away) < UNUSUAL_SHARE
                else say("{which}, by {away:.0f} %", which="long" if away > 0 else "short", away=abs(away) * 100)
            )
            out.append(say("Thigh against {b}: {ratio:.2f} (usual {usual:.2f}): {size}.", b=b, ratio=ratio, usual=usual, size=size))
        return out or ["No length was measured: the proportions are those predicted from stature."]

    def set_stature(self, text: str) -> None:
        """Raises BadBrief with a sentence when the text is no stature."""
        self._set("stature", stature_cm=_parsed(parse_length_cm, text, 50, 260, "A stature") if text.strip() else None)

    def set_mass(self, text: str) -> None:
        """Raises BadBrief with a sentence when the text is no body mass."""
        self._set("mass", mass_kg=_parsed(parse_mass_kg, text, 15, 400, "A body mass") if text.strip() else None)

    def set_length(self, name: str, text: str) -> None:
        """A measured length; an empty text goes back to the prediction. Raises BadBrief."""
        known = dict(self.client.segments_cm)
        if text.strip():
            low, high = RANGES_CM[name]
            known[name] = _parsed(parse_length_cm, text, low, high, say("A {name}", name=name.replace("_", " ")))
        else:
            known.pop(name, None)
        self._set(name.replace("_", " "), segments_cm=known)

    def use_films(self) -> int:
        """Take the films' lengths where nobody measured; returns how many were taken."""
        taken = {r.name: round(r.film[0], 1) for r in self.lengths() if r.film is not None and r.source != "measured"}
        if taken:
            self._set("lengths from films", film_cm=self.client.film_cm | taken)
        return len(taken)

    def set_limit(self, name: str, degrees: float | None) -> None:
        """A joint limit in degrees, None for the usual one."""
        known = {k: v for k, v in self.client.limits_deg.items() if k != name}
        self._set(LIMIT_NAMES[name], limits_deg=known | ({name: degrees} if degrees is not None else {}))

    def topics(self, movement: str | None = None) -> list[TopicRow]:
        """The topics in which a school may be chosen, for all lifts or for one exercise; what is chosen, and why one would."""
        return topic_rows(self.library.catalogue, self.client.schools, movement)

    def set_school(self, topic: str, school: str, movement: str | None = None) -> None:
        """The client's school in one topic, for all lifts or for one exercise; empty goes back to the usual one."""
        catalogue = self.library.catalogue
        name = for_exercise(movement, topic) if movement else topic
        known = {k: v for k, v in self.client.schools.items() if k != name}
        where = say(" in {movement}", movement=catalogue.title(movement)) if movement else ""
        self._set(
            say("school of {topic}{where}", topic=topic.replace("_", " "), where=where), schools=known | ({name: school} if school else {})
        )

    def set_fields(self, label: str, **fields: Any) -> None:
        """Any of sex, age_band, knee_to_wall_cm, shoe_heel_cm, pain, notes, imperial. Raises BadBrief."""
        self._set(label, **fields)

    def _set(self, label: str, **fields: Any) -> None:
        self.library.store.must_write()
        client = check_client(self.client.model_dump() | fields)
        wrong = next(impossible_lengths(client), "")
        if wrong and wrong not in impossible_lengths(self.client):
            raise BadBrief(wrong)
        if client == self.client:
            return
        self._history.do(label, client)
        self._save(say("change {label}", label=label))

    def _save(self, label: str) -> None:
        store, client_id, at = self.library.store, self.client_id, self.library.now().isoformat(timespec="seconds")
        body = self._unknown | self.client.model_dump(mode="json", exclude_defaults=True)
        self.library.saver.write(lambda: store.update_client(client_id, body, at, label))

    def can_undo(self) -> str | None:
        """What undo would take back, or None."""
        return self._history.can_undo()

    def can_redo(self) -> str | None:
        """What redo would bring again, or None."""
        return self._history.can_redo()

    def undo(self) -> None:
        """Take the last change back."""
        self.library.store.must_write()
        if (label := self._history.undo()) is not None:
            self._save(say("undo {label}", label=label))

    def redo(self) -> None:
        """Bring the change last taken back again."""
        self.library.store.must_write()
        if (label := self._history.redo()) is not None:
            self._save(say("redo {label}", label=label))

    def caution(self) -> str:
        """What noted pain asks for, with the steps for a painful knee or back; empty without pain."""
        if not self.client.pain:
            return ""
        first = "Pain is noted: pain-free range first, no higher load without your own decision; a licensed clinician if it stays."
        return joined("\n", [first, *pain_words(self.library, self.client.pain)])

    def history(self) -> list[tuple[str, str]]:
        """When and what was changed, newest first."""
        return self.library.store.client_changes(self.client_id)

    def default(self, movement: str) -> tuple[str, str]:
        """The client's usual tempo and rep range for a movement, empty when none was set."""
        row = self.client.defaults.get(movement)
        return (row.tempo or "", row.reps or "") if row else ("", "")

    def set_default(self, movement: str, tempo: str, reps: str) -> None:
        """The usual tempo ("3-1-1-0") and rep range ("8-12") for a movement. Raises BadBrief."""
        rows = {k: v.model_dump(exclude_none=True) for k, v in self.client.defaults.items() if k != movement}
        row = {k: v for k, v in (("tempo", tempo.strip()), ("reps", reps.strip())) if v}
        self._set(say("usual {movement}", movement=movement.replace("_", " ")), defaults=rows | ({movement: row} if row else {}))

    def machine(self, movement: str, depth_deg: float, foot_height_cm: float, load_kg: float, knees_open_deg: float) -> Solved:
        """The solver on a machine, or in a hinge: posture, levers and the deepest posture."""
        ask = PostureRequest(movement, depth_deg, None, 0.0, knees_open_deg, load_kg, foot_height_cm)
        films = self.film_limits()
        answer, levers = solve_posture(self.client, ask, films)
        return Solved(answer, solve_posture(self.client, replace(ask, depth="deepest"), films)[0], levers)

    def film_limits(self) -> list[FilmLimits]:
        """What the newest films say of this body's limits, the newest first."""
        return [v.limits for v in self.views if v.limits is not None]

    def limits(self) -> dict[str, KnownLimit]:
        """Each joint's limit with how it is known."""
        return known_limits(self.client, self.film_limits())

    def newest_setup(self) -> Setup | None:
        """Load, bar, shoe and opening of the newest free squat that was filmed; None without one."""
        return next((v.setup for v in self.views if v.setup is not None), None)

    def build(self) -> Build:
        """The solver for this body, within the limits that record and films give it."""
        return Build(body_of(self.client), limits_from(self.limits()))

    def filmed_deg(self) -> tuple[float, str] | None:
        """The deepest squat the films show: thigh over level (degrees) and the film's day."""
        seen = [(min(v.depths_deg), v.day) for v in self.views if v.depths_deg and v.setup is not None]
        return min(seen) if seen else None

    def solve(self, depth_deg: float, setup: Setup) -> Solved:
        """The build solver for this body: posture, levers and the deepest posture. A depth that was filmed is not refused: the body is
        allowed off the middle of its foot until it reaches it, and where it does not, the answer says how far model and film disagree."""
        build, filmed = self.build(), self.filmed_deg()
        if filmed is not None:
            build = build.reaching(filmed[0], setup)
        deepest = build.deepest(setup)
        model_deg = deepest.posture.thigh_from_horizontal
        reachable = depth_deg >= model_deg - DEPTH_STEP_DEG
        answer = build.at_depth(depth_deg, setup) if reachable else replace(deepest, feasible=False)
        disagree = max(model_deg - filmed[0], 0.0) if filmed is not None else 0.0
        return Solved(answer, deepest, lambda: build.levers(depth_deg, setup), disagree if disagree > DISAGREE_DEG else 0.0)

    def read_films(self, progress: Progress) -> list[FilmView]:
        """What the newest measured films show of this body, and their state concluded anew with the present record."""
        mine = [f for f in self.library.store.films(self.client_id) if self.library.store.evidence_path(f.id).exists()]
        out = []
        for i, record in enumerate(mine[:NEWEST_FILMS]):
            progress.report(i / max(len(mine), 1), "reading films")
            try:
                out.append(self._read(record.id, record.arrived_at))
            except (BadBrief, BadFilm, CannotSolve):
                continue
        progress.report(1.0, "done")
        return out

    def _read(self, film_id: int, arrived_at: str) -> FilmView:
        film, brief, evidence = self.library.open_analysis(film_id)
        with film:
            if evidence is None:
                raise BadFilm("What was seen in this film is gone; it is looked at again when it is opened.")
            analysis = self.library.conclude(film.facts, brief, evidence)
            self.library.note_result(film_id, analysis, film)
        scene, lengths = analysis.scene, {}
        if scene.plane is not None and brief.file.scale is not None and near_side(scene.view):
            for segment in ("thigh", "shank"):
                lengths[segment] = film_length(scene.track, scene.plane, segment, near_side(scene.view) or "left")
        reps = analysis.measured.reps
        goes_deep = any(f.measure == DEPTH for f in analysis.movement.fault)  # a calf raise has no depth to lay beside a squat's
        depths = tuple(v[DEPTH].value for v in reps if goes_deep and DEPTH in v)
        leans = tuple(v["trunk_lean_max_deg"].value for v in reps if "trunk_lean_max_deg" in v)
        side = one_side(analysis, arrived_at[:10]) if analysis.movement.one_leg else None
        deepest = _deepest_posture(analysis) if goes_deep else None
        setup, day = film_setup(brief.file, scene.plane), arrived_at[:10]
        limits = film_limits(analysis.movement, analysis.measured, say("{title}, {day}", title=analysis.movement.title, day=day))
        return FilmView(film_id, lengths, depths, leans, deepest, analysis.movement.title, side, day, setup, limits)

    def left_and_right(self) -> list[str]:
        """Left against right from the newest pair of one-leg films of one movement, in lines; empty without such a pair."""
        for view in self.views:
            if view.side is None:
                continue
            other = next((v for v in self.views if v.movement == view.movement and v.side and v.side.side != view.side.side), None)
            if other is not None and other.side is not None:
                pair = (view.side, other.side) if view.side.side == "left" else (other.side, view.side)
                return [say("{movement}, left against right", movement=view.movement), *side_words(*pair)]
        return []

    def film_posture(self, setup: Setup) -> dict[str, tuple[float, float]] | None:
        """Points (cm) of the newest side film's deepest posture with this body's lengths; None without such a film."""
        seen = next((v.deepest_deg for v in self.views if v.deepest_deg is not None), None)
        if seen is None:
            return None
        shank, thigh, lean = np.radians(seen)
        return self.build().points(float(shank), float(thigh), float(lean), setup)

    def words(self, cm: float) -> str:
        """A length as this client reads it."""
        return length_words(cm, self.client.imperial)


def deepest_against(build: Build, against: str, setup: Setup) -> list[tuple[float, float]]:
    """Deepest thigh angle (degrees) of a body against one of CURVES, as (x, y) pairs."""
    change, values = CURVES[against]
    return [(x, build.deepest_deg(change(setup, x))) for x in values]


def _deepest_posture(analysis: Analysis) -> tuple[float, float, float] | None:
    scene = analysis.scene
    names = [f"{n}_{scene.near}" for n in ("shank_from_vertical", "thigh_from_horizontal")] + ["trunk_lean"]
    if not scene.reps or not set(names) <= set(scene.angles):
        return None
    thigh = scene.angles[names[1]].values
    frame = int(np.argmin(thigh))
    shank, level, lean = (float(scene.angles[n].values[frame]) for n in names)
    return shank, level, lean


def _parsed(parse: Any, text: str, low: float, high: float, what: str) -> float:
    try:
        return float(parse(text, low, high, what))
    except ValueError as error:
        raise BadBrief(str(error)) from error
