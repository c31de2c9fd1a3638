"""The one way out for errors nobody caught: in slots, in threads, in Qt itself. The window goes on and says one sentence."""

from __future__ import annotations

import signal
import socket
import sys
import threading
import time
from types import TracebackType

from PyQt6.QtCore import QMessageLogContext, QObject, QSocketNotifier, QtMsgType, pyqtSignal, qInstallMessageHandler
from PyQt6.QtWidgets import QApplication

from deepmirror.errors import Cancelled, DeepMirrorError
from deepmirror.services.common.failures import LOG, FailureLog

SAY_AGAIN_S = 60.0  # the same sentence is not said more often: what broke may be tried many times a second


class FailureGuard(QObject):
    """Installed while the window is open. `told` brings a sentence for the coach, on the interface thread."""

    told = pyqtSignal(str)

    def __init__(self, log: FailureLog, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._log, self._said = log, dict[str, float]()
        self._before = sys.excepthook, threading.excepthook

    def install(self) -> None:
        """Take over the interpreter's and Qt's hooks."""
        sys.excepthook, threading.excepthook = self._uncaught, self._in_thread
        qInstallMessageHandler(_from_qt)

    def uninstall(self) -> None:
        """Give the hooks back."""
        sys.excepthook, threading.excepthook = self._before
        qInstallMessageHandler(None)

    def _uncaught(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if isinstance(error, KeyboardInterrupt):
            QApplication.closeAllWindows()
        elif isinstance(error, DeepMirrorError):
            if not isinstance(error, Cancelled):
                self._say(error.sentence)
        else:
            self._say(self._log.sentence(self._log.note(error.with_traceback(trace), "answering the coach")))

    def _in_thread(self, told: threading.ExceptHookArgs) -> None:
        if told.exc_value is not None:
            self._uncaught(told.exc_type, told.exc_value, told.exc_traceback)

    def _say(self, sentence: str) -> None:
        now = time.monotonic()
        if now - self._said.get(sentence, -SAY_AGAIN_S) >= SAY_AGAIN_S:
            self._said[sentence] = now
            self.told.emit(sentence)


def _from_qt(kind: QtMsgType, _: QMessageLogContext, words: str | None) -> None:
    level = {QtMsgType.QtWarningMsg: LOG.warning, QtMsgType.QtCriticalMsg: LOG.error, QtMsgType.QtFatalMsg: LOG.critical}.get(kind)
    if level is not None:
        level("Qt: %s", words)


class Signals(QObject):
    """Closes the window when the system asks the program to end (SIGTERM, Ctrl+C in its terminal): everything is saved then."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._read, self._write = socket.socketpair()
        self._write.setblocking(False)
        self._before = signal.set_wakeup_fd(self._write.fileno(), warn_on_full_buffer=False)
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, lambda *_: None)  # what is done stands below: Python's own handlers wait for the next line of Python
        self._notifier = QSocketNotifier(self._read.fileno(), QSocketNotifier.Type.Read, self)  # type: ignore[call-overload]  # the stubs ask for voidptr
        self._notifier.activated.connect(self._asked)

    def _asked(self) -> None:
        self._read.recv(64)
        QApplication.closeAllWindows()

    def close(self) -> None:
        """Take the signals no longer."""
        self._notifier.setEnabled(False)
        signal.set_wakeup_fd(self._before)
        for end in (self._read, self._write):
            end.close()
