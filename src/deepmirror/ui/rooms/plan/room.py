"""The Plan: weeks across, the next session worked out, and what the months say."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from deepmirror.core.uncertain_value import Verdict
from deepmirror.services.training.client_page import day_words
from deepmirror.services.training.training_file import Card, CardState, NextSession, PlannedLift, TrainingFile, Week
from deepmirror.ui.rooms.plan.done_panel import DonePanel
from deepmirror.ui.rooms.plan.lift_card import LiftCard
from deepmirror.ui.rooms.plan.plan_editor import PlanEditor
from deepmirror.ui.rooms.plan.side_panel import SidePanel
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.client_box import ClientBox
from deepmirror.ui.widgets.panel_helpers import PlainLabel, clear_layout, vertical_scroll_area
from deepmirror.ui.widgets.week_strip import WeekCard, WeekColumn, WeekStrip
from deepmirror.words import joined

BACK, AHEAD = 8, 2  # weeks on show


class PlanRoom(QWidget):
    """Shows one TrainingFile; what it changes is asked for by signals, but for the plan's own cells."""

    wants_client = pyqtSignal(int)
    wants = pyqtSignal(str)  # an action's id
    wants_override = pyqtSignal(object)
    wants_correction = pyqtSignal(list)
    changed = pyqtSignal()
    complained = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("paper")
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.file: TrainingFile | None = None
        self.session: NextSession | None = None
        self.day: date | None = None
        self.cards: list[LiftCard] = []
        self._weeks: list[Week] = []
        self._build()

    def _build(self) -> None:
        title = PlainLabel(tr("Plan"))
        title.setObjectName("title")
        self.clients = ClientBox()
        self.clients.wanted.connect(self.wants_client)
        self.words = PlainLabel()
        self.words.setObjectName("dim")
        self.words.setWordWrap(True)
        self.log = self._button("Log a session", "log_session", accent=True)
        self.edit = self._button("Edit the plan", "edit_plan")
        self.edit.setCheckable(True)
        self.more = QPushButton(tr("More"))
        self.menu = QMenu(self.more)
        self.more.setMenu(self.menu)
        top = QHBoxLayout()
        for widget, stretch in ((title, 0), (self.clients, 0), (self.words, 1), (self.log, 0), (self.edit, 0), (self.more, 0)):
            top.addWidget(widget, stretch)
        self.strip = WeekStrip()
        self.strip.picked.connect(self.show_day)
        self.heading, self.lifts = PlainLabel(), QVBoxLayout()
        self.heading.setObjectName("heading")
        self.lifts.setSpacing(8)
        inside = QWidget()
        inside.setObjectName("paper")
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 8, 0)
        column.addLayout(self.lifts)
        column.addStretch(1)
        worked_out = QWidget()
        left = QVBoxLayout(worked_out)
        left.setContentsMargins(0, 0, 0, 0)
        left.addWidget(self.heading)
        left.addWidget(vertical_scroll_area(inside), 1)
        self.editor, self.done = PlanEditor(), DonePanel()
        self.editor.changed.connect(self.changed)
        self.editor.complained.connect(self.complained)
        self.done.wants_correction.connect(self.wants_correction)
        self.pages = QStackedWidget()
        for page in (worked_out, self.editor, self.done):
            self.pages.addWidget(page)
        self.side = SidePanel()
        body = QHBoxLayout()
        body.setSpacing(16)
        body.addWidget(self.pages, 8)
        self.beside = vertical_scroll_area(self.side)
        self.side.setObjectName("paper")
        body.addWidget(self.beside, 5)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 14, 20, 12)
        layout.addLayout(top)
        layout.addWidget(self.strip)
        layout.addLayout(body, 1)

    def _button(self, words: str, action: str, accent: bool = False) -> QPushButton:
        button = QPushButton(tr(words))
        if accent:
            button.setObjectName("accent")
        button.clicked.connect(lambda: self.wants.emit(action))
        return button

    def add_to_menu(self, entries: list[tuple[str, Callable[[], object]]]) -> None:
        """What “More” offers; an empty title is a line between."""
        for words, run in entries:
            if words:
                action = self.menu.addAction(tr(words))
                assert action is not None
                action.triggered.connect(lambda _, run=run: run())
            else:
                self.menu.addSeparator()

    def show_file(self, file: TrainingFile | None) -> None:
        """Open a client's training, at her next session."""
        self.file, self.day = file, None
        self.pages.setCurrentIndex(0)
        self.beside.show()
        self.edit.setChecked(False)
        self.refresh()

    def refresh(self) -> None:
        """Work everything out anew and draw it."""
        file = self.file
        self.log.setEnabled(file is not None and file.plan is not None)
        if file is None:
            self.words.setText("")
            clear_layout(self.lifts)
            self.strip.show_weeks((), None)
            return
        self._weeks = file.weeks(BACK, AHEAD)
        self.session = file.next(self.day)
        shown = self.day or (self.session.day if self.session is not None else None)
        self.strip.show_weeks([_column(w, file) for w in self._weeks], shown)
        self.words.setText(_summary(file))
        self._show_session(file)
        self.side.show_file(file, self.session)
        if self.pages.currentWidget() is self.editor:
            self.editor.show_file(file)
        if self.pages.currentWidget() is self.done and self.day is not None:
            self.done.show_day(file, self.day)

    def _show_session(self, file: TrainingFile) -> None:
        clear_layout(self.lifts)
        self.cards = []
        session = self.session
        if session is None:
            self.heading.setText(tr("No plan yet. Begin one with “Edit the plan”."))
            return
        name = tr(" · {name}", name=session.name) if session.name else ""
        lighter = tr(" · a lighter week") if session.lighter else ""
        self.heading.setText(tr("{day} · week {week}", day=day_words(session.day), week=session.week) + name + lighter)
        for lift in session.lifts:
            card = LiftCard(file, lift)
            card.picked.connect(self._pick)
            card.wants_override.connect(self.wants_override)
            self.cards.append(card)
            self.lifts.addWidget(card)

    def _pick(self, lift: PlannedLift) -> None:
        self.side.show_lift(lift.movement, lift.side)

    def show_day(self, day: date) -> None:
        """Show the session of a day: what was done, or what is worked out for it."""
        if self.file is None:
            return
        card = next((c for w in self._weeks for c in w.cards if c.day == day), None)
        done = card is not None and card.state in (CardState.DONE, CardState.EXTRA)
        self.day = day if done or day >= self.file.today else None
        self.edit.setChecked(False)
        self.beside.show()
        self.pages.setCurrentIndex(2 if done else 0)
        self.refresh()

    def toggle_editor(self) -> None:
        """Show the plan itself, or the next session again."""
        editing = self.pages.currentIndex() != 1
        self.pages.setCurrentIndex(1 if editing else 0)
        self.beside.setVisible(not editing)
        self.edit.setChecked(editing)
        if editing and self.file is not None:
            self.editor.show_file(self.file)
        if not editing:
            self.day = None
            self.refresh()

    def toggle_why(self) -> None:
        """Show or hide every reason."""
        on = not all(card.asks.isChecked() for card in self.cards)
        for card in self.cards:
            card.asks.setChecked(on)


def _summary(file: TrainingFile) -> str:
    """What stands beside the client's name."""
    if file.plan is None:
        return tr("no plan")
    week = min(max((file.today - file.plan.start).days // 7 + 1, 1), 999)
    words = [tr("week {week} of {weeks}", week=week, weeks=file.plan.weeks), tr(file.part.level)]
    if (silent := file.silent_days()) is not None:
        words.append(tr("nothing heard for {days} days", days=silent))
    return joined(" · ", words)


def _column(week: Week, file: TrainingFile) -> WeekColumn:
    present = 0 <= (file.today - week.first).days < 7
    title = tr("week {number}", number=week.number) if week.number > 0 else tr("before")
    below = tr("lighter") if week.lighter else tr("{day} {first:%b}", day=week.first.day, first=week.first)
    cards = tuple(_card(c, file) for c in week.cards)
    return WeekColumn(title, below, week.lighter, present, cards)


def _card(card: Card, file: TrainingFile) -> WeekCard:
    name = (card.plan.name or card.plan.day) if card.plan is not None else tr("not planned")
    words = joined("\n", [tr("{day} · {name}", day=day_words(card.day), name=name), *file.day_lines(card.day)])
    return WeekCard(
        card.day,
        card.state.value,
        card.planned,
        card.done,
        tuple(Verdict(v) for v in file.day_verdicts(card.day)),
        words,
        name if card.plan is not None else "",
    )
