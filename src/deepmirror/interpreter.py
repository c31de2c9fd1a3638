"""Threads share one interpreter: those that compute give way to the one somebody waits for.

The interpreter hands itself round in equal turns, so that a thread of many small steps doubles the time a click takes. Threads that
are `behind` therefore stop between their steps until the interface has nothing left to do.
"""

from __future__ import annotations

import os
import sys
import threading
from collections.abc import Callable

SWITCH_S = 0.001
BEHIND = 5  # less urgent than the interface for the machine as well (Linux's nice value of one thread): films are decoded in such threads


class _Behind(threading.local):
    """Whether the present thread is one of those that give way."""

    here = False


_BEHIND = _Behind()
_waits: list[Callable[[], None]] = []


def share_the_interpreter() -> None:
    """Threads that compute are asked for the interpreter after 1 ms instead of 5."""
    sys.setswitchinterval(SWITCH_S)


def stay_behind() -> None:
    """The present thread gives way from now on."""
    _BEHIND.here = True
    os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), BEHIND)


def wait_with(wait: Callable[[], None]) -> None:
    """How a thread waits until the interface has nothing to do; at most for some hundredths of a second, and in any thread."""
    _waits[:] = [wait]


def give_way() -> None:
    """Between two steps of a computation: wait where this thread stays behind and there is an interface that has something to do."""
    if _BEHIND.here and _waits:
        _waits[0]()
