"""The rail at the window's left: one button per room."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QPushButton, QVBoxLayout, QWidget

from deepmirror.ui.translation import tr

TITLES = {"desk": "Desk", "person": "Person", "mirror": "Mirror", "reply": "Reply", "compare": "Compare", "plan": "Plan", "floor": "Floor"}


class Rail(QWidget):
    """`chosen` brings the id of the room whose button was pressed."""

    chosen = pyqtSignal(str)

    def __init__(self, rooms: Sequence[str], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("rail")
        self.setMinimumWidth(96)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 14, 0, 14)
        self._group, self.buttons = QButtonGroup(self), dict[str, QPushButton]()
        for room in rooms:
            button = self.buttons[room] = QPushButton(tr(TITLES[room]))
            button.setCheckable(True)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(lambda _, r=room: self.chosen.emit(r))
            self._group.addButton(button)
            column.addWidget(button)
        column.addStretch(1)
