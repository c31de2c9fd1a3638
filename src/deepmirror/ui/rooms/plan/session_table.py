"""One planned session as a table whose cells are edited in place."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from deepmirror.services.training.plan_edits import ExercisePart, SessionPart
from deepmirror.ui.translation import tr

DAYS = (
    ("mon", "Monday"),
    ("tue", "Tuesday"),
    ("wed", "Wednesday"),
    ("thu", "Thursday"),
    ("fri", "Friday"),
    ("sat", "Saturday"),
    ("sun", "Sunday"),
)
IMPLEMENTS = (("", "as usual"), ("bar", "bar"), ("dumbbell", "dumbbells"), ("stack", "stack"), ("sled", "sled"), ("body", "body"))
SIDES = (("both", "both"), ("each", "each side"), ("weaker_first", "weaker first"))
RULES = (
    ("double", "reps, then load"),
    ("linear", "fixed step"),
    ("effort", "by effort"),
    ("reps_first", "reps first"),
    ("tempo_first", "tempo first"),
)
LINKS = (("", "rest before"), ("superset", "superset"), ("alternated", "alternated"), ("straight_after", "straight after"))
COLUMNS = ("Movement", "Sets", "Reps", "Reserve", "Tempo", "Rest, s", "With", "Sides", "Goes up by", "Follows")
TYPED = ("sets", "reps", "rir", "tempo", "rest_s")  # of the columns from 1
CHOSEN = (("implement", IMPLEMENTS), ("sides", SIDES), ("rule", RULES), ("link", LINKS))  # of the columns after them
ROW_PX = 34


class SessionTable(QWidget):
    """`edited` brings (row, field, text or value); `asked` a word and the row: earlier, later, out, add, day, name."""

    edited = pyqtSignal(int, str, object)
    asked = pyqtSignal(str, int, object)

    def __init__(self, session: SessionPart, movements: list[tuple[str, str]], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        titles = dict(movements)
        self.day, self.name = QComboBox(), QLineEdit(session.name)
        for code, words in DAYS:
            self.day.addItem(tr(words), code)
        self.day.setCurrentIndex(self.day.findData(session.day))
        self.day.activated.connect(lambda: self.asked.emit("day", 0, self.day.currentData()))
        self.name.setPlaceholderText(tr("name of the session"))
        self.name.editingFinished.connect(lambda: self.asked.emit("name", 0, self.name.text().strip()) if self.name.isModified() else None)
        self.table = QTableWidget(len(session.exercises), len(COLUMNS))
        self.table.setHorizontalHeaderLabels([tr(c) for c in COLUMNS])
        head, side = self.table.horizontalHeader(), self.table.verticalHeader()
        assert head is not None and side is not None
        side.hide()
        side.setDefaultSectionSize(ROW_PX)
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for row, exercise in enumerate(session.exercises):
            self._fill(row, exercise, titles)
        self.table.setFixedHeight(ROW_PX * len(session.exercises) + 40)
        self.table.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.table.itemChanged.connect(self._typed)
        self.further = QComboBox()
        for movement, title in movements:
            self.further.addItem(tr(title), movement)
        top, below = QHBoxLayout(), QHBoxLayout()
        top.addWidget(self.day)
        top.addWidget(self.name, 1)
        for words, what in (("Earlier", "earlier"), ("Later", "later"), ("Take out", "out")):
            button = QPushButton(tr(words))
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(lambda _, w=what: self.asked.emit(w, max(self.table.currentRow(), 0), None))
            top.addWidget(button)
        add = QPushButton(tr("Add"))
        add.clicked.connect(lambda: self.asked.emit("add", 0, self.further.currentData()))
        below.addWidget(self.further)
        below.addWidget(add)
        below.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 6)
        column.addLayout(top)
        column.addWidget(self.table)
        column.addLayout(below)

    def _fill(self, row: int, exercise: ExercisePart, titles: dict[str, str]) -> None:
        name = QTableWidgetItem(tr(titles.get(exercise.movement, exercise.movement)))
        name.setFlags(name.flags() & ~Qt.ItemFlag.ItemIsEditable)
        self.table.setItem(row, 0, name)
        low, high = exercise.reps
        typed = (exercise.sets, f"{low}-{high}" if low != high else low, f"{exercise.rir:g}", exercise.tempo, exercise.rest_s)
        for column, value in enumerate(typed, 1):
            item = QTableWidgetItem(str(value))
            item.setTextAlignment(int(Qt.AlignmentFlag.AlignCenter))
            self.table.setItem(row, column, item)
        for column, (field, options) in enumerate(CHOSEN, len(typed) + 1):
            box = QComboBox()
            box.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            box.installEventFilter(_NoWheel(box))
            for code, words in options:
                box.addItem(tr(words), code)
            box.setCurrentIndex(max(box.findData(getattr(exercise, field) or ""), 0))
            box.activated.connect(
                lambda _, r=row, f=field, b=box: self.edited.emit(r, f, b.currentData() or (None if f == "implement" else ""))
            )
            self.table.setCellWidget(row, column, box)

    def _typed(self, item: QTableWidgetItem) -> None:
        if 1 <= item.column() <= len(TYPED):
            self.edited.emit(item.row(), TYPED[item.column() - 1], item.text().strip())


class _NoWheel(QObject):
    """A wheel over a closed box scrolls the page; it must not change the plan."""

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        return event is not None and event.type() == QEvent.Type.Wheel
