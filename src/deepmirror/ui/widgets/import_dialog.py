"""Asks what the coach knows of a film before it is taken in: whose, which movement, from where."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.movement_box import Groups, MovementBox
from deepmirror.ui.widgets.panel_helpers import PlainLabel

VIEWS = (
    ("side-left", "From the side: left side to the camera"),
    ("side-right", "From the side: right side to the camera"),
    ("front", "From the front"),
    ("rear", "From behind"),
)
SHORT_VIEWS = (("side-left", "left side"), ("side-right", "right side"), ("front", "from the front"), ("rear", "from behind"))
SHOWN_PX = 460, 360
NEW_CLIENT = "New client…"
GUESSED = "color: #8f431b; font-style: italic"  # what the program put in and nobody said


@dataclass(frozen=True)
class ImportAnswers:
    """Whose and what a film is; client_id is None for a new client."""

    client_id: int | None
    new_name: str
    stature_cm: float | None
    movement: str
    view: str
    load_kg: float | None
    tempo: str | None
    note: str


def as_shown(picture: QImage) -> QImage:
    """A picture as large as the dialog shows it; may be called in any thread."""
    return picture.scaled(*SHOWN_PX, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)


class ImportDialog(QDialog):
    """Shows the film's first picture (see `as_shown`) beside the questions.

    It stays open until the film is in: what was answered is not lost when the library refuses. `wanted` asks for it to be taken in;
    `accept` then closes the dialog, `refuse` says why not.
    """

    wanted = pyqtSignal()

    def __init__(
        self,
        name: str,
        picture: QImage,
        clients: Sequence[tuple[int, str]],
        movements: Groups,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Bring in {name}", name=name))
        shot = PlainLabel()
        shot.setPixmap(QPixmap.fromImage(picture))
        self.client = QComboBox()
        for client_id, title in clients:
            self.client.addItem(tr(title), client_id)
        self.client.addItem(tr(NEW_CLIENT), None)
        self.name = QLineEdit()
        self.name.setPlaceholderText(tr("Name"))
        self.stature = self._number(0, 250, " cm", tr("not known"))
        self.movement = MovementBox(movements)
        self.view = QComboBox()
        for view_id, title in VIEWS:
            self.view.addItem(tr(title), view_id)
        self.load = self._number(0, 600, " kg", tr("not given"))
        self.tempo = QLineEdit()
        self.tempo.setPlaceholderText(tr("lowering-bottom-lifting-top, for example 3-1-1-0"))
        self.note = QLineEdit()
        self.note.setPlaceholderText(tr("What the client wrote"))
        self.problem = PlainLabel()
        self.problem.setStyleSheet("color: #b4562a")
        self.problem.setTextFormat(Qt.TextFormat.PlainText)
        self.problem.setWordWrap(True)
        self._form = form = self._rows()
        self._said: set[QComboBox] = set()
        for box in (self.view, self.movement):
            box.currentIndexChanged.connect(lambda _, chosen=box: self._say(chosen))
        self._buttons = buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        ok = buttons.button(QDialogButtonBox.StandardButton.Ok)
        if ok is not None:
            ok.setText(tr("Add the film"))
            ok.setObjectName("accent")
        buttons.accepted.connect(self._check)
        buttons.rejected.connect(self.reject)
        right = QVBoxLayout()
        right.addLayout(form)
        right.addWidget(self.problem)
        right.addStretch(1)
        right.addWidget(buttons)
        layout = QHBoxLayout(self)
        layout.addWidget(shot)
        layout.addLayout(right)
        self.client.currentIndexChanged.connect(self._show_name)
        self._show_name()

    def _rows(self) -> QFormLayout:
        form = QFormLayout()
        form.addRow(tr("Client"), self.client)
        form.addRow("", self.name)
        form.addRow(tr("Stature"), self.stature)
        form.addRow(tr("Movement"), self.movement)
        form.addRow(tr("Filmed"), self.view)
        form.addRow(tr("Load"), self.load)
        form.addRow(tr("Tempo asked"), self.tempo)
        form.addRow(tr("Note"), self.note)
        return form

    @staticmethod
    def _number(low: float, high: float, unit: str, unset: str) -> QDoubleSpinBox:
        box = QDoubleSpinBox()
        box.setRange(low, high)
        box.setDecimals(1)
        box.setSuffix(unit)
        box.setSpecialValueText(unset)
        return box

    def _say(self, box: QComboBox) -> None:
        self._said.add(box)
        box.setToolTip("")
        box.setStyleSheet("")

    def offer(self, found: tuple[str | None, str | None]) -> None:
        """A guess of the side and the movement, from the pictures; nothing that was said is changed."""
        for box, guess in zip((self.view, self.movement), found, strict=True):
            if guess is not None and box not in self._said and box.findData(guess) >= 0:
                box.setCurrentIndex(box.findData(guess))
                self._said.discard(box)
                box.setStyleSheet(GUESSED)
                box.setToolTip(tr("Guessed from the pictures: change it if it is wrong"))

    def fill(self, client: str, movement: str | None, view: str | None, load_kg: float | None, note: str) -> None:
        """Fill in what its sender said; a name nobody has becomes a new client's."""
        known = self.client.findText(client, Qt.MatchFlag.MatchFixedString)
        if known >= 0:
            self.client.setCurrentIndex(known)
        elif client:
            self.client.setCurrentIndex(self.client.count() - 1)
            self.name.setText(client)
        for box, said in ((self.movement, movement), (self.view, view)):
            if said is not None and box.findData(said) >= 0:
                box.setCurrentIndex(box.findData(said))
        self.load.setValue(load_kg or 0)
        self.note.setText(note)

    def _show_name(self) -> None:
        new = self.client.currentData() is None
        self._form.setRowVisible(1, new)
        self._form.setRowVisible(2, new)

    def _check(self) -> None:
        if self.client.currentData() is None and not self.name.text().strip():
            self.problem.setText(tr("A new client needs a name."))
            return
        if self.movement.movement() is None:
            self.problem.setText(tr("Choose a movement: type a part of its name, or open the list."))
            return
        if self.client.currentData() is None and 0 < self.stature.value() < 50:
            self.problem.setText(tr("A stature under 50 cm cannot be right."))
            return
        self._buttons.setEnabled(False)
        self.problem.setText(tr("Taking it in…"))
        self.wanted.emit()

    def refuse(self, sentence: str) -> None:
        """It could not be taken in: say why, and let it be tried again."""
        self._buttons.setEnabled(True)
        self.problem.setText(sentence)

    def answers(self) -> ImportAnswers:
        """What was answered."""
        return ImportAnswers(
            self.client.currentData(),
            self.name.text().strip(),
            self.stature.value() or None,
            self.movement.movement() or "",
            self.view.currentData(),
            self.load.value() or None,
            self.tempo.text().strip() or None,
            self.note.text().strip(),
        )
