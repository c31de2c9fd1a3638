"""The page that answers "why?": what was seen, what is asked, what speaks for each cause, what would change it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QDialog, QFrame, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from deepmirror.core.uncertain_value import Verdict
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.film_view import FilmView
from deepmirror.ui.widgets.panel_helpers import Paper, PlainLabel, heading, vertical_scroll_area
from deepmirror.ui.widgets.verdict_mark import VerdictMark
from deepmirror.words import capital


@dataclass(frozen=True)
class CauseShown:
    """One cause, and what speaks for and against it."""

    words: str
    speaks_for: Sequence[str]
    speaks_against: Sequence[str]
    ruled_out: bool


class WhyDialog(QDialog):
    """Four parts; the picture comes a moment later."""

    def __init__(
        self, title: str, why: str, seen: Sequence[str], asked: Sequence[str], causes: Sequence[CauseShown], change: Sequence[str],
        parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.setWindowTitle(tr("Why: {title}", title=title))
        self.resize(1120, 700)
        self.picture = FilmView()
        self.picture.show_message(tr("The picture is being drawn."))
        self.picture.setMinimumSize(480, 270)
        grid = QGridLayout()
        grid.setSpacing(14)
        grid.setColumnStretch(0, 1)
        grid.setColumnStretch(1, 1)
        first = self._part(tr("What was seen"), seen)
        inside = first.layout()
        assert isinstance(inside, QVBoxLayout)
        inside.insertWidget(1, self.picture, 1)
        grid.addWidget(first, 0, 0)
        grid.addWidget(self._part(tr("What is asked"), [why, *asked] if why else asked), 1, 0)
        grid.addWidget(self._causes(causes), 0, 1)
        grid.addWidget(self._part(tr("What would change it"), change), 1, 1)
        body = Paper()
        body.setLayout(grid)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 12, 12, 12)
        name = PlainLabel(title)
        name.setObjectName("title")
        layout.addWidget(name)
        layout.addWidget(vertical_scroll_area(body), 1)

    def _part(self, title: str, lines: Sequence[str]) -> QFrame:
        frame = QFrame()
        frame.setObjectName("card")
        column = QVBoxLayout(frame)
        column.setSpacing(5)
        column.addWidget(heading(title))
        for line in lines:
            column.addWidget(_wrapped(capital(line)))
        column.addStretch(0)
        return frame

    def _causes(self, causes: Sequence[CauseShown]) -> QFrame:
        frame = self._part(tr("What may be the cause"), ())
        column = frame.layout()
        assert isinstance(column, QVBoxLayout)
        for cause in causes:
            name = _wrapped(cause.words + (tr(" (not in this film)") if cause.ruled_out else ""))
            name.setStyleSheet("font-weight: 700")
            column.addWidget(name)
            for told, mark in ((cause.speaks_for, Verdict.WITHIN), (cause.speaks_against, Verdict.OFF)):
                for line in told:
                    row = QHBoxLayout()
                    row.addWidget(VerdictMark(mark), 0, Qt.AlignmentFlag.AlignTop)
                    row.addWidget(_wrapped((tr("for: ") if mark is Verdict.WITHIN else tr("against: ")) + line), 1)
                    column.addLayout(row)
            if not cause.speaks_for and not cause.speaks_against:
                quiet = _wrapped(tr("nothing in this film speaks for or against it"))
                quiet.setObjectName("dim")
                column.addWidget(quiet)
        column.addStretch(1)
        return frame

    def show_picture(self, image: QImage) -> None:
        """The frame with what was measured drawn on it."""
        self.picture.show_image(image)


def _wrapped(words: str) -> PlainLabel:
    label = PlainLabel(words)
    label.setWordWrap(True)
    label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    return label
