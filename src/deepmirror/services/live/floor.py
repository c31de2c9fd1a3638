"""A session on the floor, at the library's side: what comes next by the plan, the brief of a set, its film and its place in the log."""

from __future__ import annotations

import json
from contextlib import suppress
from dataclasses import asdict, dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from deepmirror.documents import Document
from deepmirror.errors import DeepMirrorError, LibraryError
from deepmirror.exchange.brief import check_brief
from deepmirror.exchange.plan_file import equipment_of
from deepmirror.files import write_whole
from deepmirror.planning.next_set import NextLoad, next_load
from deepmirror.planning.next_set import SetDone as SetDone
from deepmirror.planning.records import Kind
from deepmirror.planning.rules import rules_for
from deepmirror.services.films.film_library import FilmLibrary, FilmRecord
from deepmirror.services.live.camera_place import MarksHere, marks_here
from deepmirror.services.live.floor_engine import GetReady, told_of
from deepmirror.services.live.floor_engine import Told as SetTold
from deepmirror.services.training.training_file import PlannedLift, TrainingFile
from deepmirror.store.training import DoneRecord
from deepmirror.words import say

Picture = NDArray[np.uint8]

WARM_UP, WORK = Kind.WARM_UP.value, Kind.WORK.value
NOTHING_BYTES = 8000  # a recording no longer than this is its header: it was killed before its first half second


@dataclass(frozen=True)
class PlannedSet:
    """One set to be done. number, of: which of how many of its kind; reps from and to; because: what decided its load."""

    movement: str
    title: str
    side: str
    kind: str
    number: int
    of: int
    load_kg: float
    reps: tuple[int, int]
    rir: float
    tempo: str
    rest_s: int
    cue: str = ""
    because: str = ""
    implement: str = ""

    def words(self) -> str:
        """As it is read from some steps away: "Set 2 of 3 · 60 kg × 8–10"."""
        what = "Warm-up" if self.kind == WARM_UP else "Set"
        reps = f"{self.reps[0]}–{self.reps[1]}" if self.reps[0] != self.reps[1] else f"{self.reps[0]}"
        load = say("{load_kg:g} kg", load_kg=self.load_kg) if self.load_kg else "body weight"
        return say("{what} {number} of {of} · {load} × {reps}", what=what, number=self.number, of=self.of, load=load, reps=reps)


@dataclass(frozen=True)
class Told:
    """What the coach tells of a set between two sets; None where she says nothing."""

    load_kg: float | None = None
    rir: float | None = None
    pain: float | None = None


class FloorSession:
    """One client's session today. The sets follow the plan; what is filmed goes into the library and the log as it is done."""

    def __init__(self, library: FilmLibrary, client_id: int) -> None:
        """Raises LibraryError."""
        self.library, self.client_id = library, client_id
        self._file = TrainingFile(library, client_id)
        self.name = self._file.name
        self.planned = self._planned()
        self.at = self._begun = 0
        self.view = "side-left"
        self.machine = ""
        self.marks: MarksHere | None = None

    def _planned(self) -> list[PlannedSet]:
        session = self._file.next()
        return [s for lift in session.lifts for s in self._sets(lift)] if session is not None else []

    def _sets(self, lift: PlannedLift) -> list[PlannedSet]:
        title = self.library.catalogue.title(lift.movement)
        work = PlannedSet(
            lift.movement, title, lift.side, WORK, 1, lift.sets, lift.load_kg, lift.reps, lift.rir, lift.tempo, lift.rest_s,
            lift.cue, lift.because, lift.implement,
        )  # fmt: skip
        steps = [step for step, _ in lift.warm_up]
        warm = [
            replace(work, kind=WARM_UP, number=k + 1, of=len(steps), load_kg=s.load_kg, reps=s.reps, because="")
            for k, s in enumerate(steps)
        ]
        return warm + [replace(work, number=k + 1) for k in range(lift.sets)]

    def present(self) -> PlannedSet | None:
        """The set that comes now; None when the plan has no more, or there is none."""
        return self.planned[self.at] if self.at < len(self.planned) else None

    def choose(self, movement: str) -> PlannedSet:
        """A set of this movement now: the plan's next one of it, else one of its own with what is usual for her."""
        for k in range(self.at, len(self.planned)):
            if self.planned[k].movement == movement:
                self.at = k
                return self.planned[k]
        last = next((d for d in reversed(self._file.done) if d.movement == movement and d.load_kg is not None), None)
        usual = self._file.usual(movement)
        own = PlannedSet(
            movement, self.library.catalogue.title(movement), "both", WORK, 1, usual.sets, float(last.load_kg or 0.0) if last else 0.0,
            usual.reps, usual.rir, usual.tempo or self._asked_last(movement), usual.rest_s, implement=usual.implement or "",
        )  # fmt: skip
        self.planned[self.at : self.at] = [replace(own, number=k + 1) for k in range(usual.sets)]
        return own

    def _asked_last(self, movement: str) -> str:
        """The tempo her newest film of a movement was asked for."""
        film = self.last_film(movement)
        return str(film.brief.get("tempo") or "") if film is not None else ""

    def last_film(self, movement: str) -> FilmRecord | None:
        """Her newest film of a movement."""
        return next((f for f in self.library.films() if (f.client_id, f.movement) == (self.client_id, movement)), None)

    def step(self, by: int) -> PlannedSet | None:
        """On to the next set of the plan, or back."""
        self.at = min(max(self.at + by, 0), len(self.planned))
        return self.present()

    # The camera's place and the brief

    def look_for_marks(self, picture: Picture, size: tuple[int, int]) -> MarksHere | None:
        """Marks of this machine from this side, brought to where a camera of this size shows them; None where there are none."""
        self.marks = marks_here(self.library.store, self.machine, self.view, picture, size)
        return self.marks

    def machines(self) -> list[str]:
        """Machines and places films were made on."""
        return self.library.store.machines()

    def recordings(self) -> Path:
        """Where films lie while they are recorded."""
        return recordings_folder(self.library)

    def get_ready(self, now: PlannedSet) -> GetReady:
        """The brief of the set that comes, and where its film is written: what a killed program needs to keep it lies beside it."""
        client = self.library.store.client(self.client_id)
        brief: Document = {"movement": now.movement, "view": self.view, "client": client.body}
        brief |= {k: v for k, v in (("load_kg", now.load_kg), ("tempo", now.tempo), ("machine", self.machine)) if v}
        if self.marks is not None and self.marks.fit:
            brief |= self.marks.fields()
        check_brief(brief)
        stamp = self.library.now().strftime("%Y%m%d-%H%M%S")
        self._begun += 1
        path = self.recordings() / f"{stamp}-{self.client_id}-{self._begun}.mp4"
        beside = {"client_id": self.client_id, "brief": brief, "set": asdict(now), "at": self.library.now().isoformat(timespec="seconds")}
        write_whole(path.with_suffix(".json"), lambda file: file.write(json.dumps(beside).encode()))
        return GetReady(brief, path)

    def final(self, film_id: int) -> SetTold:
        """What the full analysis says of a set that was measured. Raises CannotSolve, BadFilm, LibraryError."""
        film, brief, evidence = self.library.open_analysis(film_id)
        with film:
            if evidence is None:
                raise LibraryError("The set could not be measured.")
            return told_of(self.library.conclude(film.facts, brief, evidence))

    # After the set

    def tell(self, film_id: int, told: Told) -> None:
        """Put what the coach tells into the set's place in the log. Raises LibraryError."""
        done = self.library.store.training.done_of_film(film_id)
        changes = {k: v for k, v in vars(told).items() if v is not None}
        if done is None or not changes:
            return
        self.library.must_write()
        at = self.library.now().isoformat(timespec="seconds")
        self.library.store.training.change_done(done.id, at, "told on the floor", **changes)

    def following(self, now: PlannedSet, done: SetDone) -> tuple[PlannedSet | None, NextLoad | None]:
        """The set that follows, with its load worked out from the one just done, and why; None for why where nothing was worked out."""
        later = self.planned[self.at + 1 :]
        if not later or (later[0].movement, later[0].side, now.kind) != (now.movement, now.side, WORK):
            return (later[0] if later else None), None
        part, upcoming = self._file.part, later[0]
        loads = equipment_of(part.equipment).loads(now.movement, now.implement)
        if loads is None or not loads.all():
            return upcoming, None
        answer = next_load(upcoming.load_kg, upcoming.reps, upcoming.rir, done, loads, rules_for(part.rules))
        if answer.load_kg is None:
            return next((s for s in later if s.movement != now.movement), None), answer
        return replace(upcoming, load_kg=answer.load_kg), answer

    def after(self, now: PlannedSet, done: SetDone) -> tuple[PlannedSet | None, NextLoad | None]:
        """As `following`, and go on to it."""
        following, answer = self.following(now, done)
        self.at += 1
        if answer is not None and answer.load_kg is None:
            while (present := self.present()) is not None and present.movement == now.movement:
                self.at += 1
        elif following is not None and answer is not None:
            self.planned[self.at] = following
        self.at = min(self.at, len(self.planned))
        return following, answer

    def done_today(self) -> list[DoneRecord]:
        """Her sets of today, in order."""
        self._file.read()
        day = self._file.today.isoformat()
        return [d for d in self._file.done if d.day == day]


def recordings_folder(library: FilmLibrary) -> Path:
    """Where films lie while they are recorded; as private as the rest of the library."""
    return library.store.recordings_folder()


def take_recording(library: FilmLibrary, film: Path) -> FilmRecord:
    """Take a recording with what stands beside it into the library and the log, then let it go. Raises BadFilm, BadBrief, LibraryError."""
    beside = film.with_suffix(".json")
    try:
        told = json.loads(beside.read_text("utf-8"))
        brief, now = told["brief"], told["set"]
        client_id = int(told["client_id"])
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise LibraryError(
            say("Nobody knows whose set “{name}” is: bring it in by hand, it lies in {parent}.", name=film.name, parent=film.parent)
        ) from error
    record = library.import_film(film, client_id, brief["movement"], brief["view"], brief.get("load_kg"), brief.get("tempo"), "", None)
    more = {k: brief[k] for k in ("machine", "marks", "marks_taken_over", "scale") if k in brief}
    if more:
        library.store.update_film(record.id, brief=record.brief | more)
    done = library.store.training.done_of_film(record.id)
    if done is not None:
        side = {"side": now["side"]} if now["side"] != "both" else {}
        library.store.training.renew_done(done.id, kind=now["kind"], rest_s=now["rest_s"], **side)
    _let_go(film)
    return library.store.film(record.id)


def unfinished(library: FilmLibrary) -> list[Path]:
    """What stands beside recordings, or beside the beginnings of some, that an ended program left. Asked at the start, before a session
    of this one begins."""
    return [] if library.read_only else sorted(recordings_folder(library).glob("*.json"))


@dataclass(frozen=True)
class Recovered:
    """What became of recordings a killed program left: those taken in, and a sentence for each that could not be."""

    films: list[FilmRecord]
    refused: list[str]


def recover(library: FilmLibrary, left: list[Path]) -> Recovered:
    """Sets that were being recorded when the program was killed: into the library and the log. What was never begun goes."""
    out = Recovered([], [])
    folder = recordings_folder(library)
    for beside in left:
        film = beside.with_suffix(".mp4")
        if not film.exists() or film.stat().st_size < NOTHING_BYTES:
            _let_go(film)
            continue
        try:
            out.films.append(take_recording(library, film))
        except DeepMirrorError as error:
            if error.details.get("film_id") is not None:  # it was killed between taking it in and letting it go
                _let_go(film)
            else:
                out.refused.append(
                    say("A recorded set could not be taken in; it lies in {folder}. {sentence}", folder=folder, sentence=error.sentence)
                )
    return out


def _let_go(film: Path) -> None:
    """Remove a recording and what stands beside it."""
    for path in (film, film.with_suffix(".json")):
        with suppress(OSError):
            path.unlink(missing_ok=True)
