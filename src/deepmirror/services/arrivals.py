"""What comes in by itself: letters are kept as they came, checked, taken into the library, or held until the coach says whose."""

from __future__ import annotations

import shutil
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from deepmirror.errors import BadBundle, DeepMirrorError, LibraryError
from deepmirror.exchange.bundle import Bundle, SetFile, read_bundle
from deepmirror.exchange.bundle import is_bundle as is_bundle
from deepmirror.exchange.post import Letter, Mailbox
from deepmirror.media.film import Film
from deepmirror.services.desk import Desk
from deepmirror.services.jobs import Progress
from deepmirror.services.marking import taken_over
from deepmirror.services.refilming import came_for
from deepmirror.store.library import file_hash
from deepmirror.store.post import ArrivalRecord as ArrivalRecord

REFUSED_KEPT_BYTES = 300_000_000  # a refused letter is kept too, unless it is absurdly large


@dataclass(frozen=True)
class Unplaced:
    """A film that waits for the coach's word on whose it is, with what its sender said."""

    arrival: ArrivalRecord
    film: Path
    client_name: str
    movement: str | None
    view: str | None
    load_kg: float | None
    note: str


class Arrivals:
    """Takes what a mailbox brings into a desk's library. Everything runs without an interface, in the background."""

    def __init__(self, desk: Desk, mailbox: Mailbox | None) -> None:
        self._desk, self._mailbox = desk, mailbox
        self._seen: set[str] = set()

    def collect(self, progress: Progress) -> list[ArrivalRecord]:
        """Take in whatever is new. Raises DeepMirrorError when the mailbox cannot be reached; one bad letter stops no other."""
        new, later = [], ""
        for letter in self._mailbox.letters() if self._mailbox is not None else []:
            progress.tell(0.0, f"taking in {letter.name}")
            try:
                if letter.id not in self._seen and not self._desk.store.arrivals.has(letter.id):
                    new.append(self._take(letter))
            except OSError as error:  # a full disk, a folder that went away: not the letter's fault, it is tried again
                later = f"“{letter.name}” could not be kept yet: {error.strerror or error}. It is tried again."
                continue
            self._seen.add(letter.id)
        if later and not new:
            raise LibraryError(later)
        return new

    def bring(self, path: Path) -> ArrivalRecord:
        """Take in one bundle the coach brought herself. Raises LibraryError when it cannot be read."""
        return self._take(Letter(f"brought {file_hash(path)}", path.name, path))

    def _take(self, letter: Letter) -> ArrivalRecord:
        store = self._desk.store
        came = self._desk.now().isoformat(timespec="seconds")
        try:
            digest = file_hash(letter.path)
        except LibraryError as error:
            return store.arrivals.add(letter=letter.id, name=letter.name, sha256="", came_at=came, state="refused", sentence=error.sentence)
        known = store.arrivals.with_hash(digest)
        if known is not None or (twin := store.film_with_hash(digest)) is not None:
            film_id = known.film_id if known is not None else twin[0] if twin is not None else None
            return self._twin(letter, digest, came, film_id)
        kept = self._keep(letter, digest)
        arrival = store.arrivals.add(letter=letter.id, name=letter.name, sha256=digest, file=kept, came_at=came, state="waiting")
        try:
            return self._read(arrival, letter)
        except DeepMirrorError as error:
            return store.arrivals.update(arrival.id, state="refused", sentence=error.sentence)

    def _twin(self, letter: Letter, digest: str, came: str, film_id: int | None) -> ArrivalRecord:
        sentence = "The same film came before; it is kept once."
        store = self._desk.store.arrivals
        return store.add(letter=letter.id, name=letter.name, sha256=digest, came_at=came, state="twin", sentence=sentence, film_id=film_id)

    def _keep(self, letter: Letter, digest: str) -> str:
        """Copy the letter into the library as it came; returns its place there."""
        if letter.path.stat().st_size > REFUSED_KEPT_BYTES and letter.path.suffix.lower() == ".zip":
            return ""
        name = f"arrivals/{digest[:20]}{letter.path.suffix.lower()}"
        target = self._desk.store.folder / name
        part = target.with_suffix(".part")
        shutil.copyfile(letter.path, part)
        part.replace(target)
        return name

    def _read(self, arrival: ArrivalRecord, letter: Letter) -> ArrivalRecord:
        path = arrival.path or letter.path
        if not is_bundle(path):
            with Film(path):  # checks that it is one
                pass
            return self._desk.store.arrivals.update(arrival.id, sentence="A film without a word on whose it is.")
        with tempfile.TemporaryDirectory(dir=self._desk.store.folder / "arrivals") as folder:
            bundle = read_bundle(path, Path(folder), letter.name)
            with Film(bundle.film):
                pass
            return self._place(arrival, bundle)

    def _place(self, arrival: ArrivalRecord, bundle: Bundle) -> ArrivalRecord:
        """Take a bundle's film in when client, movement and view are known; else hold it."""
        told, store = bundle.told, self._desk.store
        said = told.model_dump(mode="json", exclude_none=True)
        twin = store.film_with_hash(file_hash(bundle.film))
        if twin is not None:
            return store.arrivals.update(arrival.id, state="twin", sentence="The same film came before; it is kept once.", film_id=twin[0])
        client = next((c for c in self._desk.clients() if c.name.casefold() == told.client.strip().casefold()), None)
        missing = [
            words
            for words, lacks in (
                (f"no client is called “{told.client}”", client is None),
                ("the movement is not said", told.movement not in self._desk.catalogue.movements),
                ("the side it was filmed from is not said", told.view is None),
            )
            if lacks
        ]
        if client is None or missing:
            self._remember(arrival, said)
            return store.arrivals.update(arrival.id, sentence=f"Say whose film this is: {', '.join(missing)}.")
        film_id = take_bundle(self._desk, bundle, client.id)
        self._remember(arrival, said)
        return store.arrivals.update(arrival.id, state="taken", film_id=film_id)

    def _remember(self, arrival: ArrivalRecord, said: dict[str, Any]) -> None:
        self._desk.store.arrivals.update(arrival.id, told=said)


def take_bundle(desk: Desk, bundle: Bundle, client_id: int) -> int:
    """Take a checked bundle's film into the library; returns its id. Raises BadFilm, BadBrief, LibraryError."""
    told = bundle.told
    assert told.movement is not None and told.view is not None
    record = desk.import_film(bundle.film, client_id, told.movement, told.view, told.set.load_kg, told.set.tempo, told.note)
    _finish(desk, record.id, told)
    return record.id


def _finish(desk: Desk, film_id: int, told: SetFile) -> None:
    """What the sender said of the set; on a known machine its marks, in question; films that waited for this one have it."""
    film = desk.store.film(film_id)
    if told.machine:
        brief = film.brief | {"machine": told.machine} | taken_over(desk.store, film_id, told.machine, film.brief["view"])
        desk.store.update_film(film_id, brief=brief)
    desk.store.update_film(film_id, told=_set_words(told))
    came_for(desk, film_id)


def _set_words(told: SetFile) -> dict[str, Any]:
    return told.set.model_dump(exclude_none=True) | ({"filmed_at": told.filmed_at.isoformat()} if told.filmed_at else {})


def unplaced(desk: Desk, arrival: ArrivalRecord, folder: Path) -> Unplaced:
    """The film of a waiting arrival, unpacked into `folder`, and what is known of it. Raises BadBundle, BadFilm."""
    if arrival.path is None:
        raise BadBundle(f"“{arrival.name}” was not kept: ask for it again.")
    if not is_bundle(arrival.path):
        guess = next((c.name for c in desk.clients() if c.name.split()[0].casefold() in arrival.name.casefold()), "")
        words = arrival.name.casefold().replace("-", "_").replace(" ", "_")
        movement = next((m for m in sorted(desk.catalogue.movements, key=len, reverse=True) if m in words), None)
        return Unplaced(arrival, arrival.path, guess, movement, None, None, "")
    bundle = read_bundle(arrival.path, folder, arrival.name)
    told = bundle.told
    return Unplaced(arrival, bundle.film, told.client, told.movement, told.view, told.set.load_kg, told.note)


def settle(desk: Desk, arrival: ArrivalRecord, film_id: int) -> None:
    """The coach has said whose film it is: it was taken in as this one."""
    desk.store.arrivals.update(arrival.id, state="taken", sentence="", film_id=film_id)
    if arrival.told:
        _finish(desk, film_id, SetFile.model_validate(arrival.told))
    else:
        came_for(desk, film_id)
