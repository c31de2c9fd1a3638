"""Every action with its key: a click on a key and a press of another one changes it."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QHeaderView,
    QKeySequenceEdit,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from deepmirror.commands.table import ACTIONS, Action
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel

ROOM_WORDS = {"all": "everywhere"}


class KeysDialog(QDialog):
    """`chosen` brings an action's id and its new key. keys: those in use, by id; taken: who has a key already."""

    chosen = pyqtSignal(str, str)

    def __init__(self, keys: Mapping[str, str], taken: Callable[[Action, str], Action | None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Keys"))
        self.resize(760, 640)
        self._taken = taken
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Search an action"))
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._filter)
        self.table = QTableWidget(len(ACTIONS), 3)
        self.table.setAccessibleName(tr("Actions and their keys"))
        self.table.setHorizontalHeaderLabels([tr("Action"), tr("Where"), tr("Key")])
        self.table.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.edits: dict[str, QKeySequenceEdit] = {}
        for row, action in enumerate(ACTIONS):
            rooms = ", ".join(tr(ROOM_WORDS.get(room, room)) for room in action.rooms.split())
            for column, words in enumerate((tr(action.title), rooms)):
                self.table.setItem(row, column, QTableWidgetItem(tr(words)))
            edit = QKeySequenceEdit(QKeySequence(keys[action.id]))
            edit.setMaximumSequenceLength(1)
            edit.setAccessibleName(tr("Key for: {action}", action=tr(action.title)))
            edit.editingFinished.connect(lambda a=action: self._take(a))
            self.edits[action.id] = edit
            self.table.setCellWidget(row, 2, edit)
        header, sides = self.table.horizontalHeader(), self.table.verticalHeader()
        if header is not None and sides is not None:
            header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
            self.table.setColumnWidth(1, 190)
            self.table.setColumnWidth(2, 180)
            sides.hide()
        self._keys = dict(keys)
        self.trouble = PlainLabel()
        self.trouble.setObjectName("warning")
        self.trouble.setWordWrap(True)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.RestoreDefaults | QDialogButtonBox.StandardButton.Close)
        usual = buttons.button(QDialogButtonBox.StandardButton.RestoreDefaults)
        if usual is not None:
            usual.setText(tr("The usual keys again"))
            usual.clicked.connect(self._reset)
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addWidget(self.search)
        layout.addWidget(self.table, 1)
        layout.addWidget(self.trouble)
        layout.addWidget(buttons)

    def _take(self, action: Action) -> None:
        """A key was pressed: it is taken unless another action has it where both work."""
        key = self.edits[action.id].keySequence().toString(QKeySequence.SequenceFormat.PortableText)
        if key == self._keys[action.id]:
            return
        other = self._taken(action, key) if key else None
        if other is not None:
            self.trouble.setText(tr("{key} is the key of “{action}” already.", key=key, action=tr(other.title)))
            self.edits[action.id].setKeySequence(QKeySequence(self._keys[action.id]))
            return
        self.trouble.clear()
        self._keys[action.id] = key
        self.chosen.emit(action.id, key)

    def _reset(self) -> None:
        for action in ACTIONS:
            if self._keys[action.id] != action.key:
                self._keys[action.id] = action.key
                self.edits[action.id].setKeySequence(QKeySequence(action.key))
                self.chosen.emit(action.id, action.key)
        self.trouble.clear()

    def _filter(self, typed: str) -> None:
        for row, action in enumerate(ACTIONS):
            self.table.setRowHidden(row, typed.casefold() not in tr(action.title).casefold())
