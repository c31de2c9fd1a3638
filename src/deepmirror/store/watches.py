"""Corrections that are watched over a client's next films, the coach's phrases, and her settings."""

from __future__ import annotations

import json
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from deepmirror.documents import Document
from deepmirror.errors import Gone
from deepmirror.store.correspondence import Sessions
from deepmirror.store.records import parsed
from deepmirror.store.tables import PhraseRow, SettingRow, WatchLookRow, WatchRow


@dataclass(frozen=True)
class WatchRecord:
    """One watched correction. state: open, closed, changed; item: what was found then (see services.films.follow_up.Baseline)."""

    id: int
    client_id: int
    film_id: int
    movement: str
    opened_at: str
    state: str
    item: Document
    looks: tuple[tuple[int, str, Document], ...]  # film, when it arrived, what it says; oldest first


class WatchStore:
    """Watched corrections and what each later film says of them."""

    def __init__(self, sessions: Sessions) -> None:
        self._sessions = sessions

    def add(self, client_id: int, film_id: int, movement: str, opened_at: str, item: Document) -> WatchRecord:
        """Begin to watch; an open one for the same client, movement and fault is replaced by this one (its looks stay)."""
        with self._sessions() as s:
            for old in s.scalars(_of(client_id, movement).where(WatchRow.state == "open")):
                if parsed(old.item_json).get("code") == item["code"]:
                    old.state = "changed"
            row = WatchRow(client_id=client_id, film_id=film_id, movement=movement, opened_at=opened_at, item_json=json.dumps(item))
            s.add(row)
            s.flush()
            return _watch(s, row)

    def set_outcome(self, watch_id: int, state: str) -> WatchRecord:
        """Close, change or reopen. Raises LibraryError when it is gone."""
        with self._sessions() as s:
            row = s.get(WatchRow, watch_id)
            if row is None:
                raise Gone("That correction is no longer watched.")
            row.state = state
            return _watch(s, row)

    def of_client(self, client_id: int, movement: str | None = None) -> list[WatchRecord]:
        """All watched corrections of a client, oldest first."""
        with self._sessions() as s:
            rows = s.scalars(_of(client_id, movement).order_by(WatchRow.id))
            return [_watch(s, r) for r in rows if parsed(r.item_json)]

    def look(self, watch_id: int, film_id: int, at: str, look: Document | None) -> None:
        """Note what a film says of a watched correction, in place of what it said before; None takes it back."""
        with self._sessions() as s:
            s.execute(delete(WatchLookRow).where(WatchLookRow.watch_id == watch_id, WatchLookRow.film_id == film_id))
            if look is not None:
                s.add(WatchLookRow(watch_id=watch_id, film_id=film_id, at=at, look_json=json.dumps(look)))


def _of(client_id: int, movement: str | None) -> Any:
    query = select(WatchRow).where(WatchRow.client_id == client_id)
    return query.where(WatchRow.movement == movement) if movement else query


def _watch(s: Session, row: WatchRow) -> WatchRecord:
    looks = s.scalars(select(WatchLookRow).where(WatchLookRow.watch_id == row.id).order_by(WatchLookRow.at, WatchLookRow.id))
    said = tuple((look.film_id, look.at, told) for look in looks if (told := parsed(look.look_json)))
    return WatchRecord(row.id, row.client_id, row.film_id, row.movement, row.opened_at, row.state, parsed(row.item_json), said)


class PhraseStore:
    """Words the coach used before, most used first; and her settings."""

    def __init__(self, sessions: Sessions) -> None:
        self._sessions = sessions

    def used(self, field: str, code: str, text: str) -> None:
        """Remember that these words went out."""
        with self._sessions() as s:
            row = s.scalar(select(PhraseRow).where(PhraseRow.field == field, PhraseRow.code == code, PhraseRow.text == text))
            if row is None:
                s.add(PhraseRow(field=field, code=code, text=text))
            else:
                row.used += 1

    def bank(self, field: str, code: str) -> list[str]:
        """Words for a field: those used for this fault first, then those for others."""
        with self._sessions() as s:
            rows = s.scalars(
                select(PhraseRow).where(PhraseRow.field == field).order_by((PhraseRow.code != code), PhraseRow.used.desc(), PhraseRow.id)
            )
            return list(dict.fromkeys(r.text for r in rows))

    def setting(self, key: str, default: Any) -> Any:
        """A setting, or the default."""
        with self._sessions() as s:
            row = s.get(SettingRow, key)
            try:
                return json.loads(row.value) if row else default
            except ValueError:  # damaged: it costs this setting only
                return default

    def settings(self, keys: Sequence[str]) -> dict[str, Any]:
        """Those of the settings that were kept and can be read."""
        found: dict[str, Any] = {}
        with self._sessions() as s:
            for row in s.scalars(select(SettingRow).where(SettingRow.key.in_(keys))):
                with suppress(ValueError):  # damaged: it costs this setting only
                    found[row.key] = json.loads(row.value)
        return found

    def set(self, key: str, value: Any) -> None:
        """Keep a setting."""
        with self._sessions() as s:
            s.merge(SettingRow(key=key, value=json.dumps(value)))
