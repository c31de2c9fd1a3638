"""Drawing on film frames: the measured lines, the angle or distance in question, and the caption (Pillow, no Qt)."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from deepmirror.core.kinematics import UP
from deepmirror.core.skeleton import SEGMENTS, SIDES, near_side, sided
from deepmirror.core.track import Track

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

INK = (26, 22, 20)
BONE = (244, 238, 226)
COPPER = (198, 107, 61)
TEAL = (20, 112, 116)
LINE = (64, 208, 202)
LEVEL_LINE = (244, 238, 226)


@dataclass(frozen=True)
class Overlay:
    """What is drawn on one frame; measure names the number in question, words go into the caption, ghost is a set of lines."""

    track: Track
    view: str
    frame: int
    measure: str | None = None
    title: str = ""
    words: str = ""
    note: str = ""
    ghost: tuple[tuple[tuple[float, float], tuple[float, float]], ...] = ()


@lru_cache(maxsize=16)
def font(size: int, bold: bool = False) -> ImageFont.FreeTypeFont:
    """The shipped typeface."""
    name = "AtkinsonHyperlegible_700Bold.ttf" if bold else "AtkinsonHyperlegible_400Regular.ttf"
    with resources.as_file(resources.files("deepmirror") / "assets" / "fonts" / name) as path:
        return ImageFont.truetype(str(path), size)


def draw(picture: Picture, overlay: Overlay) -> Picture:
    """A copy of the frame (H, W, 3) with the overlay on it."""
    image = Image.fromarray(picture).convert("RGB")
    pen = ImageDraw.Draw(image, "RGBA")
    unit = max(image.height / 720, 0.5)
    places = {n: overlay.track.positions[overlay.frame, i] for i, n in enumerate(overlay.track.names)}
    if overlay.ghost:
        image = _ghost(image, overlay, unit)
        pen = ImageDraw.Draw(image, "RGBA")
    _limbs(pen, places, overlay.view, unit)
    if overlay.measure:
        _question(pen, places, overlay, unit)
    if overlay.title or overlay.words:
        _caption(pen, image, overlay, places, unit)
    return np.asarray(image)


def _ghost(image: Image.Image, overlay: Overlay, unit: float) -> Image.Image:
    """The ghost as a pale outline: thick lines with their inside cut out again."""
    outline = Image.new("L", image.size, 0)
    pen = ImageDraw.Draw(outline)
    for width, value in ((round(16 * unit), 255), (round(11 * unit), 0)):
        for a, b in overlay.ghost:
            pen.line([a, b], fill=value, width=width)
            for x, y in (a, b):
                pen.ellipse([x - width / 2, y - width / 2, x + width / 2, y + width / 2], fill=value)
    return Image.composite(Image.new("RGB", image.size, BONE), image, outline)


def _sides(view: str) -> tuple[str, ...]:
    near = near_side(view)
    return (near,) if near else SIDES


def _limbs(pen: Any, places: dict[str, Array], view: str, unit: float) -> None:
    for side in _sides(view):
        for segment in ("trunk", "thigh", "shank", "foot"):
            a, b = (sided(j, side) for j in SEGMENTS[segment])
            if a in places and b in places:
                line = [tuple(places[a]), tuple(places[b])]
                pen.line(line, fill=(*INK, 150), width=round(6 * unit))
                pen.line(line, fill=(*LINE, 235), width=round(3 * unit))
        for joint in ("shoulder", "hip", "knee", "ankle", "heel", "toe"):
            if (name := sided(joint, side)) in places:
                _dot(pen, places[name], 4.5 * unit, (*BONE, 255), (*INK, 220), unit)
    if "bar" in places:
        _dot(pen, places["bar"], 6 * unit, (*COPPER, 255), (*INK, 220), unit)


def _dot(pen: Any, at: Array, radius: float, fill: tuple[int, ...], edge: tuple[int, ...], unit: float) -> None:
    x, y = at
    pen.ellipse([x - radius, y - radius, x + radius, y + radius], fill=fill, outline=edge, width=max(1, round(1.5 * unit)))


def _question(pen: Any, places: dict[str, Array], overlay: Overlay, unit: float) -> None:
    """The line or arc that shows what the number means."""
    measure, near = overlay.measure or "", near_side(overlay.view)
    width = round(3 * unit)
    if near and measure.startswith(("thigh_from", "crease", "range_share")):
        hip, knee = places[sided("hip", near)], places[sided("knee", near)]
        span = 1.25 * abs(hip[0] - knee[0]) + 40 * unit
        way = np.sign(hip[0] - knee[0]) or 1.0
        pen.line([(knee[0] - way * 20 * unit, knee[1]), (knee[0] + way * span, knee[1])], fill=(*LEVEL_LINE, 230), width=width)
        _arc(pen, knee, knee + np.array([way, 0.0]), hip, 62 * unit, width)
    elif near and measure.startswith("knee_past"):
        toe, knee = places[sided("toe", near)], places[sided("knee", near)]
        pen.line([(toe[0], toe[1]), (toe[0], knee[1] - 40 * unit)], fill=(*LEVEL_LINE, 230), width=width)
        pen.line([tuple(knee), (toe[0], knee[1])], fill=(*COPPER, 255), width=width)
    elif near and measure.startswith("trunk_lean"):
        hip, shoulder = places[sided("hip", near)], places[sided("shoulder", near)]
        top = hip + UP * float(np.linalg.norm(shoulder - hip))
        pen.line([tuple(hip), tuple(top)], fill=(*LEVEL_LINE, 230), width=width)
        _arc(pen, hip, top, shoulder, 90 * unit, width)
    elif measure.startswith(("knee_medial", "knee_inward", "fppa", "knee_ankle")):
        for side in SIDES:
            names = [sided(j, side) for j in ("hip", "ankle", "knee")]
            if not set(names) <= set(places):
                continue
            hip, ankle, knee = (places[n] for n in names)
            pen.line([tuple(hip), tuple(ankle)], fill=(*LEVEL_LINE, 220), width=width)
            share = (knee[1] - hip[1]) / (ankle[1] - hip[1] or 1)
            pen.line([tuple(knee), (float(hip[0] + share * (ankle[0] - hip[0])), float(knee[1]))], fill=(*COPPER, 255), width=width + 1)
    elif near and measure.startswith(("hip_lift", "pivot", "heel_rise")):
        joint = {"hip": "hip", "piv": "knee", "hee": "heel"}[measure[:3]]
        _dot(pen, places[sided(joint, near)], 15 * unit, (0, 0, 0, 0), (*COPPER, 255), 2 * unit)


def _arc(pen: Any, centre: Array, a: Array, b: Array, radius: float, width: int) -> None:
    """Arc from direction a to direction b around a centre, the short way."""
    start, end = (float(np.degrees(np.arctan2(*(p - centre)[::-1]))) for p in (a, b))
    turn = (end - start + 180) % 360 - 180
    low, high = (start, start + turn) if turn >= 0 else (start + turn, start)
    pen.arc(
        [centre[0] - radius, centre[1] - radius, centre[0] + radius, centre[1] + radius], low, high, fill=(*COPPER, 255), width=width + 1
    )


def _caption(pen: Any, image: Image.Image, overlay: Overlay, places: dict[str, Array], unit: float) -> None:
    """A band along the edge where it hides least of the body: what is seen, the number, the cue."""
    margin, big, small = round(28 * unit), font(round(36 * unit), True), font(round(29 * unit))
    width = image.width - 2 * margin
    lines = [(overlay.title, big, BONE)] + [(line, small, BONE) for line in wrap(overlay.words, small, width)]
    lines += [(line, small, (240, 178, 136)) for line in wrap(overlay.note, small, width)]
    lines = [row for row in lines if row[0]]
    step = round(40 * unit)
    height = step * len(lines) + round(26 * unit)
    ys = np.array([p[1] for p in places.values()])
    below = int((ys > image.height - height).sum()) <= int((ys < height).sum())
    top = image.height - height if below else 0
    pen.rectangle([0, top, image.width, top + height], fill=(*INK, 210))
    y = top + round(10 * unit)
    for text, face, colour in lines:
        pen.text((margin, y), text, font=face, fill=(*colour, 255))
        y += step


def wrap(text: str, face: ImageFont.FreeTypeFont, width: int) -> list[str]:
    """Break a sentence into lines no wider than `width` px."""
    lines: list[str] = []
    for word in text.split():
        if lines and face.getlength(f"{lines[-1]} {word}") <= width:
            lines[-1] += f" {word}"
        else:
            lines.append(word)
    return lines
