"""What the Plan room asks in dialogs: pain, an override, what is at hand, the screen, the rules, a table's columns."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import date

from PyQt6.QtCore import QDate, Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDateEdit,
    QDoubleSpinBox,
    QFormLayout,
    QLineEdit,
    QPlainTextEdit,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.asking import Asking
from deepmirror.ui.widgets.panel_helpers import PlainLabel, vertical_scroll_area

NOT_TOLD = -1.0


class PainDialog(Asking):
    """Pain at a place on a day, with signs, or a clinician's word."""

    def __init__(self, day: date, take: Callable[[date, str, float | None, dict[str, object]], str], parent: QWidget | None = None) -> None:
        super().__init__(tr("Note pain"), self._told, parent)
        self._take_pain = take
        self.day = QDateEdit(QDate(day.year, day.month, day.day))
        self.day.setDisplayFormat("yyyy-MM-dd")
        self.day.setCalendarPopup(True)
        self.place, self.signs = QLineEdit(), QLineEdit()
        self.place.setPlaceholderText(tr("as in left knee, low back"))
        self.signs.setPlaceholderText(tr("swelling, locking, numbness …, comma between; empty when none"))
        self.level, self.morning = _scale(), _scale()
        self.clinician = QCheckBox(tr("A clinician's note is on file that allows training"))
        for words, widget in (
            ("Day", self.day),
            ("Where", self.place),
            ("While training, 0 to 10", self.level),
            ("The next morning", self.morning),
            ("Signs", self.signs),
            ("", self.clinician),
        ):
            self.form.addRow(tr(words), widget)
        self.note(
            tr(
                "0 to 2 go on, 3 to 5 change something, over 5 stop. Swelling, locking, giving way, numbness, fever, an injury or chest "
                "pain belong to a clinician first. This program measures and organises; it does not diagnose."
            )
        )

    def _told(self) -> str:
        signs = tuple(s.strip() for s in self.signs.text().split(",") if s.strip())
        more: dict[str, object] = {"signs": signs, "next_morning": _value(self.morning), "clinician": self.clinician.isChecked()}
        return self._take_pain(self.day.date().toPyDate(), self.place.text(), _value(self.level), more)


def _scale() -> QDoubleSpinBox:
    box = QDoubleSpinBox()
    box.setRange(NOT_TOLD, 10)
    box.setDecimals(0)
    box.setSpecialValueText(tr("not told"))
    box.setValue(NOT_TOLD)
    return box


def _value(box: QDoubleSpinBox) -> float | None:
    return None if box.value() == NOT_TOLD else box.value()


class OverrideDialog(Asking):
    """The coach decides otherwise than the gate: which reason, who, why."""

    def __init__(
        self, reasons: Sequence[tuple[str, str]], who: str, take: Callable[[str, str, str], str], parent: QWidget | None = None
    ) -> None:
        super().__init__(
            tr("Decide otherwise than the gate"), lambda: take(self.code.currentData(), self.who.text(), self.why.text()), parent, 620
        )
        self.code, self.who, self.why = QComboBox(), QLineEdit(who), QLineEdit()
        for key, words in reasons:
            self.code.addItem(tr(words), key)
        self.why.setPlaceholderText(tr("what you saw or know that the films do not"))
        for words, widget in (("Against", self.code), ("Your name", self.who), ("Your reason", self.why)):
            self.form.addRow(tr(words), widget)
        self.note(tr("Your name, the day and your reason are kept and shown with the lift. Pain is never overridden."))


class EquipmentDialog(Asking):
    """What a client trains with, in lines."""

    def __init__(self, told: Mapping[str, str], take: Callable[[dict[str, str]], str], parent: QWidget | None = None) -> None:
        super().__init__(tr("What is at hand"), lambda: take(self._said()), parent, 620)
        self.bar, self.plates, self.dumbbells = (QLineEdit(told[k]) for k in ("bar", "plates", "dumbbells"))
        self.machines = QPlainTextEdit(told["machines"])
        self.bar.setPlaceholderText("20")
        self.plates.setPlaceholderText("25 × 2, 20 × 4, 10 × 2, 5 × 2, 2.5 × 2, 1.25 × 2")
        self.dumbbells.setPlaceholderText("5 to 20 by 2.5")
        self.machines.setPlaceholderText("Lying leg curl: pins 5 to 60 by 5 + 2.5\nLeg press: sled 40")
        unit = told["unit"]
        for words, widget in (
            (tr("Bar, {unit}", unit=unit), self.bar),
            (tr("Plates, {unit} × pieces", unit=unit), self.plates),
            (tr("Dumbbells, {unit} each", unit=unit), self.dumbbells),
            (tr("Machines, {unit}, one a line", unit=unit), self.machines),
        ):
            self.form.addRow(tr(words), widget)

    def _said(self) -> dict[str, str]:
        lines = {"bar": self.bar, "plates": self.plates, "dumbbells": self.dumbbells}
        return {k: edit.text() for k, edit in lines.items()} | {"machines": self.machines.toPlainText()}


class ScreenDialog(Asking):
    """The screen before a programme: questions, tests, a physician's word."""

    def __init__(
        self,
        questions: Sequence[tuple[str, str, str]],
        tests: Sequence[tuple[str, str, str, str]],
        told: Mapping[str, object],
        take: Callable[[dict[str, object]], str],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(tr("Before a programme"), lambda: take(self._said()), parent, 720)
        answers, numbers = told["answers"], told["tests"]
        assert isinstance(answers, dict) and isinstance(numbers, dict)
        self.answers: dict[str, QComboBox] = {}
        for key, words, source in questions:
            box = QComboBox()
            for code, text in ((None, "not asked"), (False, "no"), (True, "yes")):
                box.addItem(tr(text), code)
            box.setCurrentIndex({None: 0, False: 1, True: 2}[answers.get(key)])
            box.setToolTip(tr(source))
            self.answers[key] = box
            self._row(words, box)
        self.tests: dict[str, QDoubleSpinBox] = {}
        for key, words, unit, source in tests:
            number = QDoubleSpinBox()
            number.setRange(NOT_TOLD, 180)
            number.setSpecialValueText(tr("not tested: the usual is taken"))
            number.setSuffix(tr(" {unit}", unit=unit))
            number.setDecimals(1)
            number.setValue(numbers.get(key, NOT_TOLD))
            number.setToolTip(tr(source))
            self.tests[key] = number
            self._row(words, number)
        self.physician = QLineEdit(str(told["physician"]))
        self.physician.setPlaceholderText(tr("what the physician said, and when"))
        self.form.addRow(tr("A physician's word"), self.physician)
        self.note(tr("A yes to any question but the first asks for a physician's word before the programme begins or goes on."))

    def _row(self, words: str, widget: QWidget) -> None:
        label = PlainLabel(tr(words))
        label.setWordWrap(True)
        self.form.addRow(label, widget)

    def _said(self) -> dict[str, object]:
        answers = {k: box.currentData() for k, box in self.answers.items() if box.currentData() is not None}
        return {
            "answers": answers,
            "tests": {k: box.value() for k, box in self.tests.items() if box.value() != NOT_TOLD},
            "physician": self.physician.text().strip(),
        }


class RulesDialog(Asking):
    """Every default planning goes by, its unit and source; a client's own value takes its place."""

    def __init__(
        self,
        rows: Sequence[tuple[str, float, float | None, str, str]],
        take: Callable[[dict[str, str]], str],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(tr("What planning goes by"), lambda: take(self._said()), parent, 940)
        self.resize(980, 560)
        self.table = QTableWidget(len(rows), 5)
        self.table.setHorizontalHeaderLabels([tr(w) for w in ("Rule", "Usual", "Hers", "Unit", "Source")])
        for i, (name, usual, own, unit, source) in enumerate(rows):
            for j, words in enumerate((name.replace("_", " "), f"{usual:g}", "" if own is None else f"{own:g}", unit, source)):
                item = QTableWidgetItem(tr(words))
                item.setData(Qt.ItemDataRole.UserRole, name)
                if j != 2:
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                self.table.setItem(i, j, item)
        self.table.resizeColumnsToContents()
        self.table.setColumnWidth(3, 260)
        self.column.insertWidget(0, self.table, 1)

    def _said(self) -> dict[str, str]:
        out = {}
        for row in range(self.table.rowCount()):
            item = self.table.item(row, 2)
            if item is not None and item.text().strip():
                out[item.data(Qt.ItemDataRole.UserRole)] = item.text().strip()
        return out


class ColumnsDialog(Asking):
    """The mapping step of a table of past training: which column is what, and what its words for movements mean."""

    def __init__(
        self,
        columns: Sequence[str],
        fields: Sequence[tuple[str, str]],
        guessed: Mapping[str, str],
        words_of: Callable[[str], list[tuple[str, str]]],
        movements: Sequence[tuple[str, str]],
        take: Callable[[dict[str, str], dict[str, str], bool], str],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(tr("What the columns hold"), lambda: take(self._mapping(), self._meanings(), self.pounds.isChecked()), parent, 640)
        self.boxes: dict[str, QComboBox] = {}
        for field, words in fields:
            box = QComboBox()
            box.addItem(tr("not in this table"), "")
            for column in columns:
                box.addItem(column, column)
            box.setCurrentIndex(max(box.findData(guessed.get(field, "")), 0))
            self.boxes[field] = box
            self.form.addRow(tr(words), box)
        self.pounds = QCheckBox(tr("Loads are in pounds"))
        self.pounds.setChecked("lb" in guessed.get("load", "").lower())
        self.form.addRow("", self.pounds)
        self._words_of, self._movements = words_of, movements
        inside = QWidget()
        inside.setObjectName("paper")
        self.meant = QFormLayout(inside)
        self.meanings: dict[str, QComboBox] = {}
        scroll = vertical_scroll_area(inside)
        scroll.setMinimumHeight(200)
        self.column.insertWidget(1, scroll, 1)
        self.boxes["movement"].activated.connect(self._fill_meanings)
        self._fill_meanings()

    def _fill_meanings(self) -> None:
        while self.meant.rowCount():
            self.meant.removeRow(0)
        self.meanings = {}
        column = self.boxes["movement"].currentData()
        for word, guess in self._words_of(column) if column else []:
            box = QComboBox()
            box.addItem(tr("leave these rows out"), "")
            for movement, title in self._movements:
                box.addItem(tr(title), movement)
            box.setCurrentIndex(max(box.findData(guess), 0))
            self.meanings[word] = box
            self.meant.addRow(tr(word), box)

    def _mapping(self) -> dict[str, str]:
        return {field: box.currentData() for field, box in self.boxes.items() if box.currentData()}

    def _meanings(self) -> dict[str, str]:
        return {word: box.currentData() for word, box in self.meanings.items()}
