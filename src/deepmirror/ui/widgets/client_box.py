"""The box in which a room's client is chosen."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QWidget

from deepmirror.ui.translation import tr


class ClientBox(QComboBox):
    """`wanted` brings the id of the client that was chosen."""

    wanted = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMinimumWidth(220)
        self.setAccessibleName(tr("Whose record is on show"))
        self.activated.connect(lambda: self.wanted.emit(self.currentData()))

    def show_clients(self, rows: Sequence[tuple[int, str]], present: int, archived: Sequence[tuple[int, str]] = ()) -> None:
        """Fill it with (id, name); present: whose record is on show; archived: those who come last, and are told so."""
        self.clear()
        for client_id, name in rows:
            self.addItem(name, client_id)
        for client_id, name in archived:
            self.addItem(tr("{name} (archived)", name=name), client_id)
        self.setCurrentIndex(self.findData(present))
