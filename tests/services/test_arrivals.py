"""What comes in: the simulated post by its plan, a watched folder, and nothing is ever lost."""

from __future__ import annotations

import json
import shutil
from pathlib import Path
from typing import Any

import pytest

from deepmirror import files
from deepmirror.errors import BadBundle, DeepMirrorError
from deepmirror.exchange.bundle import SetFile, write_bundle
from deepmirror.exchange.mailbox import FolderMailbox, Letter
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.program.arrivals import Arrivals, Placed, place, unplaced
from deepmirror.services.replies.delivery import folder_outbox
from deepmirror.services.replies.retake_request import draft_request, send_request
from deepmirror.standins.simulated_post import SimulatedMailbox
from tests.conftest import DEMO

PLAN = DEMO / "arrivals" / "plan.json"


class Clock:
    """Seconds since the start, as a test says."""

    def __init__(self) -> None:
        self.now = 0.0

    def __call__(self) -> float:
        return self.now


def states(library: FilmLibrary) -> dict[str, str]:
    return {a.name: a.state for a in library.store.arrivals.newest()}


def test_the_demos_letters_arrive_late_twice_and_damaged_and_none_is_lost(demo_library: FilmLibrary, tmp_path: Path) -> None:
    clock = Clock()
    mailbox = SimulatedMailbox(PLAN, tmp_path / "post", clock)
    arrivals = Arrivals(demo_library, mailbox)
    assert arrivals.collect(Progress()) == []
    seen = []
    for now in (5, 9, 13, 17, 21, 27, 60):
        clock.now = now
        seen += [r.name for r in arrivals.collect(Progress())]
    letters = json.loads(PLAN.read_text())["letters"]
    assert seen == [x["name"] for x in sorted(letters, key=lambda x: x["after_s"])] != [x["name"] for x in letters]
    assert states(demo_library) == {
        "bram week two.zip": "taken",
        "tove front squat rack.mp4": "waiting",
        "nuru extension.zip": "refused",
        "ines curls.zip": "taken",
        "nuru extension again.zip": "taken",
        "bram week two (1).zip": "twin",
    }
    for record in demo_library.store.arrivals.newest():
        if record.state != "twin":
            assert record.path is not None and record.path.exists()
    refused = next(a for a in demo_library.store.arrivals.newest() if a.state == "refused")
    assert refused.path is not None and "damaged" in refused.sentence and "nuru extension.zip" in refused.sentence
    bram = next(f for f in demo_library.films() if f.client_name.startswith("Bram"))
    assert bram.note.startswith("Took a little off") and json.loads(bram.set_json) == {
        "number": 2,
        "reps": 4,
        "load_kg": 77.5,
        "effort": 8,
        "tempo": "2-0-1-0",
    }
    assert bram.state == "new" and bram.brief["load_kg"] == 77.5 and bram.brief["client"]["stature_cm"] == 186
    ines = next(f for f in demo_library.films() if f.client_name.startswith("Ines"))
    assert ines.brief["marks_taken_over"] and ines.brief["marks"]["pad_line"]  # the machine is known: its marks, in question
    assert Arrivals(demo_library, SimulatedMailbox(PLAN, tmp_path / "again", clock)).collect(Progress()) == []  # after a restart


def test_the_simulated_post_gives_the_same_bytes_every_time(tmp_path: Path) -> None:
    clock = Clock()
    clock.now = 100
    first, second = (SimulatedMailbox(PLAN, tmp_path / name, clock).letters() for name in ("a", "b"))
    assert [a.path.read_bytes() == b.path.read_bytes() for a, b in zip(first, second, strict=True)] == [True] * 6


def test_a_bare_film_waits_until_the_coach_says_whose_it_is(demo_library: FilmLibrary, tmp_path: Path, short_film: Path) -> None:
    inbox = tmp_path / "inbox"
    inbox.mkdir()
    shutil.copyfile(short_film, inbox / "yuna goblet_squat monday.mp4")
    mailbox = FolderMailbox(inbox)
    arrivals = Arrivals(demo_library, mailbox)
    assert arrivals.collect(Progress()) == []  # it may still grow
    record = arrivals.collect(Progress())[0]
    assert record.state == "waiting"
    found = unplaced(demo_library, record, tmp_path)
    assert (found.client_name, found.movement) == ("Yuna Marchetti", "goblet_squat")  # a guess from its name, to be confirmed
    client = next(c for c in demo_library.clients() if c.name == found.client_name)
    place(demo_library, record, found.film, Placed(client.id, "", None, "goblet_squat", "side-left", None, None, ""))
    assert demo_library.store.arrivals.waiting() == [] and states(demo_library)[record.name] == "taken"
    assert (inbox / record.name).read_bytes() == short_film.read_bytes()  # the original stays where it lay
    assert arrivals.collect(Progress()) == [] and len(demo_library.store.arrivals.newest()) == 1
    shutil.copyfile(short_film, inbox / "same again.mp4")
    mailbox.letters()
    assert arrivals.collect(Progress())[0].state == "twin"


def test_a_folder_gives_only_films_that_stopped_growing(tmp_path: Path) -> None:
    mailbox = FolderMailbox(tmp_path / "new")
    assert mailbox.letters() == [] and (tmp_path / "new").is_dir()
    growing = tmp_path / "new" / "growing.mp4"
    growing.write_bytes(b"x")
    (tmp_path / "new" / "notes.txt").write_text("x")
    (tmp_path / "new" / "link.mp4").symlink_to(growing)
    mailbox.letters()
    growing.write_bytes(b"xx")
    assert mailbox.letters() == []
    assert [x.name for x in mailbox.letters()] == ["growing.mp4"]
    blocked = tmp_path / "file"
    blocked.write_text("x")
    with pytest.raises(DeepMirrorError, match="cannot be read"):
        FolderMailbox(blocked).letters()


def bundle_of(folder: Path, film: Path, **told: Any) -> Letter:
    path = folder / f"{len(list(folder.iterdir()))}.zip"
    said = {"format": "deep-mirror-set", "version": 1, "film": f"film{film.suffix}"} | told
    write_bundle(path, SetFile.model_validate(said), film)
    return Letter(path.name, path.name, path)


class Given:
    """A mailbox that holds what a test puts in."""

    def __init__(self, *letters: Letter) -> None:
        self.held = list(letters)

    def letters(self) -> list[Letter]:
        return self.held


@pytest.mark.parametrize(
    ("told", "words"),
    [
        ({"client": "Nobody Known", "movement": "back_squat", "view": "front"}, "no client is called “Nobody Known”"),
        ({"client": "bram achterberg", "movement": "tumbling", "view": "front"}, "the movement is not said"),
        ({"client": "Bram Achterberg", "movement": "back_squat"}, "the side"),
    ],
)
def test_a_bundle_that_leaves_something_open_waits_and_says_what(
    demo_library: FilmLibrary, tmp_path: Path, short_film: Path, told: dict[str, Any], words: str
) -> None:
    (tmp_path / "post").mkdir()
    letter = bundle_of(tmp_path / "post", short_film, **told, note="hello")
    record = Arrivals(demo_library, Given(letter)).collect(Progress())[0]
    assert record.state == "waiting" and words in record.sentence and record.told["note"] == "hello"
    assert unplaced(demo_library, record, tmp_path / "out").client_name == told["client"]
    assert not list((demo_library.store.folder / "arrivals").glob("tmp*"))


def test_a_bundle_with_something_that_is_no_film_is_refused_and_kept(demo_library: FilmLibrary, tmp_path: Path) -> None:
    (tmp_path / "post").mkdir()
    (tmp_path / "fake.mp4").write_text("this is no film")
    letter = bundle_of(tmp_path / "post", tmp_path / "fake.mp4", client="Bram Achterberg", movement="back_squat", view="front")
    count = len(demo_library.films())
    record = Arrivals(demo_library, Given(letter)).collect(Progress())[0]
    assert record.state == "refused" and record.path is not None and record.path.read_bytes() == letter.path.read_bytes()
    assert len(demo_library.films()) == count
    gone = Letter("gone", "gone.zip", tmp_path / "gone.zip")
    assert Arrivals(demo_library, Given(gone)).collect(Progress())[0].state == "refused"
    with pytest.raises(BadBundle, match="not kept"):
        unplaced(demo_library, demo_library.store.arrivals.newest()[0], tmp_path)


def test_a_new_film_answers_the_request_for_one(demo_library: FilmLibrary, tmp_path: Path, short_film: Path) -> None:
    old = next(f for f in demo_library.films() if f.client_name.startswith("Tove") and f.brief["movement"] == "back_squat")
    request = draft_request(demo_library, old.id, None)
    send_request(demo_library, folder_outbox(demo_library), old.id, request, Progress())
    assert demo_library.store.film(old.id).state == "asked"
    (tmp_path / "post").mkdir()
    letter = bundle_of(tmp_path / "post", short_film, client="Tove Lindqvist", movement="back_squat", view="side-left")
    record = Arrivals(demo_library, Given(letter)).collect(Progress())[0]
    assert record.state == "taken" and demo_library.store.film(old.id).state == "replaced"


def test_a_full_disk_loses_no_letter(demo_library: FilmLibrary, tmp_path: Path, short_film: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "post").mkdir()
    letter = bundle_of(tmp_path / "post", short_film, client="Tove Lindqvist", movement="back_squat", view="side-left")
    arrivals = Arrivals(demo_library, Given(letter))
    real = files.copy_part

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("deepmirror.services.program.arrivals.copy_part", full)
    with pytest.raises(DeepMirrorError, match="tried again"):
        arrivals.collect(Progress())
    assert demo_library.store.arrivals.newest() == []
    monkeypatch.setattr("deepmirror.services.program.arrivals.copy_part", real)
    assert arrivals.collect(Progress())[0].state == "taken"


def test_a_bundle_carries_the_filled_in_session_and_pain_back_into_the_log(
    demo_library: FilmLibrary, tmp_path: Path, short_film: Path
) -> None:
    client = next(c for c in demo_library.clients() if c.name.startswith("Tove"))
    before = len(demo_library.store.training.done(client.id))
    told = SetFile.model_validate(
        {
            "format": "deep-mirror-set",
            "version": 1,
            "client": client.name,
            "film": "film.mp4",
            "movement": "back_squat",
            "view": "side-left",
            "filmed_at": "2026-03-01T18:00:00",
            "set": {"number": 1, "reps": 6, "load_kg": 45, "effort": 8},
            "done": [
                {"date": "2026-03-01", "movement": "hip_thrust", "load_kg": 60, "reps": 10, "rir": 2, "note": "easy"},
                {"date": "2026-03-01", "movement": "seated_calf_raise", "load_kg": 25, "reps": 0},
            ],
            "pain": [{"date": "2026-03-01", "where": "left knee", "level": 2}],
        }
    )
    write_bundle(tmp_path / "tove.zip", told, short_film)
    record = Arrivals(demo_library, None).bring(tmp_path / "tove.zip")
    assert record.state == "taken" and record.film_id is not None
    store = demo_library.store.training
    filmed = store.done_of_film(record.film_id)
    assert filmed is not None and (filmed.day, filmed.reps, filmed.rir, filmed.load_kg) == ("2026-03-01", 6, 2, 45)
    after = store.done(client.id)
    assert len(after) == before + 2, "the filmed set and the thrust; what has no repetitions was not done"
    assert [(d.movement, d.note, d.source) for d in after if d.source == "client"] == [("hip_thrust", "easy", "client")]
    assert [p.place for p in store.pain(client.id)] == ["left knee"]
