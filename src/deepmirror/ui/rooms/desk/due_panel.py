"""What the plans ask for: films that are due, clients nobody has heard of; a line each, the most urgent first."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QGridLayout, QPushButton, QWidget

from deepmirror.services.training.schedule import DueRow
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel, clear_layout, tip

AT_ONCE = 2


class DuePanel(QFrame):
    """`wants_plan` brings the client whose plan is to be opened; hidden when nothing is due."""

    wants_plan = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self.rows: list[DueRow] = []
        self._today: date | None = None
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(12, 6, 12, 6)
        self.grid.setColumnStretch(2, 1)
        self.more = QPushButton(self)
        self.more.setCheckable(True)
        self.more.toggled.connect(self._fill)
        self.hide()

    def show_due(self, rows: Sequence[DueRow], today: date) -> None:
        """Show what is due."""
        self.rows, self._today = list(rows), today
        self._fill()

    def _fill(self, *_: bool) -> None:
        self.grid.removeWidget(self.more)
        clear_layout(self.grid)
        shown = self.rows if self.more.isChecked() else self.rows[:AT_ONCE]
        for i, row in enumerate(shown):
            heading = PlainLabel(row.client)
            heading.setObjectName("heading")
            words = PlainLabel(tr("{what}{when}", what=row.what, when=_when(row.by, self._today)))
            words.setToolTip(tip(row.why))
            button = QPushButton(tr("Plan"))
            button.setAccessibleName(tr("Open the plan of {name}", name=row.client))
            button.clicked.connect(lambda _, c=row.client_id: self.wants_plan.emit(c))
            for column, widget in ((0, heading), (1, words), (3, button)):
                self.grid.addWidget(widget, i, column)
        rest = len(self.rows) - AT_ONCE
        self.more.setVisible(rest > 0)
        self.more.setText(tr("Fewer") if self.more.isChecked() else tr("{count} more", count=rest))
        if rest > 0:
            self.grid.addWidget(self.more, max(len(shown) - 1, 0), 4)
        self.setVisible(bool(self.rows))


def _when(by: date | None, today: date | None) -> str:
    if by is None or today is None:
        return ""
    days = (by - today).days
    return tr(" by today") if days <= 0 else tr(" by tomorrow") if days == 1 else tr(" by {day}", day=f"{by:%A}")
