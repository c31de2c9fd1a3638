"""Drawings of time and range: bars of what was seen against what was asked, bars of every rep, the body at two reps' ends."""

from __future__ import annotations

import numpy as np

from deepmirror.core.measures.context import CannotTell
from deepmirror.core.motion.reps import Rep
from deepmirror.core.motion.tempo import WORDS
from deepmirror.core.sketches.frame import Frame, NotShown
from deepmirror.core.sketches.sketch import Bar, Sketch


def asked_time(f: Frame) -> Sketch:
    """Each phase's seconds in this rep against the asked ones; the one in question is chosen."""
    phase = f.spec.name.split("_")[0]
    bars = []
    for name, words in WORDS.items():
        seconds = f.rep.phases_s.get(name)
        asked = f.scene.tempo.wanted(name) if f.scene.tempo is not None else None
        if seconds is not None and (asked or name == phase):
            bars.append(Bar(words, seconds, "s", asked, name == phase))
    return _with_bars(f, bars)


def by_rep(f: Frame) -> Sketch:
    """The number of every rep, this one chosen."""
    bars = []
    for rep in f.scene.reps:
        try:
            bars.append(Bar(str(rep.number), f.spec.value(f.scene, rep).value, f.spec.unit, None, rep.number == f.rep.number))
        except CannotTell:
            continue
    return _with_bars(f, bars)


def lifting_speeds(f: Frame) -> Sketch:
    """How fast each rep was lifted, as a share of the fastest."""
    speeds = [(r, r.lifting_speed or r.mean_speeds["concentric"]) for r in _whole(f.scene.reps)]
    best = max((s for _, s in speeds), default=0.0)
    last = speeds[-1][0].number if speeds else 0
    return _with_bars(f, [Bar(str(r.number), 100 * s / best, "%", None, r.number == last) for r, s in speeds if best > 0])


def _whole(reps: list[Rep]) -> list[Rep]:
    return [r for r in reps if r.complete and r.block == reps[-1].block]


def ranges(f: Frame) -> Sketch:
    """The body here against the far end of the rep that went furthest (pale), and every rep's range as the measure counts it."""
    reps = f.scene.reps
    furthest = max(reps, key=lambda r: r.range)
    whole = float(np.median([r.range for r in reps])) if f.spec.per_rep else furthest.range
    ghosts = () if furthest.number == f.rep.number else (f.body(f.index(furthest.bottom_s)),)
    bars = tuple(Bar(str(r.number), 100 * r.range / max(whole, 1e-9), "%", None, r.number == f.rep.number) for r in reps)
    joint = f.at("hip", f.side or "left")
    return Sketch(number=f.body(f.number), ghosts=ghosts, bars=bars, tag=joint, focus=(joint,))


def _with_bars(f: Frame, bars: list[Bar]) -> Sketch:
    if not bars:
        raise NotShown(f.spec.name)
    try:
        joint = f.at("hip", f.side or "left")
    except NotShown:
        return Sketch(bars=tuple(bars))
    return Sketch(bars=tuple(bars), tag=joint, focus=(joint,))
