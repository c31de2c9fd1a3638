"""Drawing on film frames: the measured lines, the number in question, the coach's own strokes, the caption (Pillow, no Qt).

Everything is drawn in film pixels first, then the picture is cropped when it is zoomed, then words are set over it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from itertools import pairwise
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFilter, ImageFont

from deepmirror.core.geometry import wrapped
from deepmirror.core.skeleton import SEGMENTS, SIDES, near_side, sided
from deepmirror.core.trajectories import Track
from deepmirror.reply.model import Anchor, Stroke
from deepmirror.reply.question import focus_of, question

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
Circle = tuple[float, float, float]  # x, y, radius, px
Box = tuple[float, float, float, float]  # left, top, right, bottom, px

INK = (26, 22, 20)
BONE = (244, 238, 226)
COPPER = (198, 107, 61)
TEAL = (20, 112, 116)
LINE = (64, 208, 202)
CUE = (240, 178, 136)
CORNER = ""  # the picture's own corner, for strokes that go with no body point
ZOOM_SHARE = 0.5  # of the picture's width that a zoomed picture shows at least


@dataclass(frozen=True)
class Overlay:
    """What is drawn on one frame.

    measure names the number in question, tag is that number in short, title, words and note go into the caption, ghost is a
    set of lines, heads are circles to blur, zoom 0..1 is how far the picture has moved in.
    """

    track: Track
    view: str
    frame: int
    measure: str | None = None
    title: str = ""
    words: str = ""
    note: str = ""
    ghost: tuple[tuple[tuple[float, float], tuple[float, float]], ...] = ()
    tag: str = ""
    tag_at: tuple[float, float] | None = None
    strokes: tuple[Stroke, ...] = ()
    heads: tuple[Circle, ...] = ()
    zoom: float = 0.0
    lines: bool = True

    def places(self) -> dict[str, Array]:
        """The body points of this frame, px."""
        return {n: self.track.positions[self.frame, i] for i, n in enumerate(self.track.names)}


@lru_cache(maxsize=32)
def font(size: int, bold: bool = False) -> ImageFont.FreeTypeFont:
    """The shipped typeface."""
    name = "AtkinsonHyperlegible_700Bold.ttf" if bold else "AtkinsonHyperlegible_400Regular.ttf"
    with resources.as_file(resources.files("deepmirror") / "assets" / "fonts" / name) as path:
        return ImageFont.truetype(str(path), size)


def draw(picture: Picture, overlay: Overlay, captioned: bool = True) -> Picture:
    """A copy of the frame (H, W, 3) with the overlay on it, of the same size."""
    size = picture.shape[1], picture.shape[0]
    box = zoom_box(overlay, size)
    image, places = _marked(picture, overlay, box, size)
    pen = ImageDraw.Draw(image, "RGBA")
    unit = line_unit(size[1])
    if overlay.tag:
        focus = question(overlay.measure, places, overlay.view, unit).focus[0]
        _tag(pen, tag_box(overlay, size), overlay, (float(focus[0]), float(focus[1])), unit)
    if captioned and (overlay.title or overlay.words):
        caption(pen, size, overlay.title, overlay.words, overlay.note, [float(p[1]) for p in places.values()])
    return np.asarray(image)


def draw_pair(before: Picture, then: Overlay, after: Picture, now: Overlay, words: tuple[str, str], captioned: bool = True) -> Picture:
    """The same moment twice, then and now, side by side in one picture of the second one's size; words go over each half."""
    height, width = after.shape[:2]
    unit = line_unit(height)
    half = width // 2 - 2, height
    out = Image.new("RGB", (width, height), INK)
    for column, (picture, overlay, label) in enumerate(((before, then, words[0]), (after, now, words[1]))):
        box = _body_box(overlay, (picture.shape[1], picture.shape[0]), half[0] / half[1])
        image, _ = _marked(picture, overlay, box, half)
        left = column * (half[0] + 4)
        out.paste(image, (left, 0))
        pen = ImageDraw.Draw(out, "RGBA")
        _plate(pen, (left + 16 * unit, 16 * unit), label, font(round(30 * unit), True), COPPER if column else TEAL)
    if captioned and (now.title or now.words):
        caption(ImageDraw.Draw(out, "RGBA"), out.size, now.title, now.words, now.note, [0.0])
    return np.asarray(out)


def draw_framed(picture: Picture, overlay: Overlay, size: tuple[int, int]) -> Picture:
    """The frame around the body, the same part of the picture for every frame of a film, at `size`, with its lines."""
    box = _body_box(overlay, (picture.shape[1], picture.shape[0]), size[0] / size[1])
    return np.asarray(_marked(picture, overlay, box, size)[0])


def line_unit(height: int) -> float:
    """Line widths and letters grow with the picture: 1 at 720 lines."""
    return max(height / 720, 0.5)


def _marked(picture: Picture, overlay: Overlay, box: Box, size: tuple[int, int]) -> tuple[Image.Image, dict[str, Array]]:
    """The part of the frame in `box` at `size`, with everything but words drawn on it; and where the body points lie in it."""
    unit = line_unit(size[1])
    scale = float(size[0] / (box[2] - box[0]))
    affine = np.array([[scale, 0, -box[0] * scale], [0, scale, -box[1] * scale]])
    whole = box[2] - box[0] == picture.shape[1] and size == (picture.shape[1], picture.shape[0])
    canvas = picture.copy() if whole else np.asarray(cv2.warpAffine(picture, affine, size, flags=cv2.INTER_CUBIC), np.uint8)
    places = {n: _inside(p, box, size) for n, p in overlay.places().items()}
    image = Image.fromarray(canvas)
    middles = [_inside(np.array([x, y]), box, size) for x, y, _ in overlay.heads]
    blur(image, tuple((float(m[0]), float(m[1]), r * scale) for m, (_, _, r) in zip(middles, overlay.heads, strict=True)))
    if overlay.ghost:
        ghost = tuple((tuple(_inside(np.array(a), box, size)), tuple(_inside(np.array(b), box, size))) for a, b in overlay.ghost)
        image = _ghost(image, ghost, unit)
    hand = FramePainter(np.array(image), unit)
    if overlay.lines:
        _limbs(hand, places, overlay.view)
    if overlay.measure:
        _question(hand, places, overlay)
    texts = _strokes(hand, overlay.strokes, places | {CORNER: _inside(np.zeros(2), box, size)}, scale)
    image = Image.fromarray(hand.canvas)
    pen = ImageDraw.Draw(image, "RGBA")
    for at, words, face in texts:
        _plate(pen, at, words, face, INK)
    return image, places


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

    def arc(self, centre: Array, a: Array, b: Array, radius: float, colour: tuple[int, int, int], width: float) -> None:
        """Arc from direction a to direction b around a centre, the short way; radius in px."""
        start, end = (float(np.degrees(np.arctan2(*(np.asarray(p) - centre)[::-1]))) for p in (a, b))
        turn = float(wrapped(end - start))
        steps = np.radians(start + np.linspace(0, turn, max(3, int(abs(turn)))))
        points = np.asarray(centre) + radius * np.stack([np.cos(steps), np.sin(steps)], axis=1)
        whole = np.round(points * 16).astype(np.int32)[:, None]
        cv2.polylines(self.canvas, [whole], False, colour, max(1, round(width * self.unit)), cv2.LINE_AA, self.SHIFT)

    def wedge(self, points: list[tuple[float, float]], colour: tuple[int, int, int]) -> None:
        """A filled shape."""
        cv2.fillPoly(self.canvas, [np.round(np.array(points) * 16).astype(np.int32)], colour, cv2.LINE_AA, self.SHIFT)


def blur(image: Image.Image, heads: tuple[Circle, ...]) -> None:
    """Make faces unrecognisable: coarse blocks inside each circle, softened, with the small pattern of a face gone."""
    for x, y, radius in heads:
        left, top = max(int(x - radius), 0), max(int(y - radius), 0)
        right, bottom = min(int(x + radius) + 1, image.width), min(int(y + radius) + 1, image.height)
        if right - left < 2 or bottom - top < 2:
            continue
        part = image.crop((left, top, right, bottom))
        coarse = part.resize((4, 4), Image.Resampling.BOX).resize(part.size, Image.Resampling.BILINEAR)
        mask = Image.new("L", part.size, 0)
        ImageDraw.Draw(mask).ellipse([x - radius - left, y - radius - top, x + radius - left, y + radius - top], fill=255)
        image.paste(coarse, (left, top), mask.filter(ImageFilter.GaussianBlur(max(radius / 16, 1))))


def zoom_box(overlay: Overlay, size: tuple[int, int]) -> Box:
    """What of the frame is shown, px: the whole at zoom 0; at 1 the body of this frame, or for small things what is looked at."""
    width, height = size
    places = overlay.places()
    if overlay.zoom <= 0 or not places:
        return 0.0, 0.0, float(width), float(height)
    looked = question(overlay.measure, places, overlay.view, line_unit(height)).focus
    near = bool(looked) and focus_of(overlay.measure).close_up
    points = np.array(looked if near else [p for n, p in places.items() if not n.startswith(("elbow", "wrist"))])
    low, high = points.min(axis=0), points.max(axis=0)
    need = max((high[0] - low[0]) * 1.4 / width, (high[1] - low[1]) * (1.7 if near else 1.45) / height, ZOOM_SHARE)
    share = 1 - min(overlay.zoom, 1.0) * (1 - min(need, 1.0))
    w, h = width * share, height * share
    middle = (low + high) / 2 + [0, 0.08 * h]  # a little low: the caption lies over the lower edge
    left = float(np.clip(middle[0] - w / 2, 0, width - w))
    top = float(np.clip(middle[1] - h / 2, 0, height - h))
    return left, top, left + w, top + h


def _inside(point: Array, box: Box, size: tuple[int, int]) -> Array:
    """Where a film pixel lies in the picture that shows `box` at `size`."""
    return np.array([(point[0] - box[0]) / (box[2] - box[0]) * size[0], (point[1] - box[1]) / (box[3] - box[1]) * size[1]])


def outside(point: tuple[float, float], overlay: Overlay, size: tuple[int, int]) -> tuple[float, float]:
    """The film pixel that lies at a place of the finished picture."""
    box = zoom_box(overlay, size)
    return box[0] + point[0] / size[0] * (box[2] - box[0]), box[1] + point[1] / size[1] * (box[3] - box[1])


def _body_box(overlay: Overlay, size: tuple[int, int], aspect: float) -> Box:
    """A box of width / height = aspect around the body over the film, inside the picture where it can be."""
    points = overlay.track.positions.reshape(-1, 2)
    low, high = np.percentile(points, 1, axis=0), np.percentile(points, 99, axis=0)
    height = max((high[1] - low[1]) * 1.3, (high[0] - low[0]) * 1.25 / aspect)
    height = min(height, size[1], size[0] / aspect)
    width = height * aspect
    middle = (low + high) / 2
    left = float(np.clip(middle[0] - width / 2, 0, size[0] - width))
    top = float(np.clip(middle[1] - height / 2, 0, size[1] - height))
    return left, top, left + width, top + height


def _ghost(image: Image.Image, ghost: Any, unit: float) -> Image.Image:
    """The ghost as a pale outline: thick lines with their inside cut out again."""
    outline = np.zeros((image.height, image.width), np.uint8)
    for width, value in ((round(16 * unit), 255), (round(11 * unit), 0)):
        for a, b in ghost:
            ends = [(round(float(x) * 16), round(float(y) * 16)) for x, y in (a, b)]
            cv2.line(outline, ends[0], ends[1], value, width, cv2.LINE_AA, 4)
    return Image.composite(Image.new("RGB", image.size, BONE), image, Image.fromarray(outline))


def _limbs(hand: FramePainter, places: dict[str, Array], view: str) -> None:
    near = near_side(view)
    for side in (near,) if near else SIDES:
        for segment in ("trunk", "thigh", "shank", "foot"):
            a, b = (sided(j, side) for j in SEGMENTS[segment])
            if a in places and b in places:
                hand.line(places[a], places[b], INK, 6)
                hand.line(places[a], places[b], LINE, 3)
        for joint in ("shoulder", "hip", "knee", "ankle", "heel", "toe"):
            if (name := sided(joint, side)) in places:
                hand.dot(places[name], 4.5, BONE, INK)
    if "bar" in places:
        hand.dot(places["bar"], 6, COPPER, INK)


def _question(hand: FramePainter, places: dict[str, Array], overlay: Overlay) -> None:
    asked = question(overlay.measure, places, overlay.view, hand.unit)
    for a, b in asked.reference:
        hand.line(a, b, BONE, 3)
    for a, b in asked.number:
        hand.line(a, b, COPPER, 4)
    for centre, start, end, radius in asked.arcs:
        hand.arc(centre, start, end, radius, COPPER, 4)
    for at in asked.rings:
        hand.dot(at, 15, None, COPPER, 3)


Words = tuple[tuple[float, float], str, ImageFont.FreeTypeFont]


def _strokes(hand: FramePainter, strokes: tuple[Stroke, ...], places: dict[str, Array], scale: float) -> list[Words]:
    """The coach's own lines, angles and arrows; one whose body point is not followed here is left out. Returns its words."""
    unit, words = hand.unit, []
    for stroke in strokes:
        found = [_anchored(anchor, places, scale) for anchor in stroke.anchors]
        points = [p for p in found if p is not None]
        if len(points) < len(found):
            continue
        if stroke.kind == "text":
            words.append((points[0], stroke.text, font(round(26 * unit))))
            continue
        for colour, width in ((INK, 7), (CUE, 4)):
            for a, b in pairwise(points):
                hand.line(a, b, colour, width)
        if stroke.kind == "arrow":
            _head(hand, points[0], points[1])
        elif stroke.kind == "angle":
            start, centre, end = (np.array(p) for p in points)
            hand.arc(centre, start, end, 44 * unit, CUE, 4)
            beside = (float(centre[0]) + 14 * unit, float(centre[1]) + 14 * unit)
            words.append((beside, f"{angle_deg(start, centre, end):.0f}°", font(round(24 * unit), True)))
    return words


def _anchored(anchor: Anchor, places: dict[str, Array], scale: float) -> tuple[float, float] | None:
    """An anchor in the finished picture, where film pixels are `scale` picture pixels wide; None when its point is not there."""
    base = places.get(anchor.point or CORNER)
    return None if base is None else (float(base[0]) + anchor.dx * scale, float(base[1]) + anchor.dy * scale)


def angle_deg(a: Array, centre: Array, b: Array) -> float:
    """The angle at `centre` between two points as the picture shows it, degrees 0..180."""
    u, v = a - centre, b - centre
    return float(np.degrees(np.arctan2(abs(u[0] * v[1] - u[1] * v[0]), u @ v)))


def _head(hand: FramePainter, a: tuple[float, float], b: tuple[float, float]) -> None:
    way, long = np.arctan2(b[1] - a[1], b[0] - a[0]), 20 * hand.unit
    tips = [(b[0] + long * float(np.cos(way + s)), b[1] + long * float(np.sin(way + s))) for s in (2.65, -2.65)]
    hand.wedge([b, *tips], CUE)


def tag_box(overlay: Overlay, size: tuple[int, int]) -> Box:
    """Where the number's tag lies in the finished picture, px: where the coach put it, else beside its joint."""
    unit = line_unit(size[1])
    face = font(round(30 * unit), True)
    w, h = face.getlength(overlay.tag) + 24 * unit, 44 * unit
    if overlay.tag_at is not None:
        x, y = overlay.tag_at[0] * size[0], overlay.tag_at[1] * size[1]
    else:
        box = zoom_box(overlay, size)
        inside = {n: _inside(p, box, size) for n, p in overlay.places().items()}
        fx, fy = (float(v) for v in question(overlay.measure, inside, overlay.view, unit).focus[0])
        x = fx + 46 * unit if fx + 46 * unit + w < size[0] else fx - 46 * unit - w
        y = fy - 74 * unit
    x, y = float(np.clip(x, 4, max(size[0] - w - 4, 4))), float(np.clip(y, 4, size[1] - h - 4))
    return x, y, x + w, y + h


def _tag(pen: Any, box: Box, overlay: Overlay, focus: tuple[float, float], unit: float) -> None:
    """The number beside what it measures, with a thin line to it."""
    near = (min(max(focus[0], box[0]), box[2]), min(max(focus[1], box[1]), box[3]))
    pen.line([focus, near], fill=(*BONE, 220), width=max(1, round(2 * unit)))
    pen.rounded_rectangle(box, 8 * unit, fill=(*BONE, 245), outline=(*COPPER, 255), width=max(1, round(2 * unit)))
    pen.text((box[0] + 12 * unit, box[1] + 4 * unit), overlay.tag, font=font(round(30 * unit), True), fill=(*INK, 255))


def _plate(pen: Any, at: tuple[float, float], words: str, face: ImageFont.FreeTypeFont, ground: tuple[int, int, int]) -> None:
    """Words on a dark plate that stays readable over any picture."""
    pad = face.size * 0.3
    x, y = at
    pen.rounded_rectangle([x, y, x + face.getlength(words) + 2 * pad, y + face.size * 1.5], pad, fill=(*ground, 225))
    pen.text((x + pad, y + pad * 0.4), words, font=face, fill=(*BONE, 255))


def caption(pen: Any, size: tuple[int, int], title: str, words: str, note: str, ys: list[float]) -> None:
    """A band along the edge where it hides least of the body (ys): what is seen, the number, the cue."""
    unit = line_unit(size[1])
    margin, big, small = round(28 * unit), font(round(36 * unit), True), font(round(29 * unit))
    width = size[0] - 2 * margin
    rows = [(line, big, BONE) for line in wrap(title, big, width)] + [(line, small, BONE) for line in wrap(words, small, width)]
    rows += [(line, small, CUE) for line in wrap(note, small, width)]
    step = round(40 * unit)
    height = step * len(rows) + round(26 * unit)
    over = np.array(ys)
    below = int((over > size[1] - height).sum()) <= int((over < height).sum())
    top = size[1] - height if below else 0
    pen.rectangle([0, top, size[0], top + height], fill=(*INK, 210))
    y = top + round(10 * unit)
    for text, face, colour in rows:
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
