"""The ghost: this client's own segments at the target posture for the phase on show, placed into the frame."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np

from deepmirror.core.body.squat_model import STANDING_THIGH_DEG, Build
from deepmirror.core.body.squat_setup import Answer, Posture, Setup
from deepmirror.core.measures.context import FRONT_LIMIT_DEG
from deepmirror.core.measures.foot_measures import CLOCK_HOUR_DEG
from deepmirror.core.motion.kinematics import over_foot
from deepmirror.core.skeleton import SIDES, near_side, sided
from deepmirror.core.trajectories import Points
from deepmirror.core.views import facing, outward
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.posture.bodies import body_of
from deepmirror.services.posture.known_limits import film_limits, limits_of
from deepmirror.services.posture.posture_commands import film_setup, level_of, limit_words
from deepmirror.words import say

Pixel = tuple[float, float]
SIDE_BY_SIDE = ("free squat", "guided squat", "deadlift")
LINES = (("shoulder", "hip"), ("hip", "knee"), ("knee", "ankle"), ("heel", "toe"))
FRONT_LINES = tuple((sided(a, s), sided(b, s)) for s in SIDES for a, b in (("hip", "knee"), ("knee", "ankle"), ("heel", "toe")))
MOST_TURN_DEG = CLOCK_HOUR_DEG  # feet are not asked to turn out further; common practice, no source


@dataclass(frozen=True)
class Ghost:
    """Points of the ghost in a frame (px by joint), and why they stand there. posture: of a side film's."""

    points: dict[str, Pixel]
    why: tuple[str, ...]
    posture: Posture | None = None

    def lines(self) -> list[tuple[Pixel, Pixel]]:
        """The segments to draw."""
        return [(self.points[a], self.points[b]) for a, b in (*LINES, *FRONT_LINES) if a in self.points and b in self.points]


class GhostMaker(Protocol):
    """Ghosts of one analysed film; `reason` says why there is none."""

    reason: str | None

    def at(self, frame: int) -> Ghost | None:
        """The ghost for one frame; None when there is none."""


def ghosts_of(analysis: Analysis) -> GhostMaker:
    """What draws this film's ghosts."""
    return SideGhosts(analysis) if near_side(analysis.scene.view) else FrontGhosts(analysis)


class FrontGhosts:
    """From the front or rear: this client's own knees over her own feet at this phase, and both feet turned alike."""

    def __init__(self, analysis: Analysis) -> None:
        scene = analysis.scene
        self._scene, self._camera = scene, scene.frontal
        names = [sided(j, s) for s in SIDES for j in ("hip", "knee", "ankle", "heel", "toe")]
        self.reason = None
        if scene.frontal is None or scene.frontal.flat or not scene.track.has(*names):
            self.reason = "The ghost needs both legs and both feet in the picture."
        elif analysis.movement.family not in SIDE_BY_SIDE:
            self.reason = "From the front the ghost is drawn where both feet stand side by side."
        elif scene.turned_deg() > FRONT_LIMIT_DEG:
            self.reason = say("The camera stands about {turned_deg:.0f}° off the straight line.", turned_deg=scene.turned_deg())
        self._turn_deg = self._turned() if self.reason is None else 0.0

    def _turned(self) -> float:
        """How far both feet are to turn out: as hers do in the middle, within a clock hour."""
        assert self._camera is not None
        points = Points(self._scene.track.names, self._scene.track.positions)
        sines = [outward(self._scene.view, s) * self._camera.shoe_aside(points, s) / self._camera.foot_px for s in SIDES]
        return float(np.clip(np.degrees(np.arcsin(np.clip(np.median(sines), -1, 1))), 0, MOST_TURN_DEG))

    def at(self, frame: int) -> Ghost | None:
        """Knees and feet for one frame."""
        camera, view = self._camera, self._scene.view
        if self.reason is not None or camera is None:
            return None
        track = self._scene.film_track
        points = Points(track.names, track.positions[frame : frame + 1])
        right = np.array([-camera.up[1], camera.up[0]])
        out: dict[str, Pixel] = {}
        for side in SIDES:
            leg = camera.in_space(points, side)
            inside = (over_foot(leg) - leg["knee"])[:, 0] * outward(view, side)
            knee = camera.aside_px(points, side, "knee", np.maximum(inside, 0.0) * outward(view, side))
            wanted = outward(view, side) * camera.foot_px * np.sin(np.radians(self._turn_deg))
            toe = camera.aside_px(points, side, "toe", wanted - camera.shoe_aside(points, side))
            moved = {"hip": 0.0, "knee": float(knee[0]), "ankle": 0.0, "heel": 0.0, "toe": float(toe[0])}
            for joint, way in moved.items():
                place = points[sided(joint, side)][0] + way * right
                out[sided(joint, side)] = (float(place[0]), float(place[1]))
        why = (
            "Each knee over the line of its own foot, at this depth.",
            say("Both feet turned out {turn_deg:.0f}°, as yours are in the middle.", turn_deg=self._turn_deg),
        )
        return Ghost(out, why)


class SideGhosts:
    """From the side: only free squats have one."""

    def __init__(self, analysis: Analysis) -> None:
        self._analysis = analysis
        client = analysis.brief.file.client
        self.setup = film_setup(analysis.brief.file, analysis.scene.plane)
        near = near_side(analysis.scene.view)
        self.reason = None
        if self.setup is None:
            self.reason = "The build solver does not know this movement yet."
        elif analysis.scene.px_per_cm is None:
            self.reason = "The film has no scale: give a known length or the client's measured leg."
        self._near = near or "left"
        shown = [f for f in [film_limits(analysis.movement, analysis.measured, "this film")] if f is not None]
        self._build = Build(body_of(client), limits_of(client, shown))
        self.target_deg = self._target()

    def _target(self) -> float:
        """Thigh angle of the agreed depth, or the deepest this body has when that cannot be reached."""
        judgement = self._analysis.judgement
        fault = next((f for f in self._analysis.movement.fault if f.code == "shallow_depth"), None)
        if fault is None or fault.measure != "thigh_from_horizontal_min_deg":
            return 0.0
        high = fault.targets[judgement.schools.get(fault.code, fault.school)].high
        return min(float(high if high is not None else 0.0), 0.0) if high is not None and high <= 5 else float(high or 0.0)

    @cached_property
    def _deepest(self) -> Answer:
        """The same for every frame, and the dearest part of a ghost."""
        assert self.setup is not None
        return self._build.deepest(self.setup)

    def at(self, frame: int) -> Ghost | None:
        """The ghost for one frame; None when there is none (see `reason`)."""
        if self.reason is not None or self.setup is None:
            return None
        share = self._share(frame)
        deepest = self._deepest
        goal = max(self.target_deg, deepest.posture.thigh_from_horizontal)
        wanted = STANDING_THIGH_DEG + share * (goal - STANDING_THIGH_DEG)
        answer = self._build.at_depth(wanted, self.setup)
        return Ghost(self._placed(answer.posture, frame), self._why(goal, deepest.binding, self.setup), answer.posture)

    def _share(self, frame: int) -> float:
        """How far down the rep is at a frame: the signal between its values at the rep's ends and at its reversal."""
        signal = self._analysis.signal
        value = float(signal.values[frame])
        low, high = float(np.percentile(signal.values, 3)), float(np.percentile(signal.values, 97))
        now = float(signal.times[frame])
        rep = next((r for r in self._analysis.scene.reps if r.start_s <= now <= r.end_s), None)
        if rep is not None:
            part = signal.window(rep.start_s, rep.end_s)
            low, high = float(min(part.values[0], part.values[-1])), float(part.values.max())
        return float(np.clip((value - low) / max(high - low, 1e-6), 0, 1))

    def _placed(self, posture: Posture, frame: int) -> dict[str, Pixel]:
        """Side-plane centimetres to picture pixels: the ankle stands where the client's does, yaw shortens forward parts."""
        scene = self._analysis.scene
        assert scene.px_per_cm is not None
        scale = scene.px_per_cm.value
        anchor = scene.film_track.point(sided("ankle", self._near))[frame]
        yaw = np.radians(scene.plane.yaw.value) if scene.plane else 0.0
        across = facing(scene.view) * np.array([-scene.up[1], scene.up[0]])
        base = np.array(posture.points_cm["ankle"])
        out = {}
        for name, place in posture.points_cm.items():
            forward, up = np.array(place) - base
            at = anchor + scale * (forward * np.cos(yaw) * across + up * scene.up)
            out[name] = (float(at[0]), float(at[1]))
        return out

    def _why(self, goal: float, binding: tuple[str, ...], setup: Setup) -> tuple[str, ...]:
        limits, judgement = self._build.limits, self._analysis.judgement
        school = judgement.schools.get("shallow_depth", "parallel").replace("_", " ")
        rows = [
            say("School of depth: {school}, {level_of}.", school=school, level_of=level_of(self.target_deg)),
            say(
                "Limits: ankle {ankle_dorsiflexion:.0f}°, hip {hip_flexion:.0f}°, knee {knee_flexion:.0f}°; "
                "shoe heel {heel_lift_cm:g} cm; knees turned out {knees_open_deg:.0f}°.",
                ankle_dorsiflexion=limits.ankle_dorsiflexion,
                hip_flexion=limits.hip_flexion,
                knee_flexion=limits.knee_flexion,
                heel_lift_cm=setup.heel_lift_cm,
                knees_open_deg=setup.knees_open_deg,
            ),
        ]
        if goal > self.target_deg + 0.5:
            rows.append(say("This body reaches {goal:.0f}°: {limit} before the agreed depth.", goal=goal, limit=limit_words(binding)))
        return tuple(rows)
