"""The floor without an interface: a set is counted, recorded and told; it lands in the library and the log, also after a kill."""

from __future__ import annotations

import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest

from deepmirror.core.sketches.sketch import NOTHING
from deepmirror.errors import LibraryError
from deepmirror.media.camera import Shot
from deepmirror.media.film import Film
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.live.floor import WARM_UP, WORK, FloorSession, SetDone, Told, recover, take_recording, unfinished
from deepmirror.services.live.floor_engine import Begin, Begun, End, Framed, GetReady, Over, Preview, Recorded, RepTold, Said, told_of
from deepmirror.services.live.floor_engine import Told as SetTold
from deepmirror.services.live.floor_link import FloorHere
from deepmirror.services.live.loop import Loop
from deepmirror.services.live.session import the_one
from deepmirror.standins.simulated_camera import SimulatedCamera
from tests.conftest import DEMO
from tests.services.floor_rig import Floor

SQUAT = {"movement": "back_squat", "view": "side-left", "client": {"stature_cm": 168}, "tempo": "2-0-1-0"}


@pytest.fixture(scope="module")
def lifted(short_film: Path, tmp_path_factory: pytest.TempPathFactory) -> tuple[Floor, Path]:
    """One set, begun by nobody and ended by the key."""
    folder = tmp_path_factory.mktemp("floor")
    floor = Floor([short_film])
    floor.link.command(GetReady(SQUAT, folder / "set.mp4"))
    floor.wait(lambda: bool(floor.of(RepTold)))
    floor.link.command(End())
    floor.wait(lambda: bool(floor.of(Recorded)))
    floor.link.close()
    return floor, folder / "set.mp4"


def test_a_set_that_nobody_began_is_counted_recorded_and_told(lifted: tuple[Floor, Path]) -> None:
    floor, path = lifted
    kinds = [type(m) for m in floor.said if not isinstance(m, Framed | Said)]
    assert kinds[:3] == [Preview, Begun, RepTold] and kinds[-3:] == [Over, SetTold, Recorded]
    (rep,), (told,), (film,) = floor.of(RepTold), floor.of(SetTold), floor.of(Recorded)
    assert rep.rep.number == 1 and rep.rep.range > 30 and not rep.short
    assert told.summary.reps == 1 and len(told.reps) == 1 and set(told.lines) == {f"{s}_left" for s in ("trunk", "thigh", "shank", "foot")}
    with Film(path) as read:
        assert len(read.times) == film.frames
        assert read.times[-1] > 4.0 and 0 < told.reps[0].start_s < told.reps[0].end_s < read.times[-1], "the rep is in the film"
    framed = floor.of(Framed)
    assert framed and framed[-1].framing.fits


def test_the_worst_moment_is_a_loop_with_lines_on_the_body(lifted: tuple[Floor, Path]) -> None:
    floor, path = lifted
    (told,) = floor.of(SetTold)
    loop = Loop(path, told)
    rep = told.reps[0]
    assert loop.frames * loop.step_ms / 1000 == pytest.approx(rep.end_s - rep.start_s + 0.8, abs=0.6)
    picture, lines = loop.picture(loop.frames // 2), loop.lines(loop.frames // 2)
    assert len(lines) == 4 and all(0 <= x < picture.shape[1] and 0 <= y < picture.shape[0] for line in lines for x, y in line)
    loop.close()


def test_the_loop_draws_what_was_found_with_its_number(analyses: dict[str, Analysis]) -> None:
    name = "ines_lying_curl_side"
    told, finding = told_of(analyses[name]), the_one(analyses[name])
    assert finding is not None and told.worst is not None
    loop = Loop(DEMO / f"{name}.mp4", told)
    middle = loop.drawing(loop.frames // 2)
    assert middle is not None and middle.sketch is not NOTHING and "±" in middle.words
    assert len(told.drawn) < len(told.line_times), "around the worst moment only"
    assert Loop(DEMO / f"{name}.mp4", replace(told, drawn={})).drawing(0) is None
    loop.close()


def test_a_brief_that_is_none_is_told_and_the_key_does_nothing(short_film: Path, tmp_path: Path) -> None:
    floor = Floor([short_film], before_s=20.0)
    floor.link.command(GetReady(SQUAT | {"view": "from above"}, tmp_path / "set.mp4"))
    floor.link.command(Begin())
    floor.wait(lambda: any(m.sentence for m in floor.of(Said)))
    assert "view" in floor.of(Said)[0].sentence and not floor.of(Begun)
    floor.link.close()
    assert not (tmp_path / "set.mp4").exists()


def test_a_key_pressed_before_the_camera_shows_anything_begins_nothing(short_film: Path, tmp_path: Path) -> None:
    class Slow(SimulatedCamera):
        def shots(self) -> Iterator[Shot]:
            time.sleep(1.0)
            yield from super().shots()

    said: list[object] = []
    link = FloorHere(Slow([short_film], before_s=20.0), said.append)
    link.command(GetReady(SQUAT, tmp_path / "set.mp4"))
    link.command(Begin())
    deadline = time.monotonic() + 30
    while not any(isinstance(m, Preview) for m in said) and time.monotonic() < deadline:
        time.sleep(0.05)
    link.command(Begin())
    while not any(isinstance(m, Begun) for m in said) and time.monotonic() < deadline:
        time.sleep(0.05)
    assert sum(isinstance(m, Begun) for m in said) == 1, "the first key found no picture, the second one did"
    link.command(GetReady(SQUAT, tmp_path / "other.mp4"))  # comes too late: the set that runs is not ended by it
    time.sleep(0.5)
    assert not any(isinstance(m, Over) for m in said)
    link.close()
    assert any(isinstance(m, Recorded) for m in said) and (tmp_path / "set.mp4").exists() and not (tmp_path / "other.mp4").exists()


def session_of(library: FilmLibrary, name: str) -> FloorSession:
    return FloorSession(library, next(c.id for c in library.clients() if c.name.startswith(name)))


def test_the_plans_sets_come_in_order_with_their_warm_up(demo_library: FilmLibrary) -> None:
    session = session_of(demo_library, "Bram")
    kinds = [(s.movement, s.kind, s.number, s.of) for s in session.planned]
    first = [k for k in kinds if k[0] == kinds[0][0]]
    assert {k[1] for k in first} == {WARM_UP, WORK} and [k[1] for k in first] == sorted((k[1] for k in first), key=[WARM_UP, WORK].index)
    now = session.present()
    assert now is not None and now == session.planned[0] and str(now.number) in now.words()
    assert session.step(1) == session.planned[1] and session.step(-5) == session.planned[0]
    session.step(len(session.planned))
    assert session.present() is None
    own = session.choose("calf_raise" if "calf_raise" in demo_library.catalogue.movements else "standing_calf_raise")
    assert own.number == 1 and session.present() == own and own.of > 1


def test_what_a_set_shows_changes_the_next_load_only(demo_library: FilmLibrary) -> None:
    session = session_of(demo_library, "Bram")
    at = next(k for k, s in enumerate(session.planned) if s.kind == WORK and s.of > 1)
    session.at = at
    now = session.planned[at]
    following, answer = session.following(now, SetDone(now.load_kg, now.reps[0], now.reps[0], unsafe="Heels rise"))
    assert following is not None and answer is not None and following.load_kg < now.load_kg and "Heels rise" in answer.why
    assert session.at == at, "looking goes nowhere"
    session.after(now, SetDone(now.load_kg, now.reps[0], now.reps[0], unsafe="Heels rise"))
    assert session.present() == following
    hurt, why = session.following(following, SetDone(following.load_kg, 5, 5, pain=8))
    assert why is not None and why.load_kg is None and (hurt is None or hurt.movement != now.movement)


def recording(library: FilmLibrary, name: str, film: Path) -> tuple[FloorSession, GetReady]:
    session = session_of(library, name)
    now = session.choose("back_squat")
    session.machine = "Rack by the door"
    ready = session.get_ready(now)
    ready.film.write_bytes(film.read_bytes())
    return session, ready


def test_a_recorded_set_is_a_film_with_its_place_in_the_log(demo_library: FilmLibrary, lifted: tuple[Floor, Path]) -> None:
    session, ready = recording(demo_library, "Tove", lifted[1])
    record = take_recording(demo_library, ready.film)
    assert (record.movement, record.view, record.machine) == ("back_squat", "side-left", "Rack by the door")
    assert not ready.film.exists() and not ready.film.with_suffix(".json").exists() and record.path.exists()
    session.tell(record.id, Told(load_kg=62.5, rir=2.0, pain=0.0))
    done = demo_library.store.training.done_of_film(record.id)
    assert done is not None and (done.load_kg, done.rir, done.pain, done.kind) == (62.5, 2.0, 0.0, WORK)
    assert [d.id for d in session.done_today()] == [done.id] and len(demo_library.store.training.changes_of(done.id)) >= 1
    with pytest.raises(LibraryError, match="Nobody knows whose set"):
        take_recording(demo_library, lifted[1])
    assert lifted[1].exists(), "what cannot be taken in is kept"


def test_what_was_recorded_when_the_program_was_killed_is_taken_in_at_the_next_start(
    demo_library: FilmLibrary, lifted: tuple[Floor, Path]
) -> None:
    _, ready = recording(demo_library, "Tove", lifted[1])
    never = session_of(demo_library, "Bram").get_ready(session_of(demo_library, "Bram").planned[0])
    films = len(demo_library.films())
    torn = ready.film.with_name("torn.mp4")
    torn.write_bytes(b"no film" * 4000)
    torn.with_suffix(".json").write_bytes(ready.film.with_suffix(".json").read_bytes())
    found = recover(demo_library, unfinished(demo_library))
    assert len(found.refused) == 1 and "could not be taken in" in found.refused[0] and torn.exists(), "what cannot be read is kept and told"
    torn.unlink()
    torn.with_suffix(".json").unlink()
    assert [r.movement for r in found.films] == ["back_squat"] and len(demo_library.films()) == films + 1
    assert not never.film.with_suffix(".json").exists() and not ready.film.exists()
    assert recover(demo_library, unfinished(demo_library)).films == []


RECORD = """
import sys
from pathlib import Path
from deepmirror.media.recorder import Recorder
from deepmirror.standins.simulated_camera import SimulatedCamera
camera = SimulatedCamera([Path(sys.argv[1])], rest_s=60, before_s=0.5)
recorder = Recorder(camera.size, camera.fps)
recorder.start(Path(sys.argv[2]))
print("begun", flush=True)
for shot in camera.shots():
    recorder.push(shot)
"""


def test_killed_while_it_records_the_film_plays_up_to_the_last_second(
    demo_library: FilmLibrary, short_film: Path, lifted: tuple[Floor, Path]
) -> None:
    _, ready = recording(demo_library, "Tove", short_film)
    ready.film.unlink()
    with subprocess.Popen([sys.executable, "-c", RECORD, str(short_film), str(ready.film)], stdout=subprocess.PIPE) as process:
        assert process.stdout is not None and process.stdout.readline() == b"begun\n"
        begun = time.monotonic()
        time.sleep(2.6)
        process.send_signal(signal.SIGKILL)
        ran_s = time.monotonic() - begun
    (record,) = recover(demo_library, unfinished(demo_library)).films
    with Film(record.path) as film:
        assert film.times[-1] > ran_s - 1.3, "a second, and what starting the camera took"
    done = demo_library.store.training.done_of_film(record.id)
    assert done is not None and done.movement == "back_squat"


def test_the_engine_in_a_process_apart_answers_and_ends_with_its_window(short_film: Path) -> None:
    from deepmirror.services.live.floor_link import CameraChoice, FloorProcess

    said: list[object] = []
    link = FloorProcess(CameraChoice("simulated", "it", films=(short_film,), rest_s=5.0), said.append)
    deadline = time.monotonic() + 40
    while not said and time.monotonic() < deadline:
        time.sleep(0.05)
    assert isinstance(said[0], Preview) and said[0].size == (1280, 720)
    link.close()
    nothing = FloorProcess(CameraChoice("device", "none", Path("/dev/no-camera")), said.append)
    while not isinstance(said[-1], Said) and time.monotonic() < deadline:
        time.sleep(0.05)
    assert "no camera" in said[-1].sentence  # type: ignore[attr-defined]
    nothing.close()
