"""Choosing where schools differ: one row a topic, with the reason for what stands."""

from __future__ import annotations

from collections.abc import Sequence

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
        self._shown: tuple[str, ...] = ()
        self._form = QFormLayout(self)
        self._form.setContentsMargins(0, 0, 0, 0)
        self._form.setVerticalSpacing(3)

    def show_topics(self, topics: Sequence[TopicRow]) -> None:
        """These topics as they are chosen now."""
        if self._shown != tuple(t.code for t in topics):
            self._build(topics)
        for topic in topics:
            box = self.boxes[topic.code]
            box.setCurrentIndex(max(box.findData(topic.chosen), 0))
            self.reasons[topic.code].setText(topic.reason)
            self.reasons[topic.code].setVisible(bool(topic.reason))

    def _build(self, topics: Sequence[TopicRow]) -> None:
        while self._form.rowCount():
            self._form.removeRow(0)
        self.boxes, self.reasons, self._shown = {}, {}, tuple(t.code for t in topics)
        for topic in topics:
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
