"""What goes through the pipes between the program's own processes arrives as it was."""

from __future__ import annotations

import os
import threading
from typing import Any

import numpy as np
import pytest

from deepmirror.services.common.messages import receive, send


def through_a_pipe(*values: object) -> list[Any]:
    """Each value as the other end gets it; a pipe holds far less than a picture, so both ends are at work."""
    reading, writing = os.pipe()
    with open(reading, "rb") as there, open(writing, "wb") as here:
        sender = threading.Thread(target=lambda: [send(here, v) for v in values])
        sender.start()
        got = [receive(there) for _ in values]
        sender.join()
    return got


def test_pictures_and_words_arrive_as_they_were_and_may_be_written_on() -> None:
    picture = np.random.default_rng(0).integers(0, 255, (720, 1280, 3), np.uint8)
    turned, empty = np.arange(12.0).reshape(3, 4).T, np.zeros((0, 2))
    words, (first, second), nothing = through_a_pipe({"why": "the shoe"}, (picture, [turned[::2], empty]), None)
    assert words == {"why": "the shoe"} and nothing is None
    assert np.array_equal(first, picture) and np.array_equal(second[0], turned[::2]) and second[1].shape == (0, 2)
    first[0, 0] = 7
    assert first[0, 0, 0] == 7


def test_a_process_that_is_gone_in_the_middle_of_a_message_is_noticed() -> None:
    reading, writing = os.pipe()
    with open(reading, "rb") as there:
        with open(writing, "wb") as here:
            send(here, "whole")
            here.write((1).to_bytes(8, "little") + (500).to_bytes(8, "little") + b"torn")
        assert receive(there) == "whole"
        with pytest.raises(EOFError):
            receive(there)
        with pytest.raises(EOFError):
            receive(there)
