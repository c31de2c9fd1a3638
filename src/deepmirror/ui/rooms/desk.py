"""The Desk: what arrived, in strips of each film's own turn-rounds; one key takes the next."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRect, QSize, QSortFilterProxyModel, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QDragEnterEvent, QDropEvent, QFont, QImage, QPainter
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QPushButton,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from deepmirror.services.desk import REPLY_WORDS, STRIP_HEIGHT, Desk, FilmRecord
from deepmirror.services.jobs import Progress
from deepmirror.ui.jobs import Job, to_image
from deepmirror.ui.theme import tokens as t

ROW_HEIGHT = 104
FILM_ROLE = Qt.ItemDataRole.UserRole + 1
AnyIndex = QModelIndex | QPersistentModelIndex


def days_words(iso: str, now: datetime) -> str:
    """ "today", "tomorrow", "in 3 days", "2 days late" for a due time."""
    if not iso:
        return ""
    days = (datetime.fromisoformat(iso).date() - now.date()).days
    if days < 0:
        return f"{-days} day{'s' if days < -1 else ''} late"
    return {0: "today", 1: "tomorrow"}.get(days, f"in {days} days")


class FilmsModel(QAbstractListModel):
    """All films; rows are FilmRecords, strips arrive later."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.films: list[FilmRecord] = []
        self.strips: dict[int, list[QImage]] = {}
        self.shares: dict[int, float] = {}

    def set_films(self, films: list[FilmRecord]) -> None:
        """Show these films."""
        self.beginResetModel()
        self.films = films
        self.endResetModel()

    def changed(self, film_id: int) -> None:
        """Repaint one film's row."""
        for row, film in enumerate(self.films):
            if film.id == film_id:
                self.dataChanged.emit(self.index(row), self.index(row))

    def rowCount(self, parent: AnyIndex | None = None) -> int:
        return len(self.films)

    def data(self, index: AnyIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        film = self.films[index.row()]
        if role == FILM_ROLE:
            return film
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{film.client_name} {film.brief.get('movement', '').replace('_', ' ')} {film.note} {film.line}"
        return None


class FilmRow(QStyledItemDelegate):
    """Paints one film: strip, who and what, note, one line of state, when it is due."""

    def __init__(self, model: FilmsModel, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._model, self._desk = model, desk

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
        x = box.left() + 14
        for image in self._model.strips.get(film.id, []):
            target = QRect(
                x, box.top() + (ROW_HEIGHT - STRIP_HEIGHT) // 2, round(image.width() * STRIP_HEIGHT / image.height()), STRIP_HEIGHT
            )
            painter.drawImage(target, image)
            x = target.right() + 3
        self._paint_words(
            painter,
            film,
            QRect(max(x + 14, box.left() + 600), box.top() + 10, box.right() - max(x + 14, box.left() + 600) - 14, ROW_HEIGHT - 20),
        )
        painter.setPen(QColor(t.PAPER_LINE))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        painter.restore()

    def _paint_words(self, painter: QPainter, film: FilmRecord, box: QRect) -> None:
        bold = QFont(painter.font())
        bold.setBold(True)
        plain = painter.font()
        movement = film.brief.get("movement", "").replace("_", " ")
        load = film.brief.get("load_kg")
        share = self._model.shares.get(film.id)
        state = film.line or REPLY_WORDS.get(film.state, film.state)
        if share is not None:
            state = f"being measured, {share * 100:.0f} %"
        elif film.state == "sent":
            state = f"answered · {film.line}"
        rows = [
            (bold, t.TEXT, f"{film.client_name} · {movement}" + (f" · {load:g} kg" if load else "")),
            (plain, t.TEXT_DIM, f"“{film.note}”" if film.note else film.original_name),
            (plain, t.COPPER if film.state in ("failed", "refilm") else t.TEAL, state),
            (plain, t.TEXT_DIM, f"{film.brief.get('view', '').replace('-', ' ')} · answer due {days_words(film.due_at, self._desk.now())}"),
        ]
        for i, (font, colour, words) in enumerate(rows):
            painter.setFont(font)
            painter.setPen(QColor(colour))
            line = QRect(box.left(), box.top() + 21 * i, box.width(), 21)
            painter.drawText(
                line,
                int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter),
                painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, line.width()),
            )


class DeskRoom(QWidget):
    """The list of films with search; films can be dropped in anywhere."""

    opened = pyqtSignal(int)
    dropped = pyqtSignal(list)
    wants_import = pyqtSignal()

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("paper")
        self.setAcceptDrops(True)
        self._desk = desk
        self.model = FilmsModel(self)
        self._filter = QSortFilterProxyModel(self)
        self._filter.setSourceModel(self.model)
        self._filter.setFilterCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        title = QLabel("Desk")
        title.setObjectName("title")
        self.summary = QLabel()
        self.summary.setObjectName("dim")
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search client, movement, note")
        self.search.setClearButtonEnabled(True)
        self.search.setFixedWidth(260)
        self.search.textChanged.connect(self._filter.setFilterFixedString)
        self.bring = QPushButton("Bring in a film…")
        self.bring.clicked.connect(self.wants_import)
        self.next = QPushButton("Take the next film")
        self.next.setObjectName("accent")
        self.next.clicked.connect(self.take_next)
        top = QHBoxLayout()
        top.addWidget(title)
        top.addWidget(self.summary, 1)
        for widget in (self.search, self.bring, self.next):
            top.addWidget(widget)
        self.list = QListView()
        self.list.setModel(self._filter)
        self.list.setItemDelegate(FilmRow(self.model, desk, self))
        self.list.setUniformItemSizes(True)
        self.list.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.list.activated.connect(lambda index: self.opened.emit(index.data(FILM_ROLE).id))
        self.list.setAccessibleName("Films")
        hint = QLabel("Drop a film anywhere on this page, or bring one in with Ctrl+O. Enter opens the film under the bar.")
        hint.setObjectName("dim")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 18, 24, 14)
        layout.setSpacing(12)
        layout.addLayout(top)
        layout.addWidget(self.list, 1)
        layout.addWidget(hint)

    def refresh(self) -> None:
        """Read the films anew, keeping the selection."""
        row = self.list.currentIndex().row()
        films = self._desk.films()
        self.model.set_films(films)
        self.list.setCurrentIndex(self._filter.index(max(row, 0), 0))
        waiting = sum(f.state != "sent" for f in films)
        self.summary.setText(f"{len(films)} film{'s' if len(films) != 1 else ''} · {waiting} to answer")

    def missing_strips(self) -> list[FilmRecord]:
        """Films whose pictures were not read yet."""
        return [f for f in self.model.films if f.id not in self.model.strips]

    def strip_job(self, film: FilmRecord) -> Job:
        """Background work that reads one film's strip."""
        job = Job("reading pictures", lambda progress: self._read_strip(film, progress), self)
        job.done.connect(lambda images: self._keep_strip(film.id, images))
        return job

    def _read_strip(self, film: FilmRecord, progress: Progress) -> list[QImage]:
        progress.tell(0.0, "reading pictures")
        return [to_image(p) for p in self._desk.strip(film)]

    def _keep_strip(self, film_id: int, images: list[QImage]) -> None:
        self.model.strips[film_id] = images
        self.model.changed(film_id)

    def note_progress(self, film_id: int, share: float | None) -> None:
        """Show how far a film's measuring is; None when it ended."""
        if share is None:
            self.model.shares.pop(film_id, None)
            self.model.strips.pop(film_id, None)
        else:
            self.model.shares[film_id] = share
        self.model.changed(film_id)

    def take_next(self) -> None:
        """Open the film to answer next: measured and unanswered, the one due first."""
        ready = [f for f in self.model.films if f.state in ("ready", "refilm")]
        if ready:
            self.opened.emit(min(ready, key=lambda f: (f.due_at, f.id)).id)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None:
            event.acceptProposedAction()
            self.dropped.emit([Path(u.toLocalFile()) for u in data.urls() if u.isLocalFile()])
