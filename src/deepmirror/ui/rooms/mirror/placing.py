"""The paper beside the film where the coach places points and marks."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QHBoxLayout, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from deepmirror.core.camera.scale import PLATE_CM
from deepmirror.services.films.review import Pixel, Review
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel, heading
from deepmirror.words import joined

SUBJECT = "subject"
SWAP_START, SWAP_END = "Left and right are swapped from here…", "…to here"
POINT_ROLE = Qt.ItemDataRole.UserRole


class PlacingPanel(QWidget):
    """Which point is next, which are placed on this frame, and the marks of the machine and the room."""

    point_chosen = pyqtSignal(str)
    mark_chosen = pyqtSignal(str)
    remove_wanted = pyqtSignal(str)
    hide_wanted = pyqtSignal(str)
    hold_wanted = pyqtSignal(str)
    swap_wanted = pyqtSignal()
    subject_wanted = pyqtSignal()
    machine_named = pyqtSignal(str)
    take_over_wanted = pyqtSignal()
    fit_said = pyqtSignal()
    done = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("paper")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 16, 12)
        layout.setSpacing(5)
        self._build_points(layout)
        self._build_marks(layout)
        finish = QPushButton(tr("Done: follow the points"))
        finish.setObjectName("accent")
        finish.clicked.connect(self.done)
        layout.addWidget(finish)

    def _build_points(self, layout: QVBoxLayout) -> None:
        words = PlainLabel(
            tr("Click each joint; drag to mend, arrows nudge. One clear frame is enough, a second at the bottom makes it better.")
        )
        words.setWordWrap(True)
        words.setObjectName("dim")
        self.points = QListWidget()
        self.points.setAccessibleName(tr("Points to place"))
        self.points.currentItemChanged.connect(lambda item, _: self.point_chosen.emit(item.data(POINT_ROLE)) if item else None)
        self.remove, self.hide_point, self.hold_point = QPushButton(tr("Remove")), QPushButton(tr("Hide")), QPushButton(tr("Hold"))
        self.hide_point.setToolTip(tr("Leave this point out, or use it again"))
        self.hold_point.setToolTip(tr("Only your clicks and the flow move this point, not the network"))
        own = QHBoxLayout()
        wishes = ((self.remove, self.remove_wanted), (self.hide_point, self.hide_wanted), (self.hold_point, self.hold_wanted))
        for button, wish in wishes:
            button.clicked.connect(lambda _, w=wish: w.emit(self.current() or ""))
            own.addWidget(button)
        self.swap = QPushButton(tr(SWAP_START))
        self.swap.clicked.connect(self.swap_wanted)
        self.subject = QPushButton(tr("Follow another person"))
        self.subject.setCheckable(True)
        self.subject.setToolTip(tr("Press, then click the one who lifts, where several people are in view"))
        self.subject.clicked.connect(self.subject_wanted)
        self.questions = PlainLabel()
        self.questions.setWordWrap(True)
        self.questions.setVisible(False)
        layout.addWidget(heading(tr("Points on this frame")))
        layout.addWidget(words)
        layout.addWidget(self.points, 3)
        layout.addLayout(own)
        layout.addWidget(self.swap)
        layout.addWidget(self.subject)
        layout.addWidget(self.questions)

    def _build_marks(self, layout: QVBoxLayout) -> None:
        self.marks = QListWidget()
        self.marks.setAccessibleName(tr("Marks of the machine and the room"))
        self.marks.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.marks.itemClicked.connect(lambda item: self.mark_chosen.emit(item.data(POINT_ROLE)))
        self.length, self.width_cm, self.height_cm = QDoubleSpinBox(), QDoubleSpinBox(), QDoubleSpinBox()
        sizes = (
            (self.length, PLATE_CM, "Length between the two clicks; a large plate is 45 cm across"),
            (self.width_cm, 90.0, "Platform's width"),
            (self.height_cm, 60.0, "Platform's height"),
        )
        for box, usual, tip in sizes:
            box.setRange(1, 399)
            box.setValue(usual)
            box.setSuffix(" cm")
            box.setDecimals(1)
            box.setToolTip(tr(tip))
        row = QHBoxLayout()
        row.addWidget(PlainLabel(tr("Known length")))
        row.addWidget(self.length, 1)
        size = QHBoxLayout()
        size.addWidget(PlainLabel(tr("Platform")))
        size.addWidget(self.width_cm, 1)
        size.addWidget(PlainLabel("×"))
        size.addWidget(self.height_cm, 1)
        self.machine = QComboBox()
        self.machine.setEditable(True)
        self.machine.setAccessibleName(tr("Machine"))
        edit = self.machine.lineEdit()
        assert edit is not None
        edit.setPlaceholderText(tr("Machine or place"))
        edit.editingFinished.connect(lambda: self.machine_named.emit(self.machine.currentText().strip()))
        self.machine.activated.connect(lambda: self.machine_named.emit(self.machine.currentText().strip()))
        self.take_over, self.fit = QPushButton(tr("Take its marks")), QPushButton(tr("They fit"))
        self.take_over.setToolTip(tr("Use the marks of the last film of this machine from the same side, and look whether they fit"))
        self.take_over.clicked.connect(self.take_over_wanted)
        self.fit.clicked.connect(self.fit_said)
        machine = QHBoxLayout()
        machine.addWidget(self.machine, 1)
        machine.addWidget(self.take_over)
        machine.addWidget(self.fit)
        layout.addWidget(heading(tr("Marks of the machine and the room")))
        layout.addWidget(self.marks, 2)
        layout.addLayout(row)
        layout.addLayout(size)
        layout.addLayout(machine)

    def current(self) -> str | None:
        """The point the next click places."""
        item = self.points.currentItem()
        return item.data(POINT_ROLE) if item else None

    def show_points(self, review: Review, seed: dict[str, Pixel], choose: str | None) -> None:
        """List the points with those placed on this frame ticked; `choose` becomes the current one."""
        self.points.blockSignals(True)
        self.points.clear()
        for name in review.point_names():
            placed = name in seed
            words = ["placed"] * placed + ["hidden"] * (name in review.brief.file.hidden) + ["held"] * (name in review.brief.file.held)
            item = QListWidgetItem(
                tr(
                    "{which}  {name}   {words}", which="◆" if placed else "◇", name=name.replace("_", " "), words=joined(", ", words)
                ).rstrip()
            )
            item.setData(POINT_ROLE, name)
            self.points.addItem(item)
            if name == choose:
                self.points.setCurrentItem(item)
        self.points.blockSignals(False)

    def show_marks(self, review: Review) -> None:
        """List the marks, those this movement asks for first, with what each lets the film measure; and what is in question."""
        questions = review.questions()
        self.questions.setVisible(bool(questions))
        self.questions.setText("Look again: " + joined("\n", questions[:2]))
        chosen = self.marks.currentRow()
        self.marks.clear()
        for wanted in review.marks():
            item = QListWidgetItem(
                tr("{which}  {title}: {gives}", which="◆" if wanted.placed else "◇", title=wanted.title, gives=wanted.gives)
            )
            item.setData(POINT_ROLE, wanted.kind)
            if wanted.asked and not wanted.placed:
                font = item.font()
                font.setBold(True)
                item.setFont(font)
            self.marks.addItem(item)
        self.marks.setCurrentRow(chosen)
        file = review.brief.file
        if file.scale is not None:
            self.length.setValue(file.scale.length_cm)
        if file.marks.platform_cm is not None:
            self.width_cm.setValue(file.marks.platform_cm[0])
            self.height_cm.setValue(file.marks.platform_cm[1])
        self.machine.blockSignals(True)
        self.machine.setCurrentText(file.machine or "")
        self.machine.blockSignals(False)
        self.take_over.setVisible(not file.marks_taken_over)
        self.take_over.setEnabled(bool(review.marks_to_copy()))
        self.fit.setVisible(file.marks_taken_over)

    def offer_machines(self, names: list[str]) -> None:
        """Machines and places to choose from; what is written there stays."""
        written = self.machine.currentText()
        self.machine.blockSignals(True)
        self.machine.clear()
        self.machine.addItems(names)
        self.machine.setCurrentText(written)
        self.machine.blockSignals(False)

    def show_mark(self, kind: str | None) -> None:
        """Point at the mark being placed."""
        rows = [i for i in range(self.marks.count()) if (item := self.marks.item(i)) is not None and item.data(POINT_ROLE) == kind]
        self.marks.setCurrentRow(rows[0] if rows else -1)
        self.subject.setChecked(kind == SUBJECT)
