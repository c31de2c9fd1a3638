"""Asks a client for a new film: the words can be changed, the plan is drawn for this movement; Enter sends."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel

PLAN_WIDTH = 760


class RequestDialog(QDialog):
    """Shows a request; `wanted` carries the words as they stand when it is sent."""

    wanted = pyqtSignal(str)

    def __init__(self, title: str, words: str, plan: QImage, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr(title))
        self.words = QPlainTextEdit(words)
        self.words.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.words.setAccessibleName(tr("What the client reads"))
        self.words.setTabChangesFocus(True)
        self.words.setFixedHeight(150)
        picture = PlainLabel()
        picture.setPixmap(QPixmap.fromImage(plan).scaledToWidth(PLAN_WIDTH, Qt.TransformationMode.SmoothTransformation))
        picture.setAccessibleName(tr("Where to stand with the phone"))
        self.send, close = QPushButton(tr("Send the request")), QPushButton(tr("Not now"))
        self.send.setObjectName("accent")
        self.send.setDefault(True)
        self.send.clicked.connect(self._send)
        close.clicked.connect(self.reject)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(close)
        row.addWidget(self.send)
        layout = QVBoxLayout(self)
        layout.addWidget(self.words)
        layout.addWidget(picture)
        layout.addLayout(row)
        self.send.setFocus()

    def _send(self) -> None:
        self.wanted.emit(self.words.toPlainText())
        self.accept()
