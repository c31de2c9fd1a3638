"""How long the interface is ever busy: `python -m bench.heartbeat [--films 1000] [--megabytes 400]`. Name the machine beside the numbers.

A 20 ms heartbeat runs on the interface thread while the main journey is driven through the real window, offscreen, on a library
of many films: a large film is brought in, looked at, opened, clicked, edited and measured; a measured one is read, answered,
previewed and sent; a client's record is changed; two reps are laid side by side. Printed are the longest gap between two
beats in each part, what of it is our own (without the time the thread was ready but every core was taken), and what the
interface thread was doing when it was late. Goal: under 50 ms.
"""

from __future__ import annotations

import argparse
import faulthandler
import os
import re
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from importlib import resources
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import av
from PyQt6.QtCore import QCoreApplication, QPoint, QPointF, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialogButtonBox

from bench.desk import fill
from deepmirror.media.film import Film
from deepmirror.services.films.concluding import SubprocessConcluder
from deepmirror.services.films.film_library import FilmLibrary, FilmState
from deepmirror.services.films.observation_runner import SubprocessObserver
from deepmirror.services.program.demo import fill_demo
from deepmirror.ui.app import keep_interface_free
from deepmirror.ui.rooms.reply.preview import PreviewDialog
from deepmirror.ui.theme.style import apply_theme
from deepmirror.ui.widgets.import_dialog import ImportDialog
from deepmirror.ui.window import MainWindow

BEAT_MS, GOAL_MS = 20, 50.0
PATIENCE_S = 600.0
DEMO = Path(str(resources.files("deepmirror"))) / "assets" / "demo"
OURS = f"{os.sep}deepmirror{os.sep}"
LINE = re.compile(r'File "(.+)", line (\d+) in (\S+)')


CONTROL = """
import time
last = time.perf_counter()
while True:
    time.sleep(0.02)
    now = time.perf_counter()
    print(f"{now:.4f} {1000 * (now - last):.1f}", flush=True)
    last = now
"""


class Control:
    """A process that does nothing but beat: what it is late by is the machine's doing, not the program's."""

    def __init__(self) -> None:
        self._process = subprocess.Popen([sys.executable, "-c", CONTROL], stdout=subprocess.PIPE, text=True)
        self._beats: list[tuple[float, float]] = []
        threading.Thread(target=self._read, daemon=True).start()

    def _read(self) -> None:
        assert self._process.stdout is not None
        for line in self._process.stdout:
            at, gap = line.split()
            self._beats.append((float(at), float(gap)))

    def longest(self, since: float) -> float:
        """The longest gap since a time of `time.perf_counter`, ms."""
        return max((gap for at, gap in self._beats if at >= since), default=0.0)

    def stop(self) -> None:
        """End it."""
        self._process.kill()
        self._process.wait()


def waited_for_a_core_ms() -> float:
    """How long this thread was ready to run and had no core so far (Linux: the second number of its schedstat)."""
    with open("/proc/thread-self/schedstat") as numbers:
        return int(numbers.read().split()[1]) / 1e6


class Heartbeat:
    """Beats on the interface thread; a second thread notes what that one does when a beat is late."""

    def __init__(self) -> None:
        self._main, self._last, self._watching = threading.get_ident(), time.perf_counter(), True
        self._part, self._control, self.began = "", Control(), time.perf_counter()
        self._late: list[str] = []
        self.gaps: dict[str, list[tuple[float, float, str]]] = {}  # gap, gap without the wait for a core, where
        self._queued = waited_for_a_core_ms()
        self._timer = QTimer()
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._beat)
        self._timer.start(BEAT_MS)
        self._watcher = threading.Thread(target=self._watch, daemon=True)
        self._watcher.start()

    def _beat(self) -> None:
        now, queued = time.perf_counter(), waited_for_a_core_ms()
        gap, self._last = 1000 * (now - self._last), now
        own, self._queued = gap - (queued - self._queued), queued
        if gap > GOAL_MS:
            where = max(self._late, key=self._late.count) if self._late else "between two looks"
            self.gaps.setdefault(self._part, []).append((gap, own, where))
        elif self._part:
            self.gaps.setdefault(self._part, []).append((gap, own, ""))
        self._late.clear()

    def _watch(self) -> None:
        """faulthandler looks without holding on to what it sees: a painter kept alive by its frame would break Qt."""
        with open(os.memfd_create("seen"), "w+") as seen:  # in memory: a busy disk must not hold the interpreter up
            while self._watching:
                time.sleep(0.008)
                if 1000 * (time.perf_counter() - self._last) > BEAT_MS + 12:
                    seen.seek(0)
                    seen.truncate()
                    faulthandler.dump_traceback(seen, all_threads=True)
                    seen.seek(0)
                    self._late.append(self._doing(seen.read()))

    def _doing(self, dump: str) -> str:
        """The innermost three places of ours on the interface thread."""
        parts = dump.split(f"Thread 0x{self._main:016x}", 1)
        lines = parts[1].split("\n\n", 1)[0].splitlines() if len(parts) > 1 else []
        ours = [LINE.search(line) for line in lines if OURS in line]
        here = " < ".join(f"{Path(m[1]).name}:{m[2]} {m[3]}" for m in ours[:3] if m)
        return here or f"Qt itself, or waiting for: {self._others(dump)}"

    def _others(self, dump: str) -> str:
        """Where threads of ours are that may hold the interpreter."""
        out = []
        for part in dump.split("\n\n"):
            lines = part.splitlines()[1:]
            if lines and "threading.py" not in lines[0] and "selectors.py" not in lines[0] and "heartbeat.py" not in part:
                place = next((LINE.search(line) for line in lines if OURS in line), None)
                inner = LINE.search(lines[0])
                out += [f"{Path(place[1]).name}:{place[2]} ({inner[3]})"] if place and inner else []
        return ", ".join(out) or "nothing of ours"

    @contextmanager
    def part(self, words: str) -> Iterator[None]:
        """What is driven in here is one part of the journey."""
        QCoreApplication.processEvents()
        self._last, self._part = time.perf_counter(), words
        started = time.perf_counter()
        yield
        wait(lambda: False, 0.1)
        late = sorted((g for g in self.gaps.get(words, []) if g[0] > GOAL_MS), reverse=True)
        worst = max((g for g, _, _ in self.gaps.get(words, [])), default=0.0)
        own = max((o for _, o, _ in self.gaps.get(words, [])), default=0.0)
        took = time.perf_counter() - started
        gaps = f"longest gap {worst:5.0f} ms, own {own:5.0f} ms   late beats {len(late):3d}"
        print(f"{words:44s} {took:7.1f} s   {gaps}{self.machine(started)}", flush=True)
        for gap, without, where in late[:4]:
            print(f"      {gap:6.0f} ms, own {without:4.0f} ms  {where}", flush=True)
        self._part = ""

    def machine(self, since: float) -> str:
        """In words, what the machine itself was late by since then."""
        return f"   (the machine's own longest: {self._control.longest(since):.0f} ms)"

    def longest(self) -> float:
        """The longest gap of the whole journey, ms."""
        return max((g for gaps in self.gaps.values() for g, _, _ in gaps), default=0.0)

    def own(self) -> float:
        """The longest gap without the time the interface thread was ready and had no core, ms."""
        return max((o for gaps in self.gaps.values() for _, o, _ in gaps), default=0.0)

    def stop(self) -> None:
        """No more beats."""
        self._watching = False
        self._control.stop()
        self._timer.stop()


def wait(done: Callable[[], bool], seconds: float = PATIENCE_S, must: bool = False) -> None:
    """Let the interface run until something is so. Raises TimeoutError when it must be and is not."""
    end = time.perf_counter() + seconds
    while not done():
        if time.perf_counter() > end:
            if must:
                raise TimeoutError("the journey does not go on")
            return
        QCoreApplication.processEvents()
        time.sleep(0.001)


def until(done: Callable[[], bool]) -> None:
    """Let the interface run until something is so."""
    wait(done, PATIENCE_S, must=True)


def large_film(path: Path, megabytes: int) -> None:
    """A demo film over and over, in pictures hardly compressed, until the file is so large."""
    with Film(DEMO / "bram_back_squat_side.mp4") as film, av.open(str(path), "w") as out:
        stream = out.add_stream("mjpeg", rate=30)
        stream.width, stream.height, stream.pix_fmt = film.facts.width, film.facts.height, "yuvj420p"
        stream.codec_context.options = {"q": "1"}
        stream.codec_context.qmin = stream.codec_context.qmax = 1
        while True:
            for picture in film.stream(1):
                for packet in stream.encode(av.VideoFrame.from_ndarray(picture, "rgb24")):
                    out.mux(packet)
                if path.stat().st_size > megabytes * 1_000_000:
                    out.mux(stream.encode())
                    return


class Journey:
    """The main journey, part by part."""

    def __init__(self, window: MainWindow, heart: Heartbeat) -> None:
        self.window, self.heart = window, heart

    def quiet(self) -> None:
        """Wait until nothing runs but measuring."""
        until(lambda: not [j for j in self.window.jobs if j.title != "Measuring"])

    def bring_in(self, path: Path) -> int:
        """Bring the large film in; returns its id."""
        window = self.window
        before = {f.id for f in window.library.films()}
        with self.heart.part("bring in: choose, look at the first picture"):
            window.film_import.bring(path)
            until(lambda: window.findChild(ImportDialog) is not None)
        dialog = window.findChild(ImportDialog)
        assert dialog is not None
        dialog.client.setCurrentIndex(dialog.client.count() - 1)
        dialog.name.setText("Ulla Brandt")
        dialog.stature.setValue(186)
        dialog.movement.setCurrentIndex(dialog.movement.findData("back_squat"))
        dialog.view.setCurrentIndex(dialog.view.findData("side-left"))
        buttons = dialog.findChild(QDialogButtonBox)
        assert buttons is not None
        with self.heart.part("bring in: hash, copy, rows"):
            QTest.mouseClick(buttons.button(QDialogButtonBox.StandardButton.Ok), Qt.MouseButton.LeftButton)
            until(lambda: window.findChild(ImportDialog) is None)
        return next(f.id for f in window.library.films() if f.id not in before)

    def measure(self, film_id: int) -> None:
        """While it is measured the Desk is searched and sorted."""
        window = self.window
        with self.heart.part("search and sort while it is measured"):
            for letter in "bram":
                QTest.keyClick(window.desk_room.search, letter)
                wait(lambda: False, 0.3)
            window.desk_room.search.clear()
            for row in range(window.desk_room.sort.count()):
                window.desk_room.sort.setCurrentIndex(row)
                wait(lambda: False, 0.2)
        with self.heart.part("measuring it to the end"):
            until(lambda: window.library.store.film(film_id).state in (FilmState.READY, FilmState.REFILM))
            self.quiet()

    def read(self, film_id: int, words: str) -> None:
        """Open a film, play it, leap about, click points and change the tempo."""
        window, mirror = self.window, self.window.mirror
        with self.heart.part(f"{words}: open and solve"):
            window.open_film(film_id)
            until(lambda: window.review is not None and window.review.film_id == film_id and window.review.analysis is not None)
            self.quiet()
        with self.heart.part(f"{words}: play, step, leap"):
            mirror.play()
            wait(lambda: False, 2.0)
            mirror.pause()
            for number in (10, 90, 40, 150, 20):
                mirror.seek(number)
                until(lambda: mirror.frame == mirror.playback.wanted)
            for _ in range(3):
                mirror.next_finding()
                until(lambda: mirror.frame == mirror.playback.wanted)
        with self.heart.part(f"{words}: click points, edit, undo"):
            mirror.seek(0)
            until(lambda: mirror.frame == 0)
            mirror.toggle_placing()
            wait(lambda: False, 0.15)  # no hand is quicker
            for x, y in ((560, 330), (520, 470), (545, 600), (565, 622), (480, 625), (545, 180)):
                spot = mirror.film.to_view(QPointF(x, y))
                QTest.mouseClick(mirror.film, Qt.MouseButton.LeftButton, pos=QPoint(round(spot.x()), round(spot.y())))
                wait(lambda: False, 0.15)
            mirror.annotator.set_field(tempo="3-1-1-0")
            for _ in range(7):
                window.actions_by_id["undo"].trigger()
                wait(lambda: False, 0.1)
            mirror.toggle_placing()
            self.quiet()

    def answer(self, film_id: int) -> None:
        """Open, compose, type, preview, send."""
        window, room = self.window, self.window.reply_room
        window.open_film(film_id)
        until(lambda: window.review is not None and window.review.film_id == film_id and window.review.analysis is not None)
        self.quiet()
        with self.heart.part("reply: compose and draw"):
            window.reply_control.compose()
            until(lambda: room.canvas.image() is not None)
        with self.heart.part("reply: type a sentence"):
            for letter in "Keep the whole foot on the floor and count the way down.":
                QTest.keyClick(room.words.edits["cue"], letter)
                wait(lambda: False, 0.03)
        with self.heart.part("reply: write and look at it whole"):
            window.reply_control.preview()
            until(lambda: "Written" in room.state.text())
            self.quiet()
        for dialog in window.findChildren(PreviewDialog):
            dialog.close()
        with self.heart.part("reply: send"):
            window.reply_control.send()
            until(lambda: window.library.store.film(film_id).state == FilmState.SENT)
            self.quiet()

    def others(self, client_id: int) -> None:
        """A client's record, two reps side by side, and back to the Desk."""
        window = self.window
        with self.heart.part("person: open, read films, change, undo"):
            window.client_control.open(client_id)
            self.quiet()
            window.person_room.person.set_stature("181 cm")
            window.person_room.changed.emit()
            self.quiet()
            window.actions_by_id["undo"].trigger()
            self.quiet()
        with self.heart.part("compare two reps"):
            window.follow_up.compare()
            self.quiet()
            wait(lambda: False, 0.5)
        with self.heart.part("desk: refresh"):
            for _ in range(5):
                window.go("desk")
                wait(lambda: False, 0.2)


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--films", type=int, default=1000)
    parser.add_argument("--megabytes", type=int, default=400)
    asked = parser.parse_args()
    app = QApplication([])
    apply_theme(app)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a long set.avi"
        large_film(path, asked.megabytes)
        with Film(path) as film:
            print(f"film: {path.stat().st_size / 1e6:.0f} MB, {film.facts.duration_s:.0f} s; library: {asked.films} films", flush=True)
        home, concluder = Path(folder) / "library", SubprocessConcluder()
        concluder.warm_up()
        library = FilmLibrary(home, look=SubprocessObserver(home / "movements", home / "work"), concluder=concluder)
        fill_demo(library)
        mine = {f.client_name.split()[0]: f for f in library.films() if f.movement in ("back_squat", "lying_leg_curl")}
        fill(library, asked.films)
        window = MainWindow(library)
        window.show()
        wait(lambda: not window.jobs and not window.desk_room.missing_strips(), 60)
        keep_interface_free(app)
        heart = Heartbeat()
        journey = Journey(window, heart)
        film_id = journey.bring_in(path)
        journey.measure(film_id)
        journey.read(film_id, "large film")
        journey.read(mine["Bram"].id, "short film")
        journey.answer(mine["Ines"].id)
        journey.others(mine["Ines"].client_id)
        print(f"longest gap {heart.longest():.0f} ms, own {heart.own():.0f} ms (goal under {GOAL_MS:.0f}){heart.machine(heart.began)}")
        heart.stop()
        window.close()


if __name__ == "__main__":
    main()
