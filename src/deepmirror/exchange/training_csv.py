"""Done sets as a table (CSV): written with fixed columns, read from any table whose columns are named in a mapping step."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from pydantic import ValidationError

from deepmirror.core.training.effort import rir_from_rpe
from deepmirror.core.units import KG_PER_LB
from deepmirror.documents import Document
from deepmirror.errors import BadPlan
from deepmirror.exchange.plan_file import DonePart, said
from deepmirror.words import say

COLUMNS = (
    "date",
    "movement",
    "side",
    "kind",
    "load_kg",
    "reps",
    "clean_reps",
    "rir",
    "pain",
    "pain_next_morning",
    "tempo",
    "rest_s",
    "note",
)
MOST_ROWS = 200_000
# What columns are called in tables met with; the longest match wins. Common practice, no source.
NAMES = {
    "date": ("date", "day", "datum", "when"),
    "movement": ("movement", "exercise", "lift", "name"),
    "side": ("side", "leg"),
    "kind": ("kind", "type", "set type"),
    "load": ("load", "load kg", "weight", "weight kg", "weight lb", "load lb", "kg", "lb", "lbs"),
    "reps": ("reps", "repetitions", "rep"),
    "clean_reps": ("clean reps", "good reps"),
    "rir": ("rir", "reps in reserve", "reserve"),
    "rpe": ("rpe", "effort"),
    "pain": ("pain", "pain during"),
    "pain_next_morning": ("pain next morning", "next morning"),
    "tempo": ("tempo",),
    "rest_s": ("rest", "rest s", "rest seconds"),
    "note": ("note", "notes", "comment", "comments"),
    "sets": ("sets",),
}
REQUIRED = ("date", "movement", "load", "reps")
DAYS = ("%Y-%m-%d", "%d.%m.%Y", "%d/%m/%Y", "%m/%d/%Y", "%d-%m-%Y", "%Y/%m/%d")


@dataclass(frozen=True)
class Table:
    """A table as it was read: its columns' names and its rows."""

    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]

    def movements(self, column: str) -> list[str]:
        """Different words in a column, in order."""
        i = self.columns.index(column)
        return list(dict.fromkeys(r[i].strip() for r in self.rows if r[i].strip()))


def done_csv(rows: Iterable[Document]) -> str:
    """Done sets as CSV with the columns COLUMNS."""
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, extrasaction="ignore", lineterminator="\n")
    writer.writeheader()
    writer.writerows({k: ("" if row.get(k) is None else row[k]) for k in COLUMNS} for row in rows)
    return out.getvalue()


def read_table(text: str) -> Table:
    """A table with a head, comma, semicolon or tab between columns. Raises BadPlan."""
    first = text.lstrip("﻿").splitlines()[:1]
    if not first:
        raise BadPlan("The table is empty.")
    separator = max(",;\t", key=first[0].count)
    rows = [tuple(r) for r in csv.reader(io.StringIO(text.lstrip("﻿")), delimiter=separator) if any(c.strip() for c in r)]
    if len(rows) > MOST_ROWS:
        raise BadPlan(say("The table has {rows} rows; {most_rows} are the most that are read.", rows=len(rows), most_rows=MOST_ROWS))
    head = tuple(c.strip() for c in rows[0])
    if len(head) < 2 or len(set(head)) != len(head):
        raise BadPlan("The table's first row must name its columns, each once.")
    return Table(head, tuple((*r, *[""] * (len(head) - len(r)))[: len(head)] for r in rows[1:]))


def guess_columns(columns: Sequence[str]) -> dict[str, str]:
    """Which column is what, as far as names tell; for the coach to confirm."""
    out: dict[str, str] = {}
    plain = {c: re.sub(r"[^a-z]+", " ", c.lower()).strip() for c in columns}
    for field, names in NAMES.items():
        found = next(
            (c for name in sorted(names, key=len, reverse=True) for c in columns if plain[c] == name and c not in out.values()), None
        )
        if found is not None:
            out[field] = found
    return out


def read_done(table: Table, mapping: Mapping[str, str], movements: Mapping[str, str], pounds: bool) -> list[DonePart]:
    """Done sets of a table. mapping: what -> column; movements: its words -> movement ids, "" for rows to leave out.

    Raises BadPlan naming the row and what is wrong; nothing is taken in then.
    """
    if missing := [f for f in REQUIRED if f not in mapping]:
        raise BadPlan(say("Say which column holds the {missing}.", missing=missing[0]))
    days = _day_format([r[table.columns.index(mapping["date"])] for r in table.rows])
    out: list[DonePart] = []
    for number, row in enumerate(table.rows, 2):
        cell = {field: row[table.columns.index(column)].strip() for field, column in mapping.items() if column in table.columns}
        movement = movements.get(cell["movement"], "")
        if movement:
            out += _sets(cell, movement, days, pounds, number)
    return out


def _sets(cell: Mapping[str, str], movement: str, days: str, pounds: bool, number: int) -> list[DonePart]:
    try:
        data: dict[str, Any] = {"movement": movement, "date": datetime.strptime(cell["date"], days).date()}
        load = _number(cell["load"]) or 0.0
        data |= {"load_kg": round(load * KG_PER_LB, 3) if pounds else load, "reps": _whole(cell["reps"])}
        for field in ("clean_reps", "rest_s"):
            data |= {field: _whole(cell[field])} if cell.get(field) else {}
        for field in ("rir", "pain", "pain_next_morning"):
            data |= {field: _number(cell[field])} if cell.get(field) else {}
        if cell.get("rpe") and "rir" not in data:
            data["rir"] = rir_from_rpe(_number(cell["rpe"]) or 0.0)
        data |= {field: cell[field].lower() for field in ("side", "kind") if cell.get(field)}
        data |= {field: cell[field] for field in ("tempo", "note") if cell.get(field)}
        return [DonePart.model_validate(data)] * max(_whole(cell.get("sets") or "1"), 1)
    except ValidationError as error:
        raise BadPlan(say("Row {number} is not right at {said}.", number=number, said=said(error))) from error
    except ValueError as error:
        raise BadPlan(say("Row {number} is not right: {error}.", number=number, error=error)) from error


def _day_format(days: Sequence[str]) -> str:
    """The one way of writing days that fits all of a column. Raises BadPlan when none does, or when two do and differ."""
    told = [d.strip() for d in days if d.strip()]
    fitting = {f: [_day(d, f) for d in told] for f in DAYS}
    whole = {f: read for f, read in fitting.items() if all(d is not None for d in read)}
    if not told or not whole:
        raise BadPlan("The days of this table cannot be read: write them like 2026-10-05.")
    if len({tuple(read) for read in whole.values()}) > 1:
        raise BadPlan("The days of this table can be read in two ways (day or month first): write them like 2026-10-05.")
    return next(iter(whole))


def _day(text: str, how: str) -> date | None:
    try:
        return datetime.strptime(text, how).date()
    except ValueError:
        return None


def _number(text: str) -> float | None:
    plain = text.replace(",", ".") if text.count(",") == 1 and "." not in text else text
    try:
        return float(plain)
    except ValueError:
        raise ValueError(say("“{text}” is no number", text=text)) from None


def _whole(text: str) -> int:
    value = _number(text) or 0.0
    if value != int(value):
        raise ValueError(say("“{text}” is no whole number", text=text))
    return int(value)
