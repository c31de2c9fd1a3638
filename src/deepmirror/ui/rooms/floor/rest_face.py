"""Between two sets: the rest clock, one cue as large as it goes, the worst moment as a loop, and what comes next."""

from __future__ import annotations

from enum import Enum

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QDoubleSpinBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from deepmirror.ui.rooms.floor.figures import BigText, RestClock
from deepmirror.ui.rooms.floor.loop_view import LoopView
from deepmirror.ui.theme import tokens as t
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel


class Tone(Enum):
    """How a cue is meant."""

    FAULT = "fault"
    PRAISE = "praise"
    PLAIN = "plain"


COLOURS = {Tone.FAULT: t.COPPER_LIGHT, Tone.PRAISE: t.TEAL_LIGHT, Tone.PLAIN: ""}
RESERVES = ("0", "1", "2", "3", "4", "5")


class RestFace(QWidget):
    """What is said of the set just done, and what is told of it; `told` says that the coach told something."""

    told = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 14, 24, 14)
        self.correction = PlainLabel()
        self.correction.setObjectName("warning")
        self.correction.setWordWrap(True)
        column.addWidget(self.correction)
        row = QHBoxLayout()
        row.setSpacing(20)
        left, right = QVBoxLayout(), QVBoxLayout()
        self.loop = LoopView()
        self.loop.show_message(tr("The worst moment follows."))
        self.loop.setMinimumSize(320, 180)
        left.addWidget(self.loop, 1)
        self.numbers = BigText(34)
        self.numbers.setFixedHeight(92)
        left.addWidget(self.numbers)
        self.clear = QPushButton(tr("Wipe the drawing"))
        left.addWidget(self.clear, 0, Qt.AlignmentFlag.AlignLeft)
        self.clear.clicked.connect(self.loop.clear)
        self.clear.setVisible(False)
        self.loop.drawn.connect(self.clear.setVisible)
        self.clock, self.cue = RestClock(), BigText(120)
        self.clock.setFixedHeight(150)
        right.addWidget(self.clock)
        right.addWidget(self.cue, 1)
        row.addLayout(left, 1)
        row.addLayout(right, 1)
        column.addLayout(row, 1)
        column.addLayout(self._build_told())
        self.next = PlainLabel()
        self.next.setObjectName("title")
        self.next.setWordWrap(True)
        column.addWidget(self.next)
        self.go = QPushButton(tr("Ready for the next (Space)"))
        self.go.setObjectName("large")
        self.go.setMinimumHeight(72)
        column.addWidget(self.go)

    def _build_told(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(PlainLabel(tr("In reserve")))
        self.reserve, self.reserves = QButtonGroup(self), list[QPushButton]()
        for number, words in enumerate(RESERVES):
            button = QPushButton(words + ("+" if words == RESERVES[-1] else ""))
            button.setCheckable(True)
            button.setFixedSize(56, 48)
            button.setAccessibleName(tr("{number} repetitions in reserve", number=words))
            self.reserve.addButton(button, number)
            self.reserves.append(button)
            row.addWidget(button)
        self.reserve.idClicked.connect(lambda _: self.told.emit())
        self.load, self.pain = QDoubleSpinBox(), QDoubleSpinBox()
        for box, name, most, step, suffix in ((self.load, "Load", 1000.0, 2.5, " kg"), (self.pain, "Pain, 0 to 10", 10.0, 1.0, "")):
            box.setRange(0.0, most)
            box.setSingleStep(step)
            box.setDecimals(1 if suffix else 0)
            box.setSuffix(suffix)
            box.setMinimumSize(110, 48)
            box.setAccessibleName(tr(name))
            box.editingFinished.connect(self.told)
            row.addSpacing(14)
            row.addWidget(PlainLabel(tr(name)))
            row.addWidget(box)
        self.lighter, self.heavier = QPushButton("−"), QPushButton("+")
        for button, by, name in ((self.lighter, -1, "Lighter"), (self.heavier, 1, "Heavier")):
            button.setFixedSize(56, 48)
            button.setAccessibleName(tr(name))
            button.clicked.connect(lambda _, by=by: self.step_load(by))
            row.insertWidget(row.indexOf(self.load) + (1 if by > 0 else 0), button)
        row.addStretch(1)
        return row

    def step_load(self, by: int) -> None:
        """The load one step up or down."""
        self.load.stepBy(by)
        self.told.emit()

    def choose_reserve(self, number: int) -> None:
        """So many repetitions were left."""
        self.reserves[number].setChecked(True)
        self.told.emit()

    def chosen_reserve(self) -> float | None:
        """What was told of the reserve; None before."""
        number = self.reserve.checkedId()
        return float(number) if number >= 0 else None

    def begin(self, gone_s: float, rest_s: int, load_kg: float) -> None:
        """A set is over; its result follows."""
        self.clock.begin(gone_s, rest_s)
        self.cue.say("…")
        self.numbers.say("")
        self.correction.setText("")
        self.correction.setVisible(False)
        self.loop.play(None)
        self.loop.show_message(tr("The worst moment follows."))
        self.reserve.setExclusive(False)
        for button in self.reserves:
            button.setChecked(False)
        self.reserve.setExclusive(True)
        for box, value in ((self.load, load_kg), (self.pain, 0.0)):
            box.blockSignals(True)
            box.setValue(value)
            box.blockSignals(False)

    def show_result(self, numbers: str, cue: str, tone: Tone) -> None:
        """What is to be said of it."""
        self.numbers.say(numbers)
        self.cue.say(cue, COLOURS[tone])

    def correct(self, words: str) -> None:
        """The full analysis says otherwise, and this is how."""
        self.correction.setText(words)
        self.correction.setVisible(bool(words))
