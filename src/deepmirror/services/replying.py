"""Composing and exporting a reply."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.tempo import digits, time_under_tension_s
from deepmirror.core.values import Verdict, with_unit
from deepmirror.errors import ReplyError
from deepmirror.exchange.measures_json import rep_csv, series_csv, write_json
from deepmirror.judge.findings import Finding, describe_band
from deepmirror.media.film import Film
from deepmirror.media.writer import png, write_film
from deepmirror.reply.draw import Overlay, draw
from deepmirror.reply.film import GhostLines, Shot, plan, web_vtt
from deepmirror.reply.model import USUAL_CORRECTIONS
from deepmirror.reply.model import Correction as Correction
from deepmirror.reply.model import Reply as Reply
from deepmirror.reply.page import render_page
from deepmirror.services.analysis import Analysis
from deepmirror.services.ghost import GhostMaker
from deepmirror.services.jobs import Progress
from deepmirror.services.records import measures_record


def draft_reply(analysis: Analysis, client: str = "") -> Reply:
    """A reply pre-filled from the findings: the first three, leaving out what only repeats one of them in the same reps."""
    scene, judgement = analysis.scene, analysis.judgement
    load = analysis.brief.file.load_kg
    facts = [f"{len(scene.reps)} reps", *([f"{load:g} kg"] if load else []), f"{time_under_tension_s(scene.reps):.0f} s under load"]
    if scene.tempo is not None:
        facts.append(f"tempo asked {scene.tempo}")
    if scene.reps:
        facts.append(f"first rep {digits(scene.reps[0])} s")
    held = [c.held for c in judgement.checks if c.verdict is Verdict.WITHIN]
    corrections: list[Correction] = []
    said: list[Finding] = []
    for finding in judgement.findings:
        again = any(f.severity == finding.severity and set(finding.reps) <= set(f.reps) for f in said)
        worth = not again and len(said) < USUAL_CORRECTIONS
        corrections.append(_correction(analysis, finding, worth))
        said += [finding] if worth else []
    greeting = "Here is what your film shows, most important first." if corrections else "Here is what your film shows."
    unable = sorted({f"{u.reason} ({u.film_next[0].lower()}{u.film_next[1:].rstrip('.')})" for u in judgement.unmeasurable})[:2]
    return Reply(client, analysis.movement.title, " · ".join(facts), greeting, " ".join(dict.fromkeys(held[:3])), corrections, unable)


def _correction(analysis: Analysis, f: Finding, chosen: bool) -> Correction:
    times = analysis.scene.track.times
    frame = int(np.argmin(np.abs(times - f.time_s)))
    seen = f"{_rep_words(f.reps, len(analysis.scene.reps))}, at {f.time_s:.1f} s."
    number = f"{with_unit(f'{f.value:.0f} ± {f.u:.0f}', f.unit)}; target {describe_band(f.target)}."
    if f.u < 1.5 and abs(f.value) < 20:
        number = f"{with_unit(f'{f.value:.1f} ± {f.u:.1f}', f.unit)}; target {describe_band(f.target)}."
    return Correction(f.code, f.title, seen, number, f.why, f.cue, f.change, f.film_next, frame, f.measure, chosen)


def _rep_words(reps: tuple[int, ...], total: int) -> str:
    if not reps:
        return "Over the set"
    if len(reps) == total:
        return "In every rep"
    words = ", ".join(str(r) for r in reps[:-1]) + (" and " if len(reps) > 1 else "") + str(reps[-1])
    return f"Rep{'s' if len(reps) > 1 else ''} {words}"


def still(film: Film, analysis: Analysis, item: Correction) -> NDArray[np.uint8]:
    """The picture of one correction, as the client gets it."""
    scene, words = analysis.scene, f"{item.seen} {item.number}"
    ghost = ghost_lines(analysis)(item.frame) if item.ghost else ()
    overlay = Overlay(scene.film_track, scene.view, item.frame, item.measure, item.title, words, f"“{item.cue}”", ghost)
    return draw(film.picture(item.frame), overlay)


def ghost_lines(analysis: Analysis) -> GhostLines:
    """The ghost's lines of any frame; none where the film has no ghost."""
    maker = GhostMaker(analysis)

    def lines(frame: int) -> tuple[tuple[tuple[float, float], tuple[float, float]], ...]:
        ghost = maker.at(frame)
        return tuple(ghost.lines()) if ghost else ()

    return lines


def export_reply(film: Film, analysis: Analysis, reply: Reply, folder: Path, progress: Progress) -> list[Path]:
    """Write reply.mp4, reply.vtt, reply.html, stills, measures.json, and the numbers as CSV. Raises ReplyError, Cancelled."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        shots, captions = plan(reply, analysis.scene.film_track, analysis.scene.view, film.facts.fps, ghost_lines(analysis))
        stills = {item.code: png(still(film, analysis, item)) for item in reply.chosen()}
        write_film(folder / "reply.mp4", _pictures(film, shots, progress), film.facts.fps)
        vtt = web_vtt(captions)
        written = [folder / "reply.mp4", _write(folder / "reply.vtt", vtt.encode())]
        written += [_write(folder / f"still-{i + 1}-{code}.png", data) for i, (code, data) in enumerate(stills.items())]
        page = render_page(reply, stills, (folder / "reply.mp4").read_bytes(), vtt)
        written.append(_write(folder / "reply.html", page.encode()))
        write_json(folder / "measures.json", measures_record(analysis))
        written += [
            folder / "measures.json",
            _write(folder / "reps.csv", rep_csv(analysis.scene.reps, analysis.measured.reps).encode()),
            _write(folder / "angles.csv", series_csv(analysis.scene.track.times, analysis.scene.angles).encode()),
        ]
        return written
    except OSError as error:
        raise ReplyError(f"The reply could not be written to “{folder}”: {error.strerror or error}.") from error


def _write(path: Path, data: bytes) -> Path:
    path.write_bytes(data)
    return path


def _pictures(film: Film, shots: list[Shot], progress: Progress) -> Iterator[NDArray[np.uint8]]:
    tick = progress.part(0.0, 1.0, "writing the film", len(shots))
    for i, shot in enumerate(shots):
        tick(i)
        picture = draw(film.picture(shot.frame), shot.overlay)
        for _ in range(shot.repeat):
            yield picture
