"""Sound through Qt Multimedia: the tempo's tick, what is plugged in to speak into, and how a voice is heard again.

Where the system lacks what Qt's sound stands on, there is no microphone, and the program says so; nothing else is touched by it.
"""

from __future__ import annotations

from collections.abc import Callable
from importlib import resources
from typing import Any

import numpy as np
from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QUrl

from deepmirror.errors import NoSound
from deepmirror.services.replies.speaking import Microphone, Samples

RATE = 44100
MISSING = "There is no sound on this computer: its package libpulse0 is missing."
REFUSED = "“{name}” cannot be heard: another program may be using it, or it is not allowed."


def sound_library() -> Any:
    """Qt Multimedia; None where the system has no library for it."""
    try:
        from PyQt6 import QtMultimedia
    except ImportError:
        return None
    return QtMultimedia


def ticking() -> Callable[[], None] | None:
    """What makes a short sound; None where the system has no library for it."""
    qt = sound_library()
    if qt is None:
        return None
    effect = qt.QSoundEffect()
    effect.setSource(QUrl.fromLocalFile(str(resources.files("deepmirror") / "assets" / "sounds" / "tick.wav")))
    play: Callable[[], None] = effect.play
    return play


def plugged_microphones() -> list[Microphone]:
    """All microphones, the usual one first."""
    qt = sound_library()
    if qt is None:
        return []
    found, usual = qt.QMediaDevices.audioInputs(), qt.QMediaDevices.defaultAudioInput()
    return [PluggedMicrophone(qt, d) for d in sorted(found, key=lambda d: d != usual)]


class PluggedMicrophone:
    """One that is plugged in, heard in one channel of 16 bits whatever it gives itself."""

    def __init__(self, qt: Any, device: Any) -> None:
        self._qt, self._device, self.name = qt, device, device.description()
        self._format = _format(qt, 1, RATE)
        if not device.isFormatSupported(self._format):
            own = device.preferredFormat()
            self._format = _format(qt, own.channelCount(), own.sampleRate())
        self.rate = self._format.sampleRate()
        self._source: Any = None

    def start(self, take: Callable[[Samples], object]) -> None:
        """Hear from now on, in the interface's thread. Raises NoSound."""
        channels = self._format.channelCount()
        source = self._qt.QAudioSource(self._device, self._format)
        heard: QIODevice | None = source.start()
        if heard is None or source.error() != self._qt.QtAudio.Error.NoError:
            raise NoSound(REFUSED.format(name=self.name))

        def read() -> None:
            data = np.frombuffer(heard.readAll().data(), np.int16)
            whole = data[: len(data) - len(data) % channels].reshape(-1, channels)
            take(whole.mean(axis=1).astype(np.int16) if channels > 1 else whole[:, 0])

        heard.readyRead.connect(read)
        self._source = source

    def stop(self) -> None:
        """Hear no more."""
        if self._source is not None:
            self._source.stop()
            self._source = None


def _format(qt: Any, channels: int, rate: int) -> Any:
    wanted = qt.QAudioFormat()
    wanted.setSampleFormat(qt.QAudioFormat.SampleFormat.Int16)
    wanted.setChannelCount(channels)
    wanted.setSampleRate(rate)
    return wanted


class Loudspeaker:
    """Lets a voice be heard from any moment on; silent where there is no sound."""

    def __init__(self) -> None:
        self._qt = sound_library()
        self._sink: Any = None
        self._buffer: QBuffer | None = None

    def there(self) -> bool:
        """Whether anything can be heard."""
        return self._qt is not None and not self._qt.QMediaDevices.defaultAudioOutput().isNull()

    def play(self, voice: Samples, rate: int, from_s: float) -> None:
        """Let it be heard from a moment on."""
        self.stop()
        if not self.there():
            return
        self._buffer = QBuffer()
        self._buffer.setData(QByteArray(voice[round(from_s * rate) :].astype("<i2").tobytes()))
        self._buffer.open(QIODevice.OpenModeFlag.ReadOnly)
        self._sink = self._qt.QAudioSink(self._qt.QMediaDevices.defaultAudioOutput(), _format(self._qt, 1, rate))
        self._sink.start(self._buffer)

    def stop(self) -> None:
        """Quiet."""
        if self._sink is not None:
            self._sink.stop()
            self._sink = self._buffer = None
