"""Painting lines, angles, rings and bars on a picture (OpenCV and Pillow): how a sketch looks in what a client gets."""

from __future__ import annotations

from functools import lru_cache
from importlib import resources
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageFont

from deepmirror.core.sketches.sketch import Bar, Box, Circle, Line, Sketch, thinned
from deepmirror.words import in_language, say

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

INK = (26, 22, 20)
BONE = (244, 238, 226)
COPPER = (198, 107, 61)
TEAL = (20, 112, 116)
LINE = (64, 208, 202)
CUE = (240, 178, 136)
BARS_WIDE, BAR_HIGH, MOST_BARS = 430.0, 42.0, 10  # units at 720 lines; our own choice


@lru_cache(maxsize=32)
def font(size: int, bold: bool = False) -> ImageFont.FreeTypeFont:
    """The shipped typeface."""
    name = "AtkinsonHyperlegible_700Bold.ttf" if bold else "AtkinsonHyperlegible_400Regular.ttf"
    with resources.as_file(resources.files("deepmirror") / "assets" / "fonts" / name) as path:
        return ImageFont.truetype(str(path), size)


class FramePainter:
    """Draws smooth lines on a picture; unit is 1 at 720 lines."""

    SHIFT = 4  # sixteenths of a pixel

    def __init__(self, canvas: Picture, unit: float) -> None:
        self.canvas, self.unit = canvas, unit

    def _fixed(self, p: Array | tuple[float, float]) -> tuple[int, int]:
        return round(float(p[0]) * 16), round(float(p[1]) * 16)

    def line(self, a: Any, b: Any, colour: tuple[int, int, int], width: float) -> None:
        """A line with round ends; width in units."""
        thick = max(1, round(width * self.unit))
        cv2.line(self.canvas, self._fixed(a), self._fixed(b), colour, thick, cv2.LINE_AA, self.SHIFT)

    def dot(self, at: Any, radius: float, fill: tuple[int, int, int] | None, edge: tuple[int, int, int], width: float = 1.5) -> None:
        """A disc or, without fill, a ring; radius in units."""
        r = round(radius * self.unit * 16)
        if fill is not None:
            cv2.circle(self.canvas, self._fixed(at), r, fill, -1, cv2.LINE_AA, self.SHIFT)
        cv2.circle(self.canvas, self._fixed(at), r, edge, max(1, round(width * self.unit)), cv2.LINE_AA, self.SHIFT)

    def curve(self, points: Array, colour: tuple[int, int, int], width: float) -> None:
        """A polyline (N, 2); width in units."""
        whole = np.round(points * 16).astype(np.int32)[:, None]
        cv2.polylines(self.canvas, [whole], False, colour, max(1, round(width * self.unit)), cv2.LINE_AA, self.SHIFT)

    def cross(self, at: Array, reach: float, colour: tuple[int, int, int], width: float) -> None:
        """A cross of two slanted strokes; reach in units."""
        for way in ((1, 1), (1, -1)):
            step = reach * self.unit * np.array(way)
            self.line(at - step, at + step, colour, width)

    def wedge(self, points: list[tuple[float, float]], colour: tuple[int, int, int]) -> None:
        """A filled shape."""
        cv2.fillPoly(self.canvas, [np.round(np.array(points) * 16).astype(np.int32)], colour, cv2.LINE_AA, self.SHIFT)


def paint_ghost(image: Image.Image, ghost: tuple[Line, ...], unit: float) -> Image.Image:
    """A ghost as a pale outline: thick lines with their inside cut out again."""
    outline = np.zeros((image.height, image.width), np.uint8)
    for width, value in ((round(16 * unit), 255), (round(11 * unit), 0)):
        for a, b in ghost:
            ends = [(round(float(x) * 16), round(float(y) * 16)) for x, y in (a, b)]
            cv2.line(outline, ends[0], ends[1], value, width, cv2.LINE_AA, 4)
    return Image.composite(Image.new("RGB", image.size, BONE), image, Image.fromarray(outline))


def paint_sketch(hand: FramePainter, sketch: Sketch) -> None:
    """What a measure shows: pale what it is measured against, copper what is measured."""
    for ghost in sketch.ghosts:
        for a, b in ghost:
            hand.line(a, b, INK, 4)
            hand.line(a, b, BONE, 2)
    for colour, width, lines in ((BONE, 3, sketch.reference), (COPPER, 4, sketch.number)):
        for a, b in lines:
            hand.line(a, b, INK, width + 3)
            hand.line(a, b, colour, width)
    for arc in sketch.arcs:
        for colour, width in ((INK, 8), (COPPER, 5)):
            hand.curve(arc.points(hand.unit), colour, width)
    for at in sketch.rings:
        hand.dot(at, 15, None, INK, 6)
        hand.dot(at, 15, None, COPPER, 3)
    for at in sketch.crosses:
        for colour, width in ((INK, 8), (BONE, 4)):
            hand.cross(at, 14, colour, width)


def bars_box(count: int, size: tuple[int, int], unit: float, faces: tuple[Circle, ...], busy: list[Array]) -> Box:
    """Where a chart of so many bars stands: the upper corner in which it hides least."""
    w, h = BARS_WIDE * unit, (min(count, MOST_BARS) * BAR_HIGH + 20) * unit
    margin = 16 * unit
    boxes = [(left, top, left + w, top + h) for top in (margin, size[1] / 2 - h / 2) for left in (size[0] - w - margin, margin)]

    def cost(box: Box) -> float:
        over = sum(box[0] - r < x < box[2] + r and box[1] - r < y < box[3] + r for x, y, r in faces)
        return float(100.0 * over + sum(box[0] <= p[0] <= box[2] and box[1] <= p[1] <= box[3] for p in busy))

    return min(boxes, key=cost)


def paint_bars(pen: Any, box: Box, bars: tuple[Bar, ...], unit: float) -> None:
    """A small chart on a dark plate: a bar each, a stroke where it was asked to end, the number behind it."""
    shown = thinned(bars, MOST_BARS)
    face, high = font(round(26 * unit)), BAR_HIGH * unit
    words = max(face.getlength(in_language(b.label)) for b in shown) + 12 * unit
    numbers = max(face.getlength(in_language(bar_words(b))) for b in shown) + 12 * unit
    left, longest = box[0] + 12 * unit + words, max(max(b.seen, b.asked or 0.0) for b in shown) or 1.0
    room = max(box[2] - box[0] - words - numbers - 24 * unit, 20 * unit)
    pen.rounded_rectangle(box, 8 * unit, fill=(*INK, 225))
    for row, bar in enumerate(shown):
        y = box[1] + 10 * unit + row * high
        pen.text((box[0] + 12 * unit, y + 4 * unit), in_language(bar.label), font=face, fill=(*BONE, 255))
        end = left + room * max(bar.seen, 0.0) / longest
        pen.rectangle([left, y + 8 * unit, max(end, left + 1), y + high - 8 * unit], fill=(*(COPPER if bar.chosen else TEAL), 255))
        if bar.asked:
            x = left + room * bar.asked / longest
            pen.line([(x, y + 2 * unit), (x, y + high - 2 * unit)], fill=(*BONE, 255), width=max(1, round(3 * unit)))
        pen.text((left + room + 8 * unit, y + 4 * unit), in_language(bar_words(bar)), font=face, fill=(*BONE, 255))


def bar_words(bar: Bar) -> str:
    """The numbers of a bar: what was seen, and of how much."""
    seen = f"{bar.seen:.0f}" if bar.unit == "%" else f"{bar.seen:.1f}"
    return (
        say("{seen} of {asked:g} {unit}", seen=seen, asked=bar.asked, unit=bar.unit)
        if bar.asked
        else say("{seen} {unit}", seen=seen, unit=bar.unit).strip()
    )
