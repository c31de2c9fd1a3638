"""The paper beside the film: reading what was found, and placing points."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from deepmirror.core.reps import Rep
from deepmirror.core.scale import PLATE_CM
from deepmirror.core.tempo import digits, time_under_tension_s
from deepmirror.core.values import Value, Verdict
from deepmirror.services.analysis import Analysis
from deepmirror.services.review import Pixel, Review
from deepmirror.ui.widgets.findings import Card, FindingCard, check_row

SHOWN = {
    "knee_flexion_max_deg": ("Knee flexion, most", "°"),
    "hip_flexion_max_deg": ("Hip flexion, most", "°"),
    "thigh_from_horizontal_min_deg": ("Thigh above level, least", "°"),
    "crease_margin_cm": ("Hip crease over knee top", "cm"),
    "trunk_lean_max_deg": ("Trunk lean, most", "°"),
    "dorsiflexion_max_deg": ("Ankle bend, most", "°"),
    "knee_past_toe_cm": ("Knee past toe", "cm"),
    "heel_rise_cm": ("Heel rise", "cm"),
    "bar_drift_cm": ("Bar drift", "cm"),
    "hip_lift_cm": ("Hip off the pad", "cm"),
    "fppa_left_deg": ("Left knee inward", "°"),
    "fppa_right_deg": ("Right knee inward", "°"),
    "knee_medial_left_pct": ("Left knee off its line", "% shank"),
    "knee_medial_right_pct": ("Right knee off its line", "% shank"),
    "knee_to_foot_left_pct": ("Left knee inside hip-toe line", "% shank"),
    "knee_to_foot_right_pct": ("Right knee inside hip-toe line", "% shank"),
    "knee_ankle_separation_ratio_min": ("Knee gap / ankle gap", ""),
}


SUBJECT = "subject"
SWAP_START, SWAP_END = "Left and right are swapped from here…", "…to here"


def heading(words: str) -> QLabel:
    """A small section heading."""
    label = QLabel(words)
    label.setObjectName("heading")
    return label


class ReadingPanel(QWidget):
    """Findings in order, what held, what cannot be told, and the numbers of the rep under the playhead."""

    finding_picked = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.cards: dict[str, FindingCard] = {}
        self._rep_number: int | None = None
        self._inside = QWidget()
        self._inside.setObjectName("paper")
        self._column = QVBoxLayout(self._inside)
        self._column.setContentsMargins(16, 12, 12, 16)
        self._column.setSpacing(8)
        scroll = QScrollArea()
        scroll.setWidget(self._inside)
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(scroll)
        self._ghost: QLabel | None = None
        self._numbers: QGridLayout | None = None
        self._rep_title: QLabel | None = None

    def _clear(self) -> None:
        self.cards.clear()
        self._numbers, self._rep_title, self._rep_number, self._ghost = None, None, None, None
        while (item := self._column.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
            elif (layout := item.layout()) is not None:
                _empty(layout)

    def show_words(self, words: str) -> None:
        """Nothing measured yet: say what to do."""
        self._clear()
        label = QLabel(words)
        label.setWordWrap(True)
        self._column.addWidget(label)
        self._column.addStretch(1)

    def show_analysis(self, analysis: Analysis) -> None:
        """Everything concluded from the film."""
        self._clear()
        reps, judgement = analysis.scene.reps, analysis.judgement
        asked = f", tempo asked {analysis.scene.tempo}" if analysis.scene.tempo else ""
        self._column.addWidget(heading(f"{len(reps)} reps, {time_under_tension_s(reps):.1f} s under load{asked}"))
        for finding in judgement.findings:
            words = f"Rep {', '.join(map(str, finding.reps))}: " if finding.reps else ""
            line = f"{words}{finding.value:.1f} ± {finding.u:.1f} {finding.unit}"
            chain = (*finding.chain, f"likely: {finding.causes[0]}", f"cue: “{finding.cue}”")
            card = FindingCard(Card(finding.code, Verdict.OFF, finding.title, line, chain))
            card.picked.connect(self.finding_picked)
            self.cards[finding.code] = card
            self._column.addWidget(card)
        if not judgement.findings:
            self._column.addWidget(QLabel("Nothing is off that this film can show."))
        held = [c for c in judgement.checks if c.verdict in (Verdict.WITHIN, Verdict.BORDERLINE)]
        if held:
            self._column.addWidget(heading("Held"))
            for check in held:
                near = " (close to the edge)" if check.verdict is Verdict.BORDERLINE else ""
                self._column.addWidget(check_row(check.verdict, check.held.rstrip(".") + near))
        if judgement.unmeasurable:
            self._column.addWidget(heading("This film cannot tell"))
            for words in dict.fromkeys(f"{row.title}: {row.reason}. {row.film_next}" for row in judgement.unmeasurable):
                self._column.addWidget(check_row(Verdict.CANNOT_TELL, words))
        self._ghost = QLabel()
        self._ghost.setWordWrap(True)
        self._ghost.setObjectName("dim")
        self._column.addWidget(self._ghost)
        self.show_ghost(())
        self._rep_title = heading("Numbers of the rep")
        self._column.addWidget(self._rep_title)
        self._numbers = QGridLayout()
        self._numbers.setColumnStretch(0, 1)
        self._column.addLayout(self._numbers)
        self._column.addStretch(1)

    def show_rep(self, rep: Rep | None, values: dict[str, Value]) -> None:
        """Numbers of the rep under the playhead."""
        if self._numbers is None or self._rep_title is None or (rep.number if rep else None) == self._rep_number:
            return
        self._rep_number = rep.number if rep else None
        _empty(self._numbers)
        if rep is None:
            self._rep_title.setText("Numbers of the rep: between reps")
            return
        self._rep_title.setText(f"Rep {rep.number}: {digits(rep)} s")
        for row, (name, (words, unit)) in enumerate((n, SHOWN[n]) for n in SHOWN if n in values):
            value = values[name]
            number = QLabel(f"{value.value:.{0 if unit == '°' else 1}f} ± {value.u:.{0 if unit == '°' else 1}f} {unit}")
            number.setAlignment(Qt.AlignmentFlag.AlignRight)
            self._numbers.addWidget(QLabel(words), row, 0)
            self._numbers.addWidget(number, row, 1)

    def show_ghost(self, why: tuple[str, ...]) -> None:
        """Why the ghost stands as it does; nothing when it is hidden."""
        if self._ghost is not None:
            self._ghost.setText("\n".join(("This ghost is the client's own body at the target.", *why)) if why else "")
            self._ghost.setVisible(bool(why))

    def pick(self, code: str | None) -> None:
        """Unfold one finding and fold the others."""
        for key, card in self.cards.items():
            card.set_picked(key == code)


def _empty(layout: object) -> None:
    while (item := layout.takeAt(0)) is not None:  # type: ignore[attr-defined]
        if (widget := item.widget()) is not None:
            widget.hide()
            widget.deleteLater()


class PlacingPanel(QWidget):
    """Which point is next, which are placed on this frame, and the marks of the room."""

    point_chosen = pyqtSignal(str)
    mark_chosen = pyqtSignal(str)
    remove_wanted = pyqtSignal(str)
    hide_wanted = pyqtSignal(str)
    hold_wanted = pyqtSignal(str)
    swap_wanted = pyqtSignal()
    subject_wanted = pyqtSignal()
    done = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("paper")
        words = QLabel(
            "Click each joint on the film; drag to mend, arrows nudge a quarter pixel. One frame where all joints show is enough; "
            "a second one at the bottom makes it better."
        )
        words.setWordWrap(True)
        words.setObjectName("dim")
        self.points = QListWidget()
        self.points.setAccessibleName("Points to place")
        self.points.currentItemChanged.connect(
            lambda item, _: self.point_chosen.emit(item.data(Qt.ItemDataRole.UserRole)) if item else None
        )
        self._build_buttons()
        self._build_marks()
        self._lay_out(words)

    def _build_buttons(self) -> None:
        self.remove = QPushButton("Remove")
        self.remove.clicked.connect(lambda: self.remove_wanted.emit(self.current() or ""))
        self.hide_point, self.hold_point = QPushButton("Hide"), QPushButton("Hold")
        self.hide_point.setToolTip("Leave this point out, or take it in again")
        self.hold_point.setToolTip("Only your clicks and the flow move this point, not the network")
        self.hide_point.clicked.connect(lambda: self.hide_wanted.emit(self.current() or ""))
        self.hold_point.clicked.connect(lambda: self.hold_wanted.emit(self.current() or ""))
        self.swap = QPushButton(SWAP_START)
        self.swap.clicked.connect(self.swap_wanted)
        self.subject = QPushButton("Follow another person")
        self.subject.setCheckable(True)
        self.subject.setToolTip("Press, then click the one who lifts, where several people are in view")
        self.subject.clicked.connect(self.subject_wanted)
        self.questions = QLabel()
        self.questions.setWordWrap(True)
        self.questions.setVisible(False)

    def _build_marks(self) -> None:
        self.length = QDoubleSpinBox()
        self.length.setRange(1, 399)
        self.length.setValue(PLATE_CM)
        self.length.setSuffix(" cm")
        self.length.setToolTip("Length between the two clicks; a large plate is 45 cm across")
        self.marks = QGridLayout()
        self.mark_buttons: dict[str, QPushButton] = {}
        for i, (kind, title) in enumerate(
            (("scale", "Known length"), ("plumb", "Plumb line"), ("floor_line", "Level line"), ("pad_line", "Pad edge"), ("pivot", "Pivot"))
        ):
            button = QPushButton(title)
            button.setCheckable(True)
            button.clicked.connect(lambda _, k=kind: self.mark_chosen.emit(k))
            self.mark_buttons[kind] = button
            self.marks.addWidget(button, i // 2, i % 2)

    def _lay_out(self, words: QLabel) -> None:
        row = QHBoxLayout()
        row.addWidget(QLabel("Known length is"))
        row.addWidget(self.length)
        finish = QPushButton("Done: follow the points")
        finish.setObjectName("accent")
        finish.clicked.connect(self.done)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 12, 16, 16)
        layout.addWidget(heading("Points on this frame"))
        layout.addWidget(words)
        layout.addWidget(self.points, 1)
        own = QHBoxLayout()
        for button in (self.remove, self.hide_point, self.hold_point):
            own.addWidget(button)
        layout.addLayout(own)
        sides = QHBoxLayout()
        sides.addWidget(self.swap)
        sides.addWidget(self.subject)
        layout.addLayout(sides)
        layout.addWidget(self.questions)
        layout.addWidget(heading("Marks of the room"))
        layout.addLayout(row)
        layout.addLayout(self.marks)
        layout.addWidget(finish)

    def current(self) -> str | None:
        """The point the next click places."""
        item = self.points.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item else None

    def show_points(self, review: Review, seed: dict[str, Pixel], choose: str | None) -> None:
        """List the points with those placed on this frame ticked; `choose` becomes the current one."""
        self.points.blockSignals(True)
        self.points.clear()
        for name in review.point_names():
            placed = name in seed
            words = ["placed"] * placed + ["hidden"] * (name in review.brief.file.hidden) + ["held"] * (name in review.brief.file.held)
            item = QListWidgetItem(f"{'◆' if placed else '◇'}  {name.replace('_', ' ')}   {', '.join(words)}".rstrip())
            item.setData(Qt.ItemDataRole.UserRole, name)
            self.points.addItem(item)
            if name == choose:
                self.points.setCurrentItem(item)
        self.points.blockSignals(False)
        questions = review.questions()
        self.questions.setVisible(bool(questions))
        self.questions.setText("Look again: " + "\n".join(questions[:2]))

    def show_mark(self, kind: str | None) -> None:
        """Press the button of the mark being placed."""
        for key, button in self.mark_buttons.items():
            button.setChecked(key == kind)
        self.subject.setChecked(kind == SUBJECT)
