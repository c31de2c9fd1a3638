"""The set-up sheet: one printable page that fits a machine or a stance to one client before she lifts."""

from __future__ import annotations

from dataclasses import dataclass

from deepmirror.reply.pages import template


@dataclass(frozen=True)
class SheetLine:
    """One thing to set: what, the number for this body, and where it comes from."""

    what: str
    value: str
    why: str


@dataclass(frozen=True)
class Sheet:
    """Everything on the page.

    last_time: what the last film of this movement asks to change; pathways: (title, steps) for noted pain.
    """

    client: str
    movement: str
    start: str
    date: str
    checks: tuple[str, ...]
    lines: tuple[SheetLine, ...]
    last_time: tuple[str, ...]
    pain: tuple[str, ...]
    pathways: tuple[tuple[str, tuple[str, ...]], ...]
    easier: tuple[str, ...]
    harder: tuple[str, ...]
    instead: tuple[str, ...]
    disputed: tuple[str, ...]
    cautions: tuple[str, ...]


def render_sheet(sheet: Sheet) -> str:
    """The page as HTML that a browser, a printer and a plain text-document renderer all understand."""
    return template("sheet.html").render(sheet=sheet)
