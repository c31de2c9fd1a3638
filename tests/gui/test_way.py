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
from deepmirror.ui.way import GIVES_WAY_S, Way


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


def test_an_interface_that_does_not_answer_holds_nobody_up_for_long(way: Way) -> None:
    took: list[float] = []

    def compute(behind: bool) -> None:
        if behind:
            interpreter.stay_behind()
        began = time.monotonic()
        interpreter.give_way()
        took.append(time.monotonic() - began)

    for behind in (True, False):
        thread = threading.Thread(target=compute, args=(behind,))
        thread.start()
        thread.join()
    assert GIVES_WAY_S <= took[0] < 40 * GIVES_WAY_S
    assert took[1] < GIVES_WAY_S


def test_the_interface_never_waits_for_itself(way: Way) -> None:
    began = time.monotonic()
    interpreter.give_way()
    assert time.monotonic() - began < GIVES_WAY_S
