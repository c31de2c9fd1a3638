"""The paper beside the film where the coach reads: findings, what held, what cannot be told, the numbers of a rep."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QLabel, QVBoxLayout, QWidget

from deepmirror.core.measures.foot_measures import CLOCK_HOUR_DEG
from deepmirror.core.measures.spec import MeasureSpec
from deepmirror.core.measures.table import MEASURES
from deepmirror.core.motion.reps import Rep
from deepmirror.core.motion.tempo import digits, time_under_tension_s
from deepmirror.core.motion.time_normalisation import Change
from deepmirror.core.uncertain_value import Value, Verdict, with_unit
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.follow_up import FollowUp
from deepmirror.services.films.reference_marks import still_wanted
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.findings import Card, FindingCard, check_row
from deepmirror.ui.widgets.panel_helpers import PlainLabel, clear_layout, heading, vertical_scroll_area

MEND = "Press P to look at the points and marks of this film."
WORKING = "Working out the numbers…"
NOT_MEASURED = (
    "This film has not been measured yet. Press M to measure now. Placing the joints on one frame first makes the numbers surer: press P."
)
WATCH_MARKS = {
    Change.REAL: Verdict.WITHIN,
    Change.NOT_TOLD: Verdict.BORDERLINE,
    Change.WORSE: Verdict.OFF,
    Change.CANNOT_TELL: Verdict.CANNOT_TELL,
}


class ReadingPanel(QWidget):
    """Findings in order, what held, what cannot be told, and the numbers of the rep under the playhead."""

    finding_picked = pyqtSignal(str)
    watch_picked = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.cards: dict[str, FindingCard] = {}
        self._rep_number: int | None = None
        self._number_labels: dict[str, QLabel] = {}
        self._inside = QWidget()
        self._inside.setObjectName("paper")
        self._column = QVBoxLayout(self._inside)
        self._column.setContentsMargins(16, 12, 12, 16)
        self._column.setSpacing(8)
        scroll = vertical_scroll_area(self._inside)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(scroll)
        self._watch = QVBoxLayout()
        self._ghost: QLabel | None = None
        self._numbers: QGridLayout | None = None
        self._rep_title: QLabel | None = None

    def _clear(self) -> None:
        self.cards.clear()
        self._numbers, self._rep_title, self._rep_number, self._ghost = None, None, None, None
        self._number_labels = {}
        clear_layout(self._column)

    def show_missing(self, problem: str, observed: bool) -> None:
        """There are no numbers: why, or what to wait for or to do."""
        self.show_words(f"{problem} {MEND}" if problem else WORKING if observed else NOT_MEASURED)

    def show_words(self, words: str) -> None:
        """Nothing measured yet: say what to do."""
        self._clear()
        label = PlainLabel(words)
        label.setWordWrap(True)
        self._column.addWidget(label)
        self._column.addStretch(1)

    def show_analysis(self, analysis: Analysis) -> None:
        """Everything concluded from the film."""
        self._clear()
        reps, judgement = analysis.scene.reps, analysis.judgement
        asked = [tr("tempo asked {tempo}", tempo=analysis.scene.tempo)] if analysis.scene.tempo else []
        bouts = [tr("in {count} parts with a rest between", count=reps[-1].block)] if reps and reps[-1].block > 1 else []
        words = tr("{reps} reps, {seconds:.1f} s under load", reps=len(reps), seconds=time_under_tension_s(reps))
        self._column.addWidget(heading(", ".join([words, *bouts, *asked])))
        if judgement.breakdown is not None:
            rep, how = judgement.breakdown
            words = tr(
                "Form held for {held} of {reps} reps; rep {rep} left it: {how}.",
                held=rep - 1,
                reps=len(reps),
                rep=rep,
                how=how.title.lower(),
            )
            label = PlainLabel(words)
            label.setWordWrap(True)
            self._column.addWidget(label)
        self._watch = QVBoxLayout()
        self._column.addLayout(self._watch)
        for finding in judgement.findings:
            words = f"Rep {', '.join(map(str, finding.reps))}: " if finding.reps else ""
            line = f"{words}{with_unit(f'{finding.value:.1f} ± {finding.u:.1f}', finding.unit)}"
            chain = (*finding.chain, f"likely: {finding.causes[0]}", f"cue: “{finding.cue}”")
            card = FindingCard(Card(finding.code, Verdict.OFF, finding.title, line, chain))
            card.picked.connect(self.finding_picked)
            self.cards[finding.code] = card
            self._column.addWidget(card)
        if not judgement.findings:
            self._column.addWidget(PlainLabel(tr("Nothing is off that this film can show.")))
        held = [c for c in judgement.checks if c.verdict in (Verdict.WITHIN, Verdict.BORDERLINE) and c.praised]
        if held:
            self._column.addWidget(heading(tr("Held")))
            # left and right, and two ways of measuring one fault, share their words: the nearer to the edge is shown
            surest = {c.held: c.verdict for c in sorted(held, key=lambda c: c.verdict is Verdict.BORDERLINE)}
            for words, verdict in surest.items():
                near = " (close to the edge)" if verdict is Verdict.BORDERLINE else ""
                self._column.addWidget(check_row(verdict, words.rstrip(".") + near))
        wanted = still_wanted(analysis.brief.file, analysis.movement)
        if wanted:
            self._column.addWidget(heading(tr("Place a mark to measure")))
            for words in wanted:
                self._column.addWidget(check_row(Verdict.CANNOT_TELL, words))
        if judgement.unmeasurable:
            self._column.addWidget(heading(tr("This film cannot tell")))
            for words in dict.fromkeys(f"{row.title}: {row.reason}. {row.advice.words}" for row in judgement.unmeasurable):
                self._column.addWidget(check_row(Verdict.CANNOT_TELL, words))
        self._ghost = PlainLabel()
        self._ghost.setWordWrap(True)
        self._ghost.setObjectName("dim")
        self._column.addWidget(self._ghost)
        self.show_ghost(())
        self._show_set(analysis)
        self._rep_title = heading(tr("Numbers of the rep"))
        self._column.addWidget(self._rep_title)
        self._numbers = QGridLayout()
        self._numbers.setColumnStretch(0, 1)
        self._column.addLayout(self._numbers)
        self._column.addStretch(1)

    def show_watched(self, rows: list[FollowUp], history: dict[int, list[str]], picked: int) -> None:
        """Corrections sent before, and what this film says of each; the picked one shows its history."""
        clear_layout(self._watch)
        if rows:
            self._watch.addWidget(heading(tr("Since the last reply")))
        for i, row in enumerate(rows):
            state = "" if row.state == "open" else f"  ({tr(row.state)})"
            mark, title = WATCH_MARKS[row.outcome.verdict], row.baseline.title + state
            card = FindingCard(Card(str(row.id), mark, title, row.words(), tuple(history.get(row.id, ()))))
            card.set_picked(i == picked)
            card.picked.connect(lambda key: self.watch_picked.emit(int(key)))
            self._watch.addWidget(card)
        if rows:
            keys = PlainLabel(tr("C then and now · J next · K keep · X close · Y correct it anew"))
            keys.setObjectName("dim")
            keys.setWordWrap(True)
            self._watch.addWidget(keys)

    def _show_set(self, analysis: Analysis) -> None:
        """Numbers of the whole set: machine fit, feet, losses."""
        rows = [spec for spec in MEASURES.values() if spec.listed and spec.name in analysis.measured.film]
        if not rows:
            return
        self._column.addWidget(heading(tr("Numbers of the set")))
        grid = QGridLayout()
        grid.setColumnStretch(0, 1)
        for row, spec in enumerate(rows):
            _number_row(grid, row, spec).setText(_number_words(spec, analysis.measured.film[spec.name]))
        self._column.addLayout(grid)

    def show_rep(self, rep: Rep | None, values: dict[str, Value]) -> None:
        """Numbers of the rep under the playhead."""
        if self._numbers is None or self._rep_title is None or (rep.number if rep else None) == self._rep_number:
            return
        self._rep_number = rep.number if rep else None
        if rep is None:
            clear_layout(self._numbers)
            self._number_labels = {}
            self._rep_title.setText(tr("Numbers of the rep: between reps"))
            return
        notes = ["half rep inside"] * bool(rep.halves) + ([f"{rep.leg} leg leads"] if rep.leg else []) + ["cut short"] * (not rep.complete)
        self._rep_title.setText(", ".join([f"Rep {rep.number}: {digits(rep)} s", *notes]))
        shown = [spec for spec in MEASURES.values() if spec.listed and spec.name in values]
        if [spec.name for spec in shown] != list(self._number_labels):  # the reps of a film mostly have the same measures
            clear_layout(self._numbers)
            self._number_labels = {spec.name: _number_row(self._numbers, row, spec) for row, spec in enumerate(shown)}
        for spec in shown:
            self._number_labels[spec.name].setText(_number_words(spec, values[spec.name]))

    def show_ghost(self, why: tuple[str, ...]) -> None:
        """Why the ghost stands as it does; nothing when it is hidden."""
        if self._ghost is not None:
            self._ghost.setText("\n".join(("This ghost is the client's own body at the target.", *why)) if why else "")
            self._ghost.setVisible(bool(why))

    def pick(self, code: str | None) -> None:
        """Unfold one finding and fold the others."""
        for key, card in self.cards.items():
            card.set_picked(key == code)


def _number_words(spec: MeasureSpec, value: Value) -> str:
    """A measure with its uncertainty; angles told by the clock also in hours."""
    hours = f"  ({value.value / CLOCK_HOUR_DEG:.1f} h)" if spec.clock else ""
    return f"{value.value:.{spec.places}f} ± {value.u:.{spec.places}f} {spec.unit}{hours}"


def _number_row(grid: QGridLayout, row: int, spec: MeasureSpec) -> QLabel:
    """A row for one measure; returns the label of its number."""
    number = PlainLabel()
    number.setAlignment(Qt.AlignmentFlag.AlignRight)
    grid.addWidget(PlainLabel(tr(spec.title)), row, 0)
    grid.addWidget(number, row, 1)
    return number
