"""Settings, and deleting a client."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMessageBox

from deepmirror.commands.table import holder, keys_in_use
from deepmirror.errors import DeepMirrorError
from deepmirror.services.clients.client_deletion import delete_client, what_goes
from deepmirror.services.common.jobs import Progress
from deepmirror.services.program.settings import Settings, keep_key, keep_settings, own_keys, settings_of
from deepmirror.services.program.whole_copy import copy_in, copy_out
from deepmirror.ui.context import WindowContext
from deepmirror.ui.jobs import Job
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.keys_dialog import KeysDialog
from deepmirror.ui.widgets.panel_helpers import plain
from deepmirror.ui.widgets.settings_dialog import SettingsDialog
from deepmirror.words import joined


class SettingsController(QObject):
    """Asks before anything goes. `key_changed` brings an action and its new key."""

    key_changed = pyqtSignal(str, str)

    def __init__(self, window: WindowContext) -> None:
        super().__init__(window)
        self._window = window

    def settings(self) -> None:
        """Show and change the settings; folders hold from the next start."""
        now = settings_of(self._window.library)
        dialog = SettingsDialog(now.coach, now.blur, now.inbox, now.outbox, now.reply_days, now.country, now.visit_hours, self._window)
        dialog.wanted.connect(lambda *said: self._keep(Settings(*said), now))
        self._window.open_dialog(dialog)

    def _keep(self, new: Settings, old: Settings) -> None:
        try:
            keep_settings(self._window.library, new)
        except DeepMirrorError as error:
            self._window.show_error(error.sentence)
            return
        moved = (new.inbox, new.outbox) != (old.inbox, old.outbox)
        self._window.show_status(tr("Kept. The folders are used from the next start on.") if moved else tr("Kept."))

    def keys(self) -> None:
        """Show every action with its key, to be changed; a change holds at once."""
        window = self._window
        in_use = keys_in_use(own_keys(window.library))
        dialog = KeysDialog(in_use, lambda action, key: holder(action, key, keys_in_use(own_keys(window.library))), window)
        dialog.chosen.connect(self._keep_key)
        window.open_dialog(dialog)

    def _keep_key(self, action: str, key: str) -> None:
        try:
            keep_key(self._window.library, action, key)
        except DeepMirrorError as error:
            self._window.show_refusal(error.sentence)
            return
        self.key_changed.emit(action, key)

    def ask_copy_out(self) -> None:
        """Choose where the whole library is written to."""
        name = f"deep-mirror-{self._window.library.now():%Y-%m-%d}.zip"
        path, _ = QFileDialog.getSaveFileName(self._window, tr("Write the whole library into one file"), name, tr("Libraries (*.zip)"))
        if path:
            self.copy_out(Path(path))

    def copy_out(self, path: Path) -> None:
        """Write the whole library into one file, in the background."""
        library = self._window.library
        job = Job(tr("Writing the library"), lambda progress: copy_out(library, path, progress), self)
        job.done.connect(self._window.show_status)
        self._window.run_job(job, self._window.pictures, on_show=True)

    def ask_copy_in(self) -> None:
        """Choose such a file, and an empty folder."""
        file, _ = QFileDialog.getOpenFileName(self._window, tr("A library in one file"), "", tr("Libraries (*.zip)"))
        folder = QFileDialog.getExistingDirectory(self._window, tr("An empty folder for it")) if file else ""
        if folder:
            self.copy_in(Path(file), Path(folder))

    def copy_in(self, file: Path, folder: Path) -> None:
        """Make a library of such a file, in the background; the one that is open stays."""
        job = Job(tr("Reading the library"), lambda progress: copy_in(file, folder, progress), self)
        job.done.connect(self._window.show_status)
        self._window.run_job(job, self._window.pictures, on_show=True)

    def delete_client(self) -> None:
        """Ask whether the client on show and everything of hers shall go, listing it."""
        person = self._window.person_room.person
        if person is None:
            return
        name, client_id = self._window.library.client(person.client_id).name, person.client_id
        box = QMessageBox(QMessageBox.Icon.Warning, tr("Delete {name}", name=name), "", QMessageBox.StandardButton.Cancel, self._window)
        box.setText(tr("Delete {name} for good? This cannot be taken back. What goes:", name=name))
        box.setInformativeText(
            joined("\n", [tr("· {line}", line=line) for line in what_goes(self._window.library, client_id)]) or tr("only the record")
        )
        delete = box.addButton(tr("Delete for good"), QMessageBox.ButtonRole.DestructiveRole)
        box.setDefaultButton(QMessageBox.StandardButton.Cancel)
        box.buttonClicked.connect(lambda button: self._delete(client_id, name) if button is delete else None)
        self._window.open_dialog(plain(box))

    def _delete(self, client_id: int, name: str) -> None:
        window = self._window
        window.forget_open(client_id)
        job = Job(tr("Deleting"), lambda progress: self._forget(client_id, progress), self)
        job.done.connect(lambda _: self._gone(name))
        window.run_job(job)

    def _forget(self, client_id: int, progress: Progress) -> None:
        progress.report(0.1, "deleting")
        delete_client(self._window.library, client_id)

    def _gone(self, name: str) -> None:
        self._window.go("desk")
        self._window.show_status(tr("{name} and everything of theirs is deleted.", name=name))
