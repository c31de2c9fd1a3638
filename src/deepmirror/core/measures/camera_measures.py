"""Where the camera stood, what the picture's scale is, and how the ground the client stands on lies."""

from __future__ import annotations

from deepmirror.core.measures.context import ADD_SCALE, FILM_FRONT, FILM_SIDE, CannotTell, MeasurementContext, NotAsked
from deepmirror.core.measures.spec import ANY, FRONT, SIDE, MeasureSpec
from deepmirror.core.uncertain_value import Value


def scale(scene: MeasurementContext) -> Value:
    """Picture scale at the client's plane, px per cm. Raises CannotTell where nothing gives a scale."""
    if scene.px_per_cm is None:
        raise CannotTell("the film has no scale", ADD_SCALE)
    return scene.px_per_cm


def camera_pitch(scene: MeasurementContext) -> Value:
    """How far a front or rear film's camera looks down, degrees: taken out of the frontal plane's angles.

    Raises NotAsked for side films.
    """
    if scene.frontal is None:
        raise NotAsked("a side film's angles do not need it", FILM_FRONT)
    return scene.frontal.pitch


def camera_yaw(scene: MeasurementContext) -> Value:
    """How far the camera stands off the side view, or off straight in front, degrees, either way.

    Raises CannotTell where neither plane nor looks tell it.
    """
    if scene.front_yaw is not None:
        return Value(abs(scene.front_yaw.value), scene.front_yaw.u)
    if scene.plane is None:
        raise CannotTell("the camera's angle cannot be worked out", FILM_SIDE)
    return Value(abs(scene.plane.yaw.value), scene.plane.yaw.u)


def sole_slope(scene: MeasurementContext) -> Value:
    """How far the near sole slopes where the client stands, heel up, degrees: level but for what lies under the heels.

    Raises NotAsked but for standing clients seen from the side.
    """
    if scene.plane is None or not len(scene.plane.standing):
        raise NotAsked("only the feet of a standing client seen from the side", FILM_SIDE)
    return scene.plane.sole.scaled(-1.0)


FITTED = "as the looks tell it, fitted to the client's own lengths, docs/architecture.md"

MEASURES: tuple[MeasureSpec, ...] = (
    MeasureSpec("px_per_cm", "Pixels per centimetre", "px per cm", scale, ANY, FITTED, per_rep=False, listed=False),
    MeasureSpec("camera_yaw_deg", "Camera off square", "°", camera_yaw, ANY, FITTED, per_rep=False),
    MeasureSpec("camera_pitch_deg", "Camera looks down", "°", camera_pitch, FRONT, FITTED, per_rep=False),
    MeasureSpec("sole_slope_deg", "Heel higher than the toe", "°", sole_slope, SIDE, FITTED, per_rep=False),
)
