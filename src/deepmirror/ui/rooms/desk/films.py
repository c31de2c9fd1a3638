"""The list of films: filtered and sorted, thousands of rows, pictures read only for rows that are seen."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from datetime import datetime
from typing import Any

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QFontMetrics, QImage, QPainter
from PyQt6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from deepmirror.services.films.film_library import REPLY_WORDS, STRIP_HEIGHT, FilmRecord, FilmState
from deepmirror.services.films.visits import SPAN_H, TO_ANSWER, Visit, visits
from deepmirror.ui.theme import tokens as t
from deepmirror.ui.translation import tr
from deepmirror.words import joined, say

ROW_HEIGHT = 104
STRIPS_KEPT = 300
TROUBLED = (FilmState.FAILED, FilmState.REFILM, FilmState.ASKED)
MOST_SHOWN = 4  # films of a visit whose pictures stand in its row
MOST_NAMED = 6  # films of a visit whose notes and states are told in its row
MOST_WORDS = 400  # letters of a line that can be in sight; more are not measured
WORDS_FROM = 600  # px from the row's left where the words begin
FILM_ROLE = Qt.ItemDataRole.UserRole + 1
AnyIndex = QModelIndex | QPersistentModelIndex

ARCHIVED = "of archived clients"
SHOWN: dict[str, tuple[str, ...]] = {
    "to answer": (FilmState.NEW, FilmState.MEASURING, FilmState.READY, FilmState.REFILM, FilmState.FAILED),
    "waiting for a new film": (FilmState.ASKED,),
    "answered": (FilmState.SENT, FilmState.REPLACED),
    "all": (),
    ARCHIVED: (),
}
SORTS: dict[str, Callable[[FilmRecord], tuple[Any, ...]]] = {
    "answer due first": lambda f: (f.state in (FilmState.SENT, FilmState.REPLACED), f.due_at, f.id),
    "newest first": lambda f: (_backward(f.arrived_at), -f.id),
    "by client": lambda f: (f.client_name.casefold(), _backward(f.arrived_at), -f.id),
    "by movement": lambda f: (f.movement, _backward(f.arrived_at), -f.id),
}


def _backward(iso: str) -> float:
    return -datetime.fromisoformat(iso).timestamp() if iso else 0.0


def days_words(iso: str, now: datetime) -> str:
    """ "today", "tomorrow", "in 3 days", "2 days late" for a due time."""
    if not iso:
        return ""
    days = (datetime.fromisoformat(iso).date() - now.date()).days
    if days < 0:
        return tr("{days} days late", days=-days) if days < -1 else tr("1 day late")
    return {0: tr("today"), 1: tr("tomorrow")}.get(days) or tr("in {days} days", days=days)


def film_words(film: FilmRecord) -> str:
    """Everything a search looks at."""
    return " ".join((film.client_name, film.movement.replace("_", " "), film.note, film.line, film.machine)).casefold()


class FilmsModel(QAbstractListModel):
    """The films that pass the search and the filter, in order."""

    strip_wanted = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.everything: list[FilmRecord] = []
        self.films: list[FilmRecord] = []
        self.strips: OrderedDict[int, list[QImage]] = OrderedDict()
        self.wanted: set[int] = set()
        self.shares: dict[int, float] = {}
        self._haystacks: dict[int, str] = {}
        self.visits: dict[int, Visit] = {}  # of more than one film, by the first one's id
        self._grouped: tuple[float, list[FilmRecord]] = SPAN_H, []  # what they were made of
        self._ordered: dict[str, list[FilmRecord]] = {}  # everything, by order
        self.span_h = SPAN_H
        self.needle, self.state, self.order = "", "to answer", "answer due first"

    def set_films(self, films: list[FilmRecord]) -> None:
        """Show these films."""
        known = {f.id: f for f in self.everything}
        self._haystacks = {f.id: self._haystacks[f.id] for f in films if f.id in self._haystacks and known.get(f.id) is f}
        if films == self.everything and self.span_h == self._grouped[0]:  # the same records are equal at once
            return
        self.everything, self._ordered = films, {}
        self.arrange()

    def arrange(self) -> None:
        """Filter and sort anew."""
        states, words = SHOWN[self.state], self.needle.casefold().split()
        kept = [
            f
            for f in self._in_order()
            if f.archived == (self.state == ARCHIVED) and (not states or f.state in states) and (not words or self._has(f, words))
        ]
        self._group([f for f in kept if f.state in TO_ANSWER])
        behind = {f.id: v.films[0].id for v in self.visits.values() for f in v.films[1:]}
        first = {f.id: f for f in kept}
        seen: set[int] = set()
        rows = []
        for film in kept:  # a visit stands where its first row would, as its first film
            lead = behind.get(film.id, film.id)
            if lead not in seen:
                seen.add(lead)
                rows.append(first[lead])
        self.beginResetModel()
        self.films = rows
        self.endResetModel()

    def _in_order(self) -> list[FilmRecord]:
        """Everything in the chosen order, sorted once."""
        if self.order not in self._ordered:
            self._ordered[self.order] = sorted(self.everything, key=SORTS[self.order])
        return self._ordered[self.order]

    def _group(self, waiting: list[FilmRecord]) -> None:
        """Make visits of the films that wait, unless they are those of before."""
        if (self.span_h, waiting) != self._grouped:
            self._grouped = self.span_h, waiting
            self.visits = {v.films[0].id: v for v in visits(waiting, self.span_h) if len(v.films) > 1}

    def _has(self, film: FilmRecord, words: list[str]) -> bool:
        if film.id not in self._haystacks:
            self._haystacks[film.id] = film_words(film)
        return all(w in self._haystacks[film.id] for w in words)

    def row_of(self, film_id: int) -> int:
        """The row of a film, or of the visit it belongs to; -1 when it is not shown."""
        lead = next((i for i, v in self.visits.items() if any(f.id == film_id for f in v.films)), film_id)
        return next((row for row, film in enumerate(self.films) if film.id == lead), -1)

    def changed(self, film_id: int) -> None:
        """Repaint one film's row."""
        row = self.row_of(film_id)
        if row >= 0:
            self.dataChanged.emit(self.index(row), self.index(row))

    def strip(self, film_id: int) -> list[QImage]:
        """The film's pictures; asks for them when they were not read yet."""
        if film_id not in self.strips:
            if film_id not in self.wanted:
                self.wanted.add(film_id)
                self.strip_wanted.emit(film_id)
            return []
        self.strips.move_to_end(film_id)
        return self.strips[film_id]

    def keep_strip(self, film_id: int, images: list[QImage]) -> None:
        """Pictures have been read; the ones longest unseen go when there are too many."""
        self.wanted.discard(film_id)
        self.strips[film_id] = images
        while len(self.strips) > STRIPS_KEPT:
            self.strips.popitem(last=False)
        self.changed(film_id)

    def rowCount(self, parent: AnyIndex | None = None) -> int:
        return len(self.films)

    def data(self, index: AnyIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        film = self.films[index.row()]
        if role == FILM_ROLE:
            return film
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            visit = self.visits.get(film.id)
            if visit is not None:
                return tr("{visit_who} {line}", visit_who=_visit_who(visit), line=joined("; ", [f.line for f in visit.films]))
            return tr(
                "{client_name} {movement} {note} {line}",
                client_name=film.client_name,
                movement=film.movement.replace("_", " "),
                note=film.note,
                line=film.line,
            )
        return None


class FilmRow(QStyledItemDelegate):
    """Paints one film: strip, who and what, note, one line of state, when it is due."""

    def __init__(self, model: FilmsModel, now: Callable[[], datetime], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._model, self._now = model, now
        self._fonts: dict[tuple[str, bool], tuple[QFont, QFontMetrics]] = {}

    def sizeHint(self, option: QStyleOptionViewItem, index: AnyIndex) -> QSize:
        return QSize(400, ROW_HEIGHT)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: AnyIndex) -> None:
        if painter is None:
            return
        film: FilmRecord = index.data(FILM_ROLE)
        painter.save()
        box = option.rect
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box, QColor("#eadfcb"))
            painter.fillRect(QRect(box.left(), box.top(), 4, box.height()), QColor(t.COPPER))
        x, top = box.left() + 14, box.top() + (ROW_HEIGHT - STRIP_HEIGHT) // 2
        visit = self._model.visits.get(film.id)
        for image in self._model.strip(film.id) if visit is None else self._pictures(visit):
            target = QRect(x, top, round(image.width() * STRIP_HEIGHT / image.height()), STRIP_HEIGHT)
            painter.drawImage(target, image)
            x = target.right() + 3
        left = max(x + 14, box.left() + WORDS_FROM)
        room = QRect(left, box.top() + 10, box.right() - left - 14, ROW_HEIGHT - 20)
        self._paint_words(painter, self._rows(film) if visit is None else self._visit_rows(visit), room)
        painter.setPen(QColor(t.PAPER_LINE))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        painter.restore()

    def _pictures(self, visit: Visit) -> list[QImage]:
        """A picture or two of each film of a visit."""
        strips = [self._model.strip(f.id) for f in visit.films[:MOST_SHOWN]]
        each = 2 if len(strips) <= MOST_SHOWN // 2 else 1
        return [image for strip in strips for image in strip[len(strip) // 3 :][:each]]

    def _rows(self, film: FilmRecord) -> list[tuple[bool, str, str]]:
        """Bold or not, colour and words of a film's lines."""
        return [
            (True, t.TEXT, _who(film)),
            (False, t.TEXT_DIM, say("“{note}”", note=film.note) if film.note else film.original_name),
            (False, t.COPPER if film.state in TROUBLED else t.TEAL, self._state(film)),
            (False, t.TEXT_DIM, self._due(film)),
        ]

    def _visit_rows(self, visit: Visit) -> list[tuple[bool, str, str]]:
        """The same of a visit: every film's state, and the first answer that is due."""
        told = visit.films[:MOST_NAMED]
        notes = [say("“{note}”", note=f.note) for f in told if f.note]
        troubled = any(f.state in TROUBLED for f in visit.films)
        return [
            (True, t.TEXT, _visit_who(visit)),
            (False, t.TEXT_DIM, joined(" ", notes) or tr("one visit")),
            (False, t.COPPER if troubled else t.TEAL, joined("; ", [self._state(f) for f in told])),
            (False, t.TEXT_DIM, tr("answer due {when}", when=days_words(min(f.due_at for f in visit.films), self._now()))),
        ]

    def _paint_words(self, painter: QPainter, rows: list[tuple[bool, str, str]], box: QRect) -> None:
        usual = painter.font()
        for i, (strong, colour, said) in enumerate(rows):
            words = tr(said)
            font, metrics = self._font(usual, strong)
            painter.setFont(font)
            painter.setPen(QColor(colour))
            line = QRect(box.left(), box.top() + 21 * i, box.width(), 21)
            painter.drawText(
                line,
                int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter),
                metrics.elidedText(words[:MOST_WORDS], Qt.TextElideMode.ElideRight, line.width()),
            )

    def _font(self, usual: QFont, bold: bool) -> tuple[QFont, QFontMetrics]:
        """A font and its measures, which are looked up anew for each new font object otherwise."""
        key = usual.key(), bold
        if key not in self._fonts:
            font = QFont(usual)
            font.setBold(bold)
            self._fonts[key] = font, QFontMetrics(font)
        return self._fonts[key]

    def _state(self, film: FilmRecord) -> str:
        share = self._model.shares.get(film.id)
        if share is not None:
            return tr("being measured, {share} %", share=round(share * 100))
        if film.state == FilmState.SENT:
            return tr("answered · {line}", line=film.line)
        return film.line or tr(REPLY_WORDS.get(film.state, film.state))

    def _due(self, film: FilmRecord) -> str:
        side = film.view.replace("-", " ")
        if film.state in (FilmState.SENT, FilmState.REPLACED):
            return tr("{side} · came {date}", side=side, date=film.arrived_at[:10])
        return tr("{side} · answer due {when}", side=side, when=days_words(film.due_at, self._now()))


def _visit_who(visit: Visit) -> str:
    return tr(
        "{client_name} · {count} films: {movements}",
        client_name=visit.films[0].client_name,
        count=len(visit.films),
        movements=joined(", ", visit.movements),
    )


def _who(film: FilmRecord) -> str:
    load, told = film.load_kg, film.told
    parts = [film.client_name, film.movement.replace("_", " ")]
    parts += [tr("{load:g} kg", load=load)] if load else []
    parts += [tr("set {number}", number=told.number)] if told.number else []
    parts += [tr("effort {effort}", effort=f"{told.effort:g}")] if told.effort else []
    return joined(" · ", parts)
