"""Where a film's camera stands, off the straight line and above or below, as a small network tells it from the points of each look.

How both sides' shoulder, hip, knee and foot lie to one another in the picture differs with where the camera stands, in another way in
every posture. It was learned from rendered pictures whose cameras are known (`studio/learn_camera.py`), for side films and for front and
rear ones apart, and is run by NumPy.
"""

from __future__ import annotations

from functools import cache
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.camera.camera_direction import CameraDirection
from deepmirror.core.skeleton import ALL_POINTS, JOINTS, SIDES, near_side, sided
from deepmirror.core.uncertain_value import COVERAGE_FACTOR, Value
from deepmirror.core.views import facing, outward
from deepmirror.pose.evidence import Evidence

Array = NDArray[np.float64]

FARTHEST = 4.0  # body units: what lies further off is no part of this body
LEAST_UNIT_PX = 4.0
LEAST_LOOKS = 4  # fewer tell nothing; our own choice
UNIT_DEG = 10.0  # of what the network says
LEAST_SD = 0.02  # in that unit: nothing is said to be surer
LEARNED_YAW = {"side": 35.0, "front": 14.0}  # degrees: as far off the line as cameras stood in what was learned from (studio/lot.py)
LAYERS = 3
LAPLACE = np.sqrt(2)  # standard deviation of a Laplace distribution over its width


def camera_direction(evidence: Evidence, view: str, up: Array) -> CameraDirection | None:
    """As all looks tell it; None where there are too few. up (2,): what is up in the picture.

    Looks at one client err alike: the doubt is that of the usual look. A camera further off than any that was learned from stands perhaps
    further off still.
    """
    points = evidence.network[:, [evidence.names.index(n) for n in ALL_POINTS]]
    looks = points[np.isfinite(points).all(axis=(1, 2))]
    if len(looks) < LEAST_LOOKS:
        return None
    told = run(weights(kind_of(view)), features(looks, view, up))
    yaw, pitch = (_agreed(told[:, k], told[:, 2 + k]) for k in range(2))
    return CameraDirection(yaw.widened(max(abs(yaw.value) - LEARNED_YAW[kind_of(view)], 0.0)), pitch)


def kind_of(view: str) -> str:
    """Which of the two networks reads a view."""
    return "side" if near_side(view) else "front"


def features(points: Array, view: str, up: Array) -> Array:
    """What is known of looks (T, F): where all points lie, in body units, downward. points (T, P, 2) px at ALL_POINTS; up (2,) or (T, 2).

    From the side: from the near hip, to where she faces, those of the near side first. From the front or rear: from between the ankles,
    to where her left is in a front view, and whether it is one.
    """
    near = near_side(view)
    first = near or SIDES[0]
    order = [ALL_POINTS.index(sided(j, s)) for s in (first, SIDES[1 - SIDES.index(first)]) for j in JOINTS]

    def at(joint: str, side: str) -> Array:
        return np.asarray(points[:, ALL_POINTS.index(sided(joint, side))])

    def length(a: str, b: str, side: str) -> Array:
        return np.asarray(np.linalg.norm(at(a, side) - at(b, side), axis=1))

    if near:
        unit = (length("shoulder", "hip", near) + length("hip", "knee", near) + length("knee", "ankle", near)) / 3.4
        origin, sign = at("hip", near), facing(view)
    else:
        unit = np.sum([length("shoulder", "hip", s) + length("knee", "ankle", s) for s in SIDES], axis=0) / 4.6
        origin, sign = (at("ankle", SIDES[0]) + at("ankle", SIDES[1])) / 2, outward(view, "left")
    off = (points[:, order] - origin[:, None]) / np.maximum(unit, LEAST_UNIT_PX)[:, None, None]
    ups = np.broadcast_to(up, (len(points), 2))
    ahead = sign * np.stack([-ups[:, 1], ups[:, 0]], axis=1)
    placed = np.stack([(off * ahead[:, None]).sum(axis=2), -(off * ups[:, None]).sum(axis=2)], axis=2)
    known = np.asarray(np.clip(placed, -FARTHEST, FARTHEST)).reshape(len(points), -1)
    return known if near else np.hstack([known, np.full((len(points), 1), float(view == "front"))])


@cache
def weights(kind: str) -> dict[str, Array]:
    """What was learned for a kind of view, by the name of the layer."""
    with (resources.files("deepmirror.pose") / "models" / "camera_direction.npz").open("rb") as file, np.load(file) as data:
        return {k.removeprefix(f"{kind}_"): data[k].astype(np.float64) for k in data.files if k.startswith(kind)}


def run(learned: dict[str, Array], known: Array) -> Array:
    """Yaw, pitch and the standard deviation of each (T, 4), degrees, of features (T, F)."""
    x = known
    for k in range(LAYERS):
        x = x @ learned[f"weight_{k}"].T + learned[f"bias_{k}"]
        if k < LAYERS - 1:
            x = np.maximum(x, 0)
    return np.asarray(UNIT_DEG * np.hstack([x[:, :2], LAPLACE * (np.logaddexp(0, x[:, 2:]) + LEAST_SD)]))


def _agreed(told: Array, sd: Array) -> Value:
    """The looks' median, each by its doubt."""
    order = np.argsort(told)
    share = np.cumsum(sd[order] ** -2)
    middle = told[order[int(np.searchsorted(share, share[-1] / 2))]]
    return Value(float(middle), COVERAGE_FACTOR * float(np.median(sd)))
