"""A microphone that is none: it speaks in syllables that nobody said, in real time, the same ones every time."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

RATE = 44100
CHUNK_S = 0.05
PITCH_HZ, SYLLABLE_S = 120.0, 0.28  # of a speaking voice: four syllables or so a second; common practice, no source
VOWELS = ((700.0, 1200.0), (400.0, 2000.0), (500.0, 900.0))  # Hz: about where the two lowest resonances of a, e and o lie; from memory
LOUDNESS = 0.35  # of full scale: about -9 dB at its peaks
RESONANCE = 3.5  # about what the tones of one vowel add up to


class SimulatedMicrophone:
    """Speaks at `speed` times real time until it is stopped. dead: it hears nothing at all, as one that is muted."""

    name = "simulated microphone"
    rate = RATE

    def __init__(self, speed: float = 1.0, dead: bool = False) -> None:
        self._speed, self._dead = speed, dead
        self._stopped = threading.Event()
        self._thread: threading.Thread | None = None

    def start(self, take: Callable[[NDArray[np.int16]], object]) -> None:
        """Hear from now on."""
        self._stopped.clear()
        self._thread = threading.Thread(target=self._run, args=(take,), name="deepmirror-microphone", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Hear no more."""
        self._stopped.set()
        if self._thread is not None:
            self._thread.join()

    def _run(self, take: Callable[[NDArray[np.int16]], object]) -> None:
        begun, number, count = time.monotonic(), 0, round(CHUNK_S * RATE)
        while not self._stopped.wait(max((number + 1) * CHUNK_S / self._speed - (time.monotonic() - begun), 0.0)):
            if not self._dead:
                take(syllables(np.arange(number * count, (number + 1) * count) / RATE))
            number += 1


def syllables(times_s: NDArray[np.float64]) -> NDArray[np.int16]:
    """What it says at these times (N,) s: a buzz at the pitch of a voice through two resonances, swelling and fading with each syllable."""
    number, phase = np.divmod(times_s, SYLLABLE_S)
    swell = np.sin(np.pi * phase / SYLLABLE_S) ** 2 * (number % 7 < 5)  # now and then it draws breath
    out = np.zeros(len(times_s))
    for k, (first, second) in enumerate(VOWELS):
        tones = [(PITCH_HZ * n, f) for n in range(1, 20) for f in (first, second)]
        voice = sum(np.sin(2 * np.pi * hz * times_s) / (1 + ((hz - f) / 120.0) ** 2) for hz, f in tones)
        out += (number % len(VOWELS) == k) * voice
    return np.asarray(np.clip(LOUDNESS * swell * out / RESONANCE, -1, 1) * 32767, np.int16)
