"""The live command: a film fed through the camera protocol, and what is known when, as lines of JSON."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path

import numpy as np

from deepmirror.core.motion.reps import Rep
from deepmirror.documents import Document
from deepmirror.errors import BadFilm, CannotSolve
from deepmirror.exchange.brief import read_brief
from deepmirror.media.camera import FilmCamera
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.pose_tracker import QUICK
from deepmirror.services.common.jobs import Progress
from deepmirror.services.common.plausible import must_hold_together
from deepmirror.services.films.analysis import conclude
from deepmirror.services.films.observation import observe
from deepmirror.services.live.session import LiveSet, Looker, Newest, SetEnd, Summary, only_counted, summary_of

OF_SUMMARY = ("reps", "clean_reps", "finding", "cue")  # what the contract asks for
Say = Callable[[str], None]


def live_command(path: Path, brief_path: Path, speed: float, say: Say, to_the_end: bool = True) -> Newest:
    """Feed a film and say what happens as it happens; to_the_end: with what the full analysis makes of it. Returns what looked at it,
    which knows how many looks were dropped. Raises BadFilm, BadBrief, BadMovement."""
    brief, catalogue = read_brief(brief_path), load_catalogue()
    camera = FilmCamera(path, speed)
    try:
        must_hold_together(brief, camera.size)
        every, facts = QUICK.every(camera.film.times), camera.film.facts
        live = LiveSet(brief, catalogue, every)
        looker = Looker(brief, live.movement)
        beside = lambda shot: live.following.picture(shot.number, shot.time_s, lambda: shot.picture)
        newest = Newest(camera, every, wait_for_all=speed == 0, beside=beside)

        def tell(event: str, **fields: object) -> None:
            say(json.dumps({"event": event, "at_s": round(camera.now_s(), 3), **fields}, ensure_ascii=False, allow_nan=False))

        def summary(event: str, found: Summary, **more: object) -> None:
            tell(event, **{k: v for k, v in asdict(found).items() if k in OF_SUMMARY}, **more)

        def pass_on(happened: list[Rep | SetEnd]) -> None:
            for what in happened:
                if isinstance(what, Rep):
                    tell("rep", **rep_fields(what))
                    continue
                tell("set_end", end_s=round(what.end_s, 3))
                try:
                    summary("summary", summary_of(live.conclude(facts), len(live.count.told)))
                except (CannotSolve, BadFilm):
                    summary("summary", only_counted(len(live.count.told)))

        for shot in newest.looks():
            times = np.array(newest.times[: shot.number + 1])
            pass_on(live.take(shot.number, looker.look(shot), times, shot.picture))
        times = np.array(newest.times)
        pass_on(live.close(times))
        live.following.close()
        if not to_the_end:
            return newest
        evidence = observe(camera.film, brief, live.movement, Progress())
        final = summary_of(conclude(facts, brief, catalogue, evidence))
        summary("final", final, told=len(live.count.told))
        return newest
    finally:
        camera.close()


def rep_fields(rep: Rep) -> Document:
    """A rep as its line tells it; times on the film's clock."""
    phases = {k: None if v is None else round(v, 3) for k, v in rep.phases_s.items()}
    return {"n": rep.number, "start_s": round(rep.start_s, 3), "end_s": round(rep.end_s, 3), "tempo_s": phases}
