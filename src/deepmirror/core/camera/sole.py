"""What it tells that a client stands on a level floor: her sole is level there, unless something lies under her heels.

A shoe in a film is some 90 px long, so that clicks 2 px off turn it by 2°; seen from above, and every phone looks down on
feet, a level shoe that points a little towards the camera slopes in the picture as well. Both are taken out where a shoe
slopes no more than they explain; a slope they do not explain stays, as heels on a wedge do.
"""

from __future__ import annotations

import numpy as np

# How a shoe lies while its client stands, degrees toes up, as mean, sd and share of all: level within the floor's and the phone's
# own slope; raised at the heel on a wedge or plates, 5 to 25°; anyhow, as that of a leg set back or held up. Common practice, no source.
LYING = np.array([(0.0, 0.7, 0.90), (-13.0, 5.0, 0.07), (0.0, 25.0, 0.03)])
FORM_SD = 1.2  # degrees: what a shoe's form and its clicks leave beside (seen slope / sd was 1.2 rms over 20 standing films without it)


def standing_slope(seen: float, sd: float) -> tuple[float, float]:
    """Slope of a standing sole and its standard deviation (degrees, toes up), from the slope seen and how surely it was seen.

    A mixture of normals, seen through another.
    """
    means, sds, shares = LYING.T
    whole = np.hypot(sds, sd)
    weight = shares / whole * np.exp(-0.5 * ((seen - means) / whole) ** 2) + 1e-300
    weight /= weight.sum()
    gain = sds**2 / whole**2
    told, left = means + gain * (seen - means), sds**2 * (1 - gain)
    mean = float(weight @ told)
    return mean, float(np.sqrt(weight @ (left + (told - mean) ** 2)))


def seen_slope(shoe: tuple[float, float], away_deg: tuple[float, float], down_deg: tuple[float, float]) -> tuple[float, float]:
    """Slope of a shoe and its standard deviation, degrees toes up, from its level and upright reach in the picture (px).

    away_deg: how far it points towards the camera out of the picture plane, down_deg: how far the camera looks down on it, each with its
    standard deviation.
    """
    level, upright = shoe
    (away, away_sd), (down, down_sd) = np.radians([away_deg, down_deg])
    towards = level * np.tan(away)
    risen = (upright + towards * np.sin(down)) / np.cos(down)
    whole = float(np.hypot(level, towards))
    turned, looked = np.sin(down) * away_sd / np.cos(away), np.tan(away) * down_sd
    sd = np.linalg.norm([turned, looked, np.radians(FORM_SD)])
    return float(np.degrees(np.arctan2(risen, whole))), float(np.degrees(sd))
