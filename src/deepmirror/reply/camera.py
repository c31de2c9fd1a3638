"""The drawn plan of where to stand with the phone: from above and from the side, to scale (Pillow, no Qt)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from PIL import Image, ImageDraw

from deepmirror.reply.frame_painter import BONE, COPPER, INK, TEAL, Picture, font
from deepmirror.words import in_language, say

SIZE = (1200, 540)
LENS_DEG = 65.0  # width of view of an ordinary phone camera held lying; from memory, phones differ: the plan leaves room
MARGIN = 1.15  # free space around what must be seen
NEAREST_M = 2.5  # nearer than this, what is close to the phone looks too large; common practice, no source
DIM = (109, 98, 90)


@dataclass(frozen=True)
class CameraPlan:
    """Where to stand. room_m: (along the floor, upward) m that must fit; heading: "side" or "front"."""

    posture: str
    heading: str
    client_left: bool
    stature_m: float
    room_m: tuple[float, float]
    distance_m: float
    lens_m: float
    see: tuple[str, ...]


def distance_for(room_m: tuple[float, float], lens_deg: float = LENS_DEG) -> float:
    """How far (m) a phone held lying must stand so that a space of this width and height fits, with a margin.

    The picture is 16 : 9; the half angle upward is atan(tan(half across) * 9 / 16).
    """
    half = math.tan(math.radians(lens_deg / 2))
    wide, high = room_m[0] * MARGIN / (2 * half), room_m[1] * MARGIN / (2 * half * 9 / 16)
    return max(NEAREST_M, math.ceil(max(wide, high) * 10) / 10)


# Stick figures as the phone sees the right side of a client (shares of stature: x along the floor, y upward).
Stick = list[list[tuple[float, float]]]
FIGURES: dict[str, Stick] = {
    "standing": [
        [(0.0, 0.04), (0.0, 0.285), (0.0, 0.53), (0.0, 0.82)],
        [(0.0, 0.02), (0.13, 0.02)],
        [(0.0, 0.80), (0.05, 0.62), (0.10, 0.5)],
    ],
    "lying_front": [[(0.28, 0.34), (-0.24, 0.33), (-0.47, 0.33), (-0.55, 0.56)], [(0.5, 0.27), (-0.32, 0.27)], [(0.0, 0.27), (0.0, 0.0)]],
    "lying_back": [[(-0.4, 0.06), (-0.1, 0.2), (0.12, 0.28), (0.16, 0.04)], [(-0.55, 0.0), (0.5, 0.0)], [(0.16, 0.02), (0.27, 0.02)]],
    "seated": [[(-0.05, 0.6), (0.0, 0.3), (0.25, 0.3), (0.3, 0.07)], [(-0.1, 0.25), (0.2, 0.25)], [(-0.12, 0.25), (-0.17, 0.62)]],
    "reclined": [[(-0.42, 0.4), (-0.2, 0.2), (0.0, 0.38), (0.18, 0.5)], [(-0.5, 0.36), (-0.22, 0.13)], [(0.1, 0.62), (0.28, 0.4)]],
    "kneeling": [[(0.0, 0.55), (0.0, 0.3), (0.0, 0.05), (-0.22, 0.05)], [(-0.3, 0.02), (0.2, 0.02)]],
    "front": [
        [(-0.1, 0.02), (-0.09, 0.285), (-0.05, 0.53), (0.05, 0.53), (0.09, 0.285), (0.1, 0.02)],
        [(0.0, 0.53), (0.0, 0.82)],
        [(-0.17, 0.5), (-0.13, 0.8), (0.13, 0.8), (0.17, 0.5)],
    ],
}
FIGURES["walking"] = FIGURES["standing"]
HEADS = {
    "lying_front": (0.36, 0.35),
    "lying_back": (-0.47, 0.06),
    "seated": (-0.06, 0.68),
    "reclined": (-0.48, 0.47),
    "kneeling": (0.0, 0.64),
}
HEAD_BEHIND = ("lying_back", "reclined")  # the head lies where a standing client's back would be


def draw_plan(plan: CameraPlan) -> Picture:
    """The plan as a picture (H, W, 3) RGB: left from above, right what the phone should see."""
    image = Image.new("RGB", SIZE, (255, 250, 240))
    pen = ImageDraw.Draw(image)
    half = SIZE[0] // 2
    wide = math.tan(math.radians(LENS_DEG / 2))
    scale = min((half - 130) / (plan.distance_m + 0.5), 190 / (wide * (plan.distance_m + 0.25)))
    _from_above(pen, plan, (60, 290), scale)
    _seen(pen, plan, (half + 40, 90, SIZE[0] - 40, 90 + (half - 80) * 9 // 16))
    pen.line([(half, 40), (half, SIZE[1] - 40)], fill=(221, 210, 191), width=2)
    pen.text((40, 24), in_language("From above"), font=font(26, True), fill=INK)
    pen.text((half + 40, 24), in_language("What the phone should see"), font=font(26, True), fill=INK)
    return np.asarray(image)


def _from_above(pen: Any, plan: CameraPlan, at: tuple[int, int], scale: float) -> None:
    """Phone on the left looking right; the client's long axis lies across (side) or towards the phone (front)."""
    x, y = at
    far = x + plan.distance_m * scale
    spread = math.tan(math.radians(LENS_DEG / 2)) * (plan.distance_m + 0.25) * scale
    pen.polygon([(x, y), (far + 0.25 * scale, y - spread), (far + 0.25 * scale, y + spread)], fill=(240, 228, 208))
    side = plan.heading == "side"
    across, along = ((plan.room_m[0] if side else 0.45) * scale / 2, (0.45 if side else 0.3) * scale / 2)
    pen.rounded_rectangle([far - along, y - across, far + along, y + across], 10, outline=TEAL, width=4, fill=(214, 228, 224))
    if side:
        up = plan.client_left != (plan.posture in HEAD_BEHIND)
        tip, nose = (far, y - across if up else y + across), (far, y - across - 26 if up else y + across + 26)
        lying = plan.posture.startswith("lying") or plan.posture == "reclined"
        words, words_y = "head this way" if lying else "client faces this way", nose[1] - 30 if up else nose[1] + 6
        corner = far - along - 4
        pen.line([(corner - 18, y), (corner - 18, y - 18), (corner, y - 18)], fill=COPPER, width=3)
    else:
        tip, nose = (far - along, y), (far - along - 26, y)
        words, words_y = "client faces the phone", y + across + 12
    _arrow(pen, tip, nose, TEAL)
    pen.text((far - pen.textlength(in_language(words), font=font(20)) / 2, words_y), in_language(words), font=font(20), fill=DIM)
    end = nose[0] - 8 if not side else far - along - 6
    pen.line([(x + 26, y), (end, y)], fill=COPPER, width=3)
    _label(pen, ((x + end) / 2 + 8, y), f"{plan.distance_m:.1f} m")
    pen.rounded_rectangle([x - 9, y - 26, x + 9, y + 26], 4, fill=INK)
    pen.ellipse([x + 9, y - 5, x + 19, y + 5], fill=COPPER)


def _seen(pen: Any, plan: CameraPlan, frame: tuple[float, float, float, float]) -> None:
    """The picture the phone gives from there: the body to scale, the floor, the height of the lens."""
    left, top, right, bottom = frame
    pen.rounded_rectangle([left - 14, top - 14, right + 14, bottom + 14], 16, fill=INK)
    pen.rectangle(frame, fill=(236, 228, 212))
    px = (right - left) / (2 * math.tan(math.radians(LENS_DEG / 2)) * plan.distance_m)  # px per m at the client
    middle = (left + right) / 2
    lens_y = (top + bottom) / 2  # the phone looks level
    floor = min(lens_y + plan.lens_m * px, bottom)
    pen.rectangle([left, floor, right, bottom], fill=(214, 202, 180))
    body = plan.stature_m * px
    way = -1 if plan.client_left and plan.heading == "side" else 1
    name = "front" if plan.heading == "front" else plan.posture
    for line in FIGURES[name]:
        pen.line([(middle + way * a * body, floor - b * body) for a, b in line], fill=TEAL, width=6, joint="curve")
    hx, hy = HEADS.get(name, (0.0, 0.91))
    x, y, r = middle + way * hx * body, floor - hy * body, 0.065 * body
    pen.ellipse([x - r, y - r, x + r, y + r], outline=TEAL, width=5)
    for start in range(round(left), round(right), 16):
        pen.line([(start, lens_y), (start + 8, lens_y)], fill=COPPER, width=2)
    _label(pen, (left + 92, lens_y - 24), say("lens {lens_m:.0f} cm high", lens_m=plan.lens_m * 100))
    words = font(20)
    for i, sight in enumerate(plan.see):
        pen.text((left - 10, bottom + 28 + 28 * i), in_language(say("· {sight}", sight=sight)), font=words, fill=DIM)


def _arrow(pen: Any, a: tuple[float, float], b: tuple[float, float], colour: tuple[int, int, int]) -> None:
    way = math.atan2(b[1] - a[1], b[0] - a[0])
    pen.line([a, b], fill=colour, width=4)
    for side in (2.6, -2.6):
        pen.line([b, (b[0] + 13 * math.cos(way + side), b[1] + 13 * math.sin(way + side))], fill=colour, width=4)


def _label(pen: Any, at: tuple[float, float], words: str) -> None:
    face = font(24, True)
    width = pen.textlength(in_language(words), font=face)
    pen.rounded_rectangle([at[0] - width / 2 - 10, at[1] - 17, at[0] + width / 2 + 10, at[1] + 17], 8, fill=BONE, outline=COPPER, width=2)
    pen.text((at[0] - width / 2, at[1] - 15), in_language(words), font=face, fill=COPPER)
