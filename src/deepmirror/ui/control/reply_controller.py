"""From a measured film to a sent reply or a request: composing, pictures, preview, sending."""

from __future__ import annotations

from copy import deepcopy
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtGui import QImage

from deepmirror.services.common.history import History
from deepmirror.services.common.jobs import JobRunner, Progress
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.film_library import FilmState
from deepmirror.services.films.review import Review
from deepmirror.services.films.visits import visit_of
from deepmirror.services.program.settings import settings_of
from deepmirror.services.replies import delivery, retake_request
from deepmirror.services.replies.composing import (
    Correction,
    Since,
    StrokeKind,
    VisitPart,
    draft_reply,
    draft_visit,
    keep_draft,
    kept_draft,
    own_correction,
    phrases,
)
from deepmirror.services.replies.preview import Preview, composed, stroke_at
from deepmirror.services.replies.rendering import PriorFilms, Reply
from deepmirror.ui.context import WindowContext
from deepmirror.ui.jobs import Job, to_image
from deepmirror.ui.rooms.reply.preview import PAGE_WIDTH, PreviewDialog
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.request_dialog import RequestDialog
from deepmirror.words import joined, small

ANSWERABLE = (FilmState.READY, FilmState.REFILM)
SAVE_AFTER_MS = 400  # so much typing at most would be lost if the power went


@dataclass(frozen=True)
class Draft:
    """A reply to edit: with its history, the last frame of each film it speaks of (None: its own), the films of the visit, how many of
    them can be answered, and what was sent before, in words."""

    reply: Reply
    history: History[Reply]
    last_frames: dict[int | None, int]
    visit: frozenset[int]
    answerable: int
    state: str


class ReplyController(QObject):
    """Owns the reply being composed."""

    def __init__(self, window: WindowContext) -> None:
        super().__init__(window)
        self._window, self._library, self.room = window, window.library, window.reply_room
        self._pictures, self._writer = JobRunner(), JobRunner()  # never behind films that are being measured
        self._wanted: Correction | Since | None = None
        self._drawing = self._sending = False
        self._history: History[Reply] | None = None
        self._films = PriorFilms(window.library)  # of the visit, and of earlier replies; read when a picture first needs them
        self._unsaved: tuple[int, Reply] | None = None  # the film whose draft was changed, and the draft
        self._save_timer = QTimer(self)
        self._save_timer.setSingleShot(True)
        self._save_timer.setInterval(SAVE_AFTER_MS)
        self._save_timer.timeout.connect(self._rested)
        self.room.words.phrases = self._phrases
        self.room.wants_still.connect(self._want_still)
        self.room.typed.connect(self._typed)
        self.room.changed.connect(self._changed)
        self.room.wants_preview.connect(self.preview)
        self.room.wants_send.connect(self.send)
        self.room.stroke_drawn.connect(self._draw)
        self.room.whole_visit.toggled.connect(lambda _: self.compose())

    def close(self) -> None:
        """Stop drawing and writing; what was changed is saved."""
        self.save_now()
        self._pictures.close()
        self._writer.close()
        self._films.close()

    def _review(self) -> Review | None:
        review = self._window.review
        return review if review is not None and review.analysis is not None else None

    def compose(self, code: str | None = None) -> None:
        """Open the reply of the film on show, over all films of its visit where it has more: its saved draft, or a fresh one from the
        findings. code: the correction to show."""
        review = self._review()
        if review is None or review.analysis is None:
            return
        self.save_now()
        self._read_anew()
        analysis, left_out = review.analysis, self.room.left_out()
        job = Job(tr("Opening the reply"), lambda progress: self._draft(review, analysis, left_out, progress), self)
        job.done.connect(lambda draft: self._show_draft(review, draft, code) if review is self._review() else None)
        self._window.run_job(job, self._pictures, on_show=True)

    def _draft(self, review: Review, analysis: Analysis, left_out: frozenset[int], progress: Progress) -> Draft:
        """What to edit: over all films of the visit, unless they are left out. left_out: films of a visit answered one by one."""
        self._library.saver.wait()
        own = VisitPart(None, analysis, self._library.watched(review.film_id, analysis))
        films = visit_of(self._library, review.film_id).films
        visit, others = frozenset(f.id for f in films), [f.id for f in films if f.id != review.film_id and f.state in ANSWERABLE]
        parts = [own] if visit == left_out else [own, *self._parts(others, progress)]
        client, settings = review.record.client_name, settings_of(self._library)
        today = self._library.now().date().isoformat()
        if len(parts) == 1:
            fresh = draft_reply(analysis, client, own.watched, settings.coach, today)
        else:
            fresh = draft_visit(parts, client, settings.coach, today)
        fresh.blur = settings.blur
        reply = kept_draft(self._library, review.film_id, fresh) or fresh
        sent = self._library.sent(review.film_id)
        state = _sent_words(sent[0]) if sent else ""
        return Draft(reply, History(deepcopy(reply)), self._lasts(review, reply), visit, len(others) + 1, state)

    def _read_anew(self) -> None:
        """Other films are read as they are now: their points may have been edited since. What draws from those read before ends first."""
        before, self._films = self._films, PriorFilms(self._library)
        self._pictures.submit(lambda _: before.close(), Progress())

    def _parts(self, others: list[int], progress: Progress) -> list[VisitPart]:
        """The other films of a visit with their numbers; one that cannot be read is answered by itself later."""
        out = []
        for i, film_id in enumerate(others):
            progress.report(i / len(others), "reading")
            found = self._films.get(film_id)
            if found is not None:
                out.append(VisitPart(film_id, found[1], self._library.watched(film_id, found[1])))
        return out

    def _show_draft(self, review: Review, draft: Draft, code: str | None) -> None:
        self.room.offer_visit(draft.visit, draft.answerable)
        self._history = draft.history
        self.room.show_reply(draft.reply, draft.last_frames, code=code)
        self._window.go("reply")
        if draft.state:
            self.room.show_state(draft.state)
        self.room.list.setFocus()

    def _changed(self) -> None:
        self._typed()
        self.save_now()

    def _typed(self) -> None:
        """What is typed is kept a moment later, so that a sentence is one step and not forty; leaving the room keeps it at once."""
        review, reply = self._review(), self.room.reply
        if review is None or reply is None:
            return
        self._library.must_write()
        self._unsaved = (review.film_id, reply)
        if not self._save_timer.isActive():
            self._save_timer.start()
        self._window.refresh_actions()

    def _rested(self) -> None:
        self.save_now()
        if self.room.item() is not None:  # the words of an earlier correction do not stand in its picture
            self._want_still(self.room.item())

    def save_now(self) -> None:
        """Keep what was changed, and what it was before, so that it can be taken back without limit."""
        self._save_timer.stop()
        if self._unsaved is None or self._history is None:
            return
        (film_id, reply), self._unsaved = self._unsaved, None
        state = deepcopy(reply)
        if state != self._history.present:
            self._history.do(tr("the last change"), state)
        self._save(film_id, state)

    def _save(self, film_id: int, state: Reply) -> None:
        keep_draft(self._library, film_id, state)
        self._window.refresh_actions()

    def can_undo(self) -> str | None:
        """What undo would take back, or None."""
        if self._unsaved is not None:
            return tr("the last change")
        return self._history.can_undo() if self._history is not None else None

    def can_redo(self) -> str | None:
        """What redo would bring again, or None."""
        return self._history.can_redo() if self._history is not None and self._unsaved is None else None

    def undo(self) -> None:
        """Take the last change of the reply back."""
        self.save_now()
        if self._history is not None and self._history.undo() is not None:
            self._show_state(self._history.present)

    def redo(self) -> None:
        """Bring the change last taken back again."""
        self.save_now()
        if self._history is not None and self._history.redo() is not None:
            self._show_state(self._history.present)

    def _show_state(self, state: Reply) -> None:
        review, row = self._review(), self.room.list.currentRow()
        if review is not None:
            self.room.show_reply(deepcopy(state), self._lasts(review, state), row)
            self._save(review.film_id, state)

    def _lasts(self, review: Review, reply: Reply) -> dict[int | None, int]:
        """The last frame of each film the reply speaks of; None: its own."""
        out: dict[int | None, int] = {None: len(review.film.times) - 1}
        for film_id in reply.films:
            found = self._films.get(film_id)
            out[film_id] = len(found[0].times) - 1 if found is not None else 0
        return out

    def add_own(self) -> None:
        """A correction the program did not find: the coach's own words on the moment the Mirror shows."""
        review, reply = self._review(), self.room.reply
        if review is None or reply is None:
            return
        own = own_correction(review.analysis, self._window.mirror.frame, reply)
        reply.corrections.append(own)
        self.room.changed.emit()
        self.room.pick_code(own.code)
        self.room.words.edits["title"].setFocus()

    def _phrases(self, item: Correction, field: str) -> list[str]:
        review = self._review()
        if review is None or review.analysis is None:
            return []
        other = self._films.get(item.film_id) if item.film_id is not None else None
        return phrases(self._library, other[1] if other is not None else review.analysis, item, field)

    def _want_still(self, item: Correction | Since | None) -> None:
        """Draw the newest wish; wishes made while drawing wait for one more turn."""
        self._wanted = item
        if not self._drawing:
            self._draw_wanted()

    @property
    def drawn(self) -> bool:
        """Whether the picture beside the words is there, and is of them as they are."""
        return self.room.canvas.image() is not None and not self._drawing and self._wanted is None

    def _draw_wanted(self) -> None:
        review, item, reply = self._review(), self._wanted, self.room.reply
        if review is None or item is None or reply is None:
            return
        self._wanted, self._drawing = None, True
        job = Job("Drawing", lambda progress: self._picture(review, item, reply.blur), self)
        job.done.connect(lambda found: self.room.show_still(*found) if item is self.room.current() else None)
        job.failed.connect(self._window.show_error)
        job.finished.connect(self._drawn)
        job.start(self._pictures)

    def _picture(self, review: Review, item: Correction | Since, blur: bool) -> tuple[QImage, tuple[float, float, float, float] | None]:
        picture, tag = composed(self._films, review, item, blur)
        return to_image(picture), tag

    def _drawn(self) -> None:
        self._drawing = False
        self._draw_wanted()

    def _draw(self, item: Correction, kind: StrokeKind, points: list[tuple[float, float]], text: str) -> None:
        review = self._review()
        if review is not None:
            item.strokes.append(stroke_at(self._films, review, item, kind, points, text))
            self.room.stroke_added()

    def preview(self) -> None:
        """Write the reply in the background, then show the written files."""
        review, reply = self._review(), self.room.reply
        if review is None or review.analysis is None or reply is None:
            return
        package, told = delivery.Package(self._library, review.film_id), deepcopy(reply)
        path, analysis = review.film.path, review.analysis  # as they are now, whatever is clicked meanwhile
        job = Job(tr("Writing the reply"), lambda progress: self._written(package, path, analysis, told, progress), self)
        job.done.connect(lambda found: self._show_preview(package, *found))
        self._window.run_job(job, self._writer, on_show=True)

    @staticmethod
    def _written(package: delivery.Package, path: Path, analysis: Analysis, reply: Reply, progress: Progress) -> tuple[Preview, QImage]:
        package.write(path, analysis, reply, progress)
        preview = Preview(package.folder)
        return preview, to_image(preview.print_page(PAGE_WIDTH))

    def _show_preview(self, package: delivery.Package, preview: Preview, page: QImage) -> None:
        dialog = PreviewDialog(preview.picture, preview.frames(), preview.fps(), page, preview.page, self._window)
        dialog.wanted.connect(self.send)
        dialog.finished.connect(preview.close)
        self.room.show_state(tr("Written, not sent yet: {count} files", count=len(package.files())))
        self._window.open_dialog(dialog)

    def send(self) -> None:
        """Write what is not written yet, keep it and hand it to the outbox, in the background."""
        review, reply, outbox = self._review(), self.room.reply, self._window.outbox
        if review is None or review.analysis is None or reply is None or self._sending:
            return
        self._sending = True
        told = deepcopy(reply)  # what is sent is what stands there now, whatever is typed or clicked meanwhile
        library, film_id, analysis = self._library, review.film_id, review.analysis
        job = Job(tr("Sending the reply"), lambda progress: delivery.send_reply(library, outbox, film_id, analysis, told, progress), self)
        job.done.connect(self._sent)
        job.finished.connect(self._send_ended)
        self._window.run_job(job, self._writer, on_show=True)

    def _send_ended(self) -> None:
        self._sending = False

    def _sent(self, record: delivery.ReplyRecord) -> None:
        self.room.show_state(_sent_words(record))
        self._window.show_status(tr("The reply is sent.") if record.state == "handed" else record.sentence)
        self._window.desk_room.refresh()

    def ask_again(self) -> None:
        """Ask for a new film: of the film under the bar on the Desk, or of the one on show."""
        film_id = self._window.film_in_hand()
        if film_id is None:
            return
        review = self._window.review
        known = review.analysis if review is not None and review.film_id == film_id else None
        job = Job(tr("Reading what the film lacks"), lambda progress: self._draft_request(film_id, known, progress), self)
        job.done.connect(lambda found: self._show_request(film_id, *found))
        self._window.run_job(job, self._pictures)

    def _draft_request(self, film_id: int, known: Analysis | None, progress: Progress) -> tuple[retake_request.RetakeRequest, QImage]:
        progress.report(0.1, "reading")
        with PriorFilms(self._library) as films:
            found = films.get(film_id) if known is None else None
            request = retake_request.draft_request(self._library, film_id, known or (found[1] if found else None))
        return request, to_image(retake_request.draw_plan(request.plan))

    def _show_request(self, film_id: int, request: retake_request.RetakeRequest, plan: QImage) -> None:
        title = tr("A new film of {movement}, please", movement=small(request.movement))
        dialog = RequestDialog(title, tr(joined("\n", request.words)), plan, self._window)
        dialog.wanted.connect(lambda words: self._request(film_id, request, words))
        self._window.open_dialog(dialog)

    def _request(self, film_id: int, request: retake_request.RetakeRequest, words: str) -> None:
        request.words = [line for line in words.splitlines() if line.strip()]
        outbox = self._window.outbox

        def work(progress: Progress) -> delivery.ReplyRecord:
            return retake_request.send_request(self._library, outbox, film_id, request, progress)

        job = Job(tr("Asking for a new film"), work, self)
        job.done.connect(self._asked)
        self._window.run_job(job, self._writer, on_show=True)

    def _asked(self, record: delivery.ReplyRecord) -> None:
        self._window.desk_room.refresh()
        self._window.show_status(tr("A new film is asked for.") if record.state == "handed" else record.sentence)


def _sent_words(record: delivery.ReplyRecord) -> str:
    when = record.made_at[:16].replace("T", " ")
    if record.state == "handed":
        told = {"when": when, "count": len(record.files), "where": record.sentence, "folder": record.folder}
        words = tr("Sent {when}, {count} files, {where}. Kept in {folder}", **told)
        changed = delivery.altered(record)
        return words + (" " + tr("(no longer as sent: {names})", names=joined(", ", changed)) if changed else "")
    return tr("Kept, not yet sent ({when}): {why}", when=when, why=record.sentence)
