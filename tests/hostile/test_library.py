"""The library under everything that can happen to it: two programs, damage, kills, full disks, like names, curious eyes."""

from __future__ import annotations

import re
import shutil
import sqlite3
import subprocess
import sys
from collections.abc import Iterator
from contextlib import closing, contextmanager
from dataclasses import replace
from pathlib import Path

import pytest
from sqlalchemy import func, select

from bench import kills
from deepmirror.errors import BadBrief, BadEvidence, DeepMirrorError, LibraryBusy, LibraryDamaged, LibraryError, ReadOnly, one_line
from deepmirror.exchange.bundle import SetFile, write_bundle
from deepmirror.exchange.mailbox import Letter
from deepmirror.files import make_private
from deepmirror.pose.evidence import Evidence
from deepmirror.services.clients.client_deletion import delete_client
from deepmirror.services.clients.person import PersonFile
from deepmirror.services.clients.sheets import make_sheet, write_sheet
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.review import Review
from deepmirror.services.program.arrivals import Arrivals
from deepmirror.services.program.rescue import backups_at_hand, go_back_to
from deepmirror.store.backups import back_up, backups
from deepmirror.store.library import LibraryStore
from deepmirror.store.tables import Base
from tests.conftest import NOON

PAST = Path(__file__).parent.parent / "data" / "library-0002.db"


def test_killed_at_any_step_nothing_is_lost_doubled_or_left_over() -> None:
    """Real services in forked processes that end themselves at every forty-seventh step; all steps are run by bench/hostile.py."""
    done = subprocess.run([sys.executable, "-m", "bench.kills", "--every", "47"], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr
    kills = [int(n) for n in re.findall(r"(\d+) kills,", done.stdout)]
    assert len(kills) == 6 and min(kills) >= 1, done.stdout  # every kind of work was killed somewhere


def test_a_kill_bench_that_sees_nothing_would_not_be_worth_much(tmp_path: Path) -> None:
    (tmp_path / "work").mkdir()
    (tmp_path / "work" / "body.npz").touch()
    (tmp_path / "films").mkdir()
    (tmp_path / "films" / "a.mp4.part").touch()
    assert len(kills.left_over(tmp_path)) == 2


def test_one_library_has_one_writer_and_any_number_of_readers(demo_library: FilmLibrary) -> None:
    folder = demo_library.store.folder
    with pytest.raises(LibraryBusy, match="open in another Deep Mirror"):
        FilmLibrary(folder, NOON)
    reader = FilmLibrary(folder, NOON, read_only=True)
    film = reader.films()[0]
    review = Review(reader, film.id)
    assert review.analysis is not None and reader.strip(film)
    for edit in (
        lambda: review.place(3, "hip_left", (600.0, 300.0)),
        lambda: PersonFile(reader, film.client_id).set_mass("80"),
        lambda: reader.store.update_film(film.id, note="x"),
        lambda: delete_client(reader, film.client_id),
        lambda: review.observe(Progress()),
    ):
        with pytest.raises(ReadOnly):
            edit()
    review.close()
    reader.close()
    assert demo_library.store.film(film.id).note == film.note
    demo_library.close()
    FilmLibrary(folder, NOON).close()


def test_an_empty_or_damaged_database_is_no_empty_library_and_a_backup_takes_its_place(demo_library: FilmLibrary) -> None:
    folder, count = demo_library.store.folder, len(demo_library.films())
    known = len(backups(folder))
    demo_library.store.phrases.set("coach", "Marit")
    demo_library.close()  # backs up
    assert len(backups(folder)) == known + 1 and back_up(folder) is None, "nothing changed since"
    database = folder / "library.db"
    whole = database.read_bytes()
    torn = whole[:4096] + bytes(len(whole) - 4096)
    no_text = whole.replace(b"CREATE TABLE", b"\xff" * 12)
    for damage in (b"", torn, whole[: len(whole) // 2], no_text):
        database.write_bytes(damage)
        for ending in ("-wal", "-shm"):
            Path(f"{database}{ending}").unlink(missing_ok=True)
        with pytest.raises(LibraryDamaged, match="films beside it are whole"):
            FilmLibrary(folder, NOON)
        newest = backups_at_hand(folder)[0]
        assert "kept as" in go_back_to(folder, newest)
        again = FilmLibrary(folder, NOON)
        assert len(again.films()) == count and all(f.path.exists() for f in again.films())
        again.close()
    assert any(folder.glob("library.damaged-*.db")), "what was damaged is never thrown away by itself"


def test_a_new_library_whose_first_start_was_killed_is_new(tmp_path: Path) -> None:
    (tmp_path / "library.db").touch()
    store = LibraryStore(tmp_path)
    assert store.films() == []
    store.close()


def test_backups_are_few_checked_and_one_a_day(demo_library: FilmLibrary) -> None:
    folder = demo_library.store.folder
    shutil.rmtree(folder / "backups", ignore_errors=True)
    for day in range(1, 15):
        demo_library.store.phrases.set("day", day)
        back_up(folder, NOON.replace(day=day))
        demo_library.store.phrases.set("day", day + 0.5)
        back_up(folder, NOON.replace(day=day, hour=18))
    kept = [p.name[8:16] for p in backups(folder)]
    assert kept == ["20260314", "20260314", *(f"202603{d:02d}" for d in range(13, 7, -1))]
    with closing(sqlite3.connect(backups(folder)[0])) as db:
        assert db.execute("SELECT value FROM setting WHERE key = 'day'").fetchone() == ("14.5",)


def test_a_damaged_row_costs_that_row_only(demo_library: FilmLibrary) -> None:
    first, second = demo_library.films()[:2]
    person = PersonFile(demo_library, second.client_id)
    person.set_mass("83")
    with demo_library.store.transaction() as s:
        connection = s.connection()
        connection.exec_driver_sql("UPDATE film SET brief_json = '{\"movement', turns_json = '[1,', state = 'x' WHERE id = ?", (first.id,))
        connection.exec_driver_sql("UPDATE client SET body_json = 'x' WHERE id = ?", (second.client_id,))
        connection.exec_driver_sql("UPDATE watch SET item_json = '[}'")
        connection.exec_driver_sql("UPDATE setting SET value = '{' WHERE key = 'coach'")
    assert len(demo_library.films()) > 2 and demo_library.store.machines()
    with pytest.raises(BadBrief):
        Review(demo_library, first.id)
    assert demo_library.store.watches.of_client(second.client_id) == [] and demo_library.store.phrases.setting("coach", "?") == "?"
    folder = demo_library.store.folder
    demo_library.close()
    again = FilmLibrary(folder, NOON)
    assert again.store.client(second.client_id).body["mass_kg"] == 83, "read back from the history of changes"
    again.close()


@contextmanager
def locked(folder: Path) -> Iterator[None]:
    """The database held by somebody else's long write."""
    with closing(sqlite3.connect(folder / "library.db", isolation_level=None)) as other:
        other.execute("BEGIN IMMEDIATE")
        yield
        other.execute("ROLLBACK")


def test_an_edit_that_a_locked_library_does_not_take_is_kept_and_saved_later(
    demo_library: FilmLibrary, monkeypatch: pytest.MonkeyPatch
) -> None:
    film, said = demo_library.films()[0], list[str]()
    review, person = Review(demo_library, film.id, conclude=False), PersonFile(demo_library, film.client_id)
    demo_library.saver.told = said.append
    with locked(demo_library.store.folder):
        review.place(7, "hip_left", (601.0, 300.0))
        review.place(7, "knee_left", (640.0, 400.0))
        person.set_mass("77")
        assert demo_library.saver.waiting == 3 and len(said) == 1 and "locked" in said[0]
        with pytest.raises(LibraryError, match="not saved yet"):
            Review(demo_library, film.id, conclude=False)
    assert demo_library.saver.retry() and said[1:] == [""]
    again = Review(demo_library, film.id, conclude=False)
    assert again.seed(7) == {"hip_left": (601.0, 300.0), "knee_left": (640.0, 400.0)} and again.can_undo() == "place knee left"
    assert demo_library.store.client(film.client_id).body["mass_kg"] == 77
    again.close()
    with locked(demo_library.store.folder):
        review.undo()
    demo_library.store.update_film(film.id, note="later")
    delete_client(demo_library, film.client_id)
    assert demo_library.saver.retry(), "what was deleted meanwhile has nothing to be saved"
    review.close()


def test_undo_and_redo_survive_closing_the_film_and_the_program(demo_library: FilmLibrary) -> None:
    film, folder = demo_library.films()[0], demo_library.store.folder
    review = Review(demo_library, film.id, conclude=False)
    start = review.brief.file
    for x in range(5):
        review.place(11, "hip_left", (600.0 + x, 310.0))
    review.undo()
    review.undo()
    review.close()
    demo_library.close()
    library = FilmLibrary(folder, NOON)
    again = Review(library, film.id, conclude=False)
    assert again.seed(11)["hip_left"] == (602.0, 310.0) and again.can_redo() == "place hip left"
    again.redo()
    assert again.seed(11)["hip_left"] == (603.0, 310.0)
    while again.can_undo():
        again.undo()
    assert again.brief.file.model_dump(exclude={"client"}) == start.model_dump(exclude={"client"})
    again.set_field(tempo="3-1-1-0")  # a new edit: what was undone is gone, here and at the next start
    again.close()
    last = Review(library, film.id, conclude=False)
    assert last.can_redo() is None and last.can_undo() == "change tempo"
    last.close()
    library.close()


def test_clicks_made_while_a_film_is_looked_at_are_not_taken_as_followed(demo_library: FilmLibrary) -> None:
    film = demo_library.films()[0]
    review = Review(demo_library, film.id, conclude=False)
    before = review.evidence
    assert before is not None
    demo_library.look = lambda *_: before
    review.place(20, "hip_left", (600.0, 300.0))
    work = review.observing()
    review.place(20, "knee_left", (640.0, 420.0))  # while it is looked at
    review.take(work(Progress()))
    assert review.needs_following(), "the second click was not followed"
    review.undo()
    assert not review.needs_following()
    review.close()


def test_deleting_by_id_leaves_the_like_named_alone_and_nothing_of_her(demo_library: FilmLibrary, tmp_path: Path, short_film: Path) -> None:
    store = demo_library.store
    tove = next(c for c in demo_library.clients() if c.name.startswith("Tove"))
    short, long = store.add_client("Ann", tove.body), store.add_client("Ann Lee", tove.body)
    twin = store.add_client("ann lee", tove.body)
    film = demo_library.import_film(short_film, short.id, "back_squat", "side-left")
    for client in (short, long, twin):
        write_sheet(demo_library, client.id, "back_squat", make_sheet(demo_library, client.id, "back_squat"))
    (store.folder / "sheets" / "ann-lee-back-squat.html").write_text("of an earlier version")
    assert len(list((store.folder / "sheets").glob("client-*/back_squat.html"))) == 3, "like names have sheets of their own"
    bundle = tmp_path / "a.zip"
    told = {"format": "deep-mirror-set", "version": 1, "client": "Ann Lee", "film": "f.mp4", "movement": "back_squat", "view": "front"}
    (tmp_path / "f.mp4").write_bytes(short_film.read_bytes()[:-1] + b"x")
    write_bundle(bundle, SetFile.model_validate(told), tmp_path / "f.mp4")
    held = Arrivals(demo_library, kills.Letters(Letter("1", "a.zip", bundle))).collect(Progress())[0]
    assert held.state == "waiting" and "2 clients are called" in held.sentence
    Evidence.load(store.evidence_path(1)).save(store.evidence_path(film.id))
    back_up(store.folder)
    delete_client(demo_library, short.id)
    assert (store.folder / "sheets" / "ann-lee-back-squat.html").exists() and store.arrivals.waiting() == [held]
    assert [p.name for p in sorted((store.folder / "sheets").glob("client-*"))] == [f"client-{c.id}" for c in (long, twin)]
    assert not film.path.exists() and not store.evidence_path(film.id).exists()
    for copy in backups(store.folder):
        with closing(sqlite3.connect(copy)) as db:
            assert db.execute("SELECT count(*) FROM client WHERE name = 'Ann'").fetchone() == (0,)
    again = demo_library.import_film(short_film, long.id, "back_squat", "side-left")
    assert again.id > film.id, "an id is never given twice: what hangs on it by name cannot become another's"


def test_every_row_of_a_client_goes_with_her(demo_library: FilmLibrary) -> None:
    """Over the tables as they are declared: a new one that forgets to cascade is caught here."""
    bram = next(c for c in demo_library.clients() if c.name.startswith("Bram"))
    films = [f.id for f in demo_library.store.films(bram.id)]
    review = Review(demo_library, films[0], conclude=False)
    review.place(5, "hip_left", (600.0, 300.0))
    review.close()
    PersonFile(demo_library, bram.id).set_mass("90")
    before = {t.name for t in Base.metadata.tables.values() for column in t.c for key in column.foreign_keys if key.ondelete == "CASCADE"}
    everything = {t.name for t in Base.metadata.tables.values() if any(c.foreign_keys for c in t.c)}
    assert before == everything
    delete_client(demo_library, bram.id)
    with demo_library.store.transaction() as s:
        for table in Base.metadata.tables.values():
            for column, ids in (("client_id", [bram.id]), ("film_id", films)):
                if column in table.c:
                    assert s.scalar(select(func.count()).select_from(table).where(table.c[column].in_(ids))) == 0, table.name


def test_a_library_is_its_owners_alone(tmp_path: Path) -> None:
    old = tmp_path / "old"
    (old / "films").mkdir(parents=True)
    (old / "films" / "a.mp4").write_bytes(b"x")
    shutil.copyfile(PAST, old / "library.db")
    for path in (old, old / "films", old / "films" / "a.mp4", old / "library.db"):
        path.chmod(0o777)
    store = LibraryStore(old)
    store.phrases.set("coach", "Marit")
    back_up(old)
    open_to_others = [str(p.relative_to(old)) for p in [old, *old.rglob("*")] if p.stat().st_mode & 0o077]
    assert open_to_others == []
    store.close()
    (old / "link").symlink_to(tmp_path / "nowhere")
    make_private(old)  # a link that leads nowhere is no reason to stop


def test_what_is_large_is_kept_when_it_waits_and_let_go_when_it_is_refused(
    demo_library: FilmLibrary, tmp_path: Path, short_film: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("deepmirror.services.program.arrivals.REFUSED_KEPT_BYTES", 1000)
    told = {"format": "deep-mirror-set", "version": 1, "client": "Nobody Known", "film": "f.mp4"}
    write_bundle(tmp_path / "waits.zip", SetFile.model_validate(told), short_film)
    (tmp_path / "refused.zip").write_bytes(b"PK" + bytes(5000))
    letters = [Letter(n, n, tmp_path / n) for n in ("waits.zip", "refused.zip")]
    waits, refused = Arrivals(demo_library, kills.Letters(*letters)).collect(Progress())
    assert waits.state == "waiting" and waits.path is not None and waits.path.read_bytes() == (tmp_path / "waits.zip").read_bytes()
    assert refused.state == "refused" and refused.path is None


def test_what_was_seen_of_a_film_that_is_gone_goes_at_the_next_start(demo_library: FilmLibrary) -> None:
    folder, film = demo_library.store.folder, demo_library.films()[0]
    for place in ("evidence/film-999.npz", "evidence/kept/film-999-abc.npz", "strips/999-abc.jpg"):
        (folder / place).write_bytes(b"x")
    demo_library.close()
    again = FilmLibrary(folder, NOON)
    assert not list(folder.rglob("*999*")) and again.store.evidence_path(film.id).exists()
    again.close()


def test_sentences_are_one_line_and_bounded() -> None:
    error = DeepMirrorError("a\nb\x00c\u202ed\ud800 " + "x" * 5000)
    assert "\n" not in error.sentence and len(error.sentence) <= 600 and error.sentence.startswith("a b c d? x")
    error.sentence.encode("utf-8")
    assert one_line("kurz") == "kurz"


def test_evidence_that_does_not_belong_together_is_told(tmp_path: Path, demo_library: FilmLibrary) -> None:
    seen = Evidence.load(demo_library.store.evidence_path(1))
    seen = replace(seen, network=seen.network[:-3])
    seen.save(tmp_path / "e.npz")
    with pytest.raises(BadEvidence, match="looked at again"):
        Evidence.load(tmp_path / "e.npz")
