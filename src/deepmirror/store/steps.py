"""Edits that are kept with what was edited, a film's brief or a client's training, so that they can be taken back later."""

from __future__ import annotations

import json
from typing import cast

from sqlalchemy import ColumnElement, delete, select, update

from deepmirror.documents import Document
from deepmirror.store.correspondence import Sessions
from deepmirror.store.records import parsed
from deepmirror.store.tables import BriefStepRow, TrainingStepRow

MOST_STEPS = 200  # per film or client; the oldest go
StepRow = type[BriefStepRow] | type[TrainingStepRow]


class StepStore:
    """Steps of one owner in order: those done, then those undone."""

    def __init__(self, sessions: Sessions, row: StepRow = BriefStepRow) -> None:
        self._sessions, self._row = sessions, row
        self._owner, self._json = ("film_id", "brief_json") if row is BriefStepRow else ("client_id", "record_json")

    def _new(self, owner: int, label: str, document: Document) -> BriefStepRow | TrainingStepRow:
        return self._row(**{self._owner: owner, self._json: json.dumps(document)}, label=label, done=True)

    def _mine(self, owner: int) -> ColumnElement[bool]:
        return cast("ColumnElement[bool]", getattr(self._row, self._owner) == owner)

    def of(self, owner: int) -> list[tuple[str, Document, bool]]:
        """(label, document after it, whether it is done), oldest first; empty when a step cannot be read."""
        with self._sessions() as s:
            query = select(self._row).where(self._mine(owner)).order_by(self._row.id)
            rows = cast("list[BriefStepRow | TrainingStepRow]", list(s.scalars(query)))
            steps = [(r.label, parsed(getattr(r, self._json)), r.done) for r in rows]
        return steps if all(document for _, document, _ in steps) else []

    def add(self, owner: int, before: Document, label: str, after: Document) -> None:
        """Keep an edit; what was undone before it goes. before: what it started from, kept as the owner's first step."""
        with self._sessions() as s:
            mine = self._mine(owner)
            s.execute(delete(self._row).where(mine, ~self._row.done))
            ids = list(s.scalars(select(self._row.id).where(mine).order_by(self._row.id)))
            if not ids:
                s.add(self._new(owner, "opened", before))
                s.flush()
            s.add(self._new(owner, label, after))
            if len(ids) > MOST_STEPS:
                s.execute(delete(self._row).where(mine, self._row.id <= ids[len(ids) - MOST_STEPS - 1]))

    def move(self, owner: int, undone: int) -> None:
        """Say how many of the last steps are undone now."""
        with self._sessions() as s:
            ids = list(s.scalars(select(self._row.id).where(self._mine(owner)).order_by(self._row.id)))
            kept = max(len(ids) - undone, 0)
            s.execute(update(self._row).where(self._row.id.in_(ids[:kept])).values(done=True))
            s.execute(update(self._row).where(self._row.id.in_(ids[kept:])).values(done=False))
