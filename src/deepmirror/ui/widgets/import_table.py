"""Several films brought in at once: one table says whose and what each of them is."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)

from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.import_dialog import GUESSED, SHORT_VIEWS, ImportAnswers
from deepmirror.ui.widgets.movement_box import Groups, MovementBox
from deepmirror.ui.widgets.panel_helpers import PlainLabel

COLUMNS = ("Film", "Client", "Movement", "Filmed", "Load, kg", "Note", "")
WIDTHS = (150, 190, 230, 160, 90, 150, 150)
PICTURE = (136, 76)
TROUBLE = "color: #8f431b"


class FilmRow:
    """The widgets of one film; what was said by hand is never changed by a guess or by the row above."""

    def __init__(self, name: str, clients: Sequence[tuple[int, str]], movements: Groups) -> None:
        self.name, self.done = name, False
        self.picture, self.state = PlainLabel(name), PlainLabel()
        self.state.setWordWrap(True)
        self.client, self.view, self.note = QComboBox(), QComboBox(), QLineEdit()
        self.client.setEditable(True)
        for client_id, title in clients:
            self.client.addItem(tr(title), client_id)
        self.client.setCurrentText("")
        line = self.client.lineEdit()
        if line is not None:
            line.setPlaceholderText(tr("a name, known or new"))
        self.movement = MovementBox(movements)
        for view, words in SHORT_VIEWS:
            self.view.addItem(tr(words), view)
        self.load = QDoubleSpinBox()
        self.load.setRange(0, 600)
        self.load.setSpecialValueText("–")
        self.said: set[QWidget] = set()
        for box in (self.client, self.movement, self.view):
            box.activated.connect(lambda _, widget=box: self._say(widget))
            edit = box.lineEdit()
            if edit is not None:
                edit.textEdited.connect(lambda _, widget=box: self._say(widget))

    def widgets(self) -> tuple[QWidget, ...]:
        """In the order of the columns."""
        return self.picture, self.client, self.movement, self.view, self.load, self.note, self.state

    def _say(self, widget: QWidget) -> None:
        self.said.add(widget)
        widget.setStyleSheet("")
        widget.setToolTip("")

    def guess(self, view: str | None, movement: str | None) -> None:
        """Put in what the pictures seem to show, told as a guess."""
        for box, found in ((self.view, view), (self.movement, movement)):
            at = box.findData(found) if found is not None else -1
            if at >= 0 and box not in self.said and not self.done:
                box.setCurrentIndex(at)
                box.setStyleSheet(GUESSED)
                box.setToolTip(tr("Guessed from the pictures: change it if it is wrong"))

    def problem(self) -> str:
        """What is missing; nothing when it can be taken in."""
        if not self.client.currentText().strip():
            return tr("Whose film is it?")
        return "" if self.movement.movement() else tr("Which movement is it?")

    def answers(self) -> ImportAnswers:
        """What was said of this film."""
        name = self.client.currentText().strip()
        at = self.client.findText(name, Qt.MatchFlag.MatchFixedString)
        known = self.client.itemData(at) if at >= 0 else None
        movement = self.movement.movement() or ""
        return ImportAnswers(
            known, name, None, movement, self.view.currentData(), self.load.value() or None, None, self.note.text().strip()
        )


def _centred(widget: QWidget) -> QWidget:
    """In the middle of a high row, at its own height."""
    box = QWidget()
    column = QVBoxLayout(box)
    column.setContentsMargins(4, 0, 4, 0)
    column.addStretch(1)
    column.addWidget(widget)
    column.addStretch(1)
    return box


class ImportTable(QDialog):
    """`wanted` asks for a row to be taken in; `taken` and `refused` answer. It closes when all are in, and keeps those that are not."""

    wanted = pyqtSignal(int)

    def __init__(self, names: Sequence[str], clients: Sequence[tuple[int, str]], movements: Groups, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Bring in {count} films", count=len(names)))
        self.resize(min(sum(WIDTHS) + 60, 1240), min(170 + 84 * len(names), 700))
        self._waiting: list[int] = []
        self.rows = [FilmRow(name, clients, movements) for name in names]
        self.table = QTableWidget(len(names), len(COLUMNS))
        self.table.setAccessibleName(tr("Films to bring in"))
        self.table.setHorizontalHeaderLabels([tr(c) if c else "" for c in COLUMNS])
        self.table.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        for column, width in enumerate(WIDTHS):
            self.table.setColumnWidth(column, width)
        for number, row in enumerate(self.rows):
            self.table.setRowHeight(number, PICTURE[1] + 8)
            for column, widget in enumerate(row.widgets()):
                self.table.setCellWidget(number, column, widget if isinstance(widget, PlainLabel) else _centred(widget))
                if not isinstance(widget, PlainLabel):
                    widget.setAccessibleName(tr("{column}: {name}", column=COLUMNS[column], name=row.name))
            for box, column in ((row.client, 1), (row.movement, 2), (row.view, 3)):
                box.currentTextChanged.connect(lambda words, n=number, c=column: self._pass_down(n, c, words))
        header, sides = self.table.horizontalHeader(), self.table.verticalHeader()
        if header is not None and sides is not None:
            header.setSectionResizeMode(5, QHeaderView.ResizeMode.Stretch)
            sides.hide()
        hint = PlainLabel(tr("What is said of one film is taken for those below it until something else is said there."))
        hint.setObjectName("dim")
        self._buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        ok = self._buttons.button(QDialogButtonBox.StandardButton.Ok)
        if ok is not None:
            ok.setText(tr("Add the films"))
            ok.setObjectName("accent")
        self._buttons.accepted.connect(self._add)
        self._buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addWidget(self.table, 1)
        layout.addWidget(hint)
        layout.addWidget(self._buttons)

    def _pass_down(self, number: int, column: int, words: str) -> None:
        """What was said of a film by hand holds for the ones below that were not spoken of."""
        said = self.rows[number].widgets()[column]
        if said not in self.rows[number].said:
            return
        for row in self.rows[number + 1 :]:
            box = row.widgets()[column]
            if box in row.said:
                break
            if isinstance(box, QComboBox):
                box.setCurrentText(words)
                box.setStyleSheet("")

    def show_picture(self, number: int, picture: QImage) -> None:
        """A film's first picture, in its row."""
        mode, way = Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
        self.rows[number].picture.setPixmap(QPixmap.fromImage(picture).scaled(*PICTURE, mode, way))
        self.rows[number].picture.setToolTip(self.rows[number].name)

    def refused(self, number: int, sentence: str) -> None:
        """This film could not be read or taken in: it stays, with the reason."""
        self.rows[number].state.setText(sentence)
        self.rows[number].state.setStyleSheet(TROUBLE)
        self._next()

    def taken(self, number: int) -> None:
        """This film is in."""
        row = self.rows[number]
        row.done = True
        row.state.setText(tr("in"))
        for widget in row.widgets()[1:-1]:
            widget.setEnabled(False)
        if all(each.done for each in self.rows):
            self.accept()
        else:
            self._next()

    def _add(self) -> None:
        waiting = [n for n, row in enumerate(self.rows) if not row.done]
        for number in waiting:
            self.rows[number].state.setText(self.rows[number].problem())
        ready = [n for n in waiting if not self.rows[n].problem()]
        self._buttons.setEnabled(not ready)
        self._waiting = ready
        self._next()

    def _next(self) -> None:
        """One film after the other: a client new with the first is known for the second."""
        if self._waiting:
            number = self._waiting.pop(0)
            self.rows[number].state.setText(tr("taking it in…"))
            self.wanted.emit(number)
        else:
            self._buttons.setEnabled(True)
