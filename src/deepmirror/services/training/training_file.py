"""One client's training, open: her plan with undo, her log, pain and overrides, and the next session worked out."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from functools import cached_property
from pathlib import Path
from typing import Any

from deepmirror.errors import BadPlan, LibraryError
from deepmirror.exchange.brief import check_client
from deepmirror.exchange.plan_file import ExercisePart, PlanPart, TrainingPart, check_training
from deepmirror.planning.gate import PAIN
from deepmirror.planning.gate import Gate as Gate
from deepmirror.planning.history import History
from deepmirror.planning.lift import PlannedLift as PlannedLift
from deepmirror.planning.progression import LoadChange as LoadChange
from deepmirror.planning.records import TrainingRecord
from deepmirror.planning.rules import rules_for
from deepmirror.planning.session import NextSession as NextSession
from deepmirror.planning.session import next_session
from deepmirror.planning.weeks import Card as Card
from deepmirror.planning.weeks import CardState as CardState
from deepmirror.planning.weeks import Week as Week
from deepmirror.planning.weeks import silent_for, weeks
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.training.plan_command import reach_of
from deepmirror.services.training.plan_edits import checked, usual_exercise
from deepmirror.services.training.training_record import training_record
from deepmirror.store.forget import sheet_folder
from deepmirror.store.training import DoneRecord as DoneRecord
from deepmirror.store.training import OverrideRecord, PainRecord
from deepmirror.words import joined, say

AT_HAND_DAYS = 400  # of sets that are read at once; lifts not done since then are read further back; our own choice
OVERRIDABLE_WORDS = "Pain is never overridden: it has to settle."


@dataclass(frozen=True)
class _Edit:
    """One edit: its name, and how it is taken back and done again."""

    label: str
    back: Callable[[], None]
    again: Callable[[], None]
    of_plan: bool = False


class TrainingFile:
    """An open client's training. What is changed is saved as it happens; edits are undone in the order they were made."""

    def __init__(self, library: FilmLibrary, client_id: int) -> None:
        if not library.saver.retry():
            raise LibraryError(say("Your last edits are not saved yet: {sentence}", sentence=library.saver.sentence))
        self.library, self.client_id, self._store = library, client_id, library.store.training
        self._done_edits: list[_Edit] = []
        self._undone: list[_Edit] = []
        self.part = check_training(self._store.record(client_id))
        self._read_edits()
        self.read()

    def read(self) -> None:
        """Read the client, her sets, pain and overrides anew: another room or a film may have changed them."""
        record = self.library.store.client(self.client_id)
        self.name, self.body = record.name, check_client(record.body)
        since = (self.today - timedelta(days=AT_HAND_DAYS)).isoformat()
        self.done = self._store.done(self.client_id, since)
        self.pain = self._store.pain(self.client_id)
        self.overrides = self._store.overrides(self.client_id)
        self._forget()

    def everything(self) -> list[DoneRecord]:
        """Every set ever done, the oldest too."""
        return self._store.done(self.client_id)

    def _forget(self) -> None:
        self.__dict__.pop("record", None)
        self.__dict__.pop("_by_day", None)

    @cached_property
    def record(self) -> TrainingRecord:
        """All of it as planning reads it."""
        closed = frozenset(
            (w.film_id, str(w.item.get("code"))) for w in self.library.store.watches.of_client(self.client_id) if w.state == "closed"
        )
        return training_record(self.name, self.body, self.part, self.done, self.pain, self.overrides, closed)

    @property
    def plan(self) -> PlanPart | None:
        """The plan as it stands; None before there is one."""
        return self.part.plan

    @property
    def today(self) -> date:
        """The day it is where the coach is."""
        return self.library.now().astimezone().date()

    def next(self, day: date | None = None) -> NextSession | None:
        """The next session from a day on, today when none is said; None without a plan."""
        if self.part.plan is None:
            return None
        return next_session(self.record, self.library.catalogue, day or self.today, reach_of(self.body))

    def weeks(self, back: int = 8, ahead: int = 2) -> list[Week]:
        """The weeks around today; empty without a plan."""
        return weeks(self.record, self.today, back, ahead) if self.part.plan is not None else []

    def silent_days(self) -> int | None:
        """Days without a word when that is too long."""
        if self.part.plan is None:
            return None
        last = max((date.fromisoformat(d.day) for d in self.done), default=None)
        return silent_for(last, self.today, len(self.part.plan.sessions), rules_for(self.part.rules))

    def usual_sets(self) -> tuple[float, float]:
        """From and to of the usual hard sets a week and muscle for her level."""
        rules = rules_for(self.part.rules)
        trained = self.part.level == "trained"
        return (rules.trained_sets_min, rules.trained_sets_max) if trained else (rules.novice_sets_min, rules.novice_sets_max)

    def day_lines(self, day: date) -> list[str]:
        """What was done on a day, a line a lift: "Back squat 60 kg × 10, 10, 9"."""
        lifts: dict[tuple[str, str, float], list[str]] = {}
        for d in self._of_day(day):
            lifts.setdefault((d.movement, d.side, d.load_kg or 0.0), []).append("?" if d.reps is None else str(d.reps))
        return [self._line(*key, reps) for key, reps in lifts.items()]

    def _line(self, movement: str, side: str, load: float, reps: list[str]) -> str:
        title = self.library.catalogue.title(movement)
        where = "" if side == "both" else say(" {side}", side=side)
        return say(
            "{title}{where} {part} × {reps}",
            title=title,
            where=where,
            part=say("{load:g} kg", load=load) if load else "body weight",
            reps=joined(", ", reps),
        )

    def day_verdicts(self, day: date) -> list[str]:
        """The verdicts of a day's films, in the order of its sets."""
        return [str(d.form["verdict"]) for d in self._of_day(day) if d.form_json and d.form.get("verdict")]

    def _of_day(self, day: date) -> list[DoneRecord]:
        return self._by_day.get(day.isoformat(), [])

    @cached_property
    def _by_day(self) -> dict[str, list[DoneRecord]]:
        out: dict[str, list[DoneRecord]] = {}
        for d in self.done:
            out.setdefault(d.day, []).append(d)
        return out

    def pages_folder(self) -> Path:
        """Where her session's page and sheet lie: with what else is made for her."""
        return sheet_folder(self.library.store, self.client_id) / "session"

    # The plan

    def edit_plan(self, edit: tuple[str, PlanPart]) -> None:
        """Put an edited plan (see plan_edits) in the place of the one before. Raises BadPlan, ReadOnly."""
        label, plan = edit
        for session in plan.sessions:
            for e in session.exercises:
                if e.movement not in self.library.catalogue.movements:
                    raise BadPlan(say("The program knows no movement “{movement}”.", movement=e.movement))
        self._set(label, self.part.model_copy(update={"plan": plan}))

    def must_have_plan(self) -> PlanPart:
        """The plan. Raises BadPlan when there is none."""
        if self.part.plan is None:
            raise BadPlan("There is no plan yet: begin one first.")
        return self.part.plan

    def usual(self, movement: str, **fields: Any) -> ExercisePart:
        """An exercise as this client usually does it. Raises BadPlan."""
        return usual_exercise(self.library.catalogue, self.body, movement, **fields)

    def templates(self) -> list[str]:
        """Names of plans to begin from."""
        return list(self._store.templates())

    def keep_template(self, name: str) -> None:
        """Keep this plan as a template. Raises LibraryError, BadPlan."""
        self.library.must_write()
        self._store.keep_template(name, self.must_have_plan().model_dump(mode="json"))

    def use_template(self, name: str, start: date) -> None:
        """Begin a plan from a template. Raises BadPlan."""
        kept = self._store.templates().get(name)
        if kept is None:
            raise BadPlan(say("There is no template “{name}”.", name=name))
        self.edit_plan((say("plan from “{name}”", name=name), checked(PlanPart, **(kept | {"start": start}))))

    def set_fields(self, label: str, **fields: Any) -> None:
        """Change level, rules, equipment or the screen. Raises BadPlan."""
        new = check_training(self.part.model_dump(mode="json") | fields)
        rules_for(new.rules)
        self._set(label, new)

    def _set(self, label: str, new: TrainingPart) -> None:
        self.library.must_write()
        before = self.part
        if new == before:
            return
        told = before.model_dump(mode="json", exclude_defaults=True), new.model_dump(mode="json", exclude_defaults=True)
        self._do(self._plan_edit(label, before, new))
        store, client_id = self._store, self.client_id
        self.library.saver.write(lambda: store.steps.add(client_id, told[0], label, told[1]))

    def _plan_edit(self, label: str, before: TrainingPart, after: TrainingPart) -> _Edit:
        return _Edit(label, lambda: self._show(before), lambda: self._show(after), of_plan=True)

    def _read_edits(self) -> None:
        """The plan's edits of earlier days, so that they can be taken back."""
        steps = self._store.steps.of(self.client_id)
        try:
            parts = [check_training(document) for _, document, _ in steps]
        except BadPlan:
            return
        if not parts or parts[max((i for i, row in enumerate(steps) if row[2]), default=0)] != self.part:
            return
        edits = [(self._plan_edit(label, a, b), done) for (label, _, done), a, b in zip(steps[1:], parts, parts[1:], strict=False)]
        self._done_edits = [e for e, done in edits if done]
        self._undone = [e for e, done in reversed(edits) if not done]

    def _note_undone(self) -> None:
        undone, store, client_id = sum(e.of_plan for e in self._undone), self._store, self.client_id
        self.library.saver.write(lambda: store.steps.move(client_id, undone))

    def _show(self, part: TrainingPart) -> None:
        self.part = part
        self._forget()
        store, client_id, kept = self._store, self.client_id, part.model_dump(mode="json", exclude_defaults=True)
        self.library.saver.write(lambda: store.keep_record(client_id, kept))

    # The log

    def log(self, rows: Iterable[DoneRecord], label: str = "log a session") -> list[int]:
        """Keep sets that were done. Raises ReadOnly, LibraryError."""
        self.library.must_write()
        ids = self._store.add_done(rows)
        self.read()
        at = self._now()
        self._push(_Edit(label, lambda: self._gone(ids, at, True), lambda: self._gone(ids, at, False)))
        return ids

    def change_set(self, done_id: int, label: str = "correct a set", **changes: Any) -> None:
        """Correct a set; what it was stays in its history. Raises ReadOnly, LibraryError."""
        self.library.must_write()
        before = next(d for d in self.done if d.id == done_id)
        was = {k: getattr(before, k) for k in changes}
        at = self._now()

        def put(values: dict[str, Any], words: str) -> None:
            self._store.change_done(done_id, at, words, **values)
            self.read()

        self._do(_Edit(label, lambda: put(was, say("undo {label}", label=label)), lambda: put(changes, label)))

    def take_out(self, done_id: int) -> None:
        """Take a set out of the log; its history stays. Raises ReadOnly, LibraryError."""
        self.library.must_write()
        at = self._now()
        self._do(_Edit("take out a set", lambda: self._gone([done_id], at, False), lambda: self._gone([done_id], at, True)))

    def _gone(self, ids: Sequence[int], at: str, gone: bool) -> None:
        for done_id in ids:
            self._store.change_done(done_id, at, "taken out" if gone else "brought back", gone=gone)
        self.read()

    def changes_of(self, done_id: int) -> list[tuple[str, str, DoneRecord]]:
        """When, what, and the set as it was before, newest first."""
        return self._store.changes_of(done_id)

    def offered(self, session: NextSession) -> list[DoneRecord]:
        """What the log offers for a session: one row a planned set, with the planned load and last time's repetitions and reserve."""
        history = History(self.record.history, session.day, self.record.client, rules_for(self.part.rules))
        return [row for lift in session.lifts for row in self._offered(lift, session, history)]

    def _offered(self, lift: PlannedLift, session: NextSession, history: History) -> list[DoneRecord]:
        last = history.sessions(lift.movement, lift.side)
        out = []
        for n in range(lift.sets):
            before = last[-1].sets[min(n, len(last[-1].sets) - 1)] if last else None
            reps = max(min(before.reps, lift.reps[1]), lift.reps[0]) if before is not None else lift.reps[0]
            same = before is not None and before.rir is not None and before.load_kg == lift.load_kg
            out.append(
                DoneRecord(
                    self.client_id,
                    session.day.isoformat(),
                    lift.movement,
                    lift.load_kg,
                    reps,
                    side=lift.side,
                    rir=before.rir if same and before is not None else lift.rir,
                    pain=0.0,
                    tempo=lift.tempo,
                    rest_s=lift.rest_s,
                    settings=self._settings(lift.movement),
                    lighter=session.lighter,
                )
            )
        return out

    def _settings(self, movement: str) -> tuple[tuple[str, str], ...]:
        """The machine's settings as they were noted last."""
        return next((d.settings for d in reversed(self.done) if d.movement == movement and d.settings), ())

    # Pain and the gate

    def note_pain(self, day: date, place: str, level: float | None, **more: Any) -> None:
        """Note pain, or a clinician's word. Raises ReadOnly, BadPlan."""
        self.library.must_write()
        if not place.strip():
            raise BadPlan("Say where it hurts, as in “left knee”.")
        if level is not None and not 0 <= level <= 10:
            raise BadPlan("Pain is told from 0 to 10.")
        self._add(PainRecord(self.client_id, day.isoformat(), place.strip(), level, **more), "note pain")

    def override(self, lift: PlannedLift, code: str, who: str, why: str) -> None:
        """The coach's own decision against one reason of a lift's gate: who, when, why and which are kept. Raises BadPlan, ReadOnly."""
        self.library.must_write()
        if code == PAIN:
            raise BadPlan(OVERRIDABLE_WORDS)
        if code not in {r.key for r in lift.gate.reasons}:
            raise BadPlan("The gate is not held by that.")
        if not who.strip() or not why.strip():
            raise BadPlan("An override needs a name and a reason: both are kept and shown.")
        self._add(
            OverrideRecord(self.client_id, self.today.isoformat(), lift.movement, code, who.strip(), why.strip()), "override the gate"
        )

    def _add(self, entry: PainRecord | OverrideRecord, label: str) -> None:
        kept: list[PainRecord | OverrideRecord] = []

        def again() -> None:
            new_id = self._store.add_pain(entry) if isinstance(entry, PainRecord) else self._store.add_override(entry)
            kept[:] = [replace(entry, id=new_id)]
            self.read()

        def back() -> None:
            self._store.remove(kept[0])
            self.read()

        self._do(_Edit(label, back, again))

    # Undo

    def _now(self) -> str:
        return self.library.now().isoformat(timespec="seconds")

    def _do(self, edit: _Edit) -> None:
        edit.again()
        self._push(edit)

    def _push(self, edit: _Edit) -> None:
        self._done_edits.append(edit)
        self._undone.clear()

    def can_undo(self) -> str | None:
        """What undo would take back, or None."""
        return self._done_edits[-1].label if self._done_edits else None

    def can_redo(self) -> str | None:
        """What redo would bring again, or None."""
        return self._undone[-1].label if self._undone else None

    def undo(self) -> None:
        """Take the last edit back. Raises ReadOnly."""
        self.library.must_write()
        if self._done_edits:
            edit = self._done_edits.pop()
            self._undone.append(edit)
            edit.back()
            self._note_undone()

    def redo(self) -> None:
        """Bring the edit last taken back again. Raises ReadOnly."""
        self.library.must_write()
        if self._undone:
            edit = self._undone.pop()
            self._done_edits.append(edit)
            edit.again()
            self._note_undone()
