"""The floor's engine in a process apart, so that neither the window slows the camera nor the camera the window; or here, for tests."""

from __future__ import annotations

import subprocess
import sys
import threading
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

from deepmirror.errors import DeepMirrorError
from deepmirror.interpreter import share_the_interpreter
from deepmirror.media.camera import Camera
from deepmirror.movements.loader import load_catalogue
from deepmirror.services.common.messages import receive, send
from deepmirror.services.live.floor_engine import Close, Command, FloorEngine, Message, Said

GONE = "The camera's work ended unexpectedly; what was filmed until then is kept."


@dataclass(frozen=True)
class CameraChoice:
    """Which camera: kind is `device`, `follow` (a growing film or a folder), or `simulated` (films one after the other); turn: clockwise
    degrees its pictures are turned by; size and fps: of a device, its fittest when 0."""

    kind: str
    title: str
    path: Path = Path()
    turn: int = 0
    width: int = 0
    height: int = 0
    fps: float = 0.0
    films: tuple[Path, ...] = ()
    rest_s: float = 0.0


class FloorLink(Protocol):
    """Takes commands; its messages come in a thread of its own."""

    def command(self, command: Command) -> None:
        """Ask for something."""

    def close(self) -> None:
        """End it and wait until its film is whole."""


OpenCamera = Callable[[CameraChoice], Camera]
OnMessage = Callable[[Message], object]


class FloorHere:
    """In this process, in threads."""

    def __init__(self, camera: Camera, on_message: OnMessage, movements: Path | None = None) -> None:
        self._engine = FloorEngine(camera, load_catalogue(movements), on_message)
        self._thread = threading.Thread(target=self._engine.run, name="deepmirror-floor", daemon=True)
        self._thread.start()

    def command(self, command: Command) -> None:
        self._engine.command(command)

    def close(self) -> None:
        self._engine.command(Close())
        self._thread.join(timeout=60)


class FloorProcess:
    """In a process of its own: this program's `floor` command, spoken to through its pipes."""

    def __init__(self, choice: CameraChoice, on_message: OnMessage, movements: Path | None = None) -> None:
        command = [sys.executable, "-m", "deepmirror", "floor"]
        self._process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
        self._on_message, self._closing, self._heard = on_message, False, False
        self._say((choice, movements))
        self._thread = threading.Thread(target=self._listen, name="deepmirror-floor-link", daemon=True)
        self._thread.start()

    def _say(self, what: object) -> None:
        assert self._process.stdin is not None
        with suppress(OSError):
            send(self._process.stdin, what)

    def _listen(self) -> None:
        assert self._process.stdout is not None
        with suppress(EOFError, OSError):
            while True:
                message, self._heard = receive(self._process.stdout), True
                self._on_message(message)
        if not self._closing:
            self._on_message(Said(GONE))

    def command(self, command: Command) -> None:
        self._say(command)

    def close(self) -> None:
        self._closing = True
        if not self._heard:  # it still waits for a camera or a film: there is nothing to be ended in order
            self._process.kill()
        self._say(Close())
        try:
            self._process.wait(timeout=60)
        except subprocess.TimeoutExpired:
            self._process.kill()
        self._thread.join(timeout=10)
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe is not None:
                with suppress(OSError):
                    pipe.close()


def floor_command(open_camera: OpenCamera) -> None:
    """The process apart: open the camera that is asked for, and run until the asking end is closed."""
    asked, answers = sys.stdin.buffer, sys.stdout.buffer
    sys.stdout = sys.stderr  # what a library prints must not stand between messages
    lock = threading.Lock()
    share_the_interpreter()

    def say(message: Message) -> None:
        with lock, suppress(OSError):
            send(answers, message)

    choice, movements = receive(asked)
    try:
        engine = FloorEngine(open_camera(choice), load_catalogue(movements), say)
    except DeepMirrorError as error:
        say(Said(error.sentence))
        return

    def listen() -> None:
        try:
            while True:
                engine.command(receive(asked))
        except EOFError:
            engine.command(Close())

    threading.Thread(target=listen, daemon=True).start()
    engine.run()
