"""The next session in the client's words and units: her page, her printed sheet, and the file she can fill in."""

from __future__ import annotations

import json
from datetime import date
from pathlib import Path

from deepmirror.core.motion.tempo import WORDS, parse_tempo
from deepmirror.core.units import in_their_units
from deepmirror.errors import BadPlan
from deepmirror.exchange.plan_file import SessionOut
from deepmirror.files import private_folder, write_whole
from deepmirror.planning.lift import PlannedLift
from deepmirror.planning.pain import stage_words
from deepmirror.planning.progression import LoadChange
from deepmirror.planning.records import BOTH
from deepmirror.planning.session import CAUTION, NextSession
from deepmirror.reply.session_page import PageLift, SessionPage, render_session_page, render_session_pdf
from deepmirror.services.training.plan_command import session_out
from deepmirror.services.training.training_file import TrainingFile
from deepmirror.words import joined, say

BETWEEN_SIDES = ", 30 to 60 s between the sides"  # common practice, no source
LINK_WORDS = {
    "superset": "Right after the one before, then rest",
    "alternated": "In turn with the one before",
    "straight_after": "Straight after the one before, without a rest",
}
UNITS = {"body": "", "dumbbell": " each hand", "bar": "", "stack": "", "sled": " with the sled's own"}


def session_page(file: TrainingFile, session: NextSession, coach: str = "") -> SessionPage:
    """The page's words. What is left out because it hurts is said with its reason; so is the usual caution."""
    imperial = file.body.imperial
    planned = [lift for lift in session.lifts if lift.sets]
    stopped = [
        say("{title_of} is left out today. {reasons}", title_of=title_of(file, x), reasons=joined(" ", x.reasons[:1]))
        for x in session.lifts
        if not x.sets
    ]
    notes = [stage_words(r) for r in session.stages]
    if session.lighter:
        notes.insert(0, "A lighter week: it is meant to feel easy.")
    return SessionPage(
        file.name,
        say("Your session on {day}", day=day_words(session.day)),
        say("week {week}", week=session.week) + (say(" · {name}", name=session.name) if session.name else ""),
        tuple(_lift(file, lift) for lift in planned),
        tuple(in_their_units(w, imperial) for w in stopped),
        tuple(in_their_units(w, imperial) for w in notes),
        (CAUTION, *_cautions(file, planned)),
        coach,
        imperial,
    )


def title_of(file: TrainingFile, lift: PlannedLift) -> str:
    """A lift's title with its side."""
    title = file.library.catalogue.title(lift.movement)
    return title if lift.side == BOTH else say("{title}, {side}", title=title, side=lift.side)


def day_words(day: date) -> str:
    """ "Thursday 5 March"."""
    return say("{day:%A} {day2} {day:%B}", day=day, day2=day.day)


def _cautions(file: TrainingFile, lifts: list[PlannedLift]) -> list[str]:
    """The movements' own cautions, each once; those every movement has are said by the page's own."""
    known = file.library.catalogue.movements
    words = [c for lift in lifts if lift.movement in known for c in known[lift.movement].cautions]
    return [w for w in dict.fromkeys(words) if "diagnose" not in w]


def _lift(file: TrainingFile, lift: PlannedLift) -> PageLift:
    imperial = file.body.imperial

    def said(text: str) -> str:
        return in_their_units(text, imperial)

    settings = next((d.settings for d in reversed(file.done) if d.movement == lift.movement and d.settings), ())
    return PageLift(
        title_of(file, lift),
        said(load_words(file, lift)),
        said(plates_words(lift)),
        say(
            "{sets} set{which} of {reps} repetitions, {rir:g} left in reserve",
            sets=lift.sets,
            which="s" if lift.sets != 1 else "",
            reps=reps_words(lift.reps),
            rir=lift.rir,
        ),
        said(warm_up_words(lift)),
        tempo_words(lift.tempo),
        say("Rest {rest} between sets", rest=rest_words(lift.rest_s)) + ("" if lift.side == BOTH else BETWEEN_SIDES),
        said(lift.cue),
        "Settings: " + joined(", ", [say("{k} {v}", k=k, v=v) for k, v in settings]) if settings else "",
        said(say("Film the first working set from {view}.", view="the " + lift.film.view if lift.film.view else "the side"))
        if lift.film.ask
        else "",
        said(_why(lift)),
        joined(". ", [w for w in (LINK_WORDS.get(lift.link, ""), lift.note) if w]),
    )


def load_words(file: TrainingFile, lift: PlannedLift) -> str:
    """ "62.5 kg", "12 kg each hand", "body weight"."""
    if not lift.load_kg:
        return "body weight"
    found = file.library.catalogue.movements.get(lift.movement)
    single = found is not None and found.training is not None and found.training.one_hand
    return say("{load_kg:g} kg{which}", load_kg=lift.load_kg, which="" if single else UNITS.get(lift.implement, ""))


def plates_words(lift: PlannedLift) -> str:
    """ "On each side: 20 + 1.25 kg"; empty where there are no plates."""
    if lift.per_side_kg is None:
        return ""
    return (
        say("On each side: {rest} kg", rest=" + ".join(f"{p:g}" for p in lift.per_side_kg))
        if lift.per_side_kg
        else "No plates: the bar or sled alone"
    )


def warm_up_words(lift: PlannedLift) -> str:
    """ "Warm-up: 20 kg × 10 to 15, 30 kg × 8"; empty without one."""
    steps = (
        say("{part} × {reps}", part=say("{load_kg:g} kg", load_kg=s.load_kg) if s.load_kg else "no load", reps=reps_words(s.reps))
        for s, _ in lift.warm_up
    )
    return say("Warm-up: {steps}", steps=joined(", ", steps)) if lift.warm_up else ""


def reps_words(reps: tuple[int, int]) -> str:
    """ "6 to 10", "8"."""
    return say("{reps} to {reps2}", reps=reps[0], reps2=reps[1]) if reps[0] != reps[1] else f"{reps[0]}"


def rest_words(seconds: int) -> str:
    """ "2 min 30 s"."""
    minutes, rest = divmod(seconds, 60)
    return (
        joined(
            " ", [w for w in (say("{minutes} min", minutes=minutes) if minutes else "", say("{rest} s", rest=rest) if rest else "") if w]
        )
        or "as long as you need"
    )


def tempo_words(tempo: str) -> str:
    """ "Tempo 2-0-1-0: lowering 2 s, lifting 1 s"; empty without one."""
    if not tempo:
        return ""
    asked = parse_tempo(tempo)
    parts = []
    for phase, name in WORDS.items():
        seconds = asked.wanted(phase)
        if seconds is None:
            parts.append(say("{name} as fast as you can with control", name=name))
        elif seconds:
            parts.append(say("{name} {seconds:g} s", name=name, seconds=seconds))
    return say("Tempo {tempo}: {parts}", tempo=tempo, parts=joined(", ", parts))


def _why(lift: PlannedLift) -> str:
    """The one sentence a client wants: what changed."""
    changed = {LoadChange.RAISE: "More than last time.", LoadChange.LOWER: "Less than last time, on purpose."}.get(lift.change, "")
    return joined(" ", [changed, lift.because]) if changed else ""


def page_html(page: SessionPage) -> str:
    """The page as a client reads it."""
    return render_session_page(page)


def session_file(file: TrainingFile, session: NextSession) -> str:
    """The session as JSON (schema session), with the rows a client can fill in and send back in her bundle's set.json, under “done”."""
    out: SessionOut = session_out(session, file.body.imperial)
    rows = [
        {"date": d.day, "movement": d.movement, "side": d.side, "load_kg": d.load_kg, "reps": 0, "rir": None, "pain": None, "note": ""}
        for d in file.offered(session)
    ]
    return json.dumps(out.document() | {"done": rows}, indent=1, ensure_ascii=False) + "\n"


def write_pages(file: TrainingFile, session: NextSession, folder: Path, coach: str = "") -> list[Path]:
    """session.html, session.pdf and session.json in a folder; returns their paths. Raises BadPlan."""
    page = session_page(file, session, coach)
    told = {
        "session.html": page_html(page).encode(),
        "session.pdf": render_session_pdf(page),
        "session.json": session_file(file, session).encode(),
    }
    try:
        private_folder(folder)
        for name, data in told.items():
            write_whole(folder / name, data)
    except OSError as error:
        raise BadPlan(say("The session's page could not be written: {error}.", error=error.strerror or error)) from error
    return [folder / name for name in told]
