"""Joint angles over time from the followed points of one view.

Zeros follow ISB and AAOS: upright standing is 0 for every joint angle; 0 is straight at the knee. Directions in the
picture depend on which way the client faces: `facing` is +1 when she faces right on the screen (camera on her right).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.camera.frontal_camera import Frontal
from deepmirror.core.camera.sagittal_fit import Plane
from deepmirror.core.geometry import included_angle, signed_turn
from deepmirror.core.skeleton import SIDES, near_side, sided
from deepmirror.core.trajectories import Points, Series, Track
from deepmirror.core.uncertain_value import COVERAGE_FACTOR
from deepmirror.core.views import UP, facing, outward

Array = NDArray[np.float64]

# Standing knee flexion and the shank's share of the flexion in a squat, for reading depth off the height of the hips in
# front views; common practice, no source. The uncertainty says how rough that reading is.
STANDING_FLEXION_DEG = 5.0
SHANK_SHARE = 0.25  # as above
READABLE_FLEXION_DEG = 15.0  # our own estimate, no source
FRONT_FLEXION_U_DEG = 16.0  # k = 2; our own estimate, no source
HEIGHT_TELLS_DEG, DEPTH_TELLS_DEG = 30.0, 60.0  # flexion up to which the hip's height alone tells it, and from which the legs' own depth
# A hip that looks straight is rather bent than arched: mean and sd; common practice, no source.
USUALLY_BENT_DEG = (4.0, 6.0)
LEVEL_U_DEG = 1.0  # k = 2: a phone held or propped by hand; common practice, no source


def angle_series(
    track: Track, view: str, up: Array = UP, level_u_deg: float = LEVEL_U_DEG, plane: Plane | None = None, frontal: Frontal | None = None
) -> dict[str, Series]:
    """All angle series (degrees) this view gives, by their names in the batch contract, without the unit.

    up (2,): the picture direction that is up in the room. level_u_deg: uncertainty (k = 2) of that direction. With a fitted
    picture plane (side views) or camera (front and rear views) angles are those of the body in space; without one they are
    those of the picture.
    """
    near = near_side(view)
    if near is None:
        return _front_angles(track, view, frontal or flat_frontal(view, up))
    plane = plane or picture_plane(up, facing(view))
    return _side_angles(track, near, plane, level_u_deg)


def picture_plane(up: Array, way: int) -> Plane:
    """A plane that takes the picture for the body's side plane: no yaw, nothing opened, camera far away.

    up (2,): what is up in the picture.
    """
    return Plane(np.zeros(10), np.zeros((10, 10)), 1.0, {}, way, up, np.zeros(2), 1e9)


def flat_frontal(view: str, up: Array) -> Frontal:
    """A front or rear film's camera so far away that the picture is the frontal plane. up (2,): what is up in the picture."""
    return Frontal(np.zeros(5), np.zeros((5, 5)), np.inf, 1.0, 1.0, 1.0, 1 if view == "front" else -1, up, np.zeros(2))


def between(a: Array, b: Array) -> Array:
    """Angle (T,) degrees between vectors (T, 3)."""
    cross = np.linalg.norm(np.cross(a, b), axis=1)
    return np.asarray(np.degrees(np.arctan2(cross, (a * b).sum(axis=1))))


def _side_angles(track: Track, side: str, plane: Plane, level_u_deg: float) -> dict[str, Series]:
    shoulder, hip, knee, ankle = (sided(j, side) for j in ("shoulder", "hip", "knee", "ankle"))
    out: dict[str, Series] = {}

    def space(p: Points, plane: Plane, *joints: str) -> dict[str, Array]:
        return plane.in_space(p, side, joints)

    def turn(plane: Plane, before: Array, after: Array) -> Array:
        """Of directions in space, forward and up of her alone: a camera off the side sees a shoulder, which lies further out, elsewhere."""
        return signed_turn(*(np.stack([plane.forward(d), d[:, 1]], axis=1) for d in (before, after)))

    def knee_turn(p: Points, plane: Plane) -> Array:
        q = space(p, plane, "hip", "knee", "ankle")
        return -turn(plane, q["knee"] - q["hip"], q["ankle"] - q["knee"])

    def knee_flexion(p: Points, plane: Plane) -> Array:
        q = space(p, plane, "hip", "knee", "ankle")
        return between(q["knee"] - q["hip"], q["ankle"] - q["knee"])

    def thigh(p: Points, plane: Plane) -> Array:
        q = space(p, plane, "hip", "knee")
        d = q["hip"] - q["knee"]
        return np.asarray(np.degrees(np.arctan2(d[:, 1], np.hypot(d[:, 0], d[:, 2]))))

    def shank(p: Points, plane: Plane) -> Array:
        q = space(p, plane, "hip", "knee", "ankle")
        d = q["knee"] - q["ankle"]
        return np.asarray(np.degrees(np.arctan2(np.copysign(np.hypot(d[:, 0], d[:, 2]), d[:, 0]), d[:, 1])))

    def hip_turn(p: Points, plane: Plane) -> Array:
        q = space(p, plane, "hip", "knee", "shoulder")
        return turn(plane, q["hip"] - q["shoulder"], q["knee"] - q["hip"])

    def hip_flexion(p: Points, plane: Plane) -> Array:
        q = space(p, plane, "hip", "knee", "shoulder")
        return between(q["hip"] - q["shoulder"], q["knee"] - q["hip"])

    def lean(p: Points, plane: Plane) -> Array:
        q = space(p, plane, "hip", "shoulder")
        d = q["shoulder"] - q["hip"]
        return np.asarray(np.degrees(np.arctan2(plane.forward(d), d[:, 1])))

    if track.has(hip, knee, ankle):
        out[f"knee_flexion_{side}"] = signed(plane.series(track, knee_flexion), plane.series(track, knee_turn), arches=False)
        out[f"thigh_from_horizontal_{side}"] = plane.series(track, thigh).widened(level_u_deg)
        out[f"shank_from_vertical_{side}"] = plane.series(track, shank).widened(level_u_deg)
    if track.has(hip, knee, shoulder):
        out[f"hip_flexion_{side}"] = signed(plane.series(track, hip_flexion), plane.series(track, hip_turn))
        out["trunk_lean"] = plane.series(track, lean).widened(level_u_deg)
    return out | _ankle(track, side, plane) | _elbow(track, side)


def _ankle(track: Track, side: str, plane: Plane) -> dict[str, Series]:
    """Dorsiflexion: 0 where the shank stands square on the sole."""
    joints = ("hip", "knee", "ankle", "heel", "toe")
    if not track.has(*(sided(j, side) for j in joints[1:])):
        return {}

    def dorsiflexion(p: Points, plane: Plane) -> Array:
        q = plane.in_space(p, side, joints)
        return np.asarray(90 - between(q["knee"] - q["ankle"], q["toe"] - q["heel"]))

    return {f"ankle_dorsiflexion_{side}": plane.series(track, dorsiflexion)}


def _elbow(track: Track, side: str) -> dict[str, Series]:
    """Elbow flexion in the picture: the arm's plane is not modelled."""
    names = [sided(j, side) for j in ("shoulder", "elbow", "wrist")]
    if not track.has(*names):
        return {}
    return {f"elbow_flexion_{side}": track.series(lambda p: 180 - included_angle(*(p[n] for n in names)))}


def signed(size: Series, turn: Series, arches: bool = True) -> Series:
    """An angle in space with the sign it has in the picture; both series in degrees; arches: the joint goes both ways.

    Where the picture cannot tell bent from arched the uncertainty reaches over to the same angle the other way: a trunk wider at the
    shoulders than at the hips keeps a straight hip some degrees from zero, so that its sign would leap. All such frames
    together, and what is usual, then choose one way.
    """
    unsure = (np.abs(turn.values) <= turn.u) & arches
    u = np.where(unsure, np.hypot(size.u, 2 * size.values), size.u)
    way = turn.values.copy()
    if unsure.any():
        mean, sd = float(np.mean(turn.values[unsure])), float(np.mean(turn.u[unsure])) / COVERAGE_FACTOR
        usual, usual_sd = USUALLY_BENT_DEG
        way[unsure] = mean / max(sd, 1e-6) ** 2 + usual / usual_sd**2
    return Series(size.times, np.copysign(size.values, way), u)


def _front_angles(track: Track, view: str, camera: Frontal) -> dict[str, Series]:
    """Of legs put into space; columns there are across the picture, up, towards the camera."""
    out: dict[str, Series] = {}
    for side in SIDES:
        if not track.has(*(sided(j, side) for j in ("hip", "knee", "ankle"))):
            continue
        way = outward(view, side)

        def projection(p: Points, camera: Frontal, side: str = side, way: int = way) -> Array:
            q = camera.in_space(p, side)
            thigh, shank = q["hip"] - q["knee"], q["knee"] - q["ankle"]
            return np.asarray(np.degrees(np.arctan2(way * thigh[:, 0], thigh[:, 1]) - np.arctan2(way * shank[:, 0], shank[:, 1])))

        def medial(p: Points, camera: Frontal, side: str = side, way: int = way) -> Array:
            """Knee inward of the line from hip to ankle, % of the shank."""
            q = camera.in_space(p, side)
            line, d = q["ankle"] - q["hip"], q["knee"] - q["hip"]
            share = d[:, 1] / np.where(np.abs(line[:, 1]) < 1e-6, 1e-6, line[:, 1])
            shank = float(np.percentile(np.linalg.norm((q["knee"] - q["ankle"])[:, :2], axis=1), 95))
            return np.asarray(-way * (d[:, 0] - share * line[:, 0]) / shank * 100)

        def off_foot(p: Points, camera: Frontal, side: str = side, way: int = way) -> Array:
            """Knee inside the upright plane through ankle and toe, % of the shank, as one sees it looking straight down: where the foot
            points, as far forward as the knee stands."""
            q = camera.in_space(p, side)
            return -way * (q["knee"] - over_foot(q))[:, 0] / camera.shank * 100

        def seen(p: Points, camera: Frontal, side: str = side) -> Array:
            """How far the thigh points away from the camera's axis, degrees: 90 across the picture, 0 at the camera."""
            q = camera.in_space(p, side)
            thigh = q["hip"] - q["knee"]
            return np.asarray(np.degrees(np.arctan2(np.hypot(thigh[:, 0], thigh[:, 1]), np.abs(thigh[:, 2]))))

        out[f"fppa_{side}"] = camera.series(track, projection)
        out[f"thigh_seen_{side}"] = camera.series(track, seen)
        out[f"knee_medial_{side}"] = camera.series(track, medial)
        if track.has(sided("toe", side)):
            out[f"knee_to_foot_{side}"] = camera.series(track, off_foot)
        out[f"knee_flexion_{side}"] = _front_flexion(track, side, camera)
    return out | _both_legs(track, camera)


def over_foot(leg: dict[str, Array]) -> Array:
    """Where a knee would stand (T, 3) at its height and as far forward, were it over the line from ankle to toe. leg: joints in space."""
    foot, forward = leg["toe"] - leg["ankle"], (leg["knee"] - leg["ankle"])[:, 2]
    length = np.where(np.abs(foot[:, 2]) < 1e-6, 1e-6, foot[:, 2])
    return np.stack([leg["ankle"][:, 0] + forward * foot[:, 0] / length, leg["knee"][:, 1], leg["knee"][:, 2]], axis=1)


def _front_flexion(track: Track, side: str, camera: Frontal) -> Series:
    """Knee flexion as the leg's shortened segments tell it, and near standing, where they do not, as the hip's height does."""
    height = flexion_from_height((track.point(sided("hip", side)) - track.point(sided("ankle", side))) @ camera.up, track.times)
    if camera.flat:
        return Series(track.times, height, np.full(len(height), FRONT_FLEXION_U_DEG))

    def bent(p: Points, camera: Frontal) -> Array:
        q = camera.in_space(p, side)
        return between(q["hip"] - q["knee"], q["knee"] - q["ankle"])

    seen = camera.series(track, bent)
    share = np.clip((height - HEIGHT_TELLS_DEG) / (DEPTH_TELLS_DEG - HEIGHT_TELLS_DEG), 0, 1)
    share = share * share * (3 - 2 * share)
    u = np.hypot(share * np.minimum(seen.u, FRONT_FLEXION_U_DEG), (1 - share) * FRONT_FLEXION_U_DEG)
    return Series(track.times, share * seen.values + (1 - share) * height, u)


def _both_legs(track: Track, camera: Frontal) -> dict[str, Series]:
    if not track.has(*(sided(j, s) for s in SIDES for j in ("hip", "knee", "ankle"))):
        return {}

    def spread(p: Points, camera: Frontal) -> Array:
        lines = [(q["ankle"] - q["hip"])[:, :2] for q in (camera.in_space(p, s) for s in SIDES)]
        return np.abs(signed_turn(*lines))

    def gap(p: Points, camera: Frontal) -> Array:
        left, right = (camera.in_space(p, s) for s in SIDES)
        return np.asarray(np.abs((left["knee"] - right["knee"])[:, 0]) / np.abs((left["ankle"] - right["ankle"])[:, 0]))

    return {"leg_spread": camera.series(track, spread), "knee_ankle_separation_ratio": camera.series(track, gap)}


def flexion_from_height(height: Array, times: Array) -> Array:
    """Knee flexion (degrees) a squatting leg must have for its hip to be at this height over the ankle.

    height (T,), any unit; its highest level is taken for standing. A model, not a measurement: the thigh and shank are
    taken as equal and the shank as leaning a fixed share of the flexion. Near standing a bend hardly lowers the hip
    (10° take half a percent), so the first degrees are not read off: from READABLE_FLEXION_DEG the leg is taken to have
    sped up evenly from rest.
    """
    k = np.radians(np.linspace(0, 150, 301))
    model = np.cos(SHANK_SHARE * k) + np.cos((1 - SHANK_SHARE) * k)
    standing = np.radians(STANDING_FLEXION_DEG)
    top = np.cos(SHANK_SHARE * standing) + np.cos((1 - SHANK_SHARE) * standing)
    scaled = height / np.percentile(height, 97) * top
    flexion = np.degrees(np.interp(-scaled, -model, k))
    return _eased(flexion, times)


def _eased(flexion: Array, times: Array) -> Array:
    out, bent = flexion.copy(), flexion >= READABLE_FLEXION_DEG
    span = READABLE_FLEXION_DEG - STANDING_FLEXION_DEG
    for i in np.nonzero(bent[1:] & ~bent[:-1])[0]:
        first = int(i) + 1
        later = min(first + 4, len(times) - 1)
        speed = (flexion[later] - flexion[first]) / max(times[later] - times[first], 1e-6)
        ease = 2 * span / max(float(speed), 10.0)
        rest = first - 1  # back to where the ease began, or to the way up before it
        while rest > 0 and not bent[rest - 1] and times[rest - 1] >= times[first] - ease:
            rest -= 1
        rows = slice(rest, first)
        since = times[rows] - times[first] + ease
        out[rows] = STANDING_FLEXION_DEG + span * (since / ease) ** 2
    return out
