"""What is due: films, replies, and clients nobody has heard of; as rows, as calendars, and as a text to send."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime
from pathlib import Path
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from deepmirror.core.units import in_their_units
from deepmirror.errors import DeepMirrorError
from deepmirror.exchange.calendar_file import Entry, write_calendar
from deepmirror.planning.dates import planned_days
from deepmirror.planning.session import NextSession
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.film_library import FilmLibrary, FilmState
from deepmirror.services.training.client_page import day_words
from deepmirror.services.training.training_file import TrainingFile
from deepmirror.words import in_language, joined, say

ANSWERED = (FilmState.SENT, FilmState.REPLACED, FilmState.ASKED)
AHEAD_DAYS = 42  # of sessions in a calendar; our own choice


@dataclass(frozen=True)
class DueRow:
    """One line of what is due: whose, what, by when, why; silent: days without a word."""

    client_id: int
    client: str
    what: str
    by: date | None
    why: str
    silent: int | None = None


def due_rows(library: FilmLibrary, progress: Progress) -> list[DueRow]:
    """Films due within a week and clients gone silent, over all clients with a plan, the most urgent first."""
    rows: list[DueRow] = []
    planned = library.store.training.planned()
    for i, client in enumerate(c for c in library.clients() if planned.get(c.id, {}).get("plan")):
        progress.report(i / max(len(planned), 1), "looking at what is due")
        try:
            file = TrainingFile(library, client.id)
            session = file.next()
        except DeepMirrorError:  # a plan that cannot be read costs its own rows only
            continue
        if session is not None:
            rows += [
                DueRow(client.id, client.name, say("film {m}", m=library.catalogue.title(m)), by, why) for m, by, why in session.films_due
            ]
        if (silent := file.silent_days()) is not None:
            rows.append(DueRow(client.id, client.name, say("nothing heard for {silent} days", silent=silent), None, "", silent))
    progress.report(1.0, "done")
    return sorted(rows, key=lambda r: (r.silent is None, r.by or date.max, r.client))


def reminder(file: TrainingFile, session: NextSession, coach: str = "") -> str:
    """A text to send: what is planned when, what to film and from where, and a word when nothing was heard."""
    first = file.name.split()[0] if file.name.split() else file.name
    lines = [say("Hello {first},", first=first)]
    if (silent := file.silent_days()) is not None:
        lines.append(
            say(
                "I have not heard from you for {silent} days. Is all well? Tell me if something hurts or the days do not fit.",
                silent=silent,
            )
        )
    lines.append(say("Your next session is planned for {day}.", day=day_words(session.day)))
    for lift in session.lifts:
        if lift.film.ask:
            side = say(", {side} leg", side=lift.side) if lift.side != "both" else ""
            lines.append(
                say(
                    "Please film the first working set of {movement}{side} from {from_}.",
                    movement=file.library.catalogue.title(lift.movement),
                    side=side,
                    from_=_from(lift.film.view),
                )
            )
    for region in session.stages:
        lines.append(
            say("How is your {region}? Tell me 0 to 10 while training, and the next morning.", region=region.region.replace("_", " "))
        )
    return in_language(joined("\n", [*(in_their_units(x, file.body.imperial) for x in lines), *([coach] if coach else [])]))


def _from(view: str) -> str:
    return "the side" if view.startswith("side") else say("the {view}", view=view)


def client_calendar(file: TrainingFile, path: Path) -> Path:
    """A client's sessions of the next weeks and the films that are due. Raises BadPlan."""
    session = file.next()
    key = f"client-{file.client_id}-{file.library.store.folder}"
    entries: list[Entry] = []
    if session is not None:
        entries.append(
            Entry(f"{key}-{session.day}", say("Session: {name}", name=session.name or session.session), session.day, _notes(file, session))
        )
        later = planned_days(file.record.plan, session.day, AHEAD_DAYS)
        entries += [
            Entry(
                f"{key}-{day}",
                say("Session: {name}", name=plan.name or plan.day),
                day,
                joined(", ", [file.library.catalogue.title(e.movement) for e in plan.exercises]),
            )
            for day, plan in later
            if day > session.day
        ]
        entries += [
            Entry(f"{key}-film-{m}", say("Film: {m}", m=file.library.catalogue.title(m)), by, why) for m, by, why in session.films_due
        ]
    return write_calendar(path, entries, say("Training {name}", name=file.name), file.library.now())


def _notes(file: TrainingFile, session: NextSession) -> str:
    rows = (
        say(
            "{movement} {load_kg:g} kg, {sets} × {reps}-{reps2}",
            movement=file.library.catalogue.title(x.movement),
            load_kg=x.load_kg,
            sets=x.sets,
            reps=x.reps[0],
            reps2=x.reps[1],
        )
        for x in session.lifts
        if x.sets
    )
    return joined("\n", [in_their_units(r, file.body.imperial) for r in rows])


def coach_calendar(library: FilmLibrary, path: Path, progress: Progress, zone: str = "") -> Path:
    """The coach's: films due of all clients, and replies due at their hour in her time zone. Raises BadPlan."""
    key = f"coach-{library.store.folder}"
    films = [
        Entry(f"{key}-{r.client_id}-{r.what}", say("{client}: {what}", client=r.client, what=r.what), r.by, r.why)
        for r in due_rows(library, progress)
        if r.by
    ]
    where = _zone(zone)
    replies = [
        Entry(
            f"{key}-reply-{f.id}",
            say("Answer {client_name}: {movement}", client_name=f.client_name, movement=library.catalogue.title(f.movement)),
            _aware(f.due_at).astimezone(where),
            f.note,
        )
        for f in library.films()
        if f.due_at and f.state not in ANSWERED
    ]
    return write_calendar(path, [*films, *replies], "Coaching", library.now())


def _zone(name: str) -> ZoneInfo:
    try:
        return ZoneInfo(name or "UTC")
    except (ZoneInfoNotFoundError, ValueError):
        return ZoneInfo("UTC")


def _aware(iso: str) -> datetime:
    when = datetime.fromisoformat(iso)
    return when if when.tzinfo is not None else when.replace(tzinfo=UTC)
