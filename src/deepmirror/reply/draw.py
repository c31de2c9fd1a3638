"""Drawing on film frames: the measured lines, the number in question, the coach's own strokes, the caption (Pillow, no Qt).

Everything is drawn in film pixels first, then the picture is cropped when it is zoomed, then words are set over it.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import cv2
import numpy as np
from PIL import Image, ImageDraw, ImageFilter, ImageFont

from deepmirror.core.skeleton import SEGMENTS, SIDES, near_side, sided
from deepmirror.core.sketches.sketch import NOTHING, Arc, Box, Circle, Map, Sketch, place_tag
from deepmirror.core.trajectories import Track
from deepmirror.reply.frame_painter import (
    BONE,
    COPPER,
    CUE,
    INK,
    LINE,
    TEAL,
    Array,
    FramePainter,
    Picture,
    bars_box,
    font,
    paint_bars,
    paint_ghost,
    paint_sketch,
)
from deepmirror.reply.model import Anchor, Stroke
from deepmirror.words import in_language

CORNER = ""  # the picture's own corner, for strokes that go with no body point
ZOOM_SHARE = 0.5  # of the picture's width that a zoomed picture shows at least


@dataclass(frozen=True)
class Overlay:
    """What is drawn on one frame.

    measure names the number in question, sketch is how it shows here, tag is that number in short, title, words and note go into the
    caption, ghost is a set of lines, heads are circles to blur, faces those that nothing may hide, zoom 0..1 is how far the picture has
    moved in.
    """

    track: Track
    view: str
    frame: int
    measure: str | None = None
    sketch: Sketch = NOTHING
    title: str = ""
    words: str = ""
    note: str = ""
    ghost: tuple[tuple[tuple[float, float], tuple[float, float]], ...] = ()
    tag: str = ""
    tag_at: tuple[float, float] | None = None
    strokes: tuple[Stroke, ...] = ()
    heads: tuple[Circle, ...] = ()
    faces: tuple[Circle, ...] = ()
    zoom: float = 0.0
    lines: bool = True

    def places(self) -> dict[str, Array]:
        """The body points of this frame, px."""
        return {n: self.track.positions[self.frame, i] for i, n in enumerate(self.track.names)}


def draw(picture: Picture, overlay: Overlay, captioned: bool = True) -> Picture:
    """A copy of the frame (H, W, 3) with the overlay on it, of the same size."""
    size = picture.shape[1], picture.shape[0]
    box = zoom_box(overlay, size)
    image, places = _marked(picture, overlay, box, size)
    pen = ImageDraw.Draw(image, "RGBA")
    unit = line_unit(size[1])
    if overlay.tag:
        at = _in_picture(box, size)(_tagged(overlay))
        _tag(pen, tag_box(overlay, size), overlay, (float(at[0]), float(at[1])), unit)
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
        ghost = tuple((_inside(np.array(a), box, size), _inside(np.array(b), box, size)) for a, b in overlay.ghost)
        image = paint_ghost(image, ghost, unit)
    hand = FramePainter(np.array(image), unit)
    if overlay.lines:
        _limbs(hand, places, overlay.view)
    sketch = overlay.sketch.mapped(_in_picture(box, size))
    paint_sketch(hand, sketch)
    texts = _strokes(hand, overlay.strokes, places | {CORNER: _inside(np.zeros(2), box, size)}, scale)
    image = Image.fromarray(hand.canvas)
    pen = ImageDraw.Draw(image, "RGBA")
    for at, words, face in texts:
        _plate(pen, at, words, face, INK)
    if sketch.bars:
        busy = [*places.values(), *sketch.points()]
        paint_bars(pen, bars_box(len(sketch.bars), size, unit, _faces_in(overlay, box, size), busy), sketch.bars, unit)
    return image, places


def _in_picture(box: Box, size: tuple[int, int]) -> Map:
    """From film pixels into the picture that shows `box` at `size`."""
    scale = np.diag([size[0] / (box[2] - box[0]), size[1] / (box[3] - box[1])])
    return Map(scale, -scale @ np.array(box[:2]))


def _tagged(overlay: Overlay) -> Array:
    """What the tag belongs to, film px."""
    if overlay.sketch.tag is not None:
        return overlay.sketch.tag
    return np.asarray(np.mean(list(overlay.places().values()), axis=0))


def _faces_in(overlay: Overlay, box: Box, size: tuple[int, int]) -> tuple[Circle, ...]:
    """The circles that nothing may hide, in the picture."""
    to, scale = _in_picture(box, size), size[0] / (box[2] - box[0])
    return tuple((*(float(v) for v in to(np.array([x, y]))), r * scale) for x, y, r in (*overlay.faces, *overlay.heads))  # type: ignore[misc]


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
    looked = overlay.sketch.focus
    near = bool(looked) and overlay.sketch.close_up
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
    return _in_picture(box, size)(point)


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
            hand.curve(Arc(centre, start, end).points(unit), CUE, 4)
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
    w, h = face.getlength(in_language(overlay.tag)) + 24 * unit, 44 * unit
    if overlay.tag_at is not None:
        x, y = overlay.tag_at[0] * size[0], overlay.tag_at[1] * size[1]
        x, y = float(np.clip(x, 4, max(size[0] - w - 4, 4))), float(np.clip(y, 4, size[1] - h - 4))
        return x, y, x + w, y + h
    box = zoom_box(overlay, size)
    to = _in_picture(box, size)
    busy = [to(p) for p in (*overlay.places().values(), *overlay.sketch.points())]
    return place_tag(to(_tagged(overlay)), (w, h), (0.0, 0.0, float(size[0]), float(size[1])), _faces_in(overlay, box, size), busy, unit)


def _tag(pen: Any, box: Box, overlay: Overlay, focus: tuple[float, float], unit: float) -> None:
    """The number beside what it measures, with a thin line to it."""
    near = (min(max(focus[0], box[0]), box[2]), min(max(focus[1], box[1]), box[3]))
    pen.line([focus, near], fill=(*BONE, 220), width=max(1, round(2 * unit)))
    pen.rounded_rectangle(box, 8 * unit, fill=(*BONE, 245), outline=(*COPPER, 255), width=max(1, round(2 * unit)))
    pen.text((box[0] + 12 * unit, box[1] + 4 * unit), in_language(overlay.tag), font=font(round(30 * unit), True), fill=(*INK, 255))


def _plate(pen: Any, at: tuple[float, float], words: str, face: ImageFont.FreeTypeFont, ground: tuple[int, int, int]) -> None:
    """Words on a dark plate that stays readable over any picture."""
    pad, words = face.size * 0.3, in_language(words)
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
    for word in in_language(text).split():
        if lines and face.getlength(f"{lines[-1]} {word}") <= width:
            lines[-1] += f" {word}"
        else:
            lines.append(word)
    return lines
