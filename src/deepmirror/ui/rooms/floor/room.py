"""The Floor: one set after the other, in three faces. It shows; the controller knows the camera and the library."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from deepmirror.ui.rooms.floor.figures import BigText, TempoBar
from deepmirror.ui.rooms.floor.ready_face import ReadyFace
from deepmirror.ui.rooms.floor.rest_face import RestFace
from deepmirror.ui.rooms.floor.set_face import SetFace
from deepmirror.ui.theme import tokens as t
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel

READY, SET, REST = "ready", "set", "rest"
FACES = (READY, SET, REST)
DARK = (t.INK, t.STAGE_TEXT, t.STAGE_DIM, t.INK_SOFT, "#4a413b")  # ground, words, quiet words, fields, lines
LIGHT = (t.BONE, t.TEXT, t.TEXT_DIM, t.PAPER, t.PAPER_LINE)
SHEET = """
FloorRoom, FloorRoom QStackedWidget, QWidget#floorpanel,
FloorRoom ReadyFace, FloorRoom SetFace, FloorRoom RestFace {{ background: {ground}; }}
FloorRoom QLabel, FloorRoom QCheckBox {{ color: {words}; }}
FloorRoom QLabel#dim {{ color: {quiet}; }}
FloorRoom QLabel#cue, FloorRoom QLabel#warning {{ color: {accent}; font-weight: 700; }}
FloorRoom QPushButton {{ background: {field}; color: {words}; border: 1px solid {line}; }}
FloorRoom QPushButton:checked {{ background: {copper}; color: white; border-color: {copper}; }}
FloorRoom QPushButton#large
{{ background: {copper}; color: white; font-size: 24px; font-weight: 700; border: none; border-radius: 8px; }}
FloorRoom QPushButton#large:disabled {{ background: {line}; color: {quiet}; }}
FloorRoom QComboBox, FloorRoom QDoubleSpinBox, FloorRoom QLineEdit
{{ background: {field}; color: {words}; border: 1px solid {line}; font-size: 17px; }}
"""


class FloorRoom(QWidget):
    """`pressed` is the one large key: begin, end, go on; `turned` says that another face is on show."""

    pressed = pyqtSignal()
    turned = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)  # a plain widget paints no ground of its own
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        top = QHBoxLayout()
        top.setContentsMargins(18, 8, 18, 4)
        self.who, self.said = PlainLabel(), PlainLabel()
        self.who.setObjectName("title")
        self.said.setObjectName("warning")
        self.said.setWordWrap(True)
        self.light, self.tick = QCheckBox(tr("Light")), QCheckBox(tr("Tick"))
        self.light.toggled.connect(lambda on: self.set_dark(not on))
        for widget, stretch in ((self.who, 0), (self.said, 1), (self.tick, 0), (self.light, 0)):
            top.addWidget(widget, stretch)
        column.addLayout(top)
        self.faces = QStackedWidget()
        self.ready, self.lifting, self.rest = ReadyFace(), SetFace(), RestFace()
        for face in (self.ready, self.lifting, self.rest):
            self.faces.addWidget(face)
            face.go.clicked.connect(self.pressed)
        column.addWidget(self.faces, 1)
        self.set_dark(True)

    def face(self) -> str:
        """Which face is on show."""
        return FACES[self.faces.currentIndex()]

    def show_face(self, face: str) -> None:
        """Turn to a face."""
        self.faces.setCurrentIndex(FACES.index(face))
        if face != REST:
            self.rest.loop.play(None)
        if face != SET:
            self.lifting.bar.stop()
        (self.ready.go, self.lifting.go, self.rest.go)[FACES.index(face)].setFocus()
        self.turned.emit()

    def set_dark(self, on: bool) -> None:
        """For a dim room, or for a bright one."""
        ground, words, quiet, field, line = DARK if on else LIGHT
        accent = t.COPPER_LIGHT if on else t.COPPER
        told = {"ground": ground, "words": words, "quiet": quiet, "field": field, "line": line, "copper": t.COPPER, "accent": accent}
        self.setStyleSheet(SHEET.format(**told))
        figures: list[BigText | TempoBar] = [*self.findChildren(BigText), *self.findChildren(TempoBar)]
        for figure in figures:
            figure.usual_colour = words
            figure.update()

    def say(self, words: str) -> None:
        """Something the coach should know; nothing wipes it."""
        self.said.setText(words)

    def close_readers(self) -> None:
        """Stop what plays."""
        self.rest.loop.close_reader()
