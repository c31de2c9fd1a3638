"""Dialogs that ask for a few things and stay open until what was typed can be taken."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QFormLayout, QLineEdit, QVBoxLayout, QWidget

from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel


class Asking(QDialog):
    """A form with Save and Cancel; it stays open with a sentence when what was typed cannot be taken."""

    def __init__(self, title: str, take: Callable[[], str], parent: QWidget | None = None, width: int = 520) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr(title))
        self.setMinimumWidth(width)
        self.form = QFormLayout()
        self.trouble = PlainLabel()
        self.trouble.setObjectName("warning")
        self.trouble.setWordWrap(True)
        self._take = take
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Save | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self._keep)
        buttons.rejected.connect(self.reject)
        self.column = QVBoxLayout(self)
        self.column.addLayout(self.form)
        self.column.addWidget(self.trouble)
        self.column.addWidget(buttons)

    def note(self, words: str) -> None:
        """Words over the whole width."""
        label = PlainLabel(words)
        label.setWordWrap(True)
        label.setObjectName("dim")
        self.form.addRow(label)

    def _keep(self) -> None:
        """Take what was typed: the sentence of what is wrong keeps the dialog open."""
        wrong = self._take()
        self.trouble.setText(wrong)
        if not wrong:
            self.accept()


class ClientDialog(Asking):
    """A new client: a name, and a stature where it is known."""

    def __init__(self, take: Callable[[str, str], str], parent: QWidget | None = None) -> None:
        super().__init__(tr("A new client"), lambda: take(self.name.text(), self.stature.text()), parent)
        self.name, self.stature = QLineEdit(), QLineEdit()
        self.stature.setPlaceholderText(tr("172 cm or 5 ft 8; may be left out"))
        self.form.addRow(tr("Name"), self.name)
        self.form.addRow(tr("Stature"), self.stature)


class RenameDialog(Asking):
    """Another name for a client."""

    def __init__(self, present: str, take: Callable[[str], str], parent: QWidget | None = None) -> None:
        super().__init__(tr("Rename this client"), lambda: take(self.name.text()), parent)
        self.name = QLineEdit(present)
        self.name.selectAll()
        self.form.addRow(tr("Name"), self.name)
