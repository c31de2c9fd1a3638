"""What was done on a day, set by set; each row can be corrected, and its history is kept."""

from __future__ import annotations

from datetime import date

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QHeaderView, QPushButton, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from deepmirror.core.units import in_their_units
from deepmirror.services.training.client_page import day_words
from deepmirror.services.training.training_file import DoneRecord, TrainingFile
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel, heading
from deepmirror.words import joined

COLUMNS = ("Lift", "Load", "Reps", "Clean", "Reserve", "Pain", "Next morning", "Form", "From")


class DonePanel(QWidget):
    """`wants_correction` carries the day's sets."""

    wants_correction = pyqtSignal(list)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._rows: list[DoneRecord] = []
        self.heading = PlainLabel()
        self.heading.setObjectName("heading")
        self.table = QTableWidget(0, len(COLUMNS))
        self.table.setHorizontalHeaderLabels([tr(c) for c in COLUMNS])
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.currentCellChanged.connect(self._show_history)
        head, side = self.table.horizontalHeader(), self.table.verticalHeader()
        assert head is not None and side is not None
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        side.hide()
        self.correct = QPushButton(tr("Correct this day…"))
        self.correct.clicked.connect(lambda: self.wants_correction.emit(self._rows))
        self.history = PlainLabel()
        self.history.setObjectName("dim")
        self.history.setWordWrap(True)
        top = QHBoxLayout()
        top.addWidget(self.heading, 1)
        top.addWidget(self.correct)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(top)
        column.addWidget(self.table, 1)
        column.addWidget(heading(tr("Changes of the row")))
        column.addWidget(self.history)
        self._file: TrainingFile | None = None

    def show_day(self, file: TrainingFile, day: date) -> None:
        """Show a day's sets."""
        rows = [d for d in file.done if d.day == day.isoformat()]
        order = [d.movement for d in rows]
        self._file, self._rows = file, sorted(rows, key=lambda d: (order.index(d.movement), d.id))
        self.heading.setText(tr("Done on {day}", day=day_words(day)))
        self.table.setRowCount(len(self._rows))
        for i, done in enumerate(self._rows):
            for j, words in enumerate(_cells(file, done)):
                item = QTableWidgetItem(tr(words))
                if j:
                    item.setTextAlignment(int(Qt.AlignmentFlag.AlignCenter))
                self.table.setItem(i, j, item)
        self._show_history(self.table.currentRow())

    def _show_history(self, row: int, *_: int) -> None:
        if self._file is None or not 0 <= row < len(self._rows):
            self.history.setText("")
            return
        lines = [
            tr("{at}: {label} (before: {set})", at=at[:16].replace("T", " "), label=label, set=_set_words(was))
            for at, label, was in self._file.changes_of(self._rows[row].id)
        ]
        self.history.setText(joined("\n", lines) or tr("as it was first kept"))


def _set_words(done: DoneRecord) -> str:
    load = tr("{load_kg:g} kg", load_kg=done.load_kg) if done.load_kg else "body weight"
    return tr("{load} × {reps}", load=load, reps=done.reps if done.reps is not None else "?")


def _cells(file: TrainingFile, done: DoneRecord) -> list[str]:
    def told(value: float | None) -> str:
        return "–" if value is None else f"{value:g}"

    title = file.library.catalogue.title(done.movement)
    load = tr("{load_kg:g} kg", load_kg=done.load_kg) if done.load_kg else tr("body")
    kind = {"warmup": " (warm-up)", "backoff": " (back-off)", "drop": " (drop)"}.get(done.kind, "")
    name = f"{title}{kind}" if done.side == "both" else tr("{title}{kind}, {side}", title=title, kind=kind, side=done.side)
    form = done.form
    verdict = str(form.get("verdict", "")) if form else "–"
    cells = [name, in_their_units(load, file.body.imperial), told(done.reps), told(done.clean_reps), told(done.rir), told(done.pain)]
    return [*cells, told(done.pain_next_morning), verdict, done.source]
