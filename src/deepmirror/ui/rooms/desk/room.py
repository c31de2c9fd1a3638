"""The Desk room: search, filter, sort; one key takes the next film."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QImage, QShowEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QListView, QPushButton, QVBoxLayout, QWidget

from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.film_library import FilmLibrary, FilmRecord, FilmState
from deepmirror.services.films.visits import span_of
from deepmirror.ui.jobs import Job, to_image
from deepmirror.ui.rooms.desk.arrivals_panel import PostPanel
from deepmirror.ui.rooms.desk.due_panel import DuePanel
from deepmirror.ui.rooms.desk.films import FILM_ROLE, SHOWN, SORTS, FilmRow, FilmsModel
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel
from deepmirror.ui.widgets.welcome import Welcome
from deepmirror.words import joined


class DeskRoom(QWidget):
    """The list of films; films can be dropped in anywhere."""

    opened = pyqtSignal(int)
    dropped = pyqtSignal(list)
    wants_import = pyqtSignal()
    wants_place = pyqtSignal(object)
    wants_aside = pyqtSignal(object)
    strip_wanted = pyqtSignal(object)
    refreshed = pyqtSignal()

    def __init__(self, library: FilmLibrary, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("paper")
        self.setAcceptDrops(True)
        self._library, self._stale = library, False
        self._unread: deque[int] = deque()  # films whose pictures are wanted and not being read yet
        self._reading = False
        self.model = FilmsModel(self)
        self.model.strip_wanted.connect(self._want_strip)
        title = PlainLabel(tr("Desk"))
        title.setObjectName("title")
        self.summary = PlainLabel()
        self.summary.setObjectName("dim")
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Search client, movement, note"))
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._rearrange)
        self.state, self.sort = QComboBox(), QComboBox()
        for box, words, name in ((self.state, SHOWN, "Which films"), (self.sort, SORTS, "In which order")):
            for word in words:
                box.addItem(tr(word), word)
            box.setAccessibleName(tr(name))
            box.currentIndexChanged.connect(self._rearrange)
        self.bring = QPushButton(tr("Bring in films…"))
        self.bring.clicked.connect(self.wants_import)
        self.next = QPushButton(tr("Take the next film"))
        self.next.setObjectName("accent")
        self.next.clicked.connect(self.take_next)
        top, finding = QHBoxLayout(), QHBoxLayout()
        for widget, stretch in ((title, 0), (self.summary, 1), (self.bring, 0), (self.next, 0)):
            top.addWidget(widget, stretch)
        finding.addWidget(self.search, 1)
        finding.addWidget(self.state)
        finding.addWidget(self.sort)
        self.post = PostPanel()
        self.post.wants_place.connect(self.wants_place)
        self.post.wants_aside.connect(self.wants_aside)
        self.due = DuePanel()
        self.list = QListView()
        self.list.setModel(self.model)
        self.list.setItemDelegate(FilmRow(self.model, library.now, self))
        self.list.setUniformItemSizes(True)
        self.list.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.list.activated.connect(lambda index: self.opened.emit(index.data(FILM_ROLE).id))
        self.list.setAccessibleName(tr("Films"))
        self.welcome = Welcome()
        self._lay_out(top, finding)

    def _lay_out(self, top: QHBoxLayout, finding: QHBoxLayout) -> None:
        hint = PlainLabel(tr("Drop films or bundles anywhere on this page. Enter opens the film under the bar, N takes the next."))
        hint.setObjectName("dim")
        hint.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 18, 24, 14)
        layout.setSpacing(10)
        layout.addLayout(top)
        layout.addLayout(finding)
        layout.addWidget(self.post)
        layout.addWidget(self.due)
        layout.addWidget(self.list, 1)
        layout.addWidget(self.welcome, 1)
        layout.addWidget(hint)
        self._full = (self.search, self.state, self.sort, self.bring, self.next, self.list, hint)

    def showEvent(self, event: QShowEvent | None) -> None:
        if self._stale:
            self.refresh()
        super().showEvent(event)
        if not self._reading:
            self._read_next()

    def refresh(self) -> None:
        """Read films and arrivals anew, keeping the selection; in a window that shows another room, as soon as this one is seen."""
        for part in self.refreshing():
            part()

    def refreshing(self) -> list[Callable[[], None]]:
        """Parts for `Turns` that do what `refresh` does: with a thousand films it takes some hundredths of a second."""
        read: list[FilmRecord] = []
        return [partial(self._read_films, read), partial(self._show_films, read), self._show_around]

    def _read_films(self, into: list[FilmRecord]) -> None:
        self._stale = self.parent() is not None and not self.isVisible()
        if not self._stale:
            self.model.span_h = span_of(self._library)
            into += self._library.films()

    def _show_films(self, read: list[FilmRecord]) -> None:
        if self._stale:
            return
        present = self.selected()
        self.model.set_films(read)
        self._select(present.id if present else None)

    def _show_around(self) -> None:
        """The post beside the films, and what is said of them."""
        if self._stale:
            return
        self.post.show_arrivals(self._library.arrivals())
        empty = not self.model.everything and not self._library.all_clients()
        self.welcome.setVisible(empty)
        for widget in self._full:
            widget.setVisible(not empty)
        self._summarise()
        self.refreshed.emit()

    def _summarise(self) -> None:
        films = self.model.everything
        waiting = sum(f.state in SHOWN["to answer"] for f in films)
        asked = sum(f.state == FilmState.ASKED for f in films)
        words = [tr("{count} films", count=len(films)), tr("{count} to answer", count=waiting)]
        self.summary.setText(joined(" · ", words + ([tr("{count} wait for a new one", count=asked)] if asked else [])))

    def _rearrange(self) -> None:
        present = self.selected()
        self.model.needle = self.search.text()
        self.model.state, self.model.order = self.state.currentData(), self.sort.currentData()
        self.model.arrange()
        self._select(present.id if present else None)

    def _select(self, film_id: int | None) -> None:
        row = self.model.row_of(film_id) if film_id is not None else -1
        self.list.setCurrentIndex(self.model.index(max(row, 0)))

    def selected(self) -> FilmRecord | None:
        """The film under the bar."""
        row = self.list.currentIndex().row()
        return self.model.films[row] if 0 <= row < len(self.model.films) else None

    def show_film(self, film_id: int) -> None:
        """Put the bar on a film, with the search and the filter cleared where they hide it."""
        if self.model.row_of(film_id) < 0:
            self.search.clear()
            self.state.setCurrentIndex(self.state.findData("to answer"))
        if self.model.row_of(film_id) < 0:
            self.show_all()
        self._select(film_id)

    def show_all(self) -> None:
        """Show films of every state."""
        self.state.setCurrentIndex(self.state.findData("all"))

    def missing_strips(self) -> list[int]:
        """Films on show whose pictures were asked for and have not come yet; none while another room is."""
        return sorted(self.model.wanted) if self.isVisible() else []

    def _want_strip(self, film_id: int) -> None:
        self._unread.append(film_id)
        if not self._reading:
            self._read_next()

    def _read_next(self) -> None:
        """One strip after the other: a job for each row that comes into sight would hold up the painting that asks for them."""
        self._reading = False
        while self._unread and self.isVisible():  # in another room nobody waits for them
            film_id = self._unread.popleft()
            film = next((f for f in self.model.everything if f.id == film_id), None)
            if film is not None:
                self._read(film)
                return
            self.model.wanted.discard(film_id)

    def _read(self, film: FilmRecord) -> None:
        job = Job(tr("reading pictures"), lambda progress: self._read_strip(film, progress), self)
        job.done.connect(lambda images: self.model.keep_strip(film.id, images))
        for failed in (job.failed, job.broke):
            failed.connect(lambda *_: self.model.keep_strip(film.id, []))
        job.finished.connect(self._read_next)
        self._reading = True
        self.strip_wanted.emit(job)

    def read_no_more(self) -> None:
        """No further pictures are read: the window closes."""
        self._unread.clear()

    def _read_strip(self, film: FilmRecord, progress: Progress) -> list[QImage]:
        progress.report(0.0, "reading pictures")
        return [to_image(p) for p in self._library.strip(film)]

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
        ready = [f for f in self.model.everything if f.state in (FilmState.READY, FilmState.REFILM)]
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
