"""Sets as they were done, entered or corrected by keys: last time's values are offered, Enter goes on, Ctrl+Enter keeps."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import date

from PyQt6.QtCore import QDate, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QAbstractItemDelegate,
    QComboBox,
    QDateEdit,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from deepmirror.core.units import KG_PER_LB, parse_mass_kg
from deepmirror.services.training.training_file import DoneRecord
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel
from deepmirror.words import small

COLUMNS = ("Lift", "Load", "Reps", "Clean", "Partial", "Reserve", "Pain", "Next morning", "Kind", "Settings", "Note")
TYPING = QTableWidget.EditTrigger.AnyKeyPressed | QTableWidget.EditTrigger.DoubleClicked | QTableWidget.EditTrigger.EditKeyPressed
LOAD, REPS, CLEAN, PARTIAL, RESERVE, PAIN, MORNING, KIND, SETTINGS, NOTE = range(1, 11)
ASKED = (REPS, RESERVE, PAIN)  # what Enter goes to: what every set is asked for
KINDS = (("work", "work"), ("warmup", "warm-up"), ("backoff", "back-off"), ("drop", "drop"))


class LogTable(QTableWidget):
    """Enter goes to the next cell worth typing, and to the next set at a row's end; a digit begins to type over what stands there."""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.modifiers():
            if self.state() != QTableWidget.State.EditingState:  # what is typed is taken first, and then goes on
                self._go_on()
            return
        super().keyPressEvent(event)

    def closeEditor(self, editor: QWidget | None, hint: QAbstractItemDelegate.EndEditHint) -> None:
        super().closeEditor(editor, hint)
        if hint == QAbstractItemDelegate.EndEditHint.SubmitModelCache:  # Enter
            self.setFocus()  # the editor that goes would hand the keys to a button
            self._go_on()

    def _go_on(self) -> None:
        row, column = self.currentRow(), self.currentColumn()
        further = next((c for c in ASKED if c > column), None)
        if further is None:
            row = min(row + 1, self.rowCount() - 1)
        self.setCurrentCell(row, ASKED[0] if further is None else further)


class LogDialog(QDialog):
    """`wanted` carries the sets, new or corrected; a set whose repetitions are empty or 0 was not done."""

    wanted = pyqtSignal(list)

    def __init__(
        self, title: str, rows: Sequence[DoneRecord], titles: dict[str, str], day: date, imperial: bool, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr(title))
        self.resize(1040, 500)
        self._rows, self._titles, self._imperial = list(rows), titles, imperial
        self.day = QDateEdit(QDate(day.year, day.month, day.day))
        self.day.setDisplayFormat("yyyy-MM-dd")
        self.day.setCalendarPopup(True)
        self.table = LogTable(0, len(COLUMNS))
        self.table.setHorizontalHeaderLabels([tr(c) for c in COLUMNS])
        self.table.setEditTriggers(TYPING)
        head, side = self.table.horizontalHeader(), self.table.verticalHeader()
        assert head is not None and side is not None
        side.hide()
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for done in self._rows:
            self._add_row(done)
        again = QPushButton(tr("One more set of this"))
        again.clicked.connect(self._one_more)
        top = QHBoxLayout()
        top.addWidget(PlainLabel(tr("Done on")))
        top.addWidget(self.day)
        top.addStretch(1)
        top.addWidget(again)
        self.trouble = PlainLabel()
        self.trouble.setObjectName("warning")
        self.trouble.setWordWrap(True)
        hint = PlainLabel(
            tr("Enter goes on, Ctrl+Enter keeps. Pain 0 to 10; a set with no repetitions was not done. Settings as in: seat 4, back 2.")
        )
        hint.setObjectName("dim")
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Save | QDialogButtonBox.StandardButton.Cancel)
        for button in buttons.buttons():
            button.setAutoDefault(False)  # type: ignore[attr-defined]
        again.setAutoDefault(False)
        buttons.accepted.connect(self._keep)
        buttons.rejected.connect(self.reject)
        QShortcut(QKeySequence("Ctrl+Return"), self, self._keep)
        column = QVBoxLayout(self)
        column.addLayout(top)
        column.addWidget(self.table, 1)
        column.addWidget(self.trouble)
        column.addWidget(hint)
        column.addWidget(buttons)
        if self._rows:
            self.table.setCurrentCell(0, REPS)
        self.table.setFocus()

    def _add_row(self, done: DoneRecord) -> None:
        row = self.table.rowCount()
        self.table.insertRow(row)
        title = self._titles.get(done.movement, done.movement)
        name = QTableWidgetItem(tr(title) if done.side == "both" else tr("{title}, {side}", title=title, side=done.side))
        name.setFlags(name.flags() & ~Qt.ItemFlag.ItemIsEditable)
        self.table.setItem(row, 0, name)
        load = (done.load_kg or 0.0) / (KG_PER_LB if self._imperial else 1.0)
        told = (f"{load:.4g}", done.reps, done.clean_reps, done.partial_reps, done.rir, done.pain, done.pain_next_morning)
        for column, value in enumerate(told, LOAD):
            words = value if isinstance(value, str) else "" if value is None else f"{value:g}"
            item = QTableWidgetItem(words)
            item.setTextAlignment(int(Qt.AlignmentFlag.AlignCenter))
            self.table.setItem(row, column, item)
        kind = QComboBox()
        kind.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        for code, words in KINDS:
            kind.addItem(tr(words), code)
        kind.setCurrentIndex(max(kind.findData(done.kind), 0))
        self.table.setCellWidget(row, KIND, kind)
        self.table.setItem(row, SETTINGS, QTableWidgetItem(", ".join(f"{k} {v}".strip() for k, v in done.settings)))
        self.table.setItem(row, NOTE, QTableWidgetItem(done.note))

    def _one_more(self) -> None:
        row = max(self.table.currentRow(), 0)
        if self._rows:
            self._rows.append(
                replace(self._read(row), id=0, film_id=None, form_json="") if self._good(row) else replace(self._rows[row], id=0)
            )
            self._add_row(self._rows[-1])
            self.table.setCurrentCell(self.table.rowCount() - 1, REPS)

    def _good(self, row: int) -> bool:
        try:
            self._read(row)
        except ValueError:
            return False
        return True

    def _keep(self) -> None:
        self.table.setCurrentCell(self.table.currentRow(), 0)  # what is being typed counts
        try:
            done = [self._read(row) for row in range(self.table.rowCount())]
        except ValueError as error:
            self.trouble.setText(str(error))
            return
        self.wanted.emit(done)
        self.accept()

    def _read(self, row: int) -> DoneRecord:
        """A row as it was typed. Raises ValueError with a sentence."""
        reps, clean = self._number(row, REPS, 500), self._number(row, CLEAN, 500)
        if clean is not None and reps is not None and clean > reps:
            raise ValueError(tr("Row {row}: more clean repetitions than repetitions.", row=row + 1))
        partial = self._number(row, PARTIAL, 500)
        kind = self.table.cellWidget(row, KIND)
        assert isinstance(kind, QComboBox)
        load = self._text(row, LOAD)
        unit = " lb" if self._imperial and load.replace(".", "").isdigit() else ""
        return replace(
            self._rows[row],
            day=self.day.date().toPyDate().isoformat(),
            load_kg=parse_mass_kg(load + unit, 0, 1000, tr("A load")) if load else None,
            reps=int(reps) if reps is not None else None,
            clean_reps=int(clean) if clean is not None else None,
            partial_reps=int(partial) if partial is not None else None,
            settings=tuple((p[0], p[2].strip()) for part in self._text(row, SETTINGS).split(",") if (p := part.strip().partition(" "))[0]),
            rir=self._number(row, RESERVE, 30),
            pain=self._number(row, PAIN, 10),
            pain_next_morning=self._number(row, MORNING, 10),
            kind=kind.currentData(),
            note=self._text(row, NOTE),
        )

    def _text(self, row: int, column: int) -> str:
        item = self.table.item(row, column)
        return item.text().strip() if item is not None else ""

    def _number(self, row: int, column: int, most: float) -> float | None:
        text = self._text(row, column).replace(",", ".")
        if not text:
            return None
        try:
            value = float(text)
        except ValueError:
            raise ValueError(tr("Row {row}: “{text}” is no number.", row=row + 1, text=text)) from None
        if not 0 <= value <= most:
            raise ValueError(tr("Row {row}: {what} lies between 0 and {most}.", row=row + 1, what=small(COLUMNS[column]), most=f"{most:g}"))
        return value
