"""The coach's desk: clients, films and what has become of them."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from deepmirror.documents import Document
from deepmirror.errors import BadEvidence, Cancelled, DeepMirrorError, Gone, LibraryError, WorkFailed
from deepmirror.exchange.brief import Brief, check_brief, check_client
from deepmirror.files import write_whole
from deepmirror.media.film import Film, FilmFacts
from deepmirror.movements.loader import Catalogue, load_catalogue
from deepmirror.pose.evidence import Evidence
from deepmirror.services.common.failures import FailureLog
from deepmirror.services.common.jobs import Progress
from deepmirror.services.common.saving import Saver
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.answer_due import REPLY_DAYS, answer_due
from deepmirror.services.films.concluding import ConcludeHere, Concluder
from deepmirror.services.films.follow_up import FollowUp, note_outcomes, watched
from deepmirror.services.films.observation_runner import Observer, look_here
from deepmirror.services.films.set_log import note_set, shown_set
from deepmirror.store.backups import back_up
from deepmirror.store.correspondence import ArrivalRecord as ArrivalRecord
from deepmirror.store.correspondence import ReplyRecord as ReplyRecord
from deepmirror.store.library import ClientRecord as ClientRecord
from deepmirror.store.library import FilmRecord as FilmRecord
from deepmirror.store.library import FilmState as FilmState
from deepmirror.store.library import LibraryStore
from deepmirror.store.watches import WatchRecord as WatchRecord
from deepmirror.words import say

STRIP_COUNT, STRIP_HEIGHT = 4, 78  # pictures of a film on the Desk, and their height in px
TRY_AGAIN = "Not measured (M tries again): "
BROKEN_OFF = say("{try_again}the program ended while it was being done.", try_again=TRY_AGAIN)
REPLY_WORDS = {
    FilmState.NEW: "waiting to be measured",
    FilmState.MEASURING: "being measured",
    FilmState.FAILED: "could not be measured",
    FilmState.SENT: "answered",
}
SETTLED = (FilmState.SENT, FilmState.ASKED, FilmState.REPLACED)  # what became of a film stays when it is measured anew


@dataclass(frozen=True)
class Choice:
    """Something to choose from a list: its id and how it reads."""

    id: str
    title: str


@dataclass(frozen=True)
class FilmResult:
    """What the Desk shows of a measured film: its state, one line of words, and the frames of its reversals."""

    state: FilmState
    line: str
    turns: list[int]


class FilmLibrary:
    """Use cases of the Desk on one library. Times come from `now` so that tests can stand still."""

    def __init__(
        self,
        folder: Path,
        now: datetime | None = None,
        look: Observer = look_here,
        read_only: bool = False,
        concluder: Concluder | None = None,
    ) -> None:
        """Raises LibraryError, with LibraryBusy and LibraryDamaged among them."""
        self.store = LibraryStore(folder, read_only)
        self._now, self.look, self.concluder = now, look, concluder or ConcludeHere()
        self.saver, self.failures = Saver(), FailureLog(self.store.state_folder())
        self.catalogue: Catalogue = load_catalogue(folder / "movements")
        if not read_only:
            self._own_up()

    @property
    def read_only(self) -> bool:
        """True where the library is open for reading only."""
        return self.store.read_only

    def _own_up(self) -> None:
        """A film that was being measured when the program was killed may be what killed it: it waits for the coach's word."""
        for film in self.store.films(state=FilmState.MEASURING):
            self.store.update_film(film.id, state=FilmState.FAILED, line=BROKEN_OFF)

    def stop_work(self) -> None:
        """Give up what is being worked out in processes apart, so that nobody waits for it."""
        self.concluder.close()

    def close(self) -> None:
        """Close the library; what changed since the last backup is backed up."""
        self.saver.close()
        self.concluder.close()
        try:
            self.back_up()
        except LibraryError as error:
            self.failures.note(error, "backing up")
        self.store.close()

    def back_up(self) -> None:
        """Make a rolling backup of the database when it changed since the last one. Raises LibraryError."""
        if not self.read_only:
            back_up(self.store.folder)

    def now(self) -> datetime:
        """The present time (UTC)."""
        return self._now or datetime.now(UTC)

    def movements(self) -> list[Choice]:
        """Movements to choose from, by title."""
        return sorted((Choice(m.id, m.title) for m in self.catalogue.movements.values()), key=lambda c: c.title)

    def all_clients(self) -> list[ClientRecord]:
        """Every client by name, those who are archived last."""
        return sorted(self.store.clients(), key=lambda c: c.archived)

    def clients(self) -> list[ClientRecord]:
        """Those who train, by name."""
        return [c for c in self.store.clients() if not c.archived]

    def add_client(self, name: str, stature_cm: float | None = None) -> ClientRecord:
        """A new client with what is known of the body."""
        return self.store.add_client(name, {"stature_cm": stature_cm} if stature_cm else {})

    def rename_client(self, client_id: int, name: str) -> None:
        """Another name for a client. Raises LibraryError."""
        self.store.rename_client(client_id, name, self.now().isoformat(timespec="seconds"))

    def set_archived(self, client_id: int, archived: bool) -> None:
        """Take a client out of the lists of those who train, or back; nothing of hers is touched. Raises LibraryError."""
        self.store.set_archived(client_id, archived)

    def film(self, film_id: int) -> FilmRecord:
        """One film. Raises LibraryError when it is gone."""
        return self.store.film(film_id)

    def client(self, client_id: int) -> ClientRecord:
        """One client. Raises LibraryError when she is gone."""
        return self.store.client(client_id)

    def films(self) -> list[FilmRecord]:
        """All films, newest first."""
        return self.store.films()

    def must_write(self) -> None:
        """Raises ReadOnly where nothing may be changed: asked before an edit is taken."""
        self.store.must_write()

    def work_folder(self) -> Path:
        """Where passing files belong."""
        return self.store.work_folder()

    def arrivals(self) -> list[ArrivalRecord]:
        """The last things that came in, newest first."""
        return self.store.arrivals.newest()

    def sent(self, film_id: int) -> list[ReplyRecord]:
        """What was sent about a film, newest first."""
        return self.store.replies.of_film(film_id)

    def watched(self, film_id: int, analysis: Analysis) -> list[FollowUp]:
        """Corrections sent earlier, and what this film says of each."""
        return watched(self.store, film_id, analysis)

    def watch_records(self, client_id: int) -> list[WatchRecord]:
        """All watched corrections of a client with their history, oldest first."""
        return self.store.watches.of_client(client_id)

    def set_outcome(self, watch_id: int, state: str) -> None:
        """Close a watched correction, change it or watch it on. Raises LibraryError when it is gone."""
        self.store.watches.set_outcome(watch_id, state)

    def read_ahead(self) -> None:
        """Read what the Desk sorts and finds films by, before it is asked for: in the background, at the start."""
        for film in self.films():
            _ = film.movement, film.view, film.machine, film.load_kg

    def first_picture(self, path: Path) -> NDArray[np.uint8]:
        """The first frame of a file, to choose by before importing. Raises BadFilm. (H, W, 3) RGB."""
        with Film(path) as film:
            return film.picture(0)

    def guess_view(self, picture: NDArray[np.uint8]) -> str | None:
        """From which side a picture shows the body, a guess for the coach to confirm; None when no body is found. picture (H, W, 3) RGB."""
        return self.concluder.look([picture]).view

    def import_film(
        self,
        path: Path,
        client_id: int,
        movement: str,
        view: str,
        load_kg: float | None = None,
        tempo: str | None = None,
        note: str = "",
        told: Document | None = None,
    ) -> FilmRecord:
        """Check a film and take it into the library. Raises BadFilm, BadBrief, LibraryError; the file itself is never touched."""
        self.store.must_write()
        with Film(path):
            pass
        client = next((c for c in self.store.clients() if c.id == client_id), None)
        if client is None:
            raise LibraryError("Choose a client for this film.")
        usual = check_client(client.body).defaults.get(movement)
        tempo = tempo or (usual.tempo if usual else None)
        data: Document = {"movement": movement, "view": view, "client": client.body}
        data |= {k: v for k, v in (("load_kg", load_kg), ("tempo", tempo)) if v}
        check_brief(data)
        self.catalogue.movement(movement)
        due = self.answer_due(client_id, self.now()).isoformat(timespec="minutes")
        return self.store.add_film(path, client_id, data, self.now().isoformat(timespec="seconds"), note, due, told)

    def answer_due(self, client_id: int, arrived: datetime) -> datetime:
        """By when a film of a client's is to be answered: what was promised her, or what is promised everybody."""
        kept = self.store.phrases
        days = self.store.training.record(client_id).get("reply_days") or kept.setting("reply_days", REPLY_DAYS)
        return answer_due(arrived, int(days), kept.setting("country", ""))

    def measure(self, film_id: int, progress: Progress, first_look: Callable[[], object] = lambda: None) -> FilmRecord:
        """Observe and conclude one film in the background: a quick look first, then the measuring one. Raises Cancelled.

        Its row tells how it went: whatever breaks makes it a failed film with a sentence. A film whose quick look was done and
        whose measuring was stopped stays waiting; one that was answered stays so. first_look: called when the quick result is there.
        """
        self.saver.wait()
        try:
            record = self.store.film(film_id)
        except Gone:  # deleted while it waited
            raise Cancelled from None
        settled = {"state": record.state} if record.state in SETTLED else {}
        self.store.update_film(film_id, **({"state": FilmState.MEASURING} | settled))
        try:
            self._measure(record, progress, first_look)
        except Cancelled:
            if not settled:
                self.store.update_film(film_id, state=FilmState.NEW, line="")
            raise
        except DeepMirrorError as error:
            if report := error.details.get("report"):
                self.failures.note_words(str(report), "measuring a film, in a process apart")
            again = TRY_AGAIN if isinstance(error, WorkFailed) else ""
            self.store.update_film(film_id, **({"state": FilmState.FAILED, "line": f"{again}{error.sentence}"} | settled))
        except Exception as error:  # noqa: BLE001 - our own mistake: it costs this film only, and is reported
            report = self.failures.note(error, "measuring a film")
            self.store.update_film(
                film_id, **({"state": FilmState.FAILED, "line": f"{TRY_AGAIN}{self.failures.sentence(report)}"} | settled)
            )
        progress.report(1.0, "done")
        return self.store.film(film_id)

    def _measure(self, record: FilmRecord, progress: Progress, first_look: Callable[[], object]) -> None:
        brief = check_brief(record.brief)
        movement = self.catalogue.movement(brief.file.movement)
        with Film(record.path) as film:
            for what, start, end in (("quick", 0.0, 0.2), ("final", 0.2, 1.0)):
                evidence = self.look(film, brief, movement, progress.within(start, end), what)
                self.keep_evidence(record.id, evidence)
                analysis = self.conclude(film.facts, brief, evidence)
                self.note_result(record.id, analysis, film)
                if what == "quick":
                    line = say("{reps} reps at a first look, the numbers follow", reps=len(analysis.scene.reps))
                    still = {"state": FilmState.MEASURING} if self.store.film(record.id).state not in SETTLED else {}
                    self.store.update_film(record.id, line=line, **still)
                    progress.report(end, "a first look is there")
                    first_look()

    def conclude(self, facts: FilmFacts, brief: Brief, evidence: Evidence) -> Analysis:
        """Solve, measure and judge what was seen of a film. Raises CannotSolve, BadMovement, WorkFailed, Cancelled."""
        try:
            return self.concluder(facts, brief, self.catalogue, evidence)
        except WorkFailed as error:
            if report := error.details.pop("report", None):
                self.failures.note_words(str(report), "working out a film's numbers, in a process apart")
            raise

    def keep_evidence(self, film_id: int, evidence: Evidence) -> None:
        """Keep what was seen of a film. Raises LibraryError."""
        try:
            evidence.save(self.store.evidence_path(film_id))
        except OSError as error:
            raise LibraryError(say("What was seen in the film could not be kept: {error}.", error=error.strerror or error)) from error

    def note_result(self, film_id: int, analysis: Analysis, film: Film) -> None:
        """Write the one line of state and the reversal frames of a measured film."""
        if self.read_only:
            return
        result, before = result_of(analysis, film), self.store.film(film_id)
        if before.state in SETTLED:
            result = replace(result, state=before.state)
        if before.state == FilmState.ASKED:
            result = replace(result, line=before.line)
        self.store.update_film(film_id, **vars(result))
        note_set(self.store, film_id, shown_set(analysis))
        note_outcomes(self.store, film_id, analysis)

    def unmeasured(self) -> list[int]:
        """Films that still wait to be measured, oldest first. One that failed waits for a key."""
        return [f.id for f in reversed(self.store.films(state=FilmState.NEW))]

    def strip(self, record: FilmRecord, count: int = STRIP_COUNT, height: int = STRIP_HEIGHT) -> list[NDArray[np.uint8]]:
        """Small pictures of the film's reversals (or of even instants before it is measured), kept in the library once made.

        Each (H, W, 3) RGB.
        """
        import cv2

        chosen = [record.turns[int(i)] for i in np.linspace(0, len(record.turns) - 1, min(count, len(record.turns)))]
        name = hashlib.sha1(repr((height, chosen)).encode(), usedforsecurity=False).hexdigest()[:10]
        kept = self.store.folder / "strips" / f"{record.id}-{name}.jpg"
        if chosen and kept.exists():
            whole = cv2.imread(str(kept))
            if whole is not None and whole.shape[1] % len(chosen) == 0:
                return [np.ascontiguousarray(p[..., ::-1]) for p in np.split(whole, len(chosen), axis=1)]
        out = []
        with Film(record.path) as film:
            for number in chosen or [int(v) for v in np.linspace(0, len(film.times) - 1, count + 2)[1:-1]]:
                picture = film.picture(min(number, len(film.times) - 1))
                width = round(picture.shape[1] * height / picture.shape[0])
                out.append(np.asarray(cv2.resize(picture, (width, height), interpolation=cv2.INTER_AREA), np.uint8))
        if chosen and not self.read_only:
            done, data = cv2.imencode(".jpg", np.concatenate(out, axis=1)[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 88])
            if done:
                with suppress(OSError):  # a full disk: they are made again the next time
                    write_whole(kept, bytes(data))
        return out

    def open_analysis(self, film_id: int) -> tuple[Film, Brief, Evidence | None]:
        """The film, its brief, and its evidence when it was measured and can be read back. Raises BadFilm, BadBrief, LibraryError."""
        record = self.store.film(film_id)
        brief, film = check_brief(record.brief), Film(record.path)
        return film, brief, self.evidence(film_id, len(film.times))

    def evidence(self, film_id: int, frames: int) -> Evidence | None:
        """What was seen of a film; None when it was not looked at, or when the file is torn or another film's: it is made again."""
        return self.evidence_in(self.store.evidence_path(film_id), frames)

    def evidence_in(self, path: Path, frames: int) -> Evidence | None:
        """What a file of evidence says of a film of so many frames; None when it is not there, torn, or another film's."""
        try:
            found = Evidence.load(path) if path.exists() else None
        except BadEvidence as error:
            self.failures.note(error, "reading evidence")
            return None
        return found if found is not None and len(found.times) == frames else None

    def lacks_evidence(self, record: FilmRecord) -> bool:
        """True for a film that was measured and whose evidence is gone."""
        return record.state not in (FilmState.NEW, FilmState.MEASURING, FilmState.FAILED)


def result_of(analysis: Analysis, film: Film) -> FilmResult:
    """What the Desk shows of a measured film."""
    reps, findings = analysis.scene.reps, analysis.judgement.findings
    counted = say("{reps} reps", reps=len(reps)) if len(reps) != 1 else "1 rep"
    found = findings[0].title if findings else "nothing off that this film shows"
    words = say("{counted} · {found}", counted=counted, found=found)
    if len(findings) > 1:
        words = say("{counted} · {found} and {more} more", counted=counted, found=found, more=len(findings) - 1)
    line = words if reps else "No rep seen: ask for a new film"
    return FilmResult(FilmState.READY if reps else FilmState.REFILM, line, [film.frame_at(r.bottom_s) for r in reps])
