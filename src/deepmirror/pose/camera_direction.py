"""Where a side film's camera stands, off the side view and above or below, as a small network tells it from the points of each look.

How near and far shoulder, hip, knee and foot lie to one another in the picture differs with where the camera stands, in another way in
every posture. It was learned from rendered pictures whose cameras are known (`studio/learn_camera.py`) and is run by NumPy.
"""

from __future__ import annotations

from functools import cache
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.camera.camera_direction import CameraDirection
from deepmirror.core.skeleton import ALL_POINTS, JOINTS, SIDES, near_side, sided
from deepmirror.core.uncertain_value import COVERAGE_FACTOR, Value
from deepmirror.core.views import facing
from deepmirror.pose.evidence import Evidence

Array = NDArray[np.float64]

FARTHEST = 4.0  # body units: what lies further off is no part of this body
LEAST_UNIT_PX = 4.0
LEAST_LOOKS = 4  # fewer tell nothing; our own choice
UNIT_DEG = 10.0  # of what the network says
LEAST_SD = 0.02  # in that unit: nothing is said to be surer
LAYERS = 3
LAPLACE = np.sqrt(2)  # standard deviation of a Laplace distribution over its width


def camera_direction(evidence: Evidence, view: str, up: Array) -> CameraDirection | None:
    """As all looks tell it; None of other views, and where there are too few looks. up (2,): what is up in the picture.

    Looks at one client err alike: the doubt is that of the usual look.
    """
    if near_side(view) is None:
        return None
    points = evidence.network[:, [evidence.names.index(n) for n in ALL_POINTS]]
    looks = points[np.isfinite(points).all(axis=(1, 2))]
    if len(looks) < LEAST_LOOKS:
        return None
    told = run(weights(), features(looks, view, up))
    return CameraDirection(*(_agreed(told[:, k], told[:, 2 + k]) for k in range(2)))


def features(points: Array, view: str, up: Array) -> Array:
    """Of looks (T, P, 2) px at ALL_POINTS: where all points lie from the near hip (T, 4 J), in body units, to where she faces and down,
    those of the near side first. up (2,) or (T, 2): what is up in the picture."""
    near = near_side(view) or SIDES[0]
    order = [ALL_POINTS.index(sided(j, s)) for s in (near, SIDES[1 - SIDES.index(near)]) for j in JOINTS]

    def length(a: str, b: str) -> Array:
        return np.asarray(np.linalg.norm(points[:, ALL_POINTS.index(sided(a, near))] - points[:, ALL_POINTS.index(sided(b, near))], axis=1))

    unit = (length("shoulder", "hip") + length("hip", "knee") + length("knee", "ankle")) / 3.4
    from_hip = (points[:, order] - points[:, [ALL_POINTS.index(sided("hip", near))]]) / np.maximum(unit, LEAST_UNIT_PX)[:, None, None]
    ups = np.broadcast_to(up, (len(points), 2))
    forward = facing(view) * np.stack([-ups[:, 1], ups[:, 0]], axis=1)
    placed = np.stack([(from_hip * forward[:, None]).sum(axis=2), -(from_hip * ups[:, None]).sum(axis=2)], axis=2)
    return np.asarray(np.clip(placed, -FARTHEST, FARTHEST)).reshape(len(points), -1)


@cache
def weights() -> dict[str, Array]:
    """What was learned, by the name of the layer."""
    with (resources.files("deepmirror.pose") / "models" / "camera_direction.npz").open("rb") as file, np.load(file) as data:
        return {k: data[k].astype(np.float64) for k in data.files if k != "about"}


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
