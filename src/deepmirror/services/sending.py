"""From a composed reply to what the client gets: written once, looked at, sent as it was looked at, and kept."""

from __future__ import annotations

import hashlib
import json
import shutil
from pathlib import Path

from deepmirror.errors import DeepMirrorError, ReplyError
from deepmirror.exchange.post import FolderOutbox
from deepmirror.exchange.post import Outbox as Outbox
from deepmirror.media.film import Film
from deepmirror.reply.model import Reply
from deepmirror.services import following
from deepmirror.services.analysis import Analysis
from deepmirror.services.desk import Desk
from deepmirror.services.jobs import Progress
from deepmirror.services.replying import export_reply
from deepmirror.services.review import Review
from deepmirror.store.library import file_hash
from deepmirror.store.post import ReplyRecord as ReplyRecord

SEAL = "sealed.json"  # beside the unsent files: what they were made from; it is not sent
REMEMBERED = ("cue", "change", "why", "film_next")


def fingerprint(reply: Reply, analysis: Analysis) -> str:
    """What the written files hang on: the reply's words and choices, and the brief behind the numbers."""
    told = json.dumps([reply.to_dict(), analysis.brief.file.model_dump(mode="json")], sort_keys=True)
    return hashlib.sha256(told.encode()).hexdigest()


class Package:
    """A reply's files before they are sent, in the library folder of their film."""

    def __init__(self, desk: Desk, film_id: int) -> None:
        self._desk, self.film_id = desk, film_id
        self.folder = desk.store.reply_folder(film_id)

    def files(self) -> list[Path]:
        """The files the client gets, by name."""
        return sorted(p for p in self.folder.iterdir() if p.name != SEAL) if self.folder.is_dir() else []

    def fits(self, reply: Reply, analysis: Analysis) -> bool:
        """True when the written files say exactly this reply."""
        try:
            return (self.folder / SEAL).read_text("utf-8") == fingerprint(reply, analysis)
        except OSError:
            return False

    def write(self, review: Review, reply: Reply, progress: Progress) -> list[Path]:
        """Write the files anew unless they say this reply already. Raises ReplyError, Cancelled."""
        analysis = review.analysis
        if analysis is None:
            raise ReplyError("The film has no numbers yet: measure it first.")
        if not self.fits(reply, analysis):
            seal = fingerprint(reply, analysis)
            shutil.rmtree(self.folder, ignore_errors=True)
            with Film(review.film.path) as film:  # a reader of its own: the window goes on showing the film
                export_reply(film, analysis, reply, self.folder, progress, self._desk)
            (self.folder / SEAL).write_text(seal, "utf-8")
        progress.tell(1.0, "written")
        return self.files()


def send_reply(desk: Desk, outbox: Outbox, review: Review, reply: Reply, progress: Progress) -> ReplyRecord:
    """Write what is not written, keep it exactly, begin to watch its corrections, and hand it to the outbox.

    An outbox that does not answer loses nothing: the reply is kept as failed and `hand_over_rest` tries again.
    Raises ReplyError, Cancelled.
    """
    package = Package(desk, review.film_id)
    package.write(review, reply, progress)
    assert review.analysis is not None
    (package.folder / SEAL).unlink()
    record = keep(desk, review.film_id, "reply", package.folder, reply.to_dict())
    desk.store.update_film(review.film_id, state="sent", draft=reply.to_dict())
    sent = reply.chosen()
    items = following.items_of(review.analysis, [c.code for c in sent], {c.code: (c.cue, c.change) for c in sent})
    following.begin(desk.store, review.record.client_id, review.film_id, review.analysis.movement.id, record.made_at, items)
    for item in sent:
        for field in REMEMBERED:
            if text := getattr(item, field).strip():
                desk.store.phrases.used(field, item.code, text)
    return hand_over(desk, outbox, record, review.record.client_name, reply.movement)


def keep(desk: Desk, film_id: int, kind: str, unsent: Path, told: dict[str, object], at: str = "") -> ReplyRecord:
    """Move written files to their last place, read-only, with their hashes in the library. at: when, now if not said."""
    number = len(desk.store.replies.of_film(film_id)) + 1
    folder = f"replies/film-{film_id}/{kind}-{number}"
    target = desk.store.folder / folder
    shutil.rmtree(target, ignore_errors=True)
    target.parent.mkdir(parents=True, exist_ok=True)
    unsent.replace(target)
    files = {}
    for path in sorted(target.iterdir()):
        files[path.name] = file_hash(path)
        path.chmod(0o444)
    return desk.store.replies.add(film_id, kind, at or desk.now().isoformat(timespec="seconds"), folder, files, told)


def hand_over(desk: Desk, outbox: Outbox, record: ReplyRecord, client: str, title: str) -> ReplyRecord:
    """Give a kept reply to the outbox; what went wrong is kept with it."""
    try:
        words = outbox.hand_over(client, f"{title} {record.made_at[:10]}", sorted(record.folder.iterdir()))
        desk.store.replies.settle(record.id, "handed", words)
    except DeepMirrorError as error:
        desk.store.replies.settle(record.id, "failed", error.sentence)
    return next(r for r in desk.store.replies.of_film(record.film_id) if r.id == record.id)


def hand_over_rest(desk: Desk, outbox: Outbox, progress: Progress, left_over: bool = False) -> int:
    """Try again what could not be handed over; returns how many went out now.

    left_over: also what a closed program kept but did not come to send; only before anything is being sent.
    """
    gone = 0
    for record in desk.store.replies.in_state("failed", *(["kept"] if left_over else [])):
        progress.tell(0.5, "handing over")
        film = desk.store.film(record.film_id)
        title = str(record.reply.get("movement") or film.brief["movement"].replace("_", " "))
        gone += hand_over(desk, outbox, record, film.client_name, title).state == "handed"
    return gone


def folder_outbox(desk: Desk) -> Outbox:
    """The outbox of a library that has no other: its folder “outbox”."""
    return FolderOutbox(desk.store.folder / "outbox")


def altered(record: ReplyRecord) -> list[str]:
    """Names of kept files that are no longer as they were sent."""
    return [
        name for name, digest in record.files.items() if not (record.folder / name).exists() or file_hash(record.folder / name) != digest
    ]
