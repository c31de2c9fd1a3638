"""Plain values through the pipes between this program's own processes: how many parts, and each part as its length and its content.

Pictures and other large arrays are parts of their own: they go through without a copy, which would hold the interpreter, and with it
the window, for tens of milliseconds.
"""

from __future__ import annotations

import pickle
from io import BufferedReader
from typing import IO, Any, cast

LENGTH_BYTES = 8  # of each number: how many parts, and before each how long it is


def send(pipe: IO[bytes], what: object) -> None:
    """Put one value into a pipe. Raises OSError when nobody reads it any more."""
    arrays: list[pickle.PickleBuffer] = []
    content = pickle.dumps(what, protocol=pickle.HIGHEST_PROTOCOL, buffer_callback=arrays.append)
    pipe.write(_number(1 + len(arrays)))
    for part in (memoryview(content), *(a.raw() for a in arrays)):
        pipe.write(_number(part.nbytes))
        pipe.write(part)
    pipe.flush()


def receive(pipe: IO[bytes]) -> Any:
    """The next value. Raises EOFError when the other end is gone. Only this program's own processes are on the other end."""
    content, *arrays = [_part(pipe) for _ in range(_read_number(pipe))]
    return pickle.loads(content, buffers=arrays)


def _number(value: int) -> bytes:
    return value.to_bytes(LENGTH_BYTES, "little")


def _read_number(pipe: IO[bytes]) -> int:
    head = pipe.read(LENGTH_BYTES)
    if len(head) < LENGTH_BYTES:
        raise EOFError
    return int.from_bytes(head, "little")


def _part(pipe: IO[bytes]) -> bytearray:
    part = bytearray(_read_number(pipe))
    if cast(BufferedReader, pipe).readinto(part) < len(part):  # it fills it unless the other end is gone
        raise EOFError
    return part
