"""A quantity computed from followed points and a fitted camera: the uncertainty of both is carried into it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol, Self, TypeVar

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.trajectories import Points, Series, Track
from deepmirror.core.uncertain_value import COVERAGE_FACTOR

Array = NDArray[np.float64]


class Fitted(Protocol):
    """Something with parameters theta (K,) and their covariance (K, K)."""

    @property
    def theta(self) -> Array: ...

    @property
    def covariance(self) -> Array: ...

    def moved(self, theta: Array) -> Self:
        """The same with other parameters. theta (K,)."""
        ...


Model = TypeVar("Model", bound=Fitted)


def series(track: Track, model: Model, compute: Callable[[Points, Model], Array]) -> Series:
    """Evaluate a (T,) function of points and a fitted model, with the uncertainty of both."""
    out = track.series(lambda p: compute(p, model))
    points = Points(track.names, track.positions)
    jacobian = np.zeros((len(track.times), len(model.theta)))
    for k in range(len(model.theta)):
        sd = float(np.sqrt(model.covariance[k, k]))
        if sd < 1e-9:
            continue
        moved = []
        for sign in (1, -1):
            theta = model.theta.copy()
            theta[k] += sign * 0.5 * sd
            moved.append(compute(points, model.moved(theta)))
        jacobian[:, k] = (moved[0] - moved[1]) / sd
    variance = np.einsum("ti,ij,tj->t", jacobian, model.covariance, jacobian)
    return out.widened(COVERAGE_FACTOR * np.sqrt(np.maximum(variance, 0)))
