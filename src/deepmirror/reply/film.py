"""The annotated film as a plan: which frame is shown for how long, at what speed, how near, with what on it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.sketches.sketch import NOTHING, Circle, Sketch
from deepmirror.core.trajectories import Track
from deepmirror.reply.draw import Overlay
from deepmirror.reply.model import Before, Correction, Reply, Since
from deepmirror.words import say

Array = NDArray[np.float64]
Sketches = Callable[[str | None, int], Sketch]
GhostLines = Callable[[int], tuple[tuple[tuple[float, float], tuple[float, float]], ...]]

FREEZE_S = 3.5
SLOW = 3  # each frame this often in the slow passage
LEAD_S = 1.6
TAIL_S = 0.8
SLOW_LEAD_S = 0.7
MOVE_IN_S = 0.5  # how long the picture takes to move in on what it speaks of


@dataclass(frozen=True)
class Source:
    """What is needed to draw any frame of the film: its points, view, frame rate, the ghost's lines, the faces and whether they are to be
    blurred, and how a measure shows in a frame."""

    track: Track
    view: str
    fps: float
    ghost: GhostLines | None = None
    faces: tuple[tuple[Circle, ...], ...] = ()
    blur: bool = False
    sketches: Sketches | None = None

    def overlay(self, frame: int, measure: str | None = None) -> Overlay:
        """The overlay of a frame, faces blurred when they are to be; with how a measure shows in it."""
        faces = self.faces[frame] if self.faces else ()
        sketch = self.sketches(measure, frame) if measure and self.sketches is not None else NOTHING
        return Overlay(self.track, self.view, frame, measure, sketch, heads=faces if self.blur else (), faces=faces)

    def composed(self, item: Correction) -> Overlay:
        """The overlay of a correction's picture, everything said."""
        ghost = self.ghost(item.frame) if self.ghost is not None and item.ghost else ()
        return replace(
            self.overlay(item.frame, item.measure),
            title=item.title,
            words=say("{seen} {number}", seen=item.seen, number=item.number).strip(),
            note=say("“{cue}”", cue=item.cue) if item.cue else "",
            ghost=ghost,
            tag=item.short,
            tag_at=item.tag_at,
            strokes=tuple(item.strokes),
            zoom=1.0 if item.zoom else 0.0,
            lines=item.lines,
        )


@dataclass(frozen=True)
class Shot:
    """One source frame shown `repeat` times; with `before`, an earlier film's frame stands beside it. film_id: of another film of the
    visit, the reply's own when None."""

    frame: int
    repeat: int
    overlay: Overlay
    before: Before | None = None
    film_id: int | None = None


@dataclass(frozen=True)
class Caption:
    """One line of the caption track, s in the annotated film."""

    start_s: float
    end_s: float
    text: str


def plan(reply: Reply, source: Source, sources: Callable[[int], Source] | None = None) -> tuple[list[Shot], list[Caption]]:
    """Shots and captions: what became of earlier corrections, then each new one; with neither, the whole film with its lines.

    sources: of the other films of a visit; their passages run at their own speed in the reply's own frame rate.
    """
    shots: list[Shot] = []
    captions: list[Caption] = []

    def add(film_id: int | None, make: Callable[[Source], list[Shot]], words: str) -> None:
        own = source if film_id is None or sources is None else sources(film_id)
        more = [replace(shot, film_id=film_id) for shot in make(own)]
        _add(shots, captions, more if own.fps == source.fps else _at_rate(more, own.fps, source.fps), words, source.fps)

    for told in reply.since_chosen():
        if told.frame is not None:
            add(told.film_id, lambda own, told=told: [_since(told, own)], say("{title}. {words}", title=told.title, words=told.words))  # type: ignore[misc]
    for item in reply.chosen():
        words = say("{title}. {number} {cue}", title=item.title, number=item.number, cue=item.cue).strip()
        add(item.film_id, lambda own, item=item: list(_passage(item, own)), words)  # type: ignore[misc]
    if not shots:
        shots = [Shot(i, 1, source.overlay(i)) for i in range(len(source.track.times))]
        captions = [Caption(0.0, len(shots) / source.fps, reply.praise or reply.movement)]
    return shots, captions


def _add(shots: list[Shot], captions: list[Caption], more: list[Shot], words: str, fps: float) -> None:
    start = _length(shots) / fps
    shots += more
    captions.append(Caption(start, _length(shots) / fps, words))


def _at_rate(shots: list[Shot], own_fps: float, fps: float) -> list[Shot]:
    """Shots of a film of another frame rate, each for as long as it was meant to stand; one that falls between two frames goes."""
    out, at = [], 0.0
    for shot in shots:
        start, at = at, at + shot.repeat * fps / own_fps
        if round(at) > round(start):
            out.append(replace(shot, repeat=round(at) - round(start)))
    return out


def _length(shots: list[Shot]) -> int:
    return sum(s.repeat for s in shots)


def _since(told: Since, source: Source) -> Shot:
    assert told.frame is not None
    overlay = replace(source.overlay(told.frame, told.measure), title=told.title, words=told.words)
    return Shot(told.frame, round(FREEZE_S * source.fps), overlay, told.before)


def _passage(item: Correction, source: Source) -> Iterator[Shot]:
    """Up to the moment at speed, then slowly, then still and nearer with everything said, then on."""
    times = source.track.times
    at = times[item.frame]
    for i in range(len(times)):
        away = times[i] - at
        ghost = source.ghost(i) if source.ghost is not None and item.ghost else ()
        if -LEAD_S <= away <= TAIL_S:
            slow = SLOW if -SLOW_LEAD_S <= away < 0 else 1
            overlay = replace(source.overlay(i), title=item.title, ghost=ghost, strokes=tuple(item.strokes), lines=item.lines)
            yield Shot(i, slow, overlay)
        if i == item.frame:
            yield from _still(item, source)


def _still(item: Correction, source: Source) -> Iterator[Shot]:
    full = source.composed(item)
    whole = round(FREEZE_S * source.fps)
    steps = round(MOVE_IN_S * source.fps) if item.zoom and not item.side_by_side else 0
    for step in range(1, steps):
        eased = 0.5 - 0.5 * np.cos(np.pi * step / steps)
        yield Shot(item.frame, 1, replace(full, zoom=float(eased), title=item.title, words="", note="", tag=""))
    yield Shot(item.frame, whole - max(steps - 1, 0), full, item.before if item.side_by_side else None)


def web_vtt(captions: list[Caption]) -> str:
    """The caption track as WebVTT (W3C)."""
    rows = ["WEBVTT", ""]
    for c in captions:
        rows += [f"{_stamp(c.start_s)} --> {_stamp(c.end_s)}", _cue_text(c.text), ""]
    return "\n".join(rows)


def _cue_text(words: str) -> str:
    """Words as a cue's text: one line, with the signs that begin a tag or an arrow written out (WebVTT, section 4.2.2)."""
    return " ".join(words.split()).replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def _stamp(seconds: float) -> str:
    whole = round(seconds * 1000)
    return f"{whole // 3600000:02d}:{whole // 60000 % 60:02d}:{whole // 1000 % 60:02d}.{whole % 1000:03d}"
