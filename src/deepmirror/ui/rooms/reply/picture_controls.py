"""The rows under the picture: which moment it shows, what lies over it, and the coach's own lines."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QSlider, QVBoxLayout

from deepmirror.services.replies.composing import Correction, StrokeKind
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel

TOOLS: tuple[tuple[StrokeKind, str, str], ...] = (
    ("line", "Line", "Click its two ends; an end on a joint goes with the joint"),
    ("angle", "Angle", "Click one end, the corner, the other end"),
    ("arrow", "Arrow", "Click where it begins and where it points"),
    ("text", "Words", "Click where they begin"),
)


class PictureControls(QVBoxLayout):
    """The widgets of the two rows; the room knows what they do. `changed`: a choice was made; `stroke_wanted`: a tool was taken."""

    changed = pyqtSignal()
    stroke_wanted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.frame = QSlider(Qt.Orientation.Horizontal)
        self.frame.setMinimumWidth(60)
        self.frame.setAccessibleName(tr("Which moment is shown"))
        self.frame.valueChanged.connect(self.changed)
        self.lines, self.zoom, self.ghost, self.pair = (QCheckBox(tr(words)) for words in ("Lines", "Move in", "Ghost", "Then and now"))
        self.ghost.setToolTip(tr("The client's own body at the target: side films of free squats, knees and feet in front films"))
        self.pair.setToolTip(tr("The same moment of the film in which this was corrected before, beside this one"))
        choices, drawing = QHBoxLayout(), QHBoxLayout()
        choices.addWidget(_dim(tr("Moment")))
        choices.addWidget(self.frame, 1)
        for box in (self.lines, self.zoom, self.ghost, self.pair):
            box.toggled.connect(self.changed)
            choices.addWidget(box)
        drawing.addWidget(_dim(tr("Draw")))
        self.tools: dict[str, QPushButton] = {}
        for kind, words, use in TOOLS:
            button = QPushButton(tr(words))
            button.setToolTip(tr(use))
            button.clicked.connect(lambda _, k=kind: self.stroke_wanted.emit(k))
            self.tools[kind] = button
            drawing.addWidget(button)
        self.undraw = QPushButton(tr("Take away"))
        self.undraw.setToolTip(tr("The last thing drawn goes"))
        drawing.addWidget(self.undraw)
        self.hint = _dim("")
        self.hint.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        drawing.addWidget(self.hint, 1)
        self.addLayout(choices)
        self.addLayout(drawing)

    def show_item(self, item: Correction | None, last_frame: int) -> None:
        """The choices of a correction, which are not taken for made now; None: nothing can be chosen."""
        self.blockSignals(True)
        for box, name in ((self.lines, "lines"), (self.zoom, "zoom"), (self.ghost, "ghost"), (self.pair, "side_by_side")):
            box.setChecked(bool(item is not None and getattr(item, name)))
            box.setEnabled(item is not None)
        self.frame.setRange(0, last_frame)
        self.frame.setValue(item.frame if item is not None else 0)
        self.blockSignals(False)
        self.pair.setEnabled(item is not None and item.before is not None)
        for widget in (self.frame, *self.tools.values()):
            widget.setEnabled(item is not None)
        self.undraw.setEnabled(item is not None and bool(item.strokes))
        self.hint.setText("")


def _dim(words: str) -> QLabel:
    label = PlainLabel(words)
    label.setObjectName("dim")
    return label
