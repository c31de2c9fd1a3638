"""From a composed reply to what the client gets: written once, looked at, sent as it was looked at, and kept."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from deepmirror.documents import Document
from deepmirror.errors import DeepMirrorError, ReplyError
from deepmirror.exchange.mailbox import FolderOutbox
from deepmirror.exchange.mailbox import Outbox as Outbox
from deepmirror.files import private_folder, sync_folder, sync_tree, write_whole
from deepmirror.media.film import Film
from deepmirror.reply.model import Correction, Reply
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films import follow_up
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.film_library import FilmLibrary, FilmState
from deepmirror.services.replies.rendering import PriorFilms, export_reply
from deepmirror.services.training.client_page import session_file, write_pages
from deepmirror.services.training.training_file import NextSession, TrainingFile
from deepmirror.store.correspondence import ReplyRecord as ReplyRecord
from deepmirror.store.library import file_hash
from deepmirror.store.sweep import SEALED, remove
from deepmirror.words import say

REMEMBERED = ("cue", "change", "why", "film_next")


def fingerprint(reply: Reply, analysis: Analysis, session: str = "", others: tuple[str, ...] = ()) -> str:
    """What the written files hang on: the reply's words and choices, the brief behind the numbers, the session it brings, and the briefs
    of the visit's other films."""
    told = json.dumps([reply.to_dict(), analysis.brief.file.model_dump(mode="json"), session, *others], sort_keys=True)
    return hashlib.sha256(told.encode()).hexdigest()


class Package:
    """A reply's files before they are sent, in the library folder of their film."""

    def __init__(self, library: FilmLibrary, film_id: int) -> None:
        self._library, self.film_id = library, film_id
        self.folder = library.store.reply_folder(film_id)

    def files(self) -> list[Path]:
        """The files the client gets, by name."""
        return _given(self.folder) if self.folder.is_dir() else []

    def is_up_to_date(self, reply: Reply, analysis: Analysis) -> bool:
        """True when the written files say exactly this reply."""
        try:
            return (self.folder / SEALED).read_text("utf-8") == fingerprint(reply, analysis, self._next_session()[1], self._others(reply))
        except OSError:
            return False

    def write(self, film_path: Path, analysis: Analysis, reply: Reply, progress: Progress) -> list[Path]:
        """Write the files anew unless they say this reply already. Raises ReplyError, BadFilm, Cancelled."""
        self._library.store.must_write()
        if not self.is_up_to_date(reply, analysis):
            plan, session = self._next_session()
            try:
                remove(self.folder)
                with Film(film_path) as film:  # a reader of its own: the window goes on showing the film
                    export_reply(film, analysis, reply, private_folder(self.folder), progress, self._library, self.folder.parent)
                if plan is not None:
                    write_pages(*plan, self.folder, reply.coach)
                sync_tree(self.folder)
                write_whole(self.folder / SEALED, fingerprint(reply, analysis, session, self._others(reply)).encode())
            except OSError as error:
                raise ReplyError(
                    say("The reply could not be written: {error}. Nothing went out; try again.", error=error.strerror or error)
                ) from error
        progress.report(1.0, "written")
        return self.files()

    def _others(self, reply: Reply) -> tuple[str, ...]:
        return tuple(self._library.store.film(i).brief_json for i in reply.films)

    def _next_session(self) -> tuple[tuple[TrainingFile, NextSession] | None, str]:
        """The client's next session, which goes out with the reply, and what it says; None where there is no plan."""
        try:
            file = TrainingFile(self._library, self._library.store.film(self.film_id).client_id)
            session = file.next()
        except DeepMirrorError:  # a plan that cannot be read holds up no reply
            return None, ""
        return ((file, session), session_file(file, session)) if session is not None else (None, "")


def send_reply(library: FilmLibrary, outbox: Outbox, film_id: int, analysis: Analysis, reply: Reply, progress: Progress) -> ReplyRecord:
    """Write what is not written, keep it exactly, begin to watch its corrections, and hand it to the outbox.

    analysis: what the reply speaks of, as it was when the coach said "send". An outbox that does not answer loses nothing: the
    reply is kept as failed and `hand_over_rest` tries again. Raises ReplyError, BadFilm, LibraryError, Cancelled.
    """
    film = library.store.film(film_id)
    package = Package(library, film_id)
    package.write(film.path, analysis, reply, progress)
    sent = reply.chosen()
    with PriorFilms(library) as films:  # of the visit: whatever is said of a film is watched in the next one of its movement
        found = {i: films.get(i) for i in reply.films}
        shown = {film_id: analysis} | {i: pair[1] for i, pair in found.items() if pair is not None}
        begun = {i: (a.movement.id, _baselines(a, [c for c in sent if (c.film_id or film_id) == i])) for i, a in shown.items()}
    with archived(library, film_id, "reply", package.folder, reply.to_dict()) as record:
        library.store.update_film(film_id, state=FilmState.SENT, draft=reply.to_dict())
        for other in reply.films:
            library.store.update_film(other, state=FilmState.SENT)
        for shown_in, (movement, items) in begun.items():
            follow_up.begin(library.store, film.client_id, shown_in, movement, record.made_at, items)
        for item in sent:
            for field in REMEMBERED:
                if text := getattr(item, field).strip():
                    library.store.phrases.used(field, item.code, text)
    return deliver(library, outbox, record, film.client_name, reply.movement)


def _baselines(analysis: Analysis, sent: list[Correction]) -> list[follow_up.Baseline]:
    return follow_up.baselines_of(analysis, [c.code for c in sent], {c.code: (c.cue, c.change) for c in sent})


@contextmanager
def archived(library: FilmLibrary, film_id: int, kind: str, unsent: Path, told: Document, at: str = "") -> Iterator[ReplyRecord]:
    """Move written files to their last place, read-only, and keep their rows together with what is done in the body.

    Killed before the rows are kept, the files are unsent again at the next start (store.sweep); killed after, everything is there.
    at: when, now if not said. Raises ReplyError, LibraryError.
    """
    number = len(library.store.replies.of_film(film_id)) + 1
    folder = f"replies/film-{film_id}/{kind}-{number}"
    target, seal = library.store.folder / folder, unsent / SEALED
    try:
        if not seal.exists():
            write_whole(seal, b"")
        private_folder(target.parent)
        remove(target)
        unsent.replace(target)
        sync_folder(target.parent)
        files = {p.name: file_hash(p) for p in _given(target)}
        with library.store.transaction():
            yield library.store.replies.add(film_id, kind, at or library.now().isoformat(timespec="seconds"), folder, files, told)
    except BaseException as error:
        if target.exists() and not unsent.exists():
            target.replace(unsent)
        if isinstance(error, OSError):
            raise ReplyError(
                say("The reply could not be kept: {error}. Nothing went out; try again.", error=error.strerror or error)
            ) from error
        raise
    (target / SEALED).unlink()
    for path in _given(target):
        path.chmod(0o400)


def _given(folder: Path) -> list[Path]:
    """A reply's files as the client gets them, by name."""
    return sorted(p for p in folder.iterdir() if p.name != SEALED)


def deliver(library: FilmLibrary, outbox: Outbox, record: ReplyRecord, client: str, title: str) -> ReplyRecord:
    """Give a kept reply to the outbox; what went wrong is kept with it. The outbox knows a reply it was given before by its key."""
    try:
        words = outbox.deliver(
            key_of(record), client, say("{title} {made_at}", title=title, made_at=record.made_at[:10]), _given(record.folder)
        )
        state = "handed"
    except (DeepMirrorError, OSError) as error:
        state, words = (
            "failed",
            error.sentence if isinstance(error, DeepMirrorError) else say("The kept files cannot be read: {error}.", error=error),
        )
    library.store.replies.set_outcome(record.id, state, words)
    return next(r for r in library.store.replies.of_film(record.film_id) if r.id == record.id)


def key_of(record: ReplyRecord) -> str:
    """What names a kept reply to an outbox: never the same for two, always the same for one."""
    told = json.dumps([record.id, record.made_at, record.kind, sorted(record.files.items())])
    return hashlib.sha256(told.encode()).hexdigest()[:20]


def hand_over_rest(library: FilmLibrary, outbox: Outbox, progress: Progress, left_over: bool = False) -> int:
    """Try again what could not be handed over; returns how many went out now.

    left_over: also what a closed program kept but did not come to send; only before anything is being sent.
    """
    gone = 0
    for record in library.store.replies.in_state("failed", *(["kept"] if left_over else [])):
        progress.report(0.5, "handing over")
        film = library.store.film(record.film_id)
        title = str(record.reply.get("movement") or film.movement.replace("_", " "))
        gone += deliver(library, outbox, record, film.client_name, title).state == "handed"
    return gone


def folder_outbox(library: FilmLibrary) -> Outbox:
    """The outbox of a library that has no other: its folder “outbox”."""
    return FolderOutbox(library.store.folder / "outbox")


def altered(record: ReplyRecord) -> list[str]:
    """Names of kept files that are no longer as they were sent."""
    return [
        name for name, digest in record.files.items() if not (record.folder / name).exists() or file_hash(record.folder / name) != digest
    ]
