"""The Reply room: what is said on the left, exactly the picture the client gets on the right."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from deepmirror.services.replies.composing import CLICKS, Correction, Since, StrokeKind
from deepmirror.services.replies.rendering import Reply
from deepmirror.ui.rooms.reply.canvas import Canvas
from deepmirror.ui.rooms.reply.correction_editor import CorrectionWords, WordsField
from deepmirror.ui.rooms.reply.picture_controls import TOOLS, PictureControls
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import ElidedLabel, PlainLabel, vertical_scroll_area

SEVERITIES = {"safety": "safety", "range": "range", "tension": "tension", "polish": "polish"}


class ReplyRoom(QWidget):
    """Edits one Reply in place. Pictures are asked for by `wants_still` and come back through `show_still`."""

    changed = pyqtSignal()
    typed = pyqtSignal()  # a letter more or less
    wants_still = pyqtSignal(object)
    wants_preview = pyqtSignal()
    wants_speech = pyqtSignal()
    wants_send = pyqtSignal()
    stroke_drawn = pyqtSignal(object, str, list, str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("paper")
        self.reply: Reply | None = None
        self._last_frames: dict[int | None, int] = {}
        self._visit = frozenset[int]()
        self._tool: StrokeKind | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(22, 14, 22, 10)
        layout.addLayout(self._build_top())
        body = QHBoxLayout()
        body.setSpacing(16)
        body.addWidget(self._build_left())
        body.addLayout(self._build_right(), 1)
        layout.addLayout(body, 1)

    def _build_top(self) -> QHBoxLayout:
        self.title = ElidedLabel(tr("Reply"))
        self.title.setObjectName("title")
        self.facts = ElidedLabel()
        self.facts.setObjectName("dim")
        self.whole_visit = QCheckBox()
        self.whole_visit.setChecked(True)
        self.whole_visit.hide()
        self.blur = QCheckBox(tr("Blur the face"))
        self.blur.toggled.connect(self._take_whole)
        self.speak = QPushButton()
        self.speak.setToolTip(tr("Your voice and your hand over the reply's film; never needed"))
        self.speak.clicked.connect(self.wants_speech)
        self.preview = QPushButton(tr("Look at it whole"))
        self.preview.clicked.connect(self.wants_preview)
        self.send = QPushButton(tr("Send"))
        self.send.setObjectName("accent")
        self.send.clicked.connect(self.wants_send)
        names = QVBoxLayout()
        names.setSpacing(0)
        names.addWidget(self.title)
        names.addWidget(self.facts)
        top = QHBoxLayout()
        top.addLayout(names, 1)
        for widget in (self.whole_visit, self.blur, self.speak, self.preview, self.send):
            top.addWidget(widget)
        return top

    def _build_left(self) -> QScrollArea:
        inside = QWidget()
        inside.setObjectName("paper")
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 10, 0)
        column.setSpacing(5)
        order = self._dim(tr("What is said: Space ticks, Alt+Up or Down moves"))
        order.setWordWrap(True)
        column.addWidget(order)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Corrections"))
        self.list.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(lambda _: self._pick())
        self.list.itemChanged.connect(self._tick)
        column.addWidget(self.list)
        self.words = CorrectionWords()
        self.words.changed.connect(self._words_changed)
        self.answers = QPushButton()
        self.answers.setToolTip(tr("The ways this body has to change it, each with what it gives"))
        self.answers.clicked.connect(self.other_answer)
        self.answers.hide()
        column.addWidget(self.answers, 0, Qt.AlignmentFlag.AlignLeft)
        column.addWidget(self.words)
        column.addStretch(1)
        scroll = vertical_scroll_area(inside)
        scroll.setFixedWidth(410)
        return scroll

    def _build_right(self) -> QVBoxLayout:
        self.canvas = Canvas()
        self.canvas.setAccessibleName(tr("The picture as it is sent"))
        self.canvas.tag_moved.connect(self._move_tag)
        self.canvas.drawn.connect(self._drawn)
        self.controls = PictureControls()
        self.controls.changed.connect(self._take_picture)
        self.controls.stroke_wanted.connect(self.start_stroke)
        self.controls.undraw.clicked.connect(self._undraw)
        controls = self.controls
        self.frame, self.lines, self.zoom, self.ghost, self.pair = (
            controls.frame,
            controls.lines,
            controls.zoom,
            controls.ghost,
            controls.pair,
        )
        self.tools, self.undraw, self.hint = controls.tools, controls.undraw, controls.hint
        self.state = self._dim("")
        self.state.setWordWrap(True)
        self.state.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        right = QVBoxLayout()
        right.addWidget(self.canvas, 1)
        right.addLayout(self.controls)
        right.addLayout(self._build_whole())
        right.addWidget(self.state)
        right.addStretch(0)
        self.caution = self._dim("")
        self.caution.setWordWrap(True)
        right.addWidget(self.caution)
        return right

    def _build_whole(self) -> QHBoxLayout:
        """The words that belong to no correction, under the picture."""
        self.greeting, self.praise = WordsField(), WordsField()
        row = QHBoxLayout()
        row.setSpacing(14)
        for box, words, share in ((self.greeting, "Greeting", 2), (self.praise, "What held", 3)):
            box.setAccessibleName(tr(words))
            box.textChanged.connect(self._take_whole)
            column = QVBoxLayout()
            column.setSpacing(2)
            column.addWidget(self._dim(tr(words)))
            column.addWidget(box)
            column.addStretch(1)
            row.addLayout(column, share)
        return row

    @staticmethod
    def _dim(words: str) -> QLabel:
        label = PlainLabel(words)
        label.setObjectName("dim")
        return label

    def offer_visit(self, visit: frozenset[int], films: int) -> None:
        """How many films of a visit can be answered; with one there is nothing to choose. A visit that was not shown yet is answered whole
        until the coach says otherwise."""
        if visit != self._visit:
            self._visit = visit
            self.whole_visit.blockSignals(True)
            self.whole_visit.setChecked(True)
            self.whole_visit.blockSignals(False)
        self.whole_visit.setVisible(films > 1)
        self.whole_visit.setText(tr("All {count} films of this visit", count=films))

    def left_out(self) -> frozenset[int]:
        """The films of the visit on offer where the coach answers them one by one; else none."""
        return frozenset() if self.whole_visit.isChecked() else self._visit

    def show_reply(self, reply: Reply, last_frames: dict[int | None, int], row: int = 0, code: str | None = None) -> None:
        """Edit this reply; last_frames: of each film it speaks of, None: its own; row: where the bar stands; code: the fault whose
        correction it stands on instead, ticked."""
        self.reply = None
        self.title.setText(tr("Reply to {client}", client=reply.client) if reply.client else tr("Reply"))
        self.facts.setText(tr("{movement} · {facts}", movement=reply.movement, facts=reply.facts))
        self.greeting.setPlainText(reply.greeting)
        self.praise.setPlainText(reply.praise)
        self.blur.setChecked(reply.blur)
        self.caution.setText(reply.caution)
        self._last_frames = last_frames
        self.canvas.show_picture(None, None)
        self.reply = reply
        wanted = self._tick_code(code)
        self._fill(row if wanted is None else wanted)
        self.show_state("")
        self.show_spoken()
        self._say_count()
        if wanted is not None:
            self.changed.emit()

    def show_spoken(self) -> None:
        """Whether the film goes with the coach's voice."""
        self.speak.setText(tr("Spoken over") if self.reply is not None and self.reply.spoken else tr("Speak over it"))

    def _rows(self) -> list[Correction | Since]:
        return [*self.reply.since, *self.reply.corrections] if self.reply is not None else []

    def _fill(self, row: int) -> None:
        reply = self.reply
        if reply is None:
            return
        self.list.blockSignals(True)
        self.list.clear()
        for item in self._rows():
            if isinstance(item, Since):
                entry = QListWidgetItem(tr("Since last time: {title}", title=item.title))
            else:
                entry = QListWidgetItem(tr("{title}  ({severity})", title=item.title, severity=SEVERITIES.get(item.severity, "")))
            entry.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsUserCheckable)
            entry.setCheckState(Qt.CheckState.Checked if item.chosen else Qt.CheckState.Unchecked)
            self.list.addItem(entry)
        if not self._rows():
            self.list.addItem(QListWidgetItem(tr("Nothing is off: the praise and the whole film with its lines are sent.")))
        else:
            self.list.setCurrentRow(min(max(row, 0), len(self._rows()) - 1))
        self.list.blockSignals(False)
        self._fit_list()
        if self._rows():
            self._pick()
        else:
            self._show_item(None)

    def _fit_list(self) -> None:
        """As high as what it lists."""
        row = max(self.list.sizeHintForRow(0), 18)
        self.list.setFixedHeight(row * max(self.list.count(), 1) + 2 * self.list.frameWidth() + 6)

    def current(self) -> Correction | Since | None:
        """The correction (or earlier one) under the bar."""
        rows = self._rows()
        return rows[self.list.currentRow()] if 0 <= self.list.currentRow() < len(rows) else None

    def _tick_code(self, code: str | None) -> int | None:
        """Tick the correction of a fault of the reply's own film; where it stands, None where there is none."""
        for row, found in enumerate(self._rows()):
            if isinstance(found, Correction) and found.code == code and found.film_id is None:
                found.chosen = True
                return row
        return None

    def pick_code(self, code: str | None) -> None:
        """Put the bar on the correction of a fault of the reply's own film, and tick it."""
        row = self._tick_code(code)
        if row is not None:
            self._fill(row)
            self.changed.emit()

    def item(self) -> Correction | None:
        """The correction under the bar, None for an earlier one."""
        found = self.current()
        return found if isinstance(found, Correction) else None

    def _pick(self) -> None:
        found = self.current()
        if found is None:
            return
        self._show_item(found)
        self.wants_still.emit(found)

    def _show_item(self, found: Correction | Since | None) -> None:
        self.words.show_item(found)
        item = found if isinstance(found, Correction) else None
        self._say_answers(item)
        self.controls.show_item(item, self._last_frames.get(item.film_id if item is not None else None, 0))
        self.canvas.ask(0)

    def _tick(self, entry: QListWidgetItem) -> None:
        rows, row = self._rows(), self.list.row(entry)
        if row < len(rows):
            rows[row].chosen = entry.checkState() == Qt.CheckState.Checked
            self._say_count()
            self.changed.emit()

    def shift(self, way: int) -> None:
        """Send the correction under the bar earlier (-1) or later (1)."""
        item, reply = self.item(), self.reply
        if item is None or reply is None:
            return
        at = reply.corrections.index(item)
        if 0 <= at + way < len(reply.corrections):
            reply.corrections.insert(at + way, reply.corrections.pop(at))
            self._fill(self.list.currentRow() + way)
            self.changed.emit()

    def other_answer(self) -> None:
        """Say the next of the ways this body has to change it."""
        item = self.item()
        if item is None or item.take_next_answer() is None:
            self.show_state(tr("This correction has one answer only."))
            return
        self.words.show_item(item)
        self._say_answers(item)
        self.changed.emit()

    def _say_answers(self, item: Correction | None) -> None:
        """How many ways there are to change it, and which one is said."""
        many = item is not None and len(item.answers) > 1
        self.answers.setVisible(many)
        if many and item is not None:
            at = item.answers.index(item.change) + 1 if item.change in item.answers else 0
            said = tr("Answer {at} of {count}", at=at, count=len(item.answers)) if at else tr("{count} answers", count=len(item.answers))
            self.answers.setText(tr("{said} — another one: Alt+T", said=said))

    def _take_whole(self) -> None:
        if self.reply is None:
            return
        self.reply.greeting, self.reply.praise = self.greeting.toPlainText(), self.praise.toPlainText()
        if self.reply.blur != self.blur.isChecked():
            self.reply.blur = self.blur.isChecked()
            self.wants_still.emit(self.current())
            self.changed.emit()
        else:
            self.typed.emit()

    def _words_changed(self) -> None:
        self.typed.emit()

    def _take_picture(self) -> None:
        item = self.item()
        if item is None:
            return
        item.frame, item.lines, item.zoom = self.frame.value(), self.lines.isChecked(), self.zoom.isChecked()
        item.ghost, item.side_by_side = self.ghost.isChecked(), self.pair.isChecked()
        self.changed.emit()
        self.wants_still.emit(item)

    def _move_tag(self, x: float, y: float) -> None:
        item = self.item()
        if item is not None:
            item.tag_at = (round(x, 4), round(y, 4))
            self.changed.emit()
            self.wants_still.emit(item)

    def start_stroke(self, kind: StrokeKind) -> None:
        """The next clicks on the picture draw this."""
        if self.item() is not None:
            self._tool = kind
            self.canvas.ask(CLICKS[kind])
            self.canvas.setFocus()
            self.hint.setText(tr(next(tip for k, _, tip in TOOLS if k == kind)))

    def _drawn(self, points: list[tuple[float, float]]) -> None:
        item, kind = self.item(), self._tool
        self.hint.setText("")
        if item is None or kind is None:
            return
        if kind != "text":
            self.stroke_drawn.emit(item, kind, points, "")
            return
        dialog = QInputDialog(self)
        dialog.setWindowTitle(tr("Words"))
        dialog.setLabelText(tr("Words at this place"))
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.textValueSelected.connect(lambda words: self.stroke_drawn.emit(item, "text", points, words) if words.strip() else None)
        dialog.open()

    def stroke_added(self) -> None:
        """A stroke was added to the correction under the bar: draw it."""
        self.undraw.setEnabled(True)
        self.changed.emit()
        self.wants_still.emit(self.item())

    def _undraw(self) -> None:
        item = self.item()
        if item is not None and item.strokes:
            item.strokes.pop()
            self.undraw.setEnabled(bool(item.strokes))
            self.changed.emit()
            self.wants_still.emit(item)

    def _say_count(self) -> None:
        count = len(self.reply.chosen()) if self.reply is not None else 0
        self.send.setText(tr("Send {count} corrections", count=count) if count != 1 else tr("Send 1 correction"))

    def show_still(self, image: QImage, tag: tuple[float, float, float, float] | None) -> None:
        """The picture as it will be sent."""
        self.canvas.show_picture(image, tag)

    def show_state(self, words: str) -> None:
        """What became of the reply: written, sent, where it lies."""
        self.state.setText(words)
