"""The bridge from Qt-free background work to the interface thread."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from deepmirror.errors import Cancelled, DeepMirrorError
from deepmirror.services.common.jobs import JobRunner, LatestOnlyWorker, Progress


class Job(QObject):
    """One piece of background work; its signals arrive on the interface thread.

    failed: with a sentence, for what the coach can be told; broke: for a mistake of the program, which the failure guard tells of.
    """

    progressed = pyqtSignal(float, str)
    done = pyqtSignal(object)
    failed = pyqtSignal(str)
    broke = pyqtSignal()
    cancelled = pyqtSignal()
    finished = pyqtSignal()
    _ended = pyqtSignal(object)

    def __init__(self, title: str, work: Callable[[Progress], Any], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.title, self._work = title, work
        self.progress = Progress(self.progressed.emit)
        self._ended.connect(self._settle)
        self.finished.connect(self.deleteLater)  # else it would stay with its parent, and hold on to all its work knows

    def start(self, runner: JobRunner) -> None:
        """Queue on the runner, once. The job lets go of its work: it and its progress hold one another, and would keep it."""
        work, self._work = self._work, _done
        runner.submit(work, self.progress).add_done_callback(self._ended.emit)

    def _settle(self, future: Future[Any]) -> None:
        if future.cancelled():
            self.cancelled.emit()
        else:
            error = future.exception()
            if isinstance(error, Cancelled):
                self.cancelled.emit()
            elif isinstance(error, DeepMirrorError):
                self.failed.emit(error.sentence)
            elif error is not None:
                self.broke.emit()
                self.finished.emit()
                raise error  # nobody foresaw it: the interpreter's hook tells of it, and the window goes on
            else:
                self.done.emit(future.result())
        self.finished.emit()


def _done(_: Progress) -> None:
    """The work of a job that was started."""


class FrameReader(QObject):
    """Fetches frames away from the interface thread; only the newest wish counts."""

    arrived = pyqtSignal(int, QImage)
    failed = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._lane = LatestOnlyWorker()

    def ask(self, fetch: Callable[[int], NDArray[np.uint8]], number: int) -> None:
        """Fetch frame `number`; `arrived` brings it."""

        def job() -> None:
            try:
                image = to_image(fetch(number))
            except DeepMirrorError as error:
                self.failed.emit(error.sentence)
            else:
                self.arrived.emit(number, image)

        self._lane.ask(job)

    def close(self) -> None:
        """Stop the reader's thread."""
        self._lane.close()


def to_image(picture: NDArray[np.uint8]) -> QImage:
    """A QImage of its own from an RGB array (H, W, 3), in the format that is drawn without being turned into another."""
    height, width = picture.shape[:2]
    return QImage(picture.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).convertToFormat(QImage.Format.Format_RGB32)
