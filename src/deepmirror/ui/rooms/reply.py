"""The Reply: up to three corrections, editable, with exactly the picture the client gets."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt, QUrl, pyqtSignal
from PyQt6.QtGui import QDesktopServices, QImage, QPixmap, QResizeEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from deepmirror.services.replying import Correction, Reply

FIELDS = (
    ("seen", "Seen"),
    ("number", "Number"),
    ("why", "Why it matters"),
    ("cue", "Cue"),
    ("change", "What to change"),
    ("film_next", "Film next"),
)


class CorrectionCard(QFrame):
    """One correction: every word can be changed; it is sent when ticked."""

    changed = pyqtSignal()
    picked = pyqtSignal(object)

    def __init__(self, item: Correction, last_frame: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self.item = item
        self.send = QCheckBox(item.title)
        self.send.setChecked(item.chosen)
        self.send.setStyleSheet("font-weight: 700")
        self.send.toggled.connect(self._take)
        self.ghost = QCheckBox("Ghost")
        self.ghost.setToolTip("Draw the client's own body at the target into this picture and passage (side films of free squats)")
        self.ghost.setChecked(item.ghost)
        self.ghost.toggled.connect(self._take)
        look = QPushButton("Show")
        look.clicked.connect(lambda: self.picked.emit(item))
        top = QHBoxLayout()
        top.addWidget(self.send, 1)
        top.addWidget(self.ghost)
        top.addWidget(look)
        layout = QVBoxLayout(self)
        layout.addLayout(top)
        self.edits: dict[str, QLineEdit] = {}
        for key, words in FIELDS:
            edit = QLineEdit(getattr(item, key))
            edit.setCursorPosition(0)
            edit.setAccessibleName(words)
            edit.textEdited.connect(self._take)
            self.edits[key] = edit
            row = QHBoxLayout()
            label = QLabel(words)
            label.setObjectName("dim")
            label.setFixedWidth(104)
            row.addWidget(label)
            row.addWidget(edit, 1)
            layout.addLayout(row)
        self.frame_slider = QSlider(Qt.Orientation.Horizontal)
        self.frame_slider.setRange(0, last_frame)
        self.frame_slider.setValue(item.frame)
        self.frame_slider.setAccessibleName("Picture shown")
        self.frame_slider.valueChanged.connect(self._take)
        row = QHBoxLayout()
        label = QLabel("Picture")
        label.setObjectName("dim")
        label.setFixedWidth(104)
        row.addWidget(label)
        row.addWidget(self.frame_slider, 1)
        layout.addLayout(row)

    def _take(self) -> None:
        self.item.chosen, self.item.ghost = self.send.isChecked(), self.ghost.isChecked()
        self.item.frame = self.frame_slider.value()
        for key, edit in self.edits.items():
            setattr(self.item, key, edit.text())
        self.changed.emit()
        self.picked.emit(self.item)


class ReplyRoom(QWidget):
    """Corrections on the left, the picture as the client gets it on the right."""

    changed = pyqtSignal()
    wants_still = pyqtSignal(object)
    wants_export = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("paper")
        self.reply: Reply | None = None
        self.cards: list[CorrectionCard] = []
        self._image: QImage | None = None
        self._folder: Path | None = None
        self.title = QLabel("Reply")
        self.title.setObjectName("title")
        self.export = QPushButton("Write the reply")
        self.export.setObjectName("accent")
        self.export.clicked.connect(self.wants_export)
        self.open_folder = QPushButton("Open its folder")
        self.open_folder.clicked.connect(lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(str(self._folder))) if self._folder else None)
        self.open_folder.setVisible(False)
        top = QHBoxLayout()
        top.addWidget(self.title, 1)
        top.addWidget(self.open_folder)
        top.addWidget(self.export)
        self._inside = QWidget()
        self._inside.setObjectName("paper")
        self._column = QVBoxLayout(self._inside)
        self._column.setContentsMargins(0, 0, 10, 0)
        scroll = QScrollArea()
        scroll.setWidget(self._inside)
        scroll.setWidgetResizable(True)
        self.greeting, self.praise = QPlainTextEdit(), QPlainTextEdit()
        for box, words in ((self.greeting, "Greeting"), (self.praise, "What held")):
            box.setAccessibleName(words)
            box.setFixedHeight(62)
            box.textChanged.connect(self._take_words)
        self.preview = QLabel()
        self.preview.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignHCenter)
        self.preview.setMinimumWidth(560)
        self.written = QLabel()
        self.written.setObjectName("dim")
        self.written.setWordWrap(True)
        self.written.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.caution = QLabel()
        self.caution.setObjectName("dim")
        self.caution.setWordWrap(True)
        right = QVBoxLayout()
        right.addWidget(self.preview, 1)
        right.addWidget(self.written)
        right.addWidget(self.caution)
        body = QHBoxLayout()
        body.addWidget(scroll, 1)
        body.addLayout(right, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 18, 24, 14)
        layout.addLayout(top)
        layout.addLayout(body, 1)

    def show_reply(self, reply: Reply, last_frame: int) -> None:
        """Edit this reply."""
        self.reply = None
        while (item := self._column.takeAt(0)) is not None:
            if (widget := item.widget()) is not None and widget not in (self.greeting, self.praise):
                widget.hide()
                widget.deleteLater()
        self.title.setText(f"Reply to {reply.client}" if reply.client else "Reply")
        facts = QLabel(f"{reply.movement} · {reply.facts}")
        facts.setObjectName("dim")
        facts.setWordWrap(True)
        self._column.addWidget(facts)
        self.greeting.setPlainText(reply.greeting)
        self._column.addWidget(self.greeting)
        self._column.addWidget(self._dim("What held"))
        self.praise.setPlainText(reply.praise)
        self._column.addWidget(self.praise)
        self.cards = []
        for correction in reply.corrections:
            card = CorrectionCard(correction, last_frame)
            card.changed.connect(self._note_change)
            card.picked.connect(self.wants_still)
            self.cards.append(card)
            self._column.addWidget(card)
        if not reply.corrections:
            self._column.addWidget(
                QLabel("Nothing is off that this film shows: the reply carries the praise and the whole film with its lines.")
            )
        self._column.addStretch(1)
        self.caution.setText(reply.caution)
        self.written.clear()
        self.open_folder.setVisible(False)
        self._image = None
        self.preview.clear()
        self.reply = reply
        self._note_change()
        if reply.corrections:
            self.wants_still.emit(reply.corrections[0])

    @staticmethod
    def _dim(words: str) -> QLabel:
        label = QLabel(words)
        label.setObjectName("dim")
        return label

    def _take_words(self) -> None:
        if self.reply is not None:
            self.reply.greeting, self.reply.praise = self.greeting.toPlainText(), self.praise.toPlainText()
            self.changed.emit()

    def _note_change(self) -> None:
        if self.reply is not None:
            count = len(self.reply.chosen())
            self.export.setText(f"Write the reply ({count} correction{'s' if count != 1 else ''})")
            self.changed.emit()

    def show_still(self, image: QImage) -> None:
        """The picture as it will be sent."""
        self._image = image
        self._fit()

    def _fit(self) -> None:
        if self._image is not None:
            size = self.preview.size()
            self.preview.setPixmap(
                QPixmap.fromImage(self._image).scaled(size, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
            )

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def show_written(self, folder: Path, names: list[str]) -> None:
        """Say where the reply lies."""
        self._folder = folder
        self.written.setText(f"Written to {folder}: " + ", ".join(names))
        self.open_folder.setVisible(True)
