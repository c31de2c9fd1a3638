"""What comes in by itself: letters are kept as they came, checked, taken into the library, or held until the coach says whose."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from deepmirror.documents import Document
from deepmirror.errors import BadBundle, DeepMirrorError, LibraryError, one_line
from deepmirror.exchange.bundle import Bundle, SetFile, read_bundle
from deepmirror.exchange.bundle import is_bundle as is_bundle
from deepmirror.exchange.mailbox import SUFFIXES, Letter, Mailbox
from deepmirror.files import copy_part, put_in_place
from deepmirror.media.film import Film
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.film_library import FilmLibrary, FilmRecord
from deepmirror.services.films.reference_marks import marks_of_machine
from deepmirror.services.films.set_log import note_told
from deepmirror.services.replies.retake_request import came_for
from deepmirror.services.training.carry import take_back
from deepmirror.store.correspondence import ArrivalRecord as ArrivalRecord
from deepmirror.store.library import LONGEST_NAME, file_hash
from deepmirror.words import joined, say

REFUSED_KEPT_BYTES = 300_000_000  # a refused letter is kept too, unless it is absurdly large
LONGEST_ID = 290  # letters of a letter's name that are kept
Taking = Callable[[], ArrivalRecord | None]
TWIN = "The same film came before; it is kept once."


@dataclass(frozen=True)
class UnassignedFilm:
    """A film that waits for the coach's word on whose it is, with what its sender said."""

    arrival: ArrivalRecord
    film: Path
    client_name: str
    movement: str | None
    view: str | None
    load_kg: float | None
    note: str


@dataclass(frozen=True)
class Placed:
    """What the coach says of a film: whose it is (an id, or a new name with a stature), and what it shows."""

    client_id: int | None
    new_name: str
    stature_cm: float | None
    movement: str
    view: str
    load_kg: float | None
    tempo: str | None
    note: str


class Arrivals:
    """Takes what a mailbox brings into a desk's library. Everything runs without an interface, in the background."""

    def __init__(self, library: FilmLibrary, mailbox: Mailbox | None) -> None:
        self._library, self._mailbox = library, mailbox
        self._seen: set[str] = set()

    def collect(self, progress: Progress) -> list[ArrivalRecord]:
        """Go on with what a program that ended had begun to take in, then take in whatever is new; one bad letter stops no other.

        Raises DeepMirrorError when the mailbox cannot be reached, or when nothing could be kept.
        """
        new, later = [], ""
        begun: list[tuple[str, Taking]] = [(a.name, partial(self._judged, a)) for a in self._library.store.arrivals.under_way()]
        letters = self._mailbox.letters() if self._mailbox is not None else []
        fresh: list[tuple[str, Taking]] = [(x.name, partial(self._new, x)) for x in letters]
        for name, take in (*begun, *fresh):
            progress.report(0.0, say("taking in {one_line}", one_line=one_line(name)))
            try:
                new += [record] if (record := take()) is not None else []
            except (OSError, LibraryError) as error:  # a full disk, a locked library: not the letter's fault, it is tried again
                why = error.strerror if isinstance(error, OSError) and error.strerror else error
                later = say("“{name}” could not be kept yet: {why} It is tried again.", name=name, why=why)
        if later and not new:
            raise LibraryError(later)
        return new

    def _new(self, letter: Letter) -> ArrivalRecord | None:
        """Take a letter in that was not seen before."""
        seen = letter.id in self._seen or self._library.store.arrivals.has(_plain(letter.id))
        record = None if seen else self._take(letter)
        self._seen.add(letter.id)
        return record

    def bring(self, path: Path) -> ArrivalRecord:
        """Take in one bundle the coach brought herself. Raises LibraryError when it cannot be read or kept."""
        try:
            return self._take(Letter(say("brought {file_hash}", file_hash=file_hash(path)), path.name, path))
        except OSError as error:
            raise LibraryError(say("“{name}” could not be kept: {error}.", name=path.name, error=error.strerror or error)) from error

    def _take(self, letter: Letter) -> ArrivalRecord:
        store = self._library.store
        store.must_write()
        told: Document = {"letter": _plain(letter.id), "name": one_line(letter.name, LONGEST_NAME)}
        told["came_at"] = self._library.now().isoformat(timespec="seconds")
        try:
            digest = file_hash(letter.path)
        except LibraryError as error:
            return store.arrivals.add(**told, sha256="", state="refused", sentence=error.sentence)
        told["sha256"] = digest
        known = store.arrivals.with_hash(digest)
        if known is not None or (twin := store.film_with_hash(digest)) is not None:
            film_id = known.film_id if known is not None else twin[0] if twin is not None else None
            return store.arrivals.add(**told, state="twin", sentence=TWIN, film_id=film_id)
        return self._judged(self._keep(letter, told))

    def _keep(self, letter: Letter, told: Document) -> ArrivalRecord:
        """Copy the letter into the library as it came, and note it as under way. Raises OSError, LibraryError."""
        store = self._library.store
        name = f"arrivals/{told['sha256'][:20]}{letter.path.suffix.lower() if letter.path.suffix.lower() in SUFFIXES else ''}"
        target = store.folder / name
        part = copy_part(letter.path, target)
        with store.transaction():
            store.when_kept(lambda: put_in_place(part, target), lambda: part.unlink(missing_ok=True))
            return store.arrivals.add(**told, file=name, state="taking")

    def _judged(self, arrival: ArrivalRecord) -> ArrivalRecord:
        """What becomes of a kept letter: taken, waiting for the coach's word, or refused with a sentence, whatever is in it."""
        store = self._library.store
        try:
            return self._read(arrival)
        except LibraryError:
            raise  # the library's trouble, not the letter's: it stays under way and is gone on with
        except DeepMirrorError as error:
            sentence = error.sentence
        except Exception as error:  # noqa: BLE001 - a letter nobody foresaw: it costs itself only, and is reported
            sentence = say(
                "It could not be read. {sentence}",
                sentence=self._library.failures.sentence(self._library.failures.note(error, "taking in a letter")),
            )
        refused = store.arrivals.update(arrival.id, state="refused", sentence=sentence)
        if arrival.path is not None and arrival.path.exists() and arrival.path.stat().st_size > REFUSED_KEPT_BYTES:
            refused = store.arrivals.update(arrival.id, file="")
            arrival.path.unlink()
        return refused

    def _read(self, arrival: ArrivalRecord) -> ArrivalRecord:
        path, store = arrival.path, self._library.store
        if path is None or not path.exists():
            raise BadBundle("It was not kept: ask for it again.")
        if not is_bundle(path):
            with Film(path):  # checks that it is one
                pass
            return store.arrivals.update(arrival.id, state="waiting", sentence="A film without a word on whose it is.")
        with tempfile.TemporaryDirectory(dir=store.work_folder()) as folder:
            bundle = read_bundle(path, Path(folder), arrival.name)
            with Film(bundle.film):
                pass
            return self._place(arrival, bundle)

    def _place(self, arrival: ArrivalRecord, bundle: Bundle) -> ArrivalRecord:
        """Take a bundle's film in when client, movement and view are known; else hold it."""
        told, store = bundle.told, self._library.store
        said = told.model_dump(mode="json", exclude_none=True)
        twin = store.film_with_hash(file_hash(bundle.film))
        if twin is not None:
            return store.arrivals.update(arrival.id, state="twin", sentence=TWIN, film_id=twin[0])
        named = [c for c in self._library.all_clients() if c.name.casefold() == told.client.strip().casefold()]
        missing = [
            words
            for words, lacks in (
                (say("no client is called “{client}”", client=told.client), not named),
                (say("{named} clients are called “{client}”", named=len(named), client=told.client), len(named) > 1),
                ("the movement is not said", told.movement not in self._library.catalogue.movements),
                ("the side it was filmed from is not said", told.view is None),
            )
            if lacks
        ]
        if missing:
            sentence = one_line(say("Say whose film this is: {missing}.", missing=joined(", ", missing)))
            return store.arrivals.update(arrival.id, state="waiting", told=said, sentence=sentence)
        with store.transaction():  # the film, what was said of it and what became of the letter: all or nothing
            film_id = take_bundle(self._library, bundle, named[0].id)
            return store.arrivals.update(arrival.id, state="taken", told=said, film_id=film_id)


def _plain(letter_id: str) -> str:
    """A letter's id as the library keeps it; names that are not UTF-8 stay different from one another."""
    return letter_id.encode("utf-8", "backslashreplace").decode("utf-8")[-LONGEST_ID:]


def take_bundle(library: FilmLibrary, bundle: Bundle, client_id: int) -> int:
    """Take a checked bundle's film into the library; returns its id. Raises BadFilm, BadBrief, LibraryError."""
    told = bundle.told
    assert told.movement is not None and told.view is not None
    record = library.import_film(bundle.film, client_id, told.movement, told.view, told.set.load_kg, told.set.tempo, told.note)
    _finish(library, record.id, told)
    return record.id


def _finish(library: FilmLibrary, film_id: int, told: SetFile) -> None:
    """What the sender said of the set; on a known machine its marks, in question; films that waited for this one have it."""
    film = library.store.film(film_id)
    if told.machine:
        marks = marks_of_machine(library.store, film_id, told.machine, film.view)
        brief = film.brief | {"machine": told.machine} | (marks.fields() if marks else {})
        library.store.update_film(film_id, brief=brief)
    library.store.update_film(film_id, told=_set_words(told))
    note_told(library.store, film_id, told.set.reps, told.set.effort, told.filmed_at)
    take_back(library, film.client_id, [d for d in told.done if d.reps], told.pain)
    came_for(library, film_id)


def _set_words(told: SetFile) -> Document:
    return told.set.model_dump(exclude_none=True) | ({"filmed_at": told.filmed_at.isoformat()} if told.filmed_at else {})


def unplaced(library: FilmLibrary, arrival: ArrivalRecord, folder: Path) -> UnassignedFilm:
    """The film of a waiting arrival, unpacked into `folder`, and what is known of it. Raises BadBundle, BadFilm."""
    if arrival.path is None:
        raise BadBundle(say("“{name}” was not kept: ask for it again.", name=arrival.name))
    if not is_bundle(arrival.path):
        guess = next((c.name for c in library.clients() if c.name.split()[0].casefold() in arrival.name.casefold()), "")
        words = arrival.name.casefold().replace("-", "_").replace(" ", "_")
        movement = next((m for m in sorted(library.catalogue.movements, key=len, reverse=True) if m in words), None)
        return UnassignedFilm(arrival, arrival.path, guess, movement, None, None, "")
    bundle = read_bundle(arrival.path, folder, arrival.name)
    told = bundle.told
    return UnassignedFilm(arrival, bundle.film, told.client, told.movement, told.view, told.set.load_kg, told.note)


def place(library: FilmLibrary, arrival: ArrivalRecord, film: Path, answers: Placed) -> FilmRecord:
    """The coach has said whose film it is: it is taken in, and the letter is done. Raises BadFilm, BadBrief, LibraryError."""
    with library.store.transaction():
        record = take_film(library, film, answers)
        library.store.arrivals.update(arrival.id, state="taken", sentence="", film_id=record.id)
        if arrival.told:
            _finish(library, record.id, SetFile.model_validate(arrival.told))
        else:
            came_for(library, record.id)
    return record


def put_aside(library: FilmLibrary, arrival: ArrivalRecord) -> None:
    """The coach has seen it: it no longer stands on the Desk; what came is kept. Raises LibraryError."""
    library.store.arrivals.update(arrival.id, state="aside")


def take_film(library: FilmLibrary, path: Path, answers: Placed) -> FilmRecord:
    """Take a film into the library as the coach said, with a new client when she named one. Raises BadFilm, BadBrief, LibraryError."""
    with library.store.transaction():
        client_id = answers.client_id
        if client_id is None:
            client_id = library.add_client(answers.new_name, answers.stature_cm).id
        return library.import_film(path, client_id, answers.movement, answers.view, answers.load_kg, answers.tempo, answers.note)
