"""Threads that compute wait until the interface has nothing to do, and those somebody waits for do not."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator

import pytest
from PyQt6.QtCore import QCoreApplication
from PyQt6.QtGui import QPaintEvent
from PyQt6.QtWidgets import QWidget

from deepmirror import interpreter
from deepmirror.ui.way import Way


class Painted(QWidget):
    """Notes when it is painted, and takes its time for it."""

    def __init__(self, told: list[str]) -> None:
        super().__init__()
        self._told = told

    def paintEvent(self, event: QPaintEvent | None) -> None:
        time.sleep(0.005)
        self._told.append("painted")


@pytest.fixture
def way(qtbot: object) -> Iterator[Way]:
    way = Way()
    interpreter.wait_with(way.wait)
    yield way
    interpreter.wait_with(lambda: None)


def test_a_thread_behind_goes_on_when_what_was_asked_for_is_painted(way: Way) -> None:
    told: list[str] = []
    widget = Painted(told)
    widget.show()
    QCoreApplication.processEvents()
    told.clear()
    ready = threading.Event()

    def compute() -> None:
        interpreter.stay_behind()
        ready.wait()
        interpreter.give_way()
        told.append("computed")

    thread = threading.Thread(target=compute)
    thread.start()
    widget.update()
    ready.set()
    end = time.monotonic() + 2
    while thread.is_alive() and time.monotonic() < end:
        QCoreApplication.processEvents()
    thread.join()
    assert told == ["painted", "computed"]


def test_an_interface_that_does_not_answer_holds_nobody_up_for_good(way: Way) -> None:
    told: list[str] = []

    def compute() -> None:
        interpreter.stay_behind()
        interpreter.give_way()
        told.append("computed")

    thread = threading.Thread(target=compute, daemon=True)
    thread.start()
    thread.join(timeout=60)  # nothing runs the interface's loop meanwhile
    assert told == ["computed"]


def test_only_threads_that_stay_behind_wait() -> None:
    waited: list[str] = []
    interpreter.wait_with(lambda: waited.append(threading.current_thread().name))

    def behind() -> None:
        interpreter.stay_behind()
        interpreter.give_way()

    for name, work in (("behind", behind), ("ahead", interpreter.give_way)):
        thread = threading.Thread(target=work, name=name)
        thread.start()
        thread.join()
    interpreter.give_way()  # the interface itself never does
    interpreter.wait_with(lambda: None)
    assert waited == ["behind"]
