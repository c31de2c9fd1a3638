"""The next session as a client gets it: one page to read, one sheet to print, the same words on both."""

from __future__ import annotations

import io
from dataclasses import dataclass

from reportlab.lib.pagesizes import A4, letter
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable, KeepInFrame, Paragraph, Table, TableStyle

from deepmirror.reply.pages import template, written
from deepmirror.reply.pdf import BOLD, COPPER, DIM, EDGE, LINE, paragraph_style, register_fonts, tight_rows
from deepmirror.words import in_language, joined, say


@dataclass(frozen=True)
class PageLift:
    """One exercise, every line already in the client's words and units; lines that do not apply are empty."""

    title: str
    load: str
    plates: str
    work: str
    warm_up: str
    tempo: str
    rest: str
    cue: str
    settings: str
    film: str
    why: str
    note: str


@dataclass(frozen=True)
class SessionPage:
    """The whole page; cautions stand at its foot."""

    client: str
    title: str
    date: str
    lifts: tuple[PageLift, ...]
    left_out: tuple[str, ...]
    notes: tuple[str, ...]
    cautions: tuple[str, ...]
    coach: str = ""
    imperial: bool = False


def render_session_page(page: SessionPage) -> str:
    """The page as HTML."""
    return template("session.html").render(page=page)


def render_session_pdf(page: SessionPage) -> bytes:
    """One sheet to print, with boxes to write into what was done; it shrinks to fit."""
    register_fonts()
    size = letter if page.imperial else A4
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=size, invariant=1, pageCompression=1)
    canvas.setTitle(page.title)
    canvas.setAuthor(page.coach or "Your coach")
    canvas.setCreator("Deep Mirror")
    width, height = size[0] - 2 * EDGE, size[1] - 2 * EDGE
    story = KeepInFrame(width, height, _story(page, width), mode="shrink")
    story.wrapOn(canvas, width, height)
    story.drawOn(canvas, EDGE, EDGE + height - story.height)
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def _story(page: SessionPage, width: float) -> list[Flowable]:
    head, dim, plain = paragraph_style(19, spaceAfter=1), paragraph_style(9, spaceAfter=6), paragraph_style(9.6)
    head.fontName, dim.textColor = BOLD, DIM
    story: list[Flowable] = [Paragraph(written(page.title), head)]
    story.append(Paragraph(written(joined(" · ", [w for w in (page.client, page.date) if w])), dim))
    rows = [_row(lift) for lift in page.lifts]
    if rows:
        table = Table(rows, [0.62 * width, 0.38 * width])
        table.setStyle(TableStyle([("LINEABOVE", (0, 0), (-1, -1), 0.6, LINE), ("LEFTPADDING", (0, 0), (0, -1), 0), *tight_rows()]))
        story.append(table)
    story += [Paragraph(written(words), plain) for words in (*page.left_out, *page.notes)]
    story += [Paragraph(written(words), dim) for words in page.cautions]
    if page.coach:
        story.append(Paragraph(written(page.coach), dim))
    return story


def _row(lift: PageLift) -> list[list[Flowable]]:
    title, plain, cue = paragraph_style(12.5, spaceAfter=1), paragraph_style(9.4), paragraph_style(11, spaceBefore=2)
    title.fontName = cue.fontName = BOLD
    cue.textColor = COPPER
    told: list[Flowable] = [Paragraph(written(say("{title}: {load}", title=lift.title, load=lift.load)), title)]
    lines = (lift.work, lift.plates, lift.warm_up, lift.tempo, lift.rest, lift.settings, lift.film, lift.note)
    told += [Paragraph(written(words), plain) for words in lines if words]
    told += [Paragraph(written(lift.cue), cue)] if lift.cue else []
    boxes = Paragraph(
        in_language("done: ____ × ____   ____ × ____   ____ × ____<br/>left in reserve: ____  pain 0–10: ____"), paragraph_style(9)
    )
    return [told, [boxes]]
