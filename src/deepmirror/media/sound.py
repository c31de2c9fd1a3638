"""Sound: the microphone's protocol, a WAV file that is whole at every moment, and levels.

Levels are peaks in decibels below full scale: 0 dB is the largest sample there is (common practice, as sound meters are marked).
"""

from __future__ import annotations

import wave
from collections.abc import Callable
from pathlib import Path
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from deepmirror.errors import NoSound

Samples = NDArray[np.int16]
FULL_SCALE = 32768.0
SILENT_DB = -90.0  # about one step of a sample of 16 bits: less is told as this


class Microphone(Protocol):
    """Something that hears. `start` may raise NoSound; `take` is then called with what was heard, (N,) samples of 16 bits, one channel,
    in order and perhaps from another thread, until `stop`."""

    name: str
    rate: int

    def start(self, take: Callable[[Samples], object]) -> None: ...

    def stop(self) -> None: ...


class SoundWriter:
    """A WAV file of one channel that can be read at any moment: killed while it grows, it holds what was heard until then."""

    def __init__(self, path: Path, rate: int) -> None:
        """Raises OSError."""
        self._disk = path.open("wb")
        self._file = wave.open(self._disk, "wb")  # noqa: SIM115 - it stays open while sound comes
        self._file.setnchannels(1)
        self._file.setsampwidth(2)
        self._file.setframerate(rate)
        self.rate, self.samples = rate, 0

    def add(self, samples: Samples) -> None:
        """More sound. Raises OSError."""
        self._file.writeframes(samples.astype("<i2").tobytes())  # writes the length at the file's head, too
        self._disk.flush()
        self.samples += len(samples)

    def close(self) -> None:
        """No more comes."""
        try:
            self._file.close()
        finally:
            self._disk.close()


def read_sound(path: Path) -> tuple[Samples, int]:
    """Samples (N,) and their rate, 1/s. Raises NoSound."""
    try:
        with wave.open(str(path), "rb") as file:
            if file.getnchannels() != 1 or file.getsampwidth() != 2:
                raise NoSound("The sound is not of one channel and 16 bits.")
            return np.frombuffer(file.readframes(file.getnframes()), "<i2").astype(np.int16), file.getframerate()
    except (OSError, EOFError, wave.Error) as error:
        raise NoSound("The sound cannot be read.") from error


def peak_db(samples: Samples) -> float:
    """The loudest sample, dB below full scale."""
    loudest = float(np.abs(samples.astype(np.int32)).max(initial=0))
    return max(20 * float(np.log10(loudest / FULL_SCALE)), SILENT_DB) if loudest else SILENT_DB
