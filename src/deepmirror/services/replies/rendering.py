"""Drawing and writing a reply: stills, annotated film, page, PDF, captions and the numbers as open files."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import AbstractContextManager
from dataclasses import replace
from functools import partial
from pathlib import Path
from types import TracebackType

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.core.sketches.table import sketch_of
from deepmirror.errors import DeepMirrorError, ReplyError
from deepmirror.exchange.exports import ExportData, write_exports
from deepmirror.media.film import Film
from deepmirror.media.writer import png, write_film
from deepmirror.pose.network import Detector
from deepmirror.reply.draw import Overlay, draw, draw_pair
from deepmirror.reply.film import Caption, GhostLines, Shot, Source, plan, web_vtt
from deepmirror.reply.heads import head_circles
from deepmirror.reply.model import Before, Correction, Since
from deepmirror.reply.model import Reply as Reply
from deepmirror.reply.page import render_page
from deepmirror.reply.pdf import render_pdf
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.ghost import ghosts_of
from deepmirror.services.films.records import measures_record
from deepmirror.services.replies.composing import frame_at
from deepmirror.services.replies.spoken_take import ABOUT, FILM, mark_of, new_take, write_spoken
from deepmirror.words import say

Picture = NDArray[np.uint8]
LOOK_EVERY = 3  # frames: other people's heads are looked for that often; the circles are generous


class PriorFilms(AbstractContextManager["PriorFilms"]):
    """Earlier films of the client, opened and concluded when a reply shows them; closed together."""

    def __init__(self, library: FilmLibrary | None) -> None:
        self._library = library
        self._open: dict[int, tuple[Film, Analysis]] = {}

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self.close()

    def close(self) -> None:
        """Let go of the films; those asked for later are opened again."""
        for film, _ in self._open.values():
            film.close()
        self._open = {}

    def get(self, film_id: int) -> tuple[Film, Analysis] | None:
        """The film and its analysis; None when it is gone or was never measured."""
        if film_id not in self._open and self._library is not None:
            try:
                film, brief, evidence = self._library.open_analysis(film_id)
                if evidence is not None:
                    self._open[film_id] = film, self._library.conclude(film.facts, brief, evidence)
                else:
                    film.close()
            except DeepMirrorError:
                return None
        return self._open.get(film_id)


class Drawer:
    """Draws the pictures of one reply: of its own film, and of the other films of the visit."""

    def __init__(self, film: Film, analysis: Analysis, blur: bool, earlier: PriorFilms) -> None:
        self._visit: dict[int, Drawer] = {}
        self._film, self._analysis, self._blur, self._earlier = film, analysis, blur, earlier
        self._detector = Detector() if blur else None
        self._others: tuple[int, tuple[tuple[float, float, float], ...]] | None = None
        self.source = source_of(analysis, film.facts.fps, blur)

    def of(self, film_id: int | None) -> Drawer:
        """What draws a film of the visit; this one for its own. Raises ReplyError when that film can no longer be read."""
        if film_id is None:
            return self
        if film_id not in self._visit:
            found = self._earlier.get(film_id)
            if found is None:
                raise ReplyError("A film of this visit can no longer be read: take its corrections out, or answer film by film.")
            self._visit[film_id] = Drawer(*found, self._blur, self._earlier)
        return self._visit[film_id]

    def shot(self, shot: Shot) -> Picture:
        """One shot of the film, of the reply's own size."""
        if shot.film_id is not None:
            other = self.of(shot.film_id)
            return fitted(other.shot(replace(shot, film_id=None)), (self._film.facts.width, self._film.facts.height))
        return self._picture(self._film.picture(shot.frame), shot.overlay, shot.before)

    def correction(self, item: Correction, captioned: bool = True) -> Picture:
        """The picture of one correction; without its caption where the same words stand beside it."""
        if item.film_id is not None:
            return self.of(item.film_id).correction(replace(item, film_id=None), captioned)
        before = item.before if item.side_by_side else None
        return self._picture(self._film.picture(item.frame), self.source.composed(item), before, captioned)

    def since(self, told: Since) -> Picture | None:
        """Then and now of an earlier correction; None where this film has no moment for it."""
        if told.frame is None:
            return None
        if told.film_id is not None:
            return self.of(told.film_id).since(replace(told, film_id=None))
        return self._picture(self._film.picture(told.frame), self.source.overlay(told.frame, told.measure), told.before)

    def numbers(self) -> bytes:
        """Its film's measures.json."""
        return json.dumps(measures_record(self._analysis), indent=1).encode()

    def _picture(self, picture: Picture, overlay: Overlay, before: Before | None, captioned: bool = True) -> Picture:
        overlay = self._all_heads(picture, overlay)
        then = self._earlier.get(before.film_id) if before else None
        if before is None or then is None:
            return draw(picture, overlay, captioned)
        film, analysis = then
        frame = frame_at(analysis, before.time_s)
        first = film.picture(frame)
        self._others = None
        old = self._all_heads(first, source_of(analysis, film.facts.fps, self._blur).overlay(frame, overlay.measure))
        words = (
            say("{when}: {number}", when=before.when, number=before.number),
            say("now: {tag}", tag=overlay.tag) if overlay.tag else "now",
        )
        return draw_pair(first, old, picture, overlay, words, captioned)

    def _all_heads(self, picture: Picture, overlay: Overlay) -> Overlay:
        """The client's head, and whoever else stands in the picture."""
        if self._detector is None:
            return overlay
        if self._others is None or not 0 <= overlay.frame - self._others[0] < LOOK_EVERY:
            self._others = overlay.frame, tuple(self._detector.heads(picture))
        return replace(overlay, heads=(*overlay.heads, *self._others[1]))


def fitted(picture: Picture, size: tuple[int, int]) -> Picture:
    """A picture inside another size (width, height), dark beside it where the shapes differ."""
    if (picture.shape[1], picture.shape[0]) == size:
        return picture
    share = min(size[0] / picture.shape[1], size[1] / picture.shape[0])
    small = cv2.resize(picture, (round(picture.shape[1] * share), round(picture.shape[0] * share)), interpolation=cv2.INTER_AREA)
    out = np.zeros((size[1], size[0], 3), np.uint8)
    top, left = (size[1] - small.shape[0]) // 2, (size[0] - small.shape[1]) // 2
    out[top : top + small.shape[0], left : left + small.shape[1]] = small
    return out


def source_of(analysis: Analysis, fps: float, blur: bool) -> Source:
    """What is needed to draw frames of an analysed film."""
    scene = analysis.scene
    faces = tuple(head_circles(scene.film_track))
    return Source(scene.film_track, scene.view, fps, ghost_lines(analysis), faces, blur, partial(sketch_of, scene))


def ghost_lines(analysis: Analysis) -> GhostLines:
    """The ghost's lines of any frame; none where the film has no ghost."""
    maker = ghosts_of(analysis)

    def lines(frame: int) -> tuple[tuple[tuple[float, float], tuple[float, float]], ...]:
        ghost = maker.at(frame)
        return tuple(ghost.lines()) if ghost else ()

    return lines


def correction_picture(film: Film, analysis: Analysis, item: Correction, blur: bool = False, library: FilmLibrary | None = None) -> Picture:
    """The picture of one correction, as the client gets it."""
    with PriorFilms(library) as earlier:
        return Drawer(film, analysis, blur, earlier).correction(item)


def export_reply(
    film: Film,
    analysis: Analysis,
    reply: Reply,
    folder: Path,
    progress: Progress,
    library: FilmLibrary | None = None,
    takes: Path | None = None,
) -> list[Path]:
    """Write everything the client gets into a folder: reply.mp4, .vtt, .html, .pdf, stills, measures.json, and the numbers
    and points as CSV, C3D and TRC. takes: where what the coach spoke over its film lies. Raises ReplyError, Cancelled."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with PriorFilms(library) as earlier:
            drawer = Drawer(film, analysis, reply.blur, earlier)
            captioned = [png(drawer.correction(item)) for item in reply.chosen()]
            stills = {item.key: png(drawer.correction(item, captioned=False)) for item in reply.chosen()}
            pairs = {f"since-{told.title}": drawer.since(told) for told in reply.since_chosen()}
            stills |= {k: png(p) for k, p in pairs.items() if p is not None}
            captions = _write_reply_film(film, drawer, reply, folder / "reply.mp4", progress, takes)
            others = {f"measures-{n}.json": drawer.of(i).numbers() for n, i in enumerate(reply.films, 2)}
        vtt = web_vtt(captions)
        written = [folder / "reply.mp4", _write(folder / "reply.vtt", vtt.encode())]
        written += [_write(folder / f"still-{i + 1}.png", data) for i, data in enumerate(captioned)]
        page = render_page(reply, stills, (folder / "reply.mp4").read_bytes(), vtt)
        written.append(_write(folder / "reply.html", page.encode()))
        written.append(_write(folder / "reply.pdf", render_pdf(reply, stills)))
        written += [_write(folder / name, data) for name, data in others.items()]
        return written + _numbers(analysis, film.facts.fps, folder)
    except OSError as error:
        raise ReplyError(
            say("The reply could not be written to “{folder}”: {error}.", folder=folder, error=error.strerror or error)
        ) from error


def _write_reply_film(film: Film, drawer: Drawer, reply: Reply, path: Path, progress: Progress, takes: Path | None = None) -> list[Caption]:
    """The film as the coach spoke over it, or as it was planned; and its captions."""
    if reply.spoken and takes is not None:
        return write_spoken(takes / reply.spoken, path, progress).captions(reply.spoken_words)
    shots, captions = plan(reply, drawer.source, lambda film_id: drawer.of(film_id).source)
    write_film(path, _pictures(drawer, shots, progress), film.facts.fps)
    return captions


def film_to_speak_over(library: FilmLibrary, film_id: int, path: Path, analysis: Analysis, reply: Reply, progress: Progress) -> Path:
    """The folder of a new take, with the reply's film in it as it was planned. path: of the film it answers.

    Raises ReplyError, LibraryError, BadFilm, Cancelled.
    """
    try:
        take = new_take(library, film_id)
        with Film(path) as film, PriorFilms(library) as earlier:  # a reader of its own: the window goes on showing the film
            _write_reply_film(film, Drawer(film, analysis, reply.blur, earlier), reply, take / FILM, progress)
        _write(take / ABOUT, mark_of(reply).encode())
    except OSError as error:
        raise ReplyError(say("The film to speak over could not be written: {error}.", error=error.strerror or error)) from error
    return take


def _numbers(analysis: Analysis, fps: float, folder: Path) -> list[Path]:
    """The open data."""
    scene = analysis.scene
    scale = scene.px_per_cm.value if scene.px_per_cm is not None else None
    record, values = measures_record(analysis), analysis.measured.reps
    return write_exports(folder, ExportData(scene.film_track, scene.angles, scene.reps, values, record, fps, scale))


def _write(path: Path, data: bytes) -> Path:
    path.write_bytes(data)
    return path


def _pictures(drawer: Drawer, shots: list[Shot], progress: Progress) -> Iterator[Picture]:
    tick = progress.part(0.0, 1.0, "writing the film", len(shots))
    for i, shot in enumerate(shots):
        tick(i)
        picture = drawer.shot(shot)
        for _ in range(shot.repeat):
            yield picture
