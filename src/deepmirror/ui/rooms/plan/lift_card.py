"""One lift of the next session as a card: what to lift, what the gate says, and why."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from deepmirror.core.uncertain_value import Verdict
from deepmirror.core.units import in_their_units
from deepmirror.services.training.client_page import load_words, plates_words, reps_words, rest_words, title_of, warm_up_words
from deepmirror.services.training.training_file import Gate, LoadChange, PlannedLift, TrainingFile
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import ElidedLabel, PlainLabel
from deepmirror.ui.widgets.plates_view import PlatesView
from deepmirror.ui.widgets.verdict_mark import VerdictMark
from deepmirror.words import joined

GATES = {
    Gate.OPEN: (Verdict.WITHIN, "gate open"),
    Gate.CLOSED: (Verdict.OFF, "gate closed"),
    Gate.CANNOT_TELL: (Verdict.CANNOT_TELL, "gate cannot tell"),
}


class LiftCard(QFrame):
    """`picked` when it is clicked; `wants_override` when the coach wants to decide otherwise."""

    picked = pyqtSignal(object)
    wants_override = pyqtSignal(object)

    def __init__(self, file: TrainingFile, lift: PlannedLift, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self.lift, self._imperial = lift, file.body.imperial
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 12, 8)
        column.setSpacing(3)
        column.addLayout(self._head(file))
        for words, name in self._lines():
            label = PlainLabel(self._said(words))
            label.setObjectName(name)
            label.setWordWrap(True)
            column.addWidget(label)
        self.why = PlainLabel(joined("\n", [tr("· {said}", said=self._said(r)) for r in lift.reasons]))
        self.why.setWordWrap(True)
        self.why.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.why.hide()
        column.addWidget(self.why)

    def _said(self, words: str) -> str:
        return in_their_units(words, self._imperial)

    def _head(self, file: TrainingFile) -> QHBoxLayout:
        lift, row = self.lift, QHBoxLayout()
        title = PlainLabel(title_of(file, lift))
        title.setObjectName("heading")
        self.load = PlainLabel(self._said(load_words(file, lift)) if lift.sets else tr("left out"))
        self.load.setObjectName("title")
        words = QVBoxLayout()
        words.setSpacing(0)
        words.addWidget(title)
        words.addWidget(self.load)
        row.addLayout(words)
        if lift.per_side_kg and lift.sets:
            row.addWidget(PlatesView(lift.per_side_kg))
        change = ElidedLabel(self._said(change_words(file, lift)))
        change.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        change.setObjectName("dim")
        row.addWidget(change, 1)
        verdict, gate = GATES[lift.gate.gate]
        row.addWidget(VerdictMark(verdict))
        row.addWidget(PlainLabel(tr(gate)))
        self.asks = QPushButton(tr("Why?"))
        self.asks.setCheckable(True)
        self.asks.toggled.connect(self._show_why)
        row.addWidget(self.asks)
        if lift.gate.gate is not Gate.OPEN and lift.gate.reasons and lift.change is not LoadChange.FIRST:
            decide = QPushButton(tr("Decide…"))
            decide.setToolTip(tr("Decide otherwise than the gate: your name and your reason are kept"))
            decide.clicked.connect(lambda: self.wants_override.emit(self.lift))
            row.addWidget(decide)
        return row

    def _lines(self) -> list[tuple[str, str]]:
        """(words, style) under the head."""
        lift, out = self.lift, list[tuple[str, str]]()
        if lift.sets:
            rest, tempo = rest_words(lift.rest_s), tr(" · tempo {tempo}", tempo=lift.tempo) if lift.tempo else ""
            sets = tr(
                "{sets} × {reps}, {rir:g} in reserve{tempo} · rest {rest}",
                sets=lift.sets,
                reps=reps_words(lift.reps),
                rir=lift.rir,
                tempo=tempo,
                rest=rest,
            )
            out.append((joined(" · ", [w for w in (sets, plates_words(lift)) if w]), ""))
        if steps := warm_up_words(lift):
            out.append((steps, "dim"))
        if lift.one_rm is not None:
            least = "at least " if lift.one_rm.at_least else ""
            doubt = ", from more than ten repetitions" if lift.one_rm.doubtful else ""
            out.append(
                (
                    tr(
                        "Estimated maximum {least}{low:.0f} to {high:.0f} kg{doubt}",
                        least=least,
                        low=lift.one_rm.low,
                        high=lift.one_rm.high,
                        doubt=doubt,
                    ),
                    "dim",
                )
            )
        if lift.cue:
            out.append((tr("“{cue}”", cue=lift.cue), "cue"))
        if lift.film.ask:
            out.append((tr("Film it from the {view}: {why}", view=lift.film.view, why=lift.film.why), "teal"))
        return out

    def _show_why(self, on: bool) -> None:
        self.why.setVisible(on)
        self._fit()

    def _fit(self) -> None:
        """As high as the words need at this width: Qt would rather squeeze wrapped lines than scroll."""
        layout = self.layout()
        if layout is not None:
            layout.invalidate()
            self.setMinimumHeight(layout.totalHeightForWidth(self.width()))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.picked.emit(self.lift)
        super().mousePressEvent(event)


def change_words(file: TrainingFile, lift: PlannedLift) -> str:
    """What becomes of the load, in a few words."""
    if lift.change is LoadChange.SUBSTITUTE:
        return tr("in place of {instead_of}", instead_of=file.library.catalogue.title(lift.instead_of))
    if lift.change is LoadChange.STOP:
        return "stopped"
    if lift.change is LoadChange.FIRST:
        return "first time"
    if lift.last_kg is None or lift.last_kg == lift.load_kg:
        return "held"
    return tr("{which} from {last_kg:g} kg", which="up" if lift.load_kg > lift.last_kg else "down", last_kg=lift.last_kg)
