"""Choosing a movement by typing part of its name, or from a list by family, the last used first."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QStandardItem, QStandardItemModel
from PyQt6.QtWidgets import QComboBox, QCompleter, QWidget

Groups = Sequence[tuple[str, Sequence[tuple[str, str]]]]


class MovementBox(QComboBox):
    """`movement` is the id of what is typed or chosen; None where nothing has that name."""

    def __init__(self, groups: Groups, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setEditable(True)
        self.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        rows = QStandardItemModel(self)
        for heading, movements in groups:
            head = QStandardItem(heading)
            head.setFlags(Qt.ItemFlag.NoItemFlags)
            rows.appendRow(head)
            for movement_id, title in movements:
                row = QStandardItem(title)
                row.setData(movement_id, Qt.ItemDataRole.UserRole)
                rows.appendRow(row)
        self.setModel(rows)
        self._titles = {name.casefold(): movement_id for _, movements in groups for movement_id, name in movements}
        completer = QCompleter(sorted({title for _, movements in groups for _, title in movements}), self)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.setCompleter(completer)
        self.setCurrentIndex(1 if rows.rowCount() > 1 else -1)
        line = self.lineEdit()
        if line is not None:
            line.editingFinished.connect(self._settle)

    def movement(self) -> str | None:
        """The id of the movement whose name stands there."""
        return self._titles.get(self.currentText().strip().casefold())

    def choose(self, movement_id: str) -> None:
        """Put a movement in; one that is not listed changes nothing."""
        row = self.findData(movement_id)
        if row >= 0:
            self.setCurrentIndex(row)

    def _settle(self) -> None:
        """A part of a name that only one movement has becomes that movement."""
        typed = self.currentText().strip().casefold()
        fitting = [m for name, m in self._titles.items() if typed and typed in name]
        if typed not in self._titles and len(set(fitting)) == 1:
            self.choose(fitting[0])
