"""The one page a client can print: A4, or US letter for those who measure in inches (ReportLab)."""

from __future__ import annotations

import io
from dataclasses import dataclass
from importlib import resources
from typing import Any

from PIL import Image as Picture
from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4, letter
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable, Image, KeepInFrame, Paragraph, Spacer, Table, TableStyle

from deepmirror.reply.model import Correction, Reply, Since
from deepmirror.reply.pages import written
from deepmirror.words import joined, say

FACE, BOLD = "Read", "Read-Bold"
INK, DIM, COPPER, TEAL, LINE = (HexColor(c) for c in ("#2a2420", "#6d625a", "#8f431b", "#147074", "#ddd2bf"))
EDGE = 16 * mm
PICTURE_PX = 900  # width of a picture on the page; sharper is not seen in print at this size
FOOT = 24 * mm
TYPES = (1.45, 1.35, 1.25, 1.15, 1.08, 1.0)  # how much larger than the least size the type may be: the largest that fits is taken
SHARES = {1: (1.0, 0.8, 0.6), 2: (0.58, 0.52), 3: (0.5, 0.44)}  # of the width a picture takes, by the number of blocks
ABOVE = 0.7  # of what is left free on the page goes between its parts; the rest stays below


def render_pdf(reply: Reply, stills: dict[str, bytes]) -> bytes:
    """The page as PDF bytes; stills are pictures by correction code (PNG or JPEG). Always one page: it shrinks to fit."""
    register_fonts()
    size = letter if reply.imperial else A4
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=size, invariant=1, pageCompression=1)
    canvas.setTitle(reply.movement)  # a file's properties travel further than its page: no client's name in them
    canvas.setAuthor(reply.coach or "Your coach")
    canvas.setCreator("Deep Mirror")
    width, height = size[0] - 2 * EDGE, size[1] - 2 * EDGE - FOOT
    story = KeepInFrame(width, height, _fitted_story(reply, stills, width, height), mode="shrink")
    story.wrapOn(canvas, width, height)
    story.drawOn(canvas, EDGE, EDGE + FOOT + height - story.height)
    _foot(canvas, reply, width)
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def register_fonts() -> None:
    """Make the shipped typeface known to ReportLab."""
    folder = resources.files("deepmirror") / "assets" / "fonts"
    if FACE not in pdfmetrics.getRegisteredFontNames():
        for name, file in ((FACE, "400Regular"), (BOLD, "700Bold")):
            with resources.as_file(folder / f"AtkinsonHyperlegible_{file}.ttf") as path:
                pdfmetrics.registerFont(TTFont(name, str(path)))
        pdfmetrics.registerFontFamily(FACE, normal=FACE, bold=BOLD, italic=FACE, boldItalic=BOLD)


def paragraph_style(size: float, **more: Any) -> ParagraphStyle:
    """Running words in the shipped typeface, size in points."""
    return ParagraphStyle("", fontName=FACE, fontSize=size, leading=size * 1.32, textColor=INK, **more)


@dataclass(frozen=True)
class _Type:
    """How large a page is set: its type against the least size, and the share of the width its pictures take."""

    scale: float
    share: float

    def style(self, size: float, bold: bool = False, **more: Any) -> ParagraphStyle:
        """Running words of this size at the page's scale."""
        style = paragraph_style(size * self.scale, **more)
        style.fontName = BOLD if bold else FACE
        return style


def _fitted_story(reply: Reply, stills: dict[str, bytes], width: float, height: float) -> list[Flowable]:
    """The page's parts as large as they fit on it, spread over its height."""
    blocks = min(max(len(reply.chosen()) + len(reply.since_chosen()), 1), 3)
    story: list[Flowable] = []
    for kind in (_Type(scale, share) for scale in TYPES for share in SHARES[blocks]):
        story = _story(reply, stills, width, kind)
        used = sum(part.wrap(width, height)[1] + part.getSpaceBefore() + part.getSpaceAfter() for part in story)
        if used <= height:
            gap = ABOVE * (height - used) / max(len(story) - 1, 1)
            return [part for each in story for part in (each, Spacer(1, gap))][:-1]
    return story


def _story(reply: Reply, stills: dict[str, bytes], width: float, kind: _Type) -> list[Flowable]:
    head, dim = kind.style(19, True, spaceAfter=1), kind.style(9.5, spaceAfter=6)
    dim.textColor = DIM
    facts = joined(" · ", [w for w in (reply.client, reply.facts, reply.date) if w])
    story: list[Flowable] = [Paragraph(written(reply.movement), head), Paragraph(written(facts), dim)]
    if reply.greeting:
        story.append(Paragraph(written(reply.greeting), kind.style(10.5, spaceAfter=4)))
    if reply.praise:
        story.append(_held(reply.praise, width, kind))
    for told in reply.since_chosen():
        story.append(_earlier(told, stills.get(f"since-{told.title}"), width, kind))
    for number, item in enumerate(reply.chosen(), 1):
        story.append(_block(number, item, stills.get(item.key), width, kind))
    if reply.table:
        story.append(_rep_table(reply.table, width, kind))
    if reply.unable:
        story.append(Paragraph(written(say("This film could not show: {unable}.", unable=joined("; ", reply.unable))), dim))
    return story


def _rep_table(rows: list[list[str]], width: float, kind: _Type) -> Flowable:
    small, bold = kind.style(8.6), kind.style(8.6, True)
    cells = [[Paragraph(written(c), bold if i == 0 else small) for c in row] for i, row in enumerate(rows)]
    first = [0.08 * width, 0.24 * width]
    rest = (width - sum(first)) / max(len(rows[0]) - 2, 1)
    table = Table(cells, [*first, *([rest] * (len(rows[0]) - 2))])
    table.setStyle(TableStyle([("LINEBELOW", (0, 0), (-1, -1), 0.4, LINE), ("LEFTPADDING", (0, 0), (-1, -1), 0), *tight_rows()]))
    return table


def tight_rows() -> list[tuple[Any, ...]]:
    """Rows of a table close together."""
    return [("TOPPADDING", (0, 0), (-1, -1), 2), ("BOTTOMPADDING", (0, 0), (-1, -1), 2), ("VALIGN", (0, 0), (-1, -1), "TOP")]


def _held(words: str, width: float, kind: _Type) -> Flowable:
    table = Table([[Paragraph(written(words), kind.style(10.5))]], [width])
    table.setStyle(TableStyle([("LINEBEFORE", (0, 0), (0, -1), 2.5, TEAL), ("LEFTPADDING", (0, 0), (-1, -1), 8)]))
    return table


def _earlier(told: Since, still: bytes | None, width: float, kind: _Type) -> Flowable:
    words = Paragraph(f"<b>{written(say('Since last time: {title}', title=told.title))}</b><br/>{written(told.words)}", kind.style(10))
    return _beside(still, [words], width, 0.36)


def _block(number: int, item: Correction, still: bytes | None, width: float, kind: _Type) -> Flowable:
    title, plain = kind.style(13, True, spaceAfter=2), kind.style(9.8)
    cue = kind.style(12.5, True, spaceBefore=3, spaceAfter=3, leftIndent=8, borderPadding=0)
    cue.textColor = COPPER
    parts: list[Flowable] = [
        Paragraph(f"{number}. {written(item.title)}", title),
        Paragraph(f"{written(item.seen)} <b><font color='#8f431b'>{written(item.number)}</font></b>", plain),
        Paragraph(written(item.cue), cue),
    ]
    parts += [
        Paragraph(f"<b>{written(label)}</b> {written(words)}", plain)
        for label, words in (("Likely:", item.cause), ("Why:", item.why), ("Change:", item.change), ("Film next:", item.film_next))
        if words
    ]
    return _beside(still, parts, width, kind.share)


def _beside(still: bytes | None, parts: list[Flowable], width: float, share: float) -> Flowable:
    """Picture left, words right, a line above."""
    picture: Flowable = Spacer(1, 1)
    if still is not None:
        data, (w, h) = _small(still)
        wide = width * share - 8
        picture = Image(io.BytesIO(data), wide, wide * h / w, hAlign="LEFT")
    beside = [[picture, parts]], [width * share, width * (1 - share)]
    table = Table([[picture], [parts]], [width]) if share >= 1.0 else Table(*beside)
    table.setStyle(
        TableStyle(
            [
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("LEFTPADDING", (0, 0), (0, -1), 0),
                ("RIGHTPADDING", (-1, 0), (-1, -1), 0),
                ("LINEABOVE", (0, 0), (-1, 0), 0.7, LINE),
                ("TOPPADDING", (0, 0), (-1, -1), 7),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 7),
            ]
        )
    )
    return table


def _small(still: bytes) -> tuple[bytes, tuple[int, int]]:
    """The picture as JPEG at print size, without anything but its pixels."""
    with Picture.open(io.BytesIO(still)) as image:
        share = min(1.0, PICTURE_PX / image.width)
        small = image.convert("RGB").resize((round(image.width * share), round(image.height * share)))
    out = io.BytesIO()
    small.save(out, "JPEG", quality=84)
    return out.getvalue(), small.size


def _foot(canvas: Canvas, reply: Reply, width: float) -> None:
    style = paragraph_style(7.8)
    style.textColor = DIM
    words = Paragraph(written(reply.caution) + (f"<br/>{written(reply.coach)}" if reply.coach else ""), style)
    _, height = words.wrap(width, FOOT)
    canvas.setStrokeColor(LINE)
    canvas.line(EDGE, EDGE + height + 5, EDGE + width, EDGE + height + 5)
    words.drawOn(canvas, EDGE, EDGE)


def pdf_picture(data: bytes, width: int) -> Any:
    """The first page of a PDF as an RGB picture (H, W, 3) of this width (PDFium)."""
    import numpy as np
    import pypdfium2

    document = pypdfium2.PdfDocument(data)
    try:
        page = document[0]
        bitmap = page.render(scale=width / page.get_width())
        return np.ascontiguousarray(np.asarray(bitmap.to_pil().convert("RGB")))
    finally:
        document.close()
