"""Marks of a machine brought over from an earlier film: where the camera stands now, compared with where it stood then."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.documents import Document
from deepmirror.errors import DeepMirrorError
from deepmirror.exchange.brief import MarksPart, ScalePart
from deepmirror.media.film import Film
from deepmirror.services.films.reference_marks import marks_of_machine
from deepmirror.store.library import LibraryStore
from deepmirror.words import say

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

FEATURES, AGREE_PX, FEWEST = 1500, 3.0, 25  # of the room in both pictures, how near they must agree, and how many; our own choice
MOST_MOVED = 0.12  # of the picture's longer side: a camera that moved further sees the machine another way; our own choice
MOST_SCALED = 0.1  # likewise its distance


@dataclass(frozen=True)
class MarksHere:
    """Marks and scale as this picture shows them. moved_px: how far the camera's picture has moved since; fit: near enough to be used;
    words: what is said of it."""

    marks: MarksPart
    scale: ScalePart | None
    moved_px: float
    fit: bool
    words: str
    width: int

    def share_of(self, picture: Picture) -> float:
        """How large a smaller picture of the same camera is, of the one they were brought to."""
        return float(picture.shape[1]) / self.width

    def drawn(self) -> dict[str, list[tuple[float, float]]]:
        """The marks as points, px."""
        out: dict[str, list[tuple[float, float]]] = {}
        for name, value in self.marks.model_dump(exclude_none=True).items():
            if name != "platform_cm":
                out[name] = [(float(x), float(y)) for x, y in np.array(value, float).reshape(-1, 2)]
        return out

    def fields(self) -> Document:
        """The brief's fields with them."""
        scale = {} if self.scale is None else {"scale": self.scale.model_dump(mode="json")}
        return {"marks": self.marks.model_dump(mode="json", exclude_none=True), "marks_taken_over": True} | scale


def marks_here(store: LibraryStore, machine: str, view: str, picture: Picture, size: tuple[int, int]) -> MarksHere | None:
    """The newest marks of this machine from this side, moved to where a camera of this size (px) sees the same room.

    picture (H, W, 3) RGB: what it shows, which may be smaller than it films.
    """
    found = marks_of_machine(store, -1, machine, view)
    if found is None:
        return None
    for film_id, kept in store.briefs_on(machine, view):
        if not kept.get("marks"):
            continue
        try:
            with Film(store.film(film_id).path) as film:
                before = film.picture(0)
        except DeepMirrorError:
            continue
        return _brought(found.marks, found.scale, before, picture, size)
    return None


def _brought(marks: MarksPart, scale: ScalePart | None, before: Picture, now: Picture, size: tuple[int, int]) -> MarksHere:
    small = np.asarray(cv2.resize(before, now.shape[1::-1], interpolation=cv2.INTER_AREA), np.uint8)
    alike = abs(before.shape[1] * size[1] - before.shape[0] * size[0]) < 0.02 * before.shape[1] * size[1]
    move = camera_move(small, now) if alike else None
    width, height = size
    if move is None:
        words = "The room looks another way than in the film the marks are from: place them anew."
        return MarksHere(marks, scale, np.inf, False, words, width)
    from_before, to_now = now.shape[1] / before.shape[1], width / now.shape[1]
    move = np.column_stack([move[:, :2] * from_before * to_now, move[:, 2] * to_now])
    corners = np.array([[0, 0], [width, 0], [0, height], [width, height]], float) * before.shape[1] / width
    moved = float(np.abs(_put(corners, move) - corners * width / before.shape[1]).max())
    grown = float(np.sqrt(abs(np.linalg.det(move[:, :2])))) * before.shape[1] / width
    fit = moved < MOST_MOVED * max(width, height) and abs(grown - 1) < MOST_SCALED
    words = say("Marks of an earlier film, moved by {moved:.0f} px to where this camera sees them: look whether they fit.", moved=moved)
    if not fit:
        words = say("The camera stands elsewhere than in the film the marks are from ({moved:.0f} px): place them anew.", moved=moved)
    put = {k: _points(v, move) if k != "platform_cm" else v for k, v in marks.model_dump(exclude_none=True).items()}
    ends = None if scale is None else ScalePart.model_validate({"points_px": _points(scale.points_px, move), "length_cm": scale.length_cm})
    return MarksHere(MarksPart.model_validate(put), ends, moved, fit, words, width)


def _put(points: Array, move: Array) -> Array:
    return np.asarray(points @ move[:, :2].T + move[:, 2])


def _points(value: object, move: Array) -> object:
    at = np.array(value, float)
    return _put(at.reshape(-1, 2), move).reshape(at.shape).tolist()


def camera_move(before: Picture, now: Picture) -> Array | None:
    """From places in one picture of a room to places in another (2, 3) px; None where they do not show the same."""
    if before.shape != now.shape:
        return None
    orb = cv2.ORB.create(nfeatures=FEATURES)
    greys = [np.asarray(cv2.cvtColor(p, cv2.COLOR_RGB2GRAY), np.uint8) for p in (before, now)]
    (first, a), (second, b) = (orb.detectAndCompute(g, None) for g in greys)
    if a is None or b is None or len(first) < FEWEST or len(second) < FEWEST:
        return None
    pairs = cv2.BFMatcher(cv2.NORM_HAMMING, crossCheck=True).match(a, b)
    if len(pairs) < FEWEST:
        return None
    there = np.array([first[m.queryIdx].pt for m in pairs])
    here = np.array([second[m.trainIdx].pt for m in pairs])
    move, inside = cv2.estimateAffinePartial2D(there, here, ransacReprojThreshold=AGREE_PX)
    return None if move is None or int(inside.sum()) < FEWEST else np.asarray(move, float)
