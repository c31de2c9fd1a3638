"""Plain values through the pipes between this program's own processes: each as its length and its content."""

from __future__ import annotations

import pickle
from typing import IO, Any

LENGTH_BYTES = 8  # before each message: how long it is


def send(pipe: IO[bytes], what: object) -> None:
    """Put one value into a pipe. Raises OSError when nobody reads it any more."""
    content = pickle.dumps(what, protocol=pickle.HIGHEST_PROTOCOL)
    pipe.write(len(content).to_bytes(LENGTH_BYTES, "little"))
    pipe.write(content)
    pipe.flush()


def receive(pipe: IO[bytes]) -> Any:
    """The next value. Raises EOFError when the other end is gone. Only this program's own processes are on the other end."""
    head = pipe.read(LENGTH_BYTES)
    if len(head) < LENGTH_BYTES:
        raise EOFError
    return pickle.loads(pipe.read(int.from_bytes(head, "little")))
