"""Calendar files (iCalendar, RFC 5545): what is due, with ids that stay the same, so that bringing one in again changes nothing twice."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any

from icalendar import Calendar, Event

from deepmirror.errors import BadPlan
from deepmirror.words import in_language, say

PRODUCT = "-//Deep Mirror//plan//EN"


@dataclass(frozen=True)
class Entry:
    """One thing in a calendar: `key` names it for good; `when` is a day, or a time with its zone."""

    key: str
    title: str
    when: date | datetime
    notes: str = ""

    def uid(self) -> str:
        """An id that is the same in every file that speaks of this thing, and tells nobody's name."""
        return f"{hashlib.sha256(self.key.encode()).hexdigest()[:32]}@deep-mirror.invalid"


@dataclass(frozen=True)
class _Known:
    sequence: int
    stamp: datetime
    said: tuple[str, str, str]


def calendar_bytes(entries: Iterable[Entry], name: str, now: datetime, before: bytes | None = None) -> bytes:
    """A calendar of these entries. before: the file that was written last; what has not changed keeps its sequence and stamp."""
    known = _known(before) if before else {}
    calendar = Calendar()
    calendar.add("prodid", PRODUCT)
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", name)
    for entry in entries:
        calendar.add_component(_event(entry, now.astimezone(UTC).replace(microsecond=0), known))
    calendar.add_missing_timezones()
    return bytes(calendar.to_ical())


def _event(entry: Entry, now: datetime, known: dict[str, _Known]) -> Event:
    event = Event()
    event.add("uid", entry.uid())
    event.add("summary", in_language(entry.title))
    event.add("dtstart", entry.when)
    whole_day = not isinstance(entry.when, datetime)
    event.add("dtend", entry.when + (timedelta(days=1) if whole_day else timedelta(minutes=30)))
    event.add("description", in_language(entry.notes))
    old, said = known.get(entry.uid()), _said(event)
    same = old is not None and old.said == said
    event.add("sequence", 0 if old is None else old.sequence + (0 if same else 1))
    event.add("dtstamp", old.stamp if old is not None and same else now)
    event.add("transp", "TRANSPARENT" if whole_day else "OPAQUE")
    return event


def _said(event: Any) -> tuple[str, str, str]:
    """What of an event is news when it changes: words, beginning, notes."""
    return str(event["summary"]), event["dtstart"].to_ical().decode(), str(event.get("description", ""))


def _known(before: bytes) -> dict[str, _Known]:
    """What an earlier file said; a file that is no calendar says nothing."""
    try:
        calendar = Calendar.from_ical(before)
    except ValueError:
        return {}
    events: list[Any] = [e for e in calendar.walk("VEVENT") if {"UID", "DTSTAMP", "DTSTART", "SUMMARY"} <= set(e)]
    return {str(e["uid"]): _Known(int(e.get("sequence", 0)), e["dtstamp"].dt, _said(e)) for e in events}


def write_calendar(path: Path, entries: Iterable[Entry], name: str, now: datetime) -> Path:
    """Write or renew a calendar file. Raises BadPlan when it cannot be written."""
    try:
        before = path.read_bytes() if path.exists() else None
        path.write_bytes(calendar_bytes(entries, name, now, before))
    except OSError as error:
        raise BadPlan(say("The calendar “{path}” could not be written: {error}.", path=path, error=error.strerror or error)) from error
    return path
