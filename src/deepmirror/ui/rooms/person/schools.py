"""Choosing where schools differ: one row a topic, with the reason for what stands."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFormLayout, QWidget

from deepmirror.services.clients.school_topics import TopicRow
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel

BOX_WIDTH = 190


class SchoolRows(QWidget):
    """Topics of a client, or of one exercise, whose first choice is what stands for all lifts."""

    chosen = pyqtSignal(str, str)  # topic, school; no school: the usual one

    def __init__(self, exercise: str | None, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._first = tr("usual") if exercise is None else tr("as for all lifts")
        self.boxes: dict[str, QComboBox] = {}
        self.reasons: dict[str, PlainLabel] = {}
        self._codes: tuple[str, ...] = ()
        self._form = QFormLayout(self)
        self._form.setContentsMargins(0, 0, 0, 0)
        self._form.setVerticalSpacing(3)

    def show_topics(self, topics: Sequence[TopicRow]) -> None:
        """These topics as they are chosen now."""
        for part in self.showing(topics):
            part()

    def showing(self, topics: Sequence[TopicRow]) -> list[Callable[[], None]]:
        """Parts for `Turns` that show these topics as they are chosen now: a row that is not there yet takes some milliseconds."""
        return [partial(self._keep_rows_of, tuple(t.code for t in topics)), *(partial(self._show, t) for t in topics)]

    def _keep_rows_of(self, codes: tuple[str, ...]) -> None:
        """No rows are left when they are of other topics."""
        if self._codes != codes:
            while self._form.rowCount():
                self._form.removeRow(0)
            self.boxes, self.reasons, self._codes = {}, {}, codes

    def _show(self, topic: TopicRow) -> None:
        if topic.code not in self.boxes:
            self._add(topic)
        box = self.boxes[topic.code]
        box.setCurrentIndex(max(box.findData(topic.chosen), 0))
        self.reasons[topic.code].setText(topic.reason)
        self.reasons[topic.code].setVisible(bool(topic.reason))

    def _add(self, topic: TopicRow) -> None:
        box, reason = QComboBox(), PlainLabel()
        box.addItem(tr(self._first), "")
        for school, words in topic.options:
            box.addItem(tr(words), school)
        box.setFixedWidth(BOX_WIDTH)
        box.setAccessibleName(tr(topic.title))
        box.activated.connect(lambda _, code=topic.code, b=box: self.chosen.emit(code, b.currentData()))
        reason.setObjectName("dim")
        reason.setWordWrap(True)
        self._form.addRow(tr(topic.title), box)
        self._form.addRow(reason)
        self.boxes[topic.code], self.reasons[topic.code] = box, reason
