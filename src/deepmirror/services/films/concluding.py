"""Concluding in this process, or in processes of their own so that the window stays quick.

The solver's linear algebra keeps Python's interpreter lock for tenths of a second at a time; in a thread of the window's own
process that would stop the interface as often. A process apart is this program's own `conclude` command: it takes evidence
and gives analyses through its pipes, one after the other, and ends when the window does.
"""

from __future__ import annotations

import pickle
import subprocess
import sys
import threading
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from typing import Protocol

from deepmirror.core.measures.context import MeasurementContext
from deepmirror.core.trajectories import Series
from deepmirror.errors import Cancelled, DeepMirrorError, WorkFailed
from deepmirror.exchange.brief import Brief
from deepmirror.judge.records import Judgement, Measured
from deepmirror.media.film import FilmFacts
from deepmirror.movements.loader import Catalogue
from deepmirror.pose.evidence import Evidence
from deepmirror.pose.network import Picture
from deepmirror.pose.posture_class import Seen, look_at
from deepmirror.services.common.jobs import ending_words
from deepmirror.services.common.messages import receive, send
from deepmirror.services.films.analysis import Analysis, conclude

MOST_PROCESSES = 2  # what a coach waits for is never behind a film that is being measured


class Concluder(Protocol):
    """Solves, measures and judges what was seen of a film. Raises CannotSolve, BadMovement, WorkFailed."""

    def __call__(self, facts: FilmFacts, brief: Brief, catalogue: Catalogue, evidence: Evidence) -> Analysis: ...

    def look(self, pictures: list[Picture]) -> Seen:
        """What a few pictures (H, W, 3) RGB of a film seem to show. Raises WorkFailed."""

    def close(self) -> None:
        """Let go of what it holds."""


class ConcludeHere:
    """In this process."""

    def __call__(self, facts: FilmFacts, brief: Brief, catalogue: Catalogue, evidence: Evidence) -> Analysis:
        return conclude(facts, brief, catalogue, evidence)

    def look(self, pictures: list[Picture]) -> Seen:
        """See Concluder."""
        return look_at(pictures)

    def close(self) -> None:
        """Nothing is held."""


class SubprocessConcluder:
    """In processes of their own, which are kept. Any thread may ask; each process does one film at a time."""

    def __init__(self) -> None:
        self._idle: list[_Process] = []
        self._all: list[_Process] = []
        self._free = threading.Condition()
        self._closing = False

    def __call__(self, facts: FilmFacts, brief: Brief, catalogue: Catalogue, evidence: Evidence) -> Analysis:
        """Raises CannotSolve, BadMovement, WorkFailed, and Cancelled when the program is closed meanwhile."""
        answer = self._answer(lambda process: process.ask(facts, brief, catalogue, evidence))
        assert isinstance(answer, Parts)
        return Analysis(
            facts, brief, catalogue.movement(brief.file.movement), answer.scene, answer.signal, answer.measured, answer.judgement
        )

    def look(self, pictures: list[Picture]) -> Seen:
        """See Concluder: also making the network ready holds the interpreter for a tenth of a second."""
        answer = self._answer(lambda process: process.exchange(Pictures(tuple(pictures))))
        assert isinstance(answer, Seen)
        return answer

    def _answer(self, ask: Callable[[_Process], object]) -> object:
        """What one of the processes answers. Raises as __call__ does."""
        process = self._take()
        try:
            answer = ask(process)
        except (OSError, EOFError, pickle.PickleError) as error:
            code = process.end()
            with self._free:
                self._all.remove(process)
                self._free.notify()
            if self._closing:
                raise Cancelled from None
            raise WorkFailed(ending_words(code)) from error
        with self._free:
            self._idle.append(process)
            self._free.notify()
        if isinstance(answer, DeepMirrorError):
            raise answer
        if isinstance(answer, str):
            raise WorkFailed(ending_words(1), report=answer)
        return answer

    def warm_up(self) -> None:
        """Start the first process, so that the first film opened does not wait for it."""
        with self._free:
            if not self._all and not self._closing:
                self._idle.append(_Process())
                self._all.append(self._idle[-1])

    def _take(self) -> _Process:
        with self._free:
            while not self._idle and len(self._all) >= MOST_PROCESSES and not self._closing:
                self._free.wait()
            if self._closing:
                raise Cancelled
            if self._idle:
                return self._idle.pop()
            process = _Process()
            self._all.append(process)
            return process

    def close(self) -> None:
        """End the processes; who waits for one is cancelled."""
        with self._free:
            self._closing = True
            self._free.notify_all()
            for process in self._all:
                process.kill()  # who asks one of them closes its pipes
            for process in self._idle:
                process.end()


@dataclass(frozen=True)
class Parts:
    """What of an analysis was worked out; the rest of it the asker has."""

    scene: MeasurementContext
    signal: Series
    measured: Measured
    judgement: Judgement


@dataclass(frozen=True)
class Pictures:
    """Pictures (H, W, 3) RGB that are to be looked at."""

    pictures: tuple[Picture, ...]


class _Process:
    """One process apart, and the pipes to it. It is told the catalogue once, which takes longer to send than a film's evidence."""

    def __init__(self) -> None:
        command = [sys.executable, "-m", "deepmirror", "conclude"]
        self._process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
        self._catalogue: Catalogue | None = None

    def ask(self, facts: FilmFacts, brief: Brief, catalogue: Catalogue, evidence: Evidence) -> object:
        """Parts, a DeepMirrorError, or the words of a mistake. Raises OSError or EOFError when the process is gone."""
        known, self._catalogue = self._catalogue, catalogue
        return self.exchange((facts, brief, None if catalogue is known else catalogue, evidence))

    def exchange(self, asked: object) -> object:
        """The answer to one message. Raises OSError or EOFError when the process is gone."""
        assert self._process.stdin is not None and self._process.stdout is not None
        send(self._process.stdin, asked)
        return receive(self._process.stdout)

    def kill(self) -> None:
        """End it at once."""
        self._process.kill()

    def end(self) -> int:
        """End it at once and let go of its pipes; returns how it ended."""
        self._process.kill()
        code = self._process.wait()
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe is not None:
                with suppress(OSError):
                    pipe.close()
        return code


def conclude_command() -> None:
    """The process apart: answer until the asking end is closed."""
    import traceback

    asked, answers = sys.stdin.buffer, sys.stdout.buffer
    sys.stdout = sys.stderr  # what a library prints must not stand between answers
    known: Catalogue | None = None
    while True:
        try:
            message = receive(asked)
        except EOFError:
            return
        answer: object
        try:
            if isinstance(message, Pictures):
                answer = look_at(list(message.pictures))
            else:
                facts, brief, catalogue, evidence = message
                known = catalogue or known
                assert known is not None
                found = conclude(facts, brief, known, evidence)
                answer = Parts(found.scene, found.signal, found.measured, found.judgement)
        except DeepMirrorError as error:
            answer = error
        except Exception:  # noqa: BLE001 - our own mistake: told to the window, which reports it
            answer = traceback.format_exc()
        send(answers, answer)
