"""Reps laid over one another: what a film is off by throughout is off alike in all of them, so that one rep that goes another way than
the others stands out far more clearly than where any of them goes."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.measures.context import Array
from deepmirror.core.motion.reps import Rep

Rows = NDArray[np.bool_]
LEAST_REPS = 2  # that come by a place, for it to be compared; our own choice


def ways_of(times: Array, rep: Rep, turn_s: float) -> tuple[Rows, Rows]:
    """The frames (T,) of a rep until it turns, and from then on."""
    return (times >= rep.start_s) & (times <= turn_s), (times >= turn_s) & (times <= rep.end_s)


def over_places(values: Array, place: Array, places: Array, near: float) -> Array:
    """The mean of values (T, ...) over the frames whose place (T,) lies within `near` of each of `places` (K,); NaN where none does."""
    out = np.full((len(places), *values.shape[1:]), np.nan)
    for k, wanted in enumerate(places):
        here = np.abs(place - wanted) <= near
        if here.any():
            out[k] = values[here].mean(axis=0)
    return out


def usual_path(paths: Array, percentile: float) -> Array:
    """A percentile over the reps (N, ...) of what they do at each place; NaN where fewer than LEAST_REPS come by."""
    known = np.isfinite(paths).sum(axis=0) >= LEAST_REPS
    usual: NDArray[Any] = np.full(paths.shape[1:], np.nan)
    usual[known] = np.nanpercentile(paths[:, known], percentile, axis=0)
    return np.asarray(usual)
