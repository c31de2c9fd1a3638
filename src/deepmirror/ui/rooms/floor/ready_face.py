"""Before a set: who and what, how the camera stands, and one large button."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFormLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from deepmirror.core.uncertain_value import Verdict
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.client_box import ClientBox
from deepmirror.ui.widgets.film_view import FilmView
from deepmirror.ui.widgets.panel_helpers import PlainLabel, clear_layout, vertical_scroll_area
from deepmirror.ui.widgets.verdict_mark import VerdictMark

VIEWS = (("side-left", "from her left"), ("side-right", "from her right"), ("front", "from the front"), ("rear", "from behind"))
TURNS = ((0, "upright"), (90, "turned right"), (180, "upside down"), (270, "turned left"))


class ReadyFace(QWidget):
    """What is chosen before a set; `changed` says that it was."""

    changed = pyqtSignal()
    wants_camera = pyqtSignal()
    stepped = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        self.view = FilmView()
        self.view.show_message(tr("Choose a camera."))
        row.addWidget(self.view, 1)
        panel = QWidget()
        panel.setObjectName("floorpanel")
        scroll = vertical_scroll_area(panel)
        scroll.setFixedWidth(420)
        row.addWidget(scroll)
        column = QVBoxLayout(panel)
        column.setContentsMargins(18, 14, 18, 14)
        column.setSpacing(8)
        self._build_choices(column)
        self._build_set(column)
        self._build_framing(column)
        column.addStretch(1)
        self.go = QPushButton(tr("Begin the set (Space)"))
        self.go.setObjectName("large")
        self.go.setMinimumHeight(72)
        column.addWidget(self.go)

    def _build_choices(self, column: QVBoxLayout) -> None:
        self.clients, self.movement, self.side = ClientBox(), QComboBox(), QComboBox()
        self.machine, self.camera, self.turn = QComboBox(), QComboBox(), QComboBox()
        self.machine.setEditable(True)
        form = QFormLayout()
        rows = (
            ("Client", self.clients),
            ("Exercise", self.movement),
            ("Filmed", self.side),
            ("Machine", self.machine),
            ("Camera", self.camera),
            ("It stands", self.turn),
        )
        for words, box in rows:
            box.setAccessibleName(tr(words))
            box.setMinimumHeight(34)
            box.setMinimumContentsLength(14)
            form.addRow(tr(words), box)
        for view, words in VIEWS:
            self.side.addItem(tr(words), view)
        for degrees, words in TURNS:
            self.turn.addItem(tr(words), degrees)
        for box in (self.movement, self.side):
            box.activated.connect(self.changed)
        self.machine.textActivated.connect(lambda _: self.changed.emit())
        edit = self.machine.lineEdit()
        assert edit is not None
        edit.editingFinished.connect(self.changed)
        for box in (self.camera, self.turn):
            box.activated.connect(self.wants_camera)
        column.addLayout(form)

    def _build_set(self, column: QVBoxLayout) -> None:
        self.what, self.cue, self.why = PlainLabel(), PlainLabel(), PlainLabel()
        self.what.setObjectName("title")
        self.cue.setObjectName("cue")
        self.why.setObjectName("dim")
        row = QHBoxLayout()
        self.earlier, self.later = QPushButton("‹"), QPushButton("›")
        for button, by, name in ((self.earlier, -1, "The set before"), (self.later, 1, "The set after")):
            button.setAccessibleName(tr(name))
            button.setFixedSize(44, 44)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(lambda _, by=by: self.stepped.emit(by))
        row.setSpacing(10)
        row.addWidget(self.earlier)
        row.addWidget(self.what, 1)
        row.addWidget(self.later)
        column.addLayout(row)
        for label in (self.what, self.cue, self.why):
            label.setWordWrap(True)
        column.addWidget(self.cue)
        column.addWidget(self.why)

    def _build_framing(self, column: QVBoxLayout) -> None:
        self.framing = QVBoxLayout()
        self.framing.setSpacing(4)
        self.marks = PlainLabel()
        self.marks.setWordWrap(True)
        self.marks.setObjectName("dim")
        self.caution = PlainLabel(tr("Stop for sharp, shooting or worsening pain. The machine's own instructions come first."))
        self.caution.setWordWrap(True)
        self.caution.setObjectName("dim")
        self._framed: tuple[str, ...] | None = None
        column.addLayout(self.framing)
        column.addWidget(self.marks)
        column.addWidget(self.caution)

    def show_framing(self, words: tuple[str, ...]) -> None:
        """What is wrong with where the camera stands; nothing: it stands well."""
        if words == self._framed:
            return
        self._framed = words
        clear_layout(self.framing)
        for line in words or (tr("The camera stands well."),):
            row = QHBoxLayout()
            row.addWidget(VerdictMark(Verdict.OFF if words else Verdict.WITHIN), 0, Qt.AlignmentFlag.AlignTop)
            label = PlainLabel(tr(line))
            label.setWordWrap(True)
            row.addWidget(label, 1)
            self.framing.addLayout(row)

    def framing_words(self) -> tuple[str, ...]:
        """What is said of the framing now."""
        return self._framed or ()
