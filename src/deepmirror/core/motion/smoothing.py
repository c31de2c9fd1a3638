"""Zero-phase smoothing on presentation times, and the choice of its cut-off."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

CUTOFFS_HZ = np.arange(2.0, 12.5, 0.5)  # tried by the residual analysis; our own choice


def evenly(times: Array, values: Array, rate_hz: float | None = None) -> tuple[Array, Array]:
    """Resample (T,) values on an even grid: phones often film at a variable frame rate."""
    step = 1 / rate_hz if rate_hz else float(np.median(np.diff(times)))
    grid = np.arange(times[0], times[-1] + step / 2, step)
    return grid, np.interp(grid, times, values)


def low_pass(values: Array, rate_hz: float, cutoff_hz: float) -> Array:
    """Second-order Butterworth run forwards and backwards (zero phase), (T,) -> (T,).

    Winter, Biomechanics and Motor Control of Human Movement, 4th ed., section 2.5.4.4 (from memory): the cut-off of each
    run is raised by 1/0.802 so that the two together have the wanted cut-off.
    """
    from scipy.signal import sosfiltfilt

    nyquist = rate_hz / 2
    corner = min(cutoff_hz / 0.802 / nyquist, 0.95)
    if len(values) < 2 or corner <= 0:
        return np.asarray(values, float)
    sections = _sections(corner)
    pad = min(len(values) - 1, int(3 * rate_hz / cutoff_hz))
    return np.asarray(sosfiltfilt(sections, values, padlen=max(pad, 0)))


@lru_cache(maxsize=256)
def _sections(corner: float) -> Array:
    """A filter's design, which takes longer than its run: a live set is smoothed anew with each look."""
    from scipy.signal import butter

    return np.asarray(butter(2, corner, output="sos"))


def residual_cutoff(values: Array, rate_hz: float) -> float:
    """Cut-off (Hz) by residual analysis: where the residual leaves the straight line that noise alone would give.

    Winter, same book, section 2.5.4.5 (from memory). values (T,).
    """
    usable = CUTOFFS_HZ[rate_hz / 2 * 0.8 > CUTOFFS_HZ]
    if len(usable) < 4 or len(values) < 12:
        return float(min(6.0, rate_hz / 4))
    residual = np.array([float(np.sqrt(np.mean((values - low_pass(values, rate_hz, f)) ** 2))) for f in usable])
    tail = usable >= np.median(usable)
    _, intercept = np.polyfit(usable[tail], residual[tail], 1)
    noise = max(float(intercept), float(residual[-1]))
    below = np.nonzero(residual <= noise)[0]
    return float(usable[below[0]]) if len(below) else float(usable[-1])


def speed(times: Array, values: Array) -> Array:
    """Rate of change (T,) per second on presentation times."""
    return np.gradient(values, times)
