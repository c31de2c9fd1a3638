"""The library: what is written stays, edits are saved as they happen, and newer libraries are left alone."""

from __future__ import annotations

import shutil
import sqlite3
from contextlib import closing
from pathlib import Path

import pytest

from deepmirror.errors import BadBrief, BadFilm, LibraryDamaged, LibraryError
from deepmirror.exchange.brief import Brief
from deepmirror.media.film import Film
from deepmirror.movements.schema import Movement
from deepmirror.pose.evidence import Evidence
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.review import Review
from deepmirror.store.library import LibraryStore
from deepmirror.store.records import SetWords
from tests.conftest import DEMO, NOON


def test_a_film_is_copied_once_and_never_altered(library: FilmLibrary) -> None:
    client = library.add_client("Ulla Brandt", 170)
    source = DEMO / "tove_back_squat_side.mp4"
    record = library.import_film(source, client.id, "back_squat", "side-left", 45, "2-0-1-0", "felt easy")
    assert record.path.read_bytes() == source.read_bytes()
    assert record.state == "new" and record.brief["client"]["stature_cm"] == 170
    assert record.due_at.startswith("2026-03-04")
    with pytest.raises(LibraryError, match="already"):
        library.import_film(source, client.id, "back_squat", "side-left")
    assert len(library.films()) == 1


def test_bad_imports_leave_nothing_behind(library: FilmLibrary, tmp_path: Path) -> None:
    client = library.add_client("Ulla Brandt")
    (tmp_path / "empty.mp4").touch()
    with pytest.raises(BadFilm):
        library.import_film(tmp_path / "empty.mp4", client.id, "back_squat", "side-left")
    with pytest.raises(BadBrief, match="four parts"):
        library.import_film(DEMO / "tove_back_squat_side.mp4", client.id, "back_squat", "side-left", None, "slow")
    with pytest.raises(LibraryError, match="name"):
        library.add_client("   ")
    assert library.films() == [] and list((library.store.folder / "films").iterdir()) == []


def test_edits_are_saved_as_they_happen_and_undone_without_limit(demo_library: FilmLibrary) -> None:
    film = demo_library.films()[-1]
    review = Review(demo_library, film.id)
    start = review.brief.file
    for i in range(30):
        review.place(40 + i % 3, "hip_left", (600.0 + i, 330.0))
    review.set_field(tempo="3-1-1-0")
    review.mark("plumb", [(100, 600), (104, 300)])
    assert demo_library.store.film(film.id).brief["tempo"] == "3-1-1-0"
    while review.can_undo():
        review.undo()
    assert review.brief.file == start
    while review.can_redo():
        review.redo()
    assert review.seed(41)["hip_left"] == (628.0, 330.0)
    assert review.brief.file.marks.plumb == ((100, 600), (104, 300))
    review.unplace(41, "hip_left")
    assert review.seed(41) == {}
    with pytest.raises(BadBrief):
        review.set_field(view="ceiling")
    review.close()
    again = Review(demo_library, film.id)
    assert again.brief.file.tempo == "3-1-1-0" and again.seed(42)["hip_left"] == (629.0, 330.0)
    again.close()


def test_a_moved_point_moves_the_numbers(demo_library: FilmLibrary) -> None:
    film = next(f for f in demo_library.films() if f.client_name.startswith("Tove") and f.brief["movement"] == "back_squat")
    review = Review(demo_library, film.id)
    assert review.analysis is not None
    before = review.analysis.measured.reps[0]["thigh_from_horizontal_min_deg"].value
    frame = review.film.frame_at(review.analysis.scene.reps[0].bottom_s)
    x, y = review.analysis.scene.track.point("hip_left")[frame]
    review.place(frame, "hip_left", (x, y + 14))
    assert review.needs_following()
    review.conclude()
    assert review.analysis.measured.reps[0]["thigh_from_horizontal_min_deg"].value < before - 2
    review.close()


def test_a_newer_library_is_refused_and_left_alone(tmp_path: Path) -> None:
    LibraryStore(tmp_path).close()
    with sqlite3.connect(tmp_path / "library.db") as db:
        db.execute("UPDATE alembic_version SET version_num = '9999'")
    db.close()
    with pytest.raises(LibraryError, match="newer"):
        LibraryStore(tmp_path)
    (tmp_path / "library.db").write_bytes(b"not a database, not a database, not a database" * 100)
    with pytest.raises(LibraryDamaged, match="damaged"):
        LibraryStore(tmp_path)


def test_a_film_that_was_being_measured_when_the_program_was_killed_waits_for_a_key(demo_library: FilmLibrary) -> None:
    first, second = demo_library.films()[:2]
    demo_library.store.update_film(first.id, state="measuring")
    demo_library.store.update_film(second.id, state="new")
    demo_library.close()
    again = FilmLibrary(demo_library.store.folder, NOON)
    assert again.unmeasured() == [second.id], "what may have killed the program is not tried again by itself"
    film = again.store.film(first.id)
    assert film.state == "failed" and "M tries again" in film.line
    again.close()


def test_going_back_to_earlier_clicks_does_not_look_again(demo_library: FilmLibrary) -> None:
    film = next(f for f in demo_library.films() if f.client_name.startswith("Tove") and f.brief["movement"] == "back_squat")
    looks: list[str] = []

    def look(film: Film, brief: Brief, movement: Movement, progress: Progress, what: str, before: Evidence | None = None) -> Evidence:
        looks.append(what)
        assert before is not None
        return before

    demo_library.look = look
    review = Review(demo_library, film.id)
    for _ in range(2):
        review.place(60, "hip_left", (600.0, 330.0))
        review.observe(Progress())
        review.undo()
        review.observe(Progress())
    assert looks == ["follow", "follow"], "placed and undone twice, looked at once each"
    assert len(list((demo_library.store.folder / "evidence" / "kept").iterdir())) == 2
    review.close()


def test_a_library_of_the_last_schema_opens_with_everything_in_it(tmp_path: Path) -> None:
    """library-0002.db was written by the program before replies and arrivals were kept: nine films, six clients, one change."""
    (tmp_path / "old").mkdir()
    past = Path(__file__).parent.parent / "data" / "library-0002.db"
    shutil.copyfile(past, tmp_path / "old" / "library.db")
    store = LibraryStore(tmp_path / "old")
    films = store.films()
    assert len(films) == 9 and all(f.brief["movement"] and f.told == SetWords() for f in films) and len(store.clients()) == 6
    assert sum(len(store.client_changes(c.id)) for c in store.clients()) == 1
    assert (
        store.arrivals.newest() == []
        and store.replies.in_state("kept", "failed") == []
        and store.watches.of_client(films[0].client_id) == []
    )
    store.phrases.set("coach", "Marit")
    assert store.phrases.setting("coach", "") == "Marit"
    backup = next((tmp_path / "old").glob("library.before-*.db"))
    with closing(sqlite3.connect(backup)) as old:
        assert old.execute("SELECT version_num FROM alembic_version").fetchone() == ("0002",)
        assert old.execute("SELECT count(*) FROM film").fetchone() == (9,)
    store.close()


@pytest.mark.parametrize(("schema", "films", "clients"), [("0001", 3, 3), ("0002", 9, 6), ("0003", 9, 6), ("0004", 9, 6)])
def test_every_film_of_an_older_library_gets_its_done_set(tmp_path: Path, schema: str, films: int, clients: int) -> None:
    """Each library-*.db was written by the program when its schema was the newest, from the demo of that day."""
    (tmp_path / "old").mkdir()
    shutil.copyfile(Path(__file__).parent.parent / "data" / f"library-{schema}.db", tmp_path / "old" / "library.db")
    store = LibraryStore(tmp_path / "old")
    assert len(store.clients()) == clients
    for film in store.films():
        done = store.training.done_of_film(film.id)
        assert done is not None and (done.client_id, done.movement, done.load_kg) == (film.client_id, film.movement, film.load_kg)
        assert done.day == film.arrived_at[:10] and done.reps is None and done.source == "film"
    assert len(store.training.done()) == len(store.films()) == films
    assert store.training.record(store.clients()[0].id) == {}
    assert (tmp_path / "old" / "library.before-0006.db").exists()
    store.close()
