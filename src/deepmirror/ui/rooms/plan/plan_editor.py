"""The plan itself: its block, its sessions, every cell edited in place and saved as it changes."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QDate, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QDateEdit, QHBoxLayout, QInputDialog, QPushButton, QSpinBox, QVBoxLayout, QWidget

from deepmirror.errors import DeepMirrorError
from deepmirror.services.training import plan_edits
from deepmirror.services.training.plan_edits import Edit, PlanPart, SessionPart
from deepmirror.services.training.training_file import TrainingFile
from deepmirror.ui.rooms.plan.session_table import DAYS, SessionTable
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel, clear_layout, heading, vertical_scroll_area


class PlanEditor(QWidget):
    """Edits one TrainingFile's plan; `changed` after every edit."""

    changed = pyqtSignal()
    complained = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._file: TrainingFile | None = None
        self._shown: tuple[object, ...] | None = None
        self.tables: list[SessionTable] = []
        self.start, self.weeks, self.level = QDateEdit(), QSpinBox(), QComboBox()
        self.start.setDisplayFormat("yyyy-MM-dd")
        self.start.setCalendarPopup(True)
        self.weeks.setRange(1, 104)
        self.weeks.setSuffix(tr(" weeks"))
        for level in ("novice", "trained"):
            self.level.addItem(tr(level), level)
        self.start.dateChanged.connect(lambda day: self._block(start=day.toPyDate()))
        self.weeks.valueChanged.connect(lambda n: self._block(weeks=n))
        self.level.activated.connect(lambda: self._do(lambda f: f.set_fields("change the level", level=self.level.currentData())))
        self.promise = self._days_promised()
        self.shift = QPushButton(tr("A week later"))
        self.shift.clicked.connect(lambda: self._plan(plan_edits.shift_week))
        self.template, self.take = QComboBox(), QPushButton(tr("Use"))
        self.template.setAccessibleName(tr("Templates"))
        self.take.clicked.connect(self._use)
        self.keep = QPushButton(tr("Keep as template…"))
        self.keep.clicked.connect(self._keep)
        block = _row(PlainLabel(tr("Starts")), self.start, self.weeks, self.shift)
        hers = _row(PlainLabel(tr("Level")), self.level, PlainLabel(tr("Answered within")), self.promise)
        shelf = _row(PlainLabel(tr("Template")), self.template, self.take, self.keep)
        self.sessions = QVBoxLayout()
        inside = QWidget()
        inside.setObjectName("paper")
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 8, 0)
        column.addLayout(self.sessions)
        self.new_day, self.new_movement, self.begin = QComboBox(), QComboBox(), QPushButton()
        for code, words in DAYS:
            self.new_day.addItem(tr(words), code)
        self.begin.clicked.connect(self._begin)
        column.addWidget(heading(tr("Another session")))
        column.addLayout(_row(self.new_day, self.new_movement, self.begin))
        column.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addLayout(block)
        layout.addLayout(hers)
        layout.addLayout(shelf)
        layout.addWidget(vertical_scroll_area(inside), 1)

    def _days_promised(self) -> QSpinBox:
        box = QSpinBox()
        box.setRange(0, 30)
        box.setSpecialValueText(tr("as usual"))
        box.setSuffix(tr(" working days"))
        box.setToolTip(tr("Within how many working days her films are answered; as usual: what the settings say"))
        box.valueChanged.connect(lambda n: self._do(lambda f: f.set_fields("change the promise", reply_days=n or None)))
        return box

    def show_file(self, file: TrainingFile) -> None:
        """Show a client's plan; drawn anew only when it is another one."""
        names = file.templates()
        shown = (file, file.part.plan, file.part.level, file.part.reply_days, tuple(names))
        self._file = file
        if self._shown is not None and self._shown[0] is file and self._shown[1:] == shown[1:]:
            return
        self._shown = shown
        plan, movements = file.plan, [(c.id, c.title) for c in file.library.movements()]
        self._fill_block(plan, file, names, movements)
        where = self._cell()
        clear_layout(self.sessions)
        self.tables = []
        for n, session in enumerate(plan.sessions if plan is not None else []):
            table = SessionTable(session, movements)
            table.edited.connect(lambda row, field, value, n=n: self._edited(n, row, field, value))
            table.asked.connect(lambda what, row, value, n=n: self._asked(n, what, row, value))
            self.tables.append(table)
            self.sessions.addWidget(table)
        if where is not None and where[0] < len(self.tables):
            self.tables[where[0]].table.setCurrentCell(where[1], where[2])
            self.tables[where[0]].table.setFocus()

    def _fill_block(self, plan: PlanPart | None, file: TrainingFile, names: list[str], movements: list[tuple[str, str]]) -> None:
        for box in (self.start, self.weeks, self.promise):
            box.blockSignals(True)
        day = plan.start if plan is not None else file.today
        self.start.setDate(QDate(day.year, day.month, day.day))
        self.weeks.setValue(plan.weeks if plan is not None else 6)
        self.promise.setValue(file.part.reply_days or 0)
        for box in (self.start, self.weeks, self.promise):
            box.blockSignals(False)
        self.level.setCurrentIndex(self.level.findData(file.part.level))
        self.shift.setEnabled(plan is not None)
        self.keep.setEnabled(plan is not None)
        self.take.setEnabled(bool(names))
        self.template.clear()
        self.template.addItems(names)
        self.begin.setText(tr("Add the session") if plan is not None else tr("Begin a plan"))
        if not self.new_movement.count():
            for movement, title in movements:
                self.new_movement.addItem(tr(title), movement)

    def _cell(self) -> tuple[int, int, int] | None:
        """Session, row and column that have the keys."""
        for n, table in enumerate(self.tables):
            focus = table.focusWidget()
            if focus is not None and focus.hasFocus():
                return n, table.table.currentRow(), table.table.currentColumn()
        return None

    def _do(self, edit: Callable[[TrainingFile], object]) -> None:
        if self._file is None:
            return
        try:
            edit(self._file)
        except DeepMirrorError as error:
            self._shown = None  # what was typed does not stand: the cells show the plan as it is
            self.complained.emit(error.sentence)
        self.changed.emit()

    def _plan(self, edit: Callable[[PlanPart], Edit]) -> None:
        self._do(lambda f: f.edit_plan(edit(f.must_have_plan())))

    def _block(self, **fields: Any) -> None:
        if self._file is not None and self._file.plan is not None:
            self._plan(lambda p: plan_edits.set_block(p, **fields))

    def _edited(self, session: int, row: int, field: str, value: Any) -> None:
        given = {field: value}
        if field == "reps":
            low, _, high = str(value).replace("–", "-").partition("-")
            given = {"reps": (low.strip(), (high or low).strip())}
        self._plan(lambda p: plan_edits.set_exercise(p, session, row, **given))

    def _asked(self, session: int, what: str, row: int, value: Any) -> None:
        edits: dict[str, Callable[[PlanPart], Edit]] = {
            "earlier": lambda p: plan_edits.move_exercise(p, session, row, -1),
            "later": lambda p: plan_edits.move_exercise(p, session, row, 1),
            "out": lambda p: plan_edits.remove_exercise(p, session, row),
            "day": lambda p: plan_edits.set_session(p, session, day=value),
            "name": lambda p: plan_edits.set_session(p, session, name=value),
        }
        if what == "add":
            self._do(lambda f: f.edit_plan(plan_edits.add_exercise(f.must_have_plan(), session, f.usual(value))))
        else:
            self._plan(edits[what])

    def _begin(self) -> None:
        day, movement = self.new_day.currentData(), self.new_movement.currentData()

        def edit(file: TrainingFile) -> None:
            session = plan_edits.checked(SessionPart, day=day, exercises=[file.usual(movement)])
            plan = file.plan
            new = plan_edits.begin(self.start.date().toPyDate(), self.weeks.value(), [session])
            file.edit_plan(plan_edits.add_session(plan, session) if plan is not None else new)

        self._do(edit)

    def _use(self) -> None:
        name = self.template.currentText()
        self._do(lambda f: f.use_template(name, self.start.date().toPyDate()))

    def _keep(self) -> None:
        dialog = QInputDialog(self)
        dialog.setLabelText(tr("Name of the template"))
        dialog.textValueSelected.connect(lambda name: self._do(lambda f: f.keep_template(name)))
        dialog.open()


def _row(*widgets: QWidget) -> QHBoxLayout:
    """Widgets side by side, to the left."""
    row = QHBoxLayout()
    for widget in widgets:
        row.addWidget(widget)
    row.addStretch(1)
    return row
