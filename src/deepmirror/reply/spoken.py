"""What a coach says over the reply's film: which picture was on show when, what her hand drew on it, and the captions of her words.

The hand's record is a list of lines of JSON (RFC 8259), one an event, written as it happens: {"t": s, "show": picture's number},
{"t": s, "at": [x, y], "begins": true} of a line that is drawn, px of the film, and {"t": s, "wipe": true}. What was torn off in the middle
of a line is left out.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deepmirror.reply.film import Caption
from deepmirror.reply.frame_painter import COPPER, INK, FramePainter

Picture = NDArray[np.uint8]
Line = tuple[tuple[float, float], ...]

DRAWN_WIDTH, EDGE_WIDTH = 8.0, 12.0  # units at 720 lines; our own choice
LONGEST_CAPTION = 84  # letters: two lines of 42, as broadcasters set captions; common practice, from memory


@dataclass(frozen=True)
class Shown:
    """From time_s on, this picture of the film is on show."""

    time_s: float
    picture: int


@dataclass(frozen=True)
class Touched:
    """The hand was here, px of the film; begins: a new line."""

    time_s: float
    x: float
    y: float
    begins: bool


@dataclass(frozen=True)
class Wiped:
    """What was drawn is gone."""

    time_s: float


Event = Shown | Touched | Wiped


def event_line(event: Event) -> str:
    """An event as one line of the hand's record."""
    told: dict[str, object] = {"t": round(event.time_s, 3)}
    if isinstance(event, Shown):
        told["show"] = event.picture
    elif isinstance(event, Touched):
        told |= {"at": [round(event.x, 1), round(event.y, 1)], **({"begins": True} if event.begins else {})}
    else:
        told["wipe"] = True
    return json.dumps(told)


def events_of(record: str) -> list[Event]:
    """The events of a hand's record, in order; a line that cannot be read is left out."""
    out = [event for line in record.splitlines() if (event := _event(line)) is not None]
    return sorted(out, key=lambda event: event.time_s)


def _event(line: str) -> Event | None:
    try:
        told = json.loads(line)
        time_s = float(told["t"])
        if "show" in told:
            return Shown(time_s, int(told["show"]))
        if "at" in told:
            x, y = told["at"]
            return Touched(time_s, float(x), float(y), bool(told.get("begins")))
        return Wiped(time_s) if told.get("wipe") else None
    except (ValueError, KeyError, TypeError):
        return None


@dataclass(frozen=True)
class OnShow:
    """What is on show at an instant: a picture of the film, and the lines drawn on it."""

    picture: int
    lines: tuple[Line, ...]


def on_show(events: Sequence[Event], length_s: float, fps: float, pictures: int) -> Iterator[OnShow]:
    """What is on show in each picture of the spoken film; pictures: how many the film below it has."""
    number, at = 0, 0
    lines: list[list[tuple[float, float]]] = []
    now = OnShow(0, ())
    for k in range(max(round(length_s * fps), 1)):
        before = at
        while at < len(events) and events[at].time_s <= k / fps:
            event, at = events[at], at + 1
            if isinstance(event, Shown):
                number = min(max(event.picture, 0), pictures - 1)
            elif isinstance(event, Wiped):
                lines = []
            elif event.begins or not lines:
                lines.append([(event.x, event.y)])
            else:
                lines[-1].append((event.x, event.y))
        if at > before:  # what stands is not made anew for every picture
            now = OnShow(number, tuple(tuple(line) for line in lines))
        yield now


def spoken_pictures(shown: Iterator[OnShow], picture: Callable[[int], Picture]) -> Iterator[Picture]:
    """The pictures of the spoken film; a picture that stands is fetched and drawn once. picture: of the film below, by number."""
    last: tuple[OnShow, Picture] | None = None
    below: tuple[int, Picture] | None = None
    for now in shown:
        if last is None or last[0] != now:
            if below is None or below[0] != now.picture:
                below = now.picture, picture(now.picture)
            last = now, drawn_on(below[1], now.lines)
        yield last[1]


def drawn_on(picture: Picture, lines: Sequence[Line]) -> Picture:
    """A picture (H, W, 3) with lines (px) drawn on it by hand."""
    if not lines:
        return picture
    canvas = picture.copy()
    pen = FramePainter(canvas, min(picture.shape[:2]) / 720)
    for colour, width in ((INK, EDGE_WIDTH), (COPPER, DRAWN_WIDTH)):
        for line in lines:
            whole = np.array(line if len(line) > 1 else line * 2, float)
            pen.curve(whole, colour, width)
    return canvas


def spoken_captions(words: str, length_s: float) -> list[Caption]:
    """What is said as captions over the film's length, each as long as its share of the letters. words: as the coach wrote them down."""
    parts = [part for line in words.splitlines() for said in re.split(r"(?<=[.!?…])\s+", line.strip()) for part in _short(said)]
    whole, at, out = sum(len(p) for p in parts), 0, []
    for part in parts:
        start, at = at, at + len(part)
        out.append(Caption(length_s * start / whole, length_s * at / whole, part))
    return out


def _short(said: str) -> list[str]:
    """A said sentence in pieces that can be read at a glance, cut between words."""
    pieces, piece = [], ""
    for word in said.split():
        if piece and len(piece) + 1 + len(word) > LONGEST_CAPTION:
            pieces.append(piece)
            piece = ""
        piece = f"{piece} {word}".strip()
    return [*pieces, piece] if piece else pieces
