"""Clicks, marks and lengths that no film of a body can have: said in a sentence, before anything is solved from them."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

import numpy as np

from deepmirror.core.body.anthropometry import STATURE_SHARES
from deepmirror.core.body.client_body import FALLBACK_STATURE_CM
from deepmirror.core.skeleton import SEGMENTS, SIDES, near_side, sided
from deepmirror.errors import CannotSolve
from deepmirror.exchange.brief import Brief, ClientPart
from deepmirror.words import say

Pixel = tuple[float, float]

LINES = ("pad_line", "seat_line", "back_pad", "rail", "floor_line", "plumb")
SPOTS = ("pivot", "bench_edge", "stack")
SHORTEST_LINE_PX = 5.0  # our own estimate, no source
APART_PX = 1.5  # two joints of a segment that are seen from the side, and corners of a platform
SMALLEST_PLATFORM_PX2 = 100.0  # our own estimate, no source
NARROWEST_CM, WIDEST_CM = 30.0, 10_000.0  # what a film that shows a body can be wide
SMALLEST_PLATFORM_CM = 5.0  # our own estimate, no source
BEYOND = 2.0  # picture sizes that a mark may lie outside of the picture: a camera that moved saw it elsewhere
SEEN_FROM_THE_FRONT = ("trunk", "shank")  # a thigh and a shoe may point at the camera, with both ends on one spot
LENGTH_FACTOR = 3.0  # a body's length is no more than so many times what stature predicts, nor less than that part of it
LEG_RATIO = 2.5  # thigh to shank, or shank to thigh; in adults they are about alike


def must_hold_together(brief: Brief, size_px: tuple[int, int]) -> None:
    """Raises CannotSolve for a brief no film can show."""
    if wrong := next(contradictions(brief, size_px), ""):
        raise CannotSolve(wrong)


def contradictions(brief: Brief, size_px: tuple[int, int]) -> Iterator[str]:
    """What of a brief no film can show, a sentence each. size_px: width and height of the film.

    The bounds are wide (our own estimate, no source): they refuse what is a slip of the hand, not what is unusual.
    """
    yield from (say("{what} lies far outside of the picture.", what=what) for what, at in _places(brief) if not _near(at, size_px))
    yield from _scale(brief, size_px)
    yield from _marks(brief)
    yield from _points(brief)
    yield from impossible_lengths(brief.file.client)


def _places(brief: Brief) -> Iterator[tuple[str, Pixel]]:
    marks, file = brief.file.marks, brief.file
    for kind in LINES:
        yield from ((say("An end of the {words}", words=_words(kind)), p) for p in getattr(marks, kind) or ())
    for kind in SPOTS:
        if (spot := getattr(marks, kind)) is not None:
            yield say("The {words}", words=_words(kind)), spot
    yield from (("A corner of the platform", p) for p in marks.platform or ())
    yield from (("An end of the known length", p) for p in (file.scale.points_px if file.scale else ()))
    yield from (
        (say("The {words} on frame {frame}", words=_words(n), frame=frame + 1), p)
        for frame, points in brief.seeds
        for n, p in points.items()
    )
    if file.subject is not None:
        yield "The click on the one who lifts", file.subject.at_px


def _near(at: Pixel, size: tuple[int, int]) -> bool:
    return all(-BEYOND * n <= v <= (1 + BEYOND) * n for v, n in zip(at, size, strict=True))


def _scale(brief: Brief, size: tuple[int, int]) -> Iterator[str]:
    file = brief.file
    if file.scale is not None:
        width = max(size) * file.scale.length_cm / max(_distance(*file.scale.points_px), 1.0)
        if not NARROWEST_CM <= width <= WIDEST_CM:
            yield say(
                "With the known length of {length_cm:g} cm the picture would be {width:.3g} cm wide: look at its ends.",
                length_cm=file.scale.length_cm,
                width=width,
            )
    if file.marks.platform_cm is not None and min(file.marks.platform_cm) < SMALLEST_PLATFORM_CM:
        yield "The platform's width and height cannot be so small."


def _marks(brief: Brief) -> Iterator[str]:
    marks = brief.file.marks
    for kind in LINES:
        line = getattr(marks, kind)
        if line is not None and _distance(*line) < SHORTEST_LINE_PX:
            yield say("Both ends of the {words} lie on one spot.", words=_words(kind))
    corners = marks.platform
    if corners is not None:
        x, y = np.array(corners).T
        area = abs(float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1)))) / 2
        if area < SMALLEST_PLATFORM_PX2 or any(_distance(a, b) < APART_PX for a, b in combinations(corners, 2)):
            yield "The platform's corners do not enclose anything: click them around, one after the other."


def _points(brief: Brief) -> Iterator[str]:
    near = near_side(brief.file.view)
    for frame, points in brief.seeds:
        for segment, ends in SEGMENTS.items():
            if near is None and segment not in SEEN_FROM_THE_FRONT:
                continue
            for side in SIDES:
                a, b = (sided(j, side) for j in ends)
                if a in points and b in points and _distance(points[a], points[b]) < APART_PX:
                    yield say(
                        "On frame {frame} {words} and {words2} lie on one spot: one of them is another joint.",
                        frame=frame + 1,
                        words=_words(a),
                        words2=_words(b),
                    )


def impossible_lengths(client: ClientPart) -> Iterator[str]:
    """Lengths of a client's record that no body has, in sentences."""
    stature, known = client.stature_cm or FALLBACK_STATURE_CM, client.film_cm | client.segments_cm
    for name, cm in known.items():
        usual = STATURE_SHARES[name] * stature if name in STATURE_SHARES else None
        if usual is not None and not usual / LENGTH_FACTOR <= cm <= usual * LENGTH_FACTOR:
            yield say(
                "A {words} of {cm:g} cm belongs to no body of {stature:g} cm: measure it again.", words=_words(name), cm=cm, stature=stature
            )
    if {"thigh", "shank"} <= set(known) and not 1 / LEG_RATIO <= known["thigh"] / known["shank"] <= LEG_RATIO:
        yield say(
            "A thigh of {thigh:g} cm on a shank of {shank:g} cm belongs to no body: measure them again.",
            thigh=known["thigh"],
            shank=known["shank"],
        )


def _distance(a: Pixel, b: Pixel) -> float:
    return float(np.hypot(a[0] - b[0], a[1] - b[1]))


def _words(name: str) -> str:
    return name.replace("_", " ")
