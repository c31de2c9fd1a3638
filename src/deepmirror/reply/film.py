"""The annotated film as a plan: which frame is shown for how long, at what speed, with what on it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.track import Track
from deepmirror.reply.draw import Overlay
from deepmirror.reply.model import Correction, Reply

Array = NDArray[np.float64]
GhostLines = Callable[[int], tuple[tuple[tuple[float, float], tuple[float, float]], ...]]

FREEZE_S = 3.5
SLOW = 3  # each frame this often in the slow passage
LEAD_S = 1.6
TAIL_S = 0.8
SLOW_LEAD_S = 0.7


@dataclass(frozen=True)
class Shot:
    """One source frame shown `repeat` times."""

    frame: int
    repeat: int
    overlay: Overlay


@dataclass(frozen=True)
class Caption:
    """One line of the caption track, s in the annotated film."""

    start_s: float
    end_s: float
    text: str


def plan(reply: Reply, track: Track, view: str, fps: float, ghost: GhostLines | None = None) -> tuple[list[Shot], list[Caption]]:
    """Shots and captions; with nothing to correct, the whole film with its lines. ghost: the ghost's lines of a frame."""
    shots: list[Shot] = []
    captions: list[Caption] = []
    for item in reply.chosen():
        before = _length(shots) / fps
        shots += list(_passage(item, track, view, fps, ghost if item.ghost else None))
        captions.append(Caption(before, _length(shots) / fps, f"{item.title}. {item.number} {item.cue}".strip()))
    if not shots:
        shots = [Shot(i, 1, Overlay(track, view, i)) for i in range(len(track.times))]
        captions = [Caption(0.0, len(shots) / fps, reply.praise or reply.movement)]
    return shots, captions


def _length(shots: list[Shot]) -> int:
    return sum(s.repeat for s in shots)


def _passage(item: Correction, track: Track, view: str, fps: float, ghost: GhostLines | None) -> Iterator[Shot]:
    """Up to the moment at speed, then slowly, then still with everything said, then on."""
    times, at = track.times, track.times[item.frame]
    for i in range(len(times)):
        away = times[i] - at
        if -LEAD_S <= away <= TAIL_S:
            slow = SLOW if -SLOW_LEAD_S <= away < 0 else 1
            yield Shot(i, slow, Overlay(track, view, i, title=item.title, ghost=ghost(i) if ghost else ()))
        if i == item.frame:
            yield Shot(
                i,
                round(FREEZE_S * fps),
                Overlay(
                    track,
                    view,
                    i,
                    item.measure,
                    item.title,
                    f"{item.seen} {item.number}".strip(),
                    f"“{item.cue}”",
                    ghost(i) if ghost else (),
                ),
            )


def web_vtt(captions: list[Caption]) -> str:
    """The caption track as WebVTT (W3C)."""
    rows = ["WEBVTT", ""]
    for c in captions:
        rows += [f"{_stamp(c.start_s)} --> {_stamp(c.end_s)}", c.text.replace("\n", " ").replace("-->", "→"), ""]
    return "\n".join(rows)


def _stamp(seconds: float) -> str:
    whole = round(seconds * 1000)
    return f"{whole // 3600000:02d}:{whole // 60000 % 60:02d}:{whole // 1000 % 60:02d}.{whole % 1000:03d}"
