"""After a set on the Floor: into the library and the log, what is said of it, what the coach tells of it, and what comes next."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject

from deepmirror.errors import DeepMirrorError
from deepmirror.services.films.film_library import FilmRecord
from deepmirror.services.live.floor import FloorSession, PlannedSet, SetDone, Told, take_recording
from deepmirror.services.live.floor_engine import Over, Recorded
from deepmirror.services.live.floor_engine import Told as SetTold
from deepmirror.services.live.loop import Loop
from deepmirror.services.live.session import Summary
from deepmirror.ui.context import WindowContext
from deepmirror.ui.jobs import Job
from deepmirror.ui.rooms.floor.rest_face import Tone
from deepmirror.ui.rooms.floor.room import REST
from deepmirror.ui.translation import tr
from deepmirror.words import joined


@dataclass
class SetOnShow:
    """The set that runs or was just done."""

    planned: PlannedSet
    film_id: int | None = None
    told: SetTold | None = None
    reps: int = 0
    said: Told = field(default_factory=Told)
    gone_on: bool = False


class FloorRest(QObject):
    """What becomes of the set that was just done."""

    def __init__(self, window: WindowContext) -> None:
        super().__init__(window)
        self._window, self.room = window, window.floor
        self.session: FloorSession | None = None
        self.set: SetOnShow | None = None
        self._sets: dict[int, SetOnShow] = {}  # film -> its set, until the full analysis has spoken
        self.room.rest.told.connect(self._told)

    def over(self, message: Over) -> None:
        """The set is over; its result follows."""
        if self.set is None:
            return
        planned = self.set.planned
        self.room.rest.begin(message.since_s, planned.rest_s, planned.load_kg)
        self.room.show_face(REST)
        self._show_next()

    def result(self, message: SetTold) -> None:
        """What the set showed, a few seconds after its end."""
        if self.set is None:
            return
        self.set.told = message
        self._show_told(message)
        self._show_next()

    def _show_told(self, told: SetTold) -> None:
        summary = told.summary
        tempo = self.set.planned.tempo if self.set is not None else ""
        asked = tr(" · tempo asked {tempo}", tempo=tempo) if tempo else ""
        if summary.judged:
            numbers = tr("{reps} reps · {clean} clean", reps=summary.reps, clean=summary.clean_reps) + asked
        else:
            numbers = tr("{reps} reps counted", reps=summary.reps) + asked
        cue = tr(summary.cue) if summary.cue else tr("Nothing could be told.")
        self.room.rest.show_result(numbers, cue, Tone.FAULT if summary.finding else Tone.PRAISE if summary.praised else Tone.PLAIN)

    def recorded(self, message: Recorded) -> None:
        """The film is whole: into the library and the log, then the full analysis."""
        session, shown, window = self.session, self.set, self._window
        if session is None or shown is None:
            return
        job = Job(tr("Keeping the set"), lambda _: take_recording(session.library, message.path), self)
        job.done.connect(partial(self._kept, shown))
        window.run_job(job, window.pictures, failed=self.room.say)

    def _kept(self, shown: SetOnShow, record: FilmRecord) -> None:
        shown.film_id = record.id
        self._sets[record.id] = shown
        self._keep_told(shown)
        self._window.desk_room.refresh()
        self._window.measure_film(record.id)
        if shown is self.set and shown.told is not None:
            self._play(record.path, shown.told)

    def _play(self, path: Path, told: SetTold) -> None:
        job = Job(tr("Opening the loop"), lambda _: Loop(path, told), self)
        job.done.connect(self.room.rest.loop.play)
        self._window.run_job(job, self._window.pictures, failed=self.room.say)

    def measured(self, film_id: int) -> None:
        """The full analysis of a film is there; where it was a set of this session, what it says is compared."""
        shown, session = self._sets.pop(film_id, None), self.session
        if shown is None or session is None:
            return
        job = Job(tr("Comparing"), lambda _: session.final(film_id), self)
        job.done.connect(partial(self._final, shown))
        self._window.run_job(job, self._window.solver, failed=self.room.say)

    def _final(self, shown: SetOnShow, final: SetTold) -> None:
        before, shown.told = shown.told, final
        if shown is not self.set:
            return
        words = difference(before.summary if before is not None else None, final.summary)
        if words:
            self.room.rest.correct(words)
            self._show_told(final)
        if not shown.gone_on:
            self._show_next()

    # What is told, and what comes next

    def _told(self) -> None:
        """The coach told something of the set on show."""
        shown, rest = self.set, self.room.rest
        if shown is None:
            return
        shown.said = Told(rest.load.value() or None, rest.chosen_reserve(), rest.pain.value())
        self._keep_told(shown)
        self._show_next()

    def _keep_told(self, shown: SetOnShow) -> None:
        if self.session is None or shown.film_id is None or shown.said == Told():
            return
        try:
            self.session.tell(shown.film_id, shown.said)
        except DeepMirrorError as error:
            self.room.say(error.sentence)

    def _done(self, shown: SetOnShow) -> SetDone:
        summary = shown.told.summary if shown.told is not None else None
        reps, clean = (summary.reps, summary.clean_reps) if summary is not None else (shown.reps, shown.reps)
        load = shown.said.load_kg if shown.said.load_kg is not None else shown.planned.load_kg
        return SetDone(load, reps, clean, shown.said.rir, shown.said.pain, summary.unsafe if summary is not None else "")

    def _show_next(self) -> None:
        """What would come next as things stand."""
        shown, session = self.set, self.session
        if shown is None or session is None:
            return
        following, answer = session.following(shown.planned, self._done(shown))
        words = (
            tr("{title} · {words}", title=following.title, words=following.words())
            if following is not None
            else tr("The plan has no more for today.")
        )
        self.room.rest.next.setText(tr("Next: ") + words + (tr("  ({why})", why=answer.why) if answer is not None else ""))

    def following(self) -> PlannedSet | None:
        """The set that would come next as things stand."""
        shown, session = self.set, self.session
        return session.following(shown.planned, self._done(shown))[0] if shown is not None and session is not None else None

    def go_on(self) -> None:
        """To the set that follows."""
        shown, self.set = self.set, None
        if shown is not None and self.session is not None:
            shown.gone_on = True
            self.session.after(shown.planned, self._done(shown))
        self.room.rest.clock.stop()


def difference(before: Summary | None, after: Summary) -> str:
    """What the full analysis says otherwise; nothing where it agrees."""
    if before is None:
        return ""
    words = []
    if before.reps != after.reps:
        words.append(tr("{after} reps, not {before}", after=after.reps, before=before.reps))
    if before.judged and before.clean_reps != after.clean_reps:
        words.append(tr("{after} of them clean, not {before}", after=after.clean_reps, before=before.clean_reps))
    if before.finding != after.finding:
        words.append(tr("another cue"))
    return tr("The full analysis corrects the first one: {what}.", what=joined(", ", words)) if words else ""
