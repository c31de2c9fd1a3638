"""Points the network does not know (back, waistband, bar, roller): carried along by the body part they were clicked beside.

This gives them a place to be looked for in every frame, and keeps them near the body where flow and patches lose them.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import SEGMENTS, SIDES, near_side, sided, split
from deepmirror.fitted import fitted_by_name
from deepmirror.pose.evidence import FREE_CARRIERS, Evidence, Keyframe, rotate, shank_px, steady, usual_network_sigma

Array = NDArray[np.float64]

HELD_FOOT_SIGMA_SHARE = 0.10  # some ten degrees of the ankle
ON_PLATFORM = ("ankle", "heel", "toe")
FIRST_LOOKS_S = 0.5  # while a client still gets ready; our own choice
ON_PLATFORM_SIGMA = 0.02  # of the shank: how well a foot goes with its platform; our own estimate, no source
HELD_BY = ("shoulder", "wrist", "hip", "ankle")  # a bar moves with the nearest of these
CARRIED_SIGMA_SHARE = fitted_by_name("carried_sigma")


def feet_among(points: dict[str, Array]) -> dict[str, Array]:
    """Both whole feet among points (2,) px by name; empty where one of them is not there."""
    feet = {name: point for name, point in points.items() if split(name)[0] in ON_PLATFORM and np.isfinite(point).all()}
    return feet if len(feet) == 2 * len(ON_PLATFORM) else {}


def feet_at_first(evidence: Evidence, keys: list[Keyframe]) -> dict[str, Array]:
    """Where the feet are on the first picture, px: as clicked there, else as the network sees them in its first looks.

    Empty where neither tells of both whole feet.
    """
    if clicked := feet_among({n: np.array(p) for k in keys if k.frame == 0 for n, p in k.points.items()}):
        return clicked
    soon = evidence.times <= evidence.times[0] + FIRST_LOOKS_S
    names = [sided(part, side) for part in ON_PLATFORM for side in SIDES]
    seen = {n: evidence.network[soon, evidence.names.index(n)] for n in names if n in evidence.names}
    if len(seen) < len(names) or not all(np.isfinite(path).any() for path in seen.values()):
        return {}
    return {n: np.nanmedian(path, axis=0) for n, path in seen.items()}


def carry(evidence: Evidence, keys: list[Keyframe], view: str) -> Evidence:
    """The evidence with a network-like path for every clicked point without a side; side films only.

    Between keyframes what each of them says is blended in time.
    """
    near = near_side(view)
    extra = [n for n in evidence.names if split(n)[1] is None and any(n in k.points for k in keys)]
    if near is None or not extra:
        return evidence
    calm, shank = steady(evidence.network), shank_px(evidence.network, evidence.names)
    network, sigma = evidence.network.copy(), evidence.network_sigma.copy()
    for name in extra:
        i = evidence.names.index(name)
        rows = sorted((k for k in keys if name in k.points and k.frame < len(calm)), key=lambda k: k.frame)
        paths = np.array([_path(name, k, calm, evidence.names, near) for k in rows])
        network[:, i] = blend(paths, [k.frame for k in rows])
        sigma[:, i] = CARRIED_SIGMA_SHARE[name] * shank
    return evidence.with_network(network, sigma)


def carry_foot(evidence: Evidence, keys: list[Keyframe], view: str, with_shank: bool) -> Evidence:
    """A foot against a roller or on a sled: heel and toe as shank or ankle carry them, instead of where the network guesses them. What
    carries them may be lost: no end of a shoe is surer than its ankle."""
    if near_side(view) is None:
        return evidence
    calm, shank = steady(evidence.network), shank_px(evidence.network, evidence.names)
    network, sigma = evidence.network.copy(), evidence.network_sigma.copy()
    for i, path in carried_foot(calm, evidence.names, keys, view, with_shank):
        ankle = evidence.names.index(sided("ankle", split(evidence.names[i])[1] or "left"))
        usual = usual_network_sigma(evidence.names, shank)[ankle]
        lost = np.sqrt(np.maximum(evidence.network_sigma[:, ankle] ** 2 - usual**2, 0.0))
        network[:, i], sigma[:, i] = path, np.hypot(HELD_FOOT_SIGMA_SHARE * shank, lost)
    return evidence.with_network(network, sigma)


def carried_foot(positions: Array, names: list[str], keys: list[Keyframe], view: str, with_shank: bool) -> Iterator[tuple[int, Array]]:
    """Column and path (T, 2) px of the near heel and toe from where they were clicked: as the shank of positions (T, P, 2) carries
    them, turning with it, or as the ankle on a sled does, without turning."""
    near = near_side(view)
    for name in (sided("heel", near), sided("toe", near)) if near else ():
        rows = sorted((k for k in keys if name in k.points and k.frame < len(positions)), key=lambda k: k.frame)
        if rows and name in names:
            ways = [
                _path(name, k, positions, names, near or "") if with_shank else _beside_ankle(name, k, positions, names, near or "")
                for k in rows
            ]
            yield names.index(name), blend(np.array(ways), [k.frame for k in rows])


def carry_feet_on_platform(evidence: Evidence, keys: list[Keyframe]) -> Evidence:
    """Front and rear films of a sled: the clicked feet go with the platform, which shows better than what stands on it."""
    if not len(evidence.platform):
        return evidence
    shank = shank_px(evidence.network, evidence.names)
    network, sigma = evidence.network.copy(), evidence.network_sigma.copy()
    lies = evidence.platform_sigma if len(evidence.platform_sigma) else 0.0
    for i, name in enumerate(evidence.names):
        rows = sorted((k for k in keys if name in k.points and k.frame < len(network)), key=lambda k: k.frame)
        if split(name)[0] in ON_PLATFORM and rows:
            paths = np.array([_with_platform(np.array(k.points[name]), k.frame, evidence.platform) for k in rows])
            network[:, i], sigma[:, i] = blend(paths, [k.frame for k in rows]), np.hypot(ON_PLATFORM_SIGMA * shank, lies)
    return evidence.with_network(network, sigma)


def _with_platform(click: Array, frame: int, platform: Array) -> Array:
    """Path (T, 2) px of a point that lay at a click on one frame and keeps its place on the platform."""
    turn, shift = platform[frame, :, :2], platform[frame, :, 2]
    home = np.linalg.solve(turn, click - shift)
    return np.asarray(platform[:, :, :2] @ home + platform[:, :, 2])


def _beside_ankle(name: str, key: Keyframe, calm: Array, names: list[str], near: str) -> Array:
    """Path (T, 2) px of a shoe's end that keeps its place beside the ankle: a sled moves the sole without turning it."""
    ankle = calm[:, names.index(sided("ankle", near))]
    clicked = key.points.get(sided("ankle", near))
    return np.asarray(ankle + (np.array(key.points[name]) - (np.array(clicked) if clicked else ankle[key.frame])))


def _path(name: str, key: Keyframe, calm: Array, names: list[str], near: str) -> Array:
    """Path (T, 2) px of a point that keeps its place beside its carrier from one keyframe on, and before it."""

    def at(joint: str) -> Array:
        return np.asarray(calm[:, names.index(sided(joint, near))])

    click = np.array(key.points[name])
    segment = "shank" if split(name)[1] else FREE_CARRIERS.get(name)
    if segment is None:
        joint = min(HELD_BY, key=lambda j: float(np.linalg.norm(at(j)[key.frame] - click)))
        return np.asarray(at(joint) + (click - at(joint)[key.frame]))
    a, b = (at(j) for j in SEGMENTS[segment])
    d = b - a
    turn = np.arctan2(d[:, 1], d[:, 0])
    length = np.linalg.norm(d, axis=1)
    local = rotate(click - a[key.frame], -turn[key.frame])
    # a trunk that bends or turns looks shorter; a shank of a side film does not, only the network's idea of its ends wanders
    stretch = length / max(float(length[key.frame]), 1e-6) if segment == "trunk" else np.ones(len(calm))
    along = np.stack([local[0] * stretch, np.full(len(calm), local[1])], axis=1)
    return np.asarray(a + rotate(along, turn))


def blend(paths: Array, frames: list[int]) -> Array:
    """Paths (K, T, 2) weighted by how near in time each keyframe is."""
    if len(paths) == 1:
        return np.asarray(paths[0])
    now = np.arange(paths.shape[1])
    weights = np.array([np.interp(now, frames, np.eye(len(frames))[k]) for k in range(len(frames))])
    return np.asarray(np.einsum("kt,ktc->tc", weights, paths))
