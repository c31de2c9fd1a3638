"""Edits that the library does not take just now: tried again, told of, and asked about before the window closes."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtWidgets import QMessageBox

from deepmirror.errors import LibraryError
from deepmirror.services.common.jobs import Progress
from deepmirror.ui.context import WindowContext
from deepmirror.ui.jobs import Job
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel, plain, tip

BACK_UP_EVERY_MS = 30 * 60 * 1000


class Edits(QObject):
    """Watches the desk's saver; and has the database backed up now and then."""

    _said = pyqtSignal(str)

    def __init__(self, window: WindowContext) -> None:
        super().__init__(window)
        self._window, self._saver, self._closing = window, window.library.saver, False
        self.sign = PlainLabel()
        self.sign.setObjectName("warning")
        self.sign.setVisible(False)
        status = window.statusBar()
        if status is not None:
            status.addWidget(self.sign)
        self._said.connect(self._told)  # on the interface thread, whoever says it
        self._saver.told = self._said.emit
        self._saver.start()
        self._backups = QTimer(self)
        self._backups.timeout.connect(self._back_up)
        self._backups.start(BACK_UP_EVERY_MS)

    def _told(self, sentence: str) -> None:
        """Saving fails, with a sentence; or works again."""
        self.sign.setVisible(bool(sentence))
        if sentence:
            self.sign.setText(tr("Not saved yet; it is tried again"))
            self.sign.setToolTip(tip(sentence))
            self._window.show_error(tr("{sentence} Your edit is kept in the window and saved as soon as that works.", sentence=sentence))
        else:
            self._window.show_status(tr("Saved now."))

    def _back_up(self) -> None:
        job = Job(tr("Backing up"), self._backed_up, self)
        job.failed.connect(self._window.show_status)
        job.start(self._window.pictures)

    def _backed_up(self, progress: Progress) -> None:
        progress.report(0.1, "copying the database")
        self._window.library.back_up()

    def may_close(self) -> bool:
        """True when everything is saved, or the coach said to close without it; asks her else."""
        try:
            if self._closing or self._saver.retry():
                return True
        except LibraryError:
            return True  # a library that may only be read has nothing to save
        words = tr("Your last edits are not saved yet. {why}", why=self._saver.sentence)
        box = QMessageBox(QMessageBox.Icon.Warning, "Deep Mirror", tr(words), QMessageBox.StandardButton.Cancel, self._window)
        anyway = box.addButton(tr("Close without saving"), QMessageBox.ButtonRole.DestructiveRole)
        again = box.addButton(tr("Try again"), QMessageBox.ButtonRole.AcceptRole)
        box.setDefaultButton(again)
        box.buttonClicked.connect(lambda button: self._answered(button is anyway, button is again))
        self._window.open_dialog(plain(box))
        return False

    def _answered(self, anyway: bool, again: bool) -> None:
        self._closing = anyway
        if anyway or again:
            QTimer.singleShot(0, self._window.close)
