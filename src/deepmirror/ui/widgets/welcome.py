"""What an empty library shows: the three ways in."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel

WAYS = (
    ("import", "Bring in films", "Films of a set, from any phone or camera: the program counts, measures and says what to correct."),
    ("new_client", "Add a client", "A name is enough; measures of the body make the numbers surer."),
    ("demo", "Try the demo", "Nine invented films with everything measured, in a window and a library of its own."),
)
WAY_WIDTH = 260


class Welcome(QWidget):
    """`wants` brings the id of an action."""

    wants = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        title = PlainLabel(tr("Nothing is here yet"))
        title.setObjectName("title")
        row = QHBoxLayout()
        row.setSpacing(18)
        self.buttons: dict[str, QPushButton] = {}
        for action, words, what in WAYS:
            button, told = QPushButton(tr(words)), PlainLabel(tr(what))
            button.setMinimumHeight(54)
            button.setObjectName("accent" if action == WAYS[0][0] else "")
            button.clicked.connect(lambda _, key=action: self.wants.emit(key))
            told.setWordWrap(True)
            told.setObjectName("dim")
            told.setAlignment(Qt.AlignmentFlag.AlignTop)
            column = QVBoxLayout()
            column.addWidget(button)
            column.addWidget(told)
            box = QWidget()
            box.setLayout(column)
            box.setFixedWidth(WAY_WIDTH)
            row.addWidget(box)
            self.buttons[action] = button
        row.addStretch(1)
        hint = PlainLabel(tr("Films can also be dropped anywhere on this page. Everything stays on this computer."))
        hint.setObjectName("dim")
        layout = QVBoxLayout(self)
        layout.addStretch(1)
        layout.addWidget(title)
        layout.addLayout(row)
        layout.addWidget(hint)
        layout.addStretch(2)
