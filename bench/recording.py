"""Recording sets: killed at random, and for half an hour on end.

    python -m bench.recording kills [--times 40]
    python -m bench.recording memory [--minutes 30]

kills: a process that records the simulated camera is killed (SIGKILL) at a random moment; then a library opens as the next start would,
and takes what was recorded in. Counted: films that do not open, how much of the end is missing, sets that are not in the log.
memory: the floor's engine films set after set; printed each two minutes: memory, pictures lost from the film, the recorder's backlog.
"""

from __future__ import annotations

import argparse
import json
import os
import platform
import random
import signal
import subprocess
import sys
import tempfile
import threading
import time
from importlib import resources
from pathlib import Path

import numpy as np

from deepmirror.errors import DeepMirrorError
from deepmirror.media.film import Film
from deepmirror.movements.loader import load_catalogue
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.live.floor import FloorSession, recover, unfinished
from deepmirror.services.live.floor_engine import Close, FloorEngine, GetReady, Message, Over, Recorded, RepTold, Told
from deepmirror.services.program.demo import fill_demo
from deepmirror.standins.simulated_camera import SimulatedCamera

DEMO = Path(str(resources.files("deepmirror"))) / "assets" / "demo"
FILMS = [DEMO / "ines_lying_curl_side.mp4", DEMO / "oren_leg_press_side.mp4", DEMO / "tove_back_squat_side.mp4"]
CHILD = """
import sys, time
from pathlib import Path
from deepmirror.media.recorder import Recorder
from deepmirror.standins.simulated_camera import SimulatedCamera
camera = SimulatedCamera([Path(sys.argv[1])], rest_s=600, before_s=1.0 + 0.034 * int(sys.argv[3]))  # no two alike, as no two sets are
recorder = Recorder(camera.size, camera.fps)
recorder.start(Path(sys.argv[2]))
for shot in camera.shots():
    recorder.push(shot)
    if shot.number == 0:
        print("begun", flush=True)
"""


def kills(times: int) -> None:
    """Kill so many recordings; the totals."""
    missing, unreadable, unlogged, nothing = list[float](), 0, 0, 0
    with tempfile.TemporaryDirectory() as place:
        library = FilmLibrary(Path(place) / "library")
        fill_demo(library)
        session = FloorSession(library, library.clients()[0].id)
        session.choose("back_squat")
        for n in range(times):
            now = session.present()
            assert now is not None
            ready = session.get_ready(now)
            with subprocess.Popen(
                [sys.executable, "-c", CHILD, str(FILMS[n % 3]), str(ready.film), str(n)], stdout=subprocess.PIPE
            ) as child:
                assert child.stdout is not None
                child.stdout.readline()
                begun, lives = time.monotonic(), random.uniform(0.6, 9.0)
                time.sleep(lives)
                child.send_signal(signal.SIGKILL)
                ran = time.monotonic() - begun
            try:
                found = recover(library, unfinished(library))
                if not found.films:
                    nothing += not found.refused
                    unreadable += bool(found.refused)
                    print(f"killed after {lives:.2f} s: {found.refused or 'nothing was on the disk yet'}")
                    continue
                (record,) = found.films
                with Film(record.path) as film:
                    missing.append(ran - float(film.times[-1]))
                unlogged += library.store.training.done_of_film(record.id) is None
            except DeepMirrorError as error:
                unreadable += 1
                print(f"killed after {lives:.2f} s: {error}")
        library.close()
    print(
        f"killed {times} times: {unreadable} films do not open, {unlogged} sets are not in the log, {nothing} had nothing on the disk yet"
    )
    print(f"missing at the end: median {np.median(missing):.2f} s, most {max(missing):.2f} s")


class Watched:
    """What the engine says, counted."""

    def __init__(self, folder: Path, engine_of: SimulatedCamera) -> None:
        self.folder, self.sets, self.lost, self.late, self.summary = folder, 0, 0, list[float](), list[float]()
        self._over = 0.0
        self.engine = FloorEngine(engine_of, load_catalogue(), self.take)
        self.ready()

    def ready(self) -> None:
        brief = json.loads((DEMO / "ines_lying_curl_side.brief.json").read_text())
        brief.pop("seeds", None)
        self.engine.command(GetReady(brief, self.folder / f"{self.sets}.mp4"))

    def take(self, message: Message) -> None:
        if isinstance(message, RepTold):
            self.late.append(message.late_s)
        elif isinstance(message, Over):
            self._over = time.monotonic()
        elif isinstance(message, Told):
            self.summary.append(time.monotonic() - self._over)
        elif isinstance(message, Recorded):
            with Film(message.path) as film:
                self.lost += message.frames - len(film.times)
            message.path.unlink()
            self.sets += 1
            self.ready()


def memory(minutes: float) -> None:
    """Film for so long; memory as it goes."""
    with tempfile.TemporaryDirectory() as place:
        watched = Watched(Path(place), SimulatedCamera([FILMS[0]] * 400, rest_s=25.0))
        runs = threading.Thread(target=watched.engine.run)
        runs.start()
        begun = time.monotonic()
        while time.monotonic() - begun < minutes * 60:
            time.sleep(min(120.0, minutes * 60 / 3))
            at = (time.monotonic() - begun) / 60
            print(
                f"{at:5.1f} min  {resident_mb():6.0f} MB  {watched.sets} sets, {len(watched.late)} reps, {watched.lost} pictures lost",
                flush=True,
            )
        watched.engine.command(Close())
        runs.join(timeout=60)
    print(f"rep known after its end: median {np.median(watched.late):.2f} s, 95th percentile {np.percentile(watched.late, 95):.2f} s")
    print(f"told after the set's end: median {np.median(watched.summary):.1f} s, longest {max(watched.summary):.1f} s")


def resident_mb() -> float:
    """Memory of this process."""
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE") / 1e6


def main() -> None:
    words = argparse.ArgumentParser(description=__doc__)
    words.add_argument("what", choices=("kills", "memory"))
    words.add_argument("--times", type=int, default=40)
    words.add_argument("--minutes", type=float, default=30.0)
    args = words.parse_args()
    kills(args.times) if args.what == "kills" else memory(args.minutes)
    print(f"machine: {os.cpu_count()} cores, {platform.processor() or platform.machine()}, Python {platform.python_version()}")


if __name__ == "__main__":
    main()
