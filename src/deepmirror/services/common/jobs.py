"""Background work without Qt: progress, cancel and failure look the same for every job.

A job is a function that takes a Progress and returns a result. It runs inline in tests and the batch command, and on
the one worker thread of a JobRunner in the program.
"""

from __future__ import annotations

import signal
import subprocess
import sys
import tempfile
import threading
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from typing import TypeVar

from deepmirror.errors import Cancelled, WorkFailed
from deepmirror.interpreter import give_way, stay_behind
from deepmirror.words import say

T = TypeVar("T")
Report = Callable[[float, str], None]
REFUSED = 2  # exit code of a command that was refused with one line
LAST_WORDS = 8000  # letters of what a process apart said last


class Progress:
    """What a job tells while it works, and how it learns that it should stop."""

    def __init__(self, report: Report | None = None) -> None:
        self._report = report
        self._stop = threading.Event()

    def report(self, share: float, words: str) -> None:
        """Report a share 0..1 and what is being done. Raises Cancelled when asked to stop."""
        if self._stop.is_set():
            raise Cancelled
        give_way()
        if self._report is not None:
            self._report(min(max(share, 0.0), 1.0), words)

    def part(self, start: float, end: float, words: str, total: int, step: int = 1) -> Callable[[int], None]:
        """A counter for one stage that fills start..end of the whole; it counts in steps."""
        every = max(1, total // 100 // step) * step

        def tick(i: int) -> None:
            if i % every == 0:
                self.report(start + (end - start) * i / max(total, 1), words)

        return tick

    def within(self, start: float, end: float) -> Progress:
        """A progress for one part of the work: its whole is start..end of this one. Stopping this one stops it."""
        inner = Progress(lambda share, words: self.report(start + (end - start) * share, words))
        inner._stop = self._stop
        return inner

    def cancel(self) -> None:
        """Ask the job to stop at its next report."""
        self._stop.set()


class WorkApart:
    """The processes apart that run now. While a set is filmed they stand still: the camera needs the whole computer."""

    def __init__(self) -> None:
        self._running: set[subprocess.Popen[str]] = set()
        self._held = False
        self._lock = threading.Lock()

    def begun(self, process: subprocess.Popen[str]) -> None:
        """A process runs."""
        with self._lock:
            self._running.add(process)
            if self._held:
                process.send_signal(signal.SIGSTOP)

    def ended(self, process: subprocess.Popen[str]) -> None:
        """It is done."""
        with self._lock:
            self._running.discard(process)

    def hold(self, on: bool) -> None:
        """Let all of them stand still, or go on."""
        with self._lock:
            self._held = on
            for process in self._running:
                process.send_signal(signal.SIGSTOP if on else signal.SIGCONT)


WORK_APART = WorkApart()


def run_apart(words: list[str], progress: Progress, folder: Path | None = None) -> str | None:
    """Run one of this program's own commands in a process of its own; returns the sentence it refused with, or None.

    The command prints a share and what it is doing, line by line. folder: where passing files belong. Raises Cancelled after
    ending it when asked to stop, WorkFailed (with the process's last words as `report`) when it ended before it was done.
    """
    command = [sys.executable, "-m", "deepmirror", *words]
    with tempfile.TemporaryFile("w+", dir=folder, errors="replace") as complaints:
        with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=complaints, text=True, errors="replace") as process:
            assert process.stdout is not None
            WORK_APART.begun(process)
            try:
                for line in process.stdout:
                    share, _, doing = line.strip().partition(" ")
                    if share.replace(".", "", 1).isdigit():
                        progress.report(float(share), doing)
            except BaseException:
                process.kill()
                raise
            finally:
                WORK_APART.ended(process)
            process.wait()
        complaints.seek(0)
        complaint = complaints.read().strip()
    if process.returncode == 0:
        return None
    if process.returncode == REFUSED and complaint:
        return complaint.splitlines()[-1]
    raise WorkFailed(ending_words(process.returncode), report=complaint[-LAST_WORDS:])


def ending_words(code: int) -> str:
    """Why a process apart gave no answer, beginning with what fits a line of the Desk."""
    if code < 0:
        why = ", perhaps for want of memory" if -code == signal.SIGKILL else ""
        return say("Ended from outside (signal {code}{why}); it can be tried again.", code=-code, why=why)
    return "Broken off by a mistake of the program; it can be tried again."


class JobRunner:
    """A worker thread for jobs, which run one after another; work inside of one job may make threads of its own (see docs)."""

    def __init__(self) -> None:
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="deepmirror-job", initializer=stay_behind)
        self._running: set[Progress] = set()

    def submit(self, job: Callable[[Progress], T], progress: Progress) -> Future[T]:
        """Queue a job; its future holds the result or the error."""
        self._running.add(progress)
        future = self._pool.submit(job, progress)
        future.add_done_callback(lambda _: self._running.discard(progress))
        return future

    def close(self) -> None:
        """Cancel what runs and wait for it to stop."""
        for progress in list(self._running):
            progress.cancel()
        self._pool.shutdown(wait=True, cancel_futures=True)


class LatestOnlyWorker:
    """One thread that always does the newest request and forgets those it had no time for: frames under a moving hand."""

    def __init__(self) -> None:
        self._waiting: Callable[[], None] | None = None
        self._wake = threading.Condition()
        self._closing = False
        self._thread = threading.Thread(target=self._run, name="deepmirror-frames", daemon=True)
        self._thread.start()

    def ask(self, job: Callable[[], None]) -> None:
        """Do this next, instead of whatever still waits."""
        with self._wake:
            self._waiting = job
            self._wake.notify()

    def close(self) -> None:
        """Finish the present request and stop."""
        with self._wake:
            self._closing, self._waiting = True, None
            self._wake.notify()
        self._thread.join()

    def _run(self) -> None:
        stay_behind()
        while True:
            with self._wake:
                while self._waiting is None and not self._closing:
                    self._wake.wait()
                if self._closing:
                    return
                job, self._waiting = self._waiting, None
            assert job is not None
            try:
                job()
            except Exception as error:  # noqa: BLE001 - our own mistake in one request; the lane goes on for the next ones
                threading.excepthook(threading.ExceptHookArgs((type(error), error, error.__traceback__, self._thread)))
