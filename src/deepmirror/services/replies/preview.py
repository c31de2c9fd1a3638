"""What the window shows of a reply before it goes: the written files themselves, and the coach's own drawing."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.sketches.sketch import Box
from deepmirror.media.film import Film
from deepmirror.reply.draw import outside, tag_box
from deepmirror.reply.model import Correction, Since, Stroke, StrokeKind, anchor_for
from deepmirror.reply.pdf import pdf_picture
from deepmirror.services.films.review import Review
from deepmirror.services.replies.rendering import Drawer, PriorFilms, source_of

SNAP_SHARE, REACH_SHARE = 0.022, 0.35  # of the picture's height: a click on a joint, and how far beside it still goes with it


class Preview:
    """The written files of a reply, to be looked at exactly as the client will."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.film = folder, Film(folder / "reply.mp4")
        self.page = folder / "reply.html"

    def picture(self, number: int) -> NDArray[np.uint8]:
        """A frame of the annotated film (H, W, 3)."""
        return self.film.picture(number)

    def frames(self) -> int:
        """How many frames the annotated film has."""
        return len(self.film.times)

    def fps(self) -> float:
        """Its frame rate, 1/s."""
        return float(self.film.facts.fps)

    def print_page(self, width: int) -> NDArray[np.uint8]:
        """The PDF page as a picture of this width (H, W, 3)."""
        return np.asarray(pdf_picture((self.folder / "reply.pdf").read_bytes(), width), np.uint8)

    def close(self) -> None:
        """Let go of the film."""
        self.film.close()


def composed(films: PriorFilms, review: Review, item: Correction | Since, blur: bool) -> tuple[NDArray[np.uint8], Box | None]:
    """The picture of a correction (or of an earlier one, then and now) as it will be sent, and where its tag lies, px."""
    assert review.analysis is not None
    drawer = Drawer(review.film, review.analysis, blur, films)
    if isinstance(item, Since):
        pair = drawer.since(item)
        return (pair, None) if pair is not None else (review.film.picture(0), None)
    picture = drawer.correction(item)
    overlay = drawer.of(item.film_id).source.composed(item)
    return picture, tag_box(overlay, (picture.shape[1], picture.shape[0])) if item.short and not item.side_by_side else None


def stroke_at(
    films: PriorFilms, review: Review, item: Correction, kind: StrokeKind, clicks: list[tuple[float, float]], text: str = ""
) -> Stroke:
    """A stroke from clicks (px of the finished picture): each click takes hold of the body point it lies on or beside."""
    other = films.get(item.film_id) if item.film_id is not None else None
    film, analysis = other or (review.film, review.analysis)
    assert analysis is not None
    source = source_of(analysis, film.facts.fps, blur=False)
    overlay = source.composed(replace(item, ghost=False))  # this runs under the hand: the ghost is not needed to find a point
    size = film.facts.width, film.facts.height
    places = {n: (float(p[0]), float(p[1])) for n, p in overlay.places().items()}
    spots = [outside(click, overlay, size) for click in clicks]
    return Stroke(kind, [anchor_for(spot, places, SNAP_SHARE * size[1], REACH_SHARE * size[1]) for spot in spots], text)
