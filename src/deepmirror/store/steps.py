"""The edits of each film's brief, so that they can be taken back after the film was closed."""

from __future__ import annotations

import json

from sqlalchemy import delete, select, update

from deepmirror.documents import Document
from deepmirror.store.correspondence import Sessions
from deepmirror.store.records import parsed
from deepmirror.store.tables import BriefStepRow

MOST_STEPS = 200  # per film; the oldest go


class StepStore:
    """Steps of a film in order: those done, then those undone."""

    def __init__(self, sessions: Sessions) -> None:
        self._sessions = sessions

    def of_film(self, film_id: int) -> list[tuple[str, Document, bool]]:
        """(label, brief after it, whether it is done), oldest first; empty when a step cannot be read."""
        with self._sessions() as s:
            rows = list(s.scalars(select(BriefStepRow).where(BriefStepRow.film_id == film_id).order_by(BriefStepRow.id)))
            steps = [(r.label, parsed(r.brief_json), r.done) for r in rows]
        return steps if all(brief for _, brief, _ in steps) else []

    def add(self, film_id: int, before: Document, label: str, after: Document) -> None:
        """Keep an edit; what was undone before it goes. before: the brief it started from, kept as the first step of a film."""
        with self._sessions() as s:
            mine = BriefStepRow.film_id == film_id
            s.execute(delete(BriefStepRow).where(mine, ~BriefStepRow.done))
            ids = list(s.scalars(select(BriefStepRow.id).where(mine).order_by(BriefStepRow.id)))
            if not ids:
                s.add(BriefStepRow(film_id=film_id, label="opened", brief_json=json.dumps(before), done=True))
                s.flush()
            s.add(BriefStepRow(film_id=film_id, label=label, brief_json=json.dumps(after), done=True))
            if len(ids) > MOST_STEPS:
                s.execute(delete(BriefStepRow).where(mine, BriefStepRow.id <= ids[len(ids) - MOST_STEPS - 1]))

    def move(self, film_id: int, undone: int) -> None:
        """Say how many of the last steps are undone now."""
        with self._sessions() as s:
            ids = list(s.scalars(select(BriefStepRow.id).where(BriefStepRow.film_id == film_id).order_by(BriefStepRow.id)))
            kept = len(ids) - undone
            s.execute(update(BriefStepRow).where(BriefStepRow.id.in_(ids[:kept] if kept > 0 else [])).values(done=True))
            s.execute(update(BriefStepRow).where(BriefStepRow.id.in_(ids[max(kept, 0) :])).values(done=False))
