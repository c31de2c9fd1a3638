"""The paper beside the film where the coach reads: findings, what held, what cannot be told, the numbers of a rep."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from deepmirror.core.measures.foot_measures import CLOCK_HOUR_DEG
from deepmirror.core.measures.spec import MeasureSpec
from deepmirror.core.measures.table import MEASURES
from deepmirror.core.motion.reps import Rep
from deepmirror.core.motion.tempo import digits, time_under_tension_s
from deepmirror.core.motion.time_normalisation import Change
from deepmirror.core.uncertain_value import Value, Verdict, bare_unit, counted, describe_band, with_doubt, with_unit
from deepmirror.services.films.analysis import Analysis, Finding, Judgement
from deepmirror.services.films.follow_up import FollowUp
from deepmirror.services.films.reference_marks import still_wanted
from deepmirror.services.films.rep_table import Cell, MeasureRow, rep_table
from deepmirror.services.films.two_views import Companion, together
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.findings import Card, FindingCard, Folded, check_row
from deepmirror.ui.widgets.number_list import NumberList
from deepmirror.ui.widgets.panel_helpers import Paper, PlainLabel, clear_layout, heading, vertical_scroll_area
from deepmirror.ui.widgets.rep_table_view import RepTableView, ShownCell, ShownRow
from deepmirror.words import capital, joined, small

NO_TENTHS_FROM = 10.0  # a number as large as this, unsure by one or more, is shown without them
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
    why_wanted = pyqtSignal(str)
    film_wanted = pyqtSignal()
    number_picked = pyqtSignal(str, int)  # a measure, and a rep from 1
    watch_picked = pyqtSignal(int)
    other_picked = pyqtSignal(int, str, int)  # the other film of the set, a measure, and a rep there

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.cards: dict[str, FindingCard] = {}
        self._rep_number: int | None = None
        self._row_films: dict[str, int] = {}
        self._inside = Paper()
        self._column = QVBoxLayout(self._inside)
        self._column.setContentsMargins(12, 10, 10, 16)
        self._column.setSpacing(8)
        scroll = vertical_scroll_area(self._inside)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.head = heading("")
        self.head.setContentsMargins(12, 10, 8, 4)
        self.table = RepTableView()
        self.table.picked.connect(self._picked)
        self.table.hide()
        layout.addWidget(self.head)
        layout.addWidget(self.table)
        layout.addWidget(scroll, 1)
        self._watch, self._other = QVBoxLayout(), QVBoxLayout()
        self._companion: Companion | None = None
        self._ghost: QLabel | None = None
        self._numbers: NumberList | None = None
        self._listed: tuple[MeasureSpec, ...] = ()  # the measures that say something of this movement
        self._rep_title: QLabel | None = None

    def _clear(self) -> None:
        self.cards.clear()
        self._numbers, self._rep_title, self._rep_number, self._ghost = None, None, None, None
        self.head.setText("")
        self.head.setVisible(False)
        self.table.hide()
        clear_layout(self._column)

    def show_missing(self, problem: str, observed: bool) -> None:
        """There are no numbers: why, or what to wait for or to do."""
        self.show_words(tr("{problem} {mend}", problem=problem, mend=MEND) if problem else WORKING if observed else NOT_MEASURED)

    def show_words(self, words: str) -> None:
        """Nothing measured yet: say what to do."""
        self._clear()
        label = PlainLabel(words)
        label.setWordWrap(True)
        self._column.addWidget(label)
        self._column.addStretch(1)

    def show_reps(self, analysis: Analysis) -> None:
        """The table of all reps; what is off comes with show_findings, the rest with show_numbers."""
        self._clear()
        self._companion = None
        reps = analysis.scene.reps
        asked = [tr("tempo asked {tempo}", tempo=analysis.scene.tempo)] if analysis.scene.tempo else []
        bouts = [tr("in {count} parts with a rest between", count=reps[-1].block)] if reps and reps[-1].block > 1 else []
        words = tr("{reps} reps, {seconds:.1f} s under load", reps=len(reps), seconds=time_under_tension_s(reps))
        self.head.setText(joined(", ", [words, *bouts, *asked]))
        self.head.setVisible(True)
        self._show_table(analysis)

    def show_findings(self, analysis: Analysis) -> None:
        """What is off, below the table of all reps."""
        reps, judgement = analysis.scene.reps, analysis.judgement
        if judgement.breakdown is not None:
            rep, how = judgement.breakdown
            words = tr(
                "Form held for {held} of {reps} reps; rep {rep} left it: {how}.",
                held=rep - 1,
                reps=len(reps),
                rep=rep,
                how=small(how.title),
            )
            label = PlainLabel(words)
            label.setWordWrap(True)
            self._column.addWidget(label)
        self._watch = QVBoxLayout()
        self._column.addLayout(self._watch)
        for finding in judgement.findings:
            card = FindingCard(_card(finding))
            card.picked.connect(self.finding_picked)
            card.why_wanted.connect(self.why_wanted)
            self.cards[finding.code] = card
            self._column.addWidget(card)
        self._other = QVBoxLayout()
        self._column.addLayout(self._other)
        if not judgement.findings:
            self._column.addWidget(PlainLabel(tr("Nothing is off that this film can show.")))
        self._column.addStretch(1)

    def show_numbers(self, analysis: Analysis) -> None:
        """What was well, what this film cannot tell, and the numbers of the set and of the rep on show."""
        self._column.takeAt(self._column.count() - 1)  # the stretch that held the findings up
        self._listed = tuple(spec for spec in MEASURES.values() if analysis.movement.lists(spec))
        self._show_held(analysis.judgement)
        self._show_lacks(analysis)
        self._ghost = PlainLabel()
        self._ghost.setWordWrap(True)
        self._ghost.setObjectName("dim")
        self._column.addWidget(self._ghost)
        self.show_ghost(())
        self._show_set(analysis)
        self._rep_title = heading(tr("Numbers of the rep"))
        self._column.addWidget(self._rep_title)
        self._numbers = NumberList()
        self._column.addWidget(self._numbers)
        self._column.addStretch(1)

    def _show_table(self, analysis: Analysis) -> None:
        """The main numbers, rep by rep."""
        found, rows = rep_table(analysis), []
        if self._companion is not None and self._companion.match.sure:
            found = together(found, self._companion)
        for row in found.rows:
            cells = [_shown_cell(row, cell) for cell in row.cells]
            title = f"{tr(row.title)}{', ' + row.unit if row.unit else ''}"
            if row.film_id is not None:
                title = tr("{title} (other film)", title=title)
            rows.append(ShownRow(row.measure, title, tuple(cells)))
        self._row_films = {row.measure: row.film_id for row in found.rows if row.film_id is not None}
        self.table.show_rows(tuple(rows), found.verdicts, tr("Rep as a whole"))

    def _picked(self, measure: str, rep: int) -> None:
        """A number: of this film, or of the other one of the set, where its rep has another place."""
        film_id = self._row_films.get(measure)
        if film_id is not None and self._companion is not None:
            self.other_picked.emit(film_id, measure, rep + self._companion.match.shift)
        else:
            self.number_picked.emit(measure, rep)

    def show_companion(self, analysis: Analysis, companion: Companion) -> None:
        """The other film of this set: its rows beside this one's, rep by rep, and what it shows."""
        self._companion = companion
        match, side = companion.match, companion.analysis.scene.view.replace("-", " ")
        clear_layout(self._other)
        if not match.sure:
            words = tr("The film from the {side} may show this very set: the reps go too evenly to be sure.", side=side)
        else:
            words = tr("Read together with the film from the {side}: rep 1 here is rep {rep} there.", side=side, rep=1 + match.shift)
            self._show_table(analysis)
        label = PlainLabel(words)
        label.setObjectName("dim")
        label.setWordWrap(True)
        self._other.addWidget(label)
        for finding in companion.analysis.judgement.findings if match.sure else ():
            card = FindingCard(_card(finding))
            rep = finding.reps[-1] if finding.reps else len(companion.analysis.scene.reps)
            card.picked.connect(lambda _, f=finding, r=rep: self.other_picked.emit(companion.film.id, f.measure, r))
            self._other.addWidget(card)

    def _show_held(self, judgement: Judgement) -> None:
        """What was well, in one line that opens."""
        held = [c for c in judgement.checks if c.verdict in (Verdict.WITHIN, Verdict.BORDERLINE) and c.praised]
        # left and right, and two ways of measuring one fault, share their words: the nearer to the edge is shown
        surest = {c.held: c.verdict for c in sorted(held, key=lambda c: c.verdict is Verdict.BORDERLINE)}
        near = tr(" (close to the edge)")

        def rows() -> list[QWidget]:
            return [check_row(v, words.rstrip(".") + (near if v is Verdict.BORDERLINE else "")) for words, v in surest.items()]

        if surest:
            self._column.addWidget(Folded(tr("Held: {count}", count=len(surest)), rows))

    def _show_lacks(self, analysis: Analysis) -> None:
        """What this film cannot tell, by what would tell it."""
        wanted = still_wanted(analysis.brief.file, analysis.movement, analysis.scene.track.names)
        if wanted:
            title = tr("A mark would tell more: {count}", count=len(wanted))
            marks = Folded(title, lambda: [check_row(Verdict.CANNOT_TELL, words) for words in wanted])
            self._column.addWidget(marks)
        groups: dict[str, list[str]] = {}
        filmed = False
        for lack in analysis.judgement.unmeasurable:
            title = lack.title or lack.reason
            groups.setdefault(lack.advice.words, []).append(
                tr("{title}: {reason}", title=title, reason=lack.reason) if lack.title else title
            )
            filmed |= lack.advice.new_film
        if groups:
            count = sum(len(dict.fromkeys(lacks)) for lacks in groups.values())
            self._column.addWidget(Folded(tr("This film cannot tell: {count}", count=count), lambda: self._lack_rows(groups, filmed)))

    def _lack_rows(self, groups: dict[str, list[str]], filmed: bool) -> list[QWidget]:
        """Below each piece of advice what it would tell, each said once; filmed: a new film is among them."""
        rows: list[QWidget] = []
        for advice, lacks in groups.items():
            rows += [_advice(advice), *(check_row(Verdict.CANNOT_TELL, words) for words in dict.fromkeys(lacks))]
        if filmed:
            ask = QPushButton(tr("Ask for a new film (W)"))
            ask.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            ask.clicked.connect(self.film_wanted)
            rows.append(ask)
        return rows

    def show_watched(self, rows: list[FollowUp], history: dict[int, list[str]], picked: int) -> None:
        """Corrections sent before, and what this film says of each; the picked one shows its history."""
        clear_layout(self._watch)
        if rows:
            self._watch.addWidget(heading(tr("Since the last reply")))
        for i, row in enumerate(rows):
            state = "" if row.state == "open" else tr("  ({state})", state=row.state)
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
        rows = [spec for spec in self._listed if spec.name in analysis.measured.film]
        if not rows:
            return
        self._column.addWidget(heading(tr("Numbers of the set")))
        numbers = NumberList()
        numbers.show_rows(tuple((spec.title, _number_words(spec, analysis.measured.film[spec.name])) for spec in rows))
        self._column.addWidget(numbers)

    def show_rep(self, rep: Rep | None, values: dict[str, Value]) -> None:
        """Numbers of the rep under the playhead."""
        self.table.mark_rep(rep.number if rep else None)
        if self._numbers is None or self._rep_title is None or (rep.number if rep else None) == self._rep_number:
            return
        self._rep_number = rep.number if rep else None
        if rep is None:
            self._numbers.show_rows(())
            self._rep_title.setText(tr("Numbers of the rep: between reps"))
            return
        notes = (
            ["half rep inside"] * bool(rep.halves)
            + ([tr("{leg} leg leads", leg=rep.leg)] if rep.leg else [])
            + ["cut short"] * (not rep.complete)
        )
        self._rep_title.setText(joined(", ", [tr("Rep {number}: {digits} s", number=rep.number, digits=digits(rep)), *notes]))
        shown = [spec for spec in self._listed if spec.name in values]
        self._numbers.show_rows(tuple((spec.title, _number_words(spec, values[spec.name])) for spec in shown))

    def show_ghost(self, why: tuple[str, ...]) -> None:
        """Why the ghost stands as it does; nothing when it is hidden."""
        if self._ghost is not None:
            self._ghost.setText(joined("\n", ("This ghost is the client's own body at the target.", *why)) if why else "")
            self._ghost.setVisible(bool(why))

    def pick(self, code: str | None) -> None:
        """Unfold one finding and fold the others."""
        for key, card in self.cards.items():
            card.set_picked(key == code)


def _card(finding: Finding) -> Card:
    """Three lines: what; how much, against what; the cue."""
    bare, counted_as = bare_unit(finding.unit), counted(finding.unit)
    number = with_unit(f"{finding.value:.1f} ± {finding.u:.1f}", bare) + (tr(" {counted_as}", counted_as=counted_as) if counted_as else "")
    asked = with_unit(describe_band(finding.target), bare)
    where = tr("rep {reps}", reps=joined(", ", map(str, finding.reps))) + ": " if finding.reps else ""
    line = tr("{where}{number}, asked {asked}", where=where, number=number, asked=asked)
    scale = (finding.value, finding.u, finding.target)
    return Card(finding.code, Verdict.OFF, finding.title, capital(line), (), finding.cue, scale, asks_why=True)


def _shown_cell(row: MeasureRow, cell: Cell) -> ShownCell:
    if cell.value is None:
        return ShownCell("–" if cell.verdict is None else "", "", cell.verdict)
    places = 0 if abs(cell.value.value) >= NO_TENTHS_FROM and cell.value.u >= 1 else row.places
    doubt = f"±{cell.value.u:.{places}f}" if cell.value.u else ""
    return ShownCell(f"{round(cell.value.value, places) + 0.0:.{places}f}", doubt, cell.verdict)


def _advice(words: str) -> QLabel:
    """What would tell it, above what it would tell."""
    label = PlainLabel(words)
    label.setWordWrap(True)
    label.setObjectName("dim")
    return label


def _number_words(spec: MeasureSpec, value: Value) -> str:
    """A measure with its uncertainty; angles told by the clock also in hours."""
    number = with_doubt(value.value, value.u, spec.places, spec.unit)
    return tr("{number}  ({hours:.1f} h)", number=number, hours=value.value / CLOCK_HOUR_DEG) if spec.clock else tr(number)
