"""The ghost: this client's own segments at the target posture for the phase on show, placed into the frame."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from deepmirror.core.body.squat_model import STANDING_THIGH_DEG, Build
from deepmirror.core.body.squat_setup import Answer, Posture, Setup
from deepmirror.core.skeleton import near_side, sided
from deepmirror.core.views import facing
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.posture.bodies import body_of
from deepmirror.services.posture.known_limits import film_limits, limits_of
from deepmirror.services.posture.posture_commands import film_setup

Pixel = tuple[float, float]
LINES = (("shoulder", "hip"), ("hip", "knee"), ("knee", "ankle"), ("heel", "toe"))


@dataclass(frozen=True)
class Ghost:
    """Points of the ghost in a frame (px by joint), the posture they show, and why it is this one."""

    points: dict[str, Pixel]
    posture: Posture
    why: tuple[str, ...]

    def lines(self) -> list[tuple[Pixel, Pixel]]:
        """The segments to draw."""
        return [(self.points[a], self.points[b]) for a, b in LINES]


class GhostMaker:
    """Ghosts of one analysed film. Only free squats seen from the side have one; `reason` says why there is none."""

    def __init__(self, analysis: Analysis) -> None:
        self._analysis = analysis
        client = analysis.brief.file.client
        self.setup = film_setup(analysis.brief.file, analysis.scene.plane)
        near = near_side(analysis.scene.view)
        self.reason = None
        if near is None:
            self.reason = "The ghost is drawn in side films."
        elif self.setup is None:
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
        return Ghost(self._placed(answer.posture, frame), answer.posture, self._why(goal, deepest.binding_limit, self.setup))

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

    def _why(self, goal: float, binding: str | None, setup: Setup) -> tuple[str, ...]:
        limits, judgement = self._build.limits, self._analysis.judgement
        school = judgement.schools.get("shallow_depth", "parallel").replace("_", " ")
        rows = [
            f"School of depth: {school}, thigh {self.target_deg:.0f}° over level.",
            f"Limits: ankle {limits.ankle_dorsiflexion:.0f}°, hip {limits.hip_flexion:.0f}°, knee {limits.knee_flexion:.0f}°; "
            f"shoe heel {setup.heel_lift_cm:g} cm; knees opened {setup.knees_open_deg:.0f}°.",
        ]
        if goal > self.target_deg + 0.5:
            rows.append(f"This body reaches {goal:.0f}°: the {(binding or 'balance').replace('_', ' ')} stands before the agreed depth.")
        return tuple(rows)
