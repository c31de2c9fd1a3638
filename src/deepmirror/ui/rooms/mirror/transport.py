"""The row under the film: playing, where it is, the curve on show, and what can be done with the film."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton

from deepmirror.ui.rooms.mirror.signal_choice import SignalChoice
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import ElidedLabel


class TransportRow(QHBoxLayout):
    """The widgets of the row; the room knows what they do."""

    def __init__(self) -> None:
        super().__init__()
        self.play_button, self.place_button = QPushButton(tr("Play")), QPushButton(tr("Place points"))
        self.place_button.setCheckable(True)
        self.measure_button, self.reply_button = QPushButton(tr("Measure now")), QPushButton(tr("Compose the reply"))
        self.measure_button.hide()  # there is room for it where there is no curve to choose
        self.where, self.signal = ElidedLabel(), SignalChoice()  # what is long gives way to the buttons
        self.addWidget(self.play_button)
        self.addWidget(self.where, 1)
        self.addWidget(self.signal)
        for button in (self.place_button, self.measure_button, self.reply_button):
            self.addWidget(button)
        for button in (self.play_button, self.place_button, self.measure_button, self.reply_button):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def show_for(self, numbers: bool) -> None:
        """A film with its numbers has curves; one without is to be measured (M measures anew later)."""
        first, then = (self.measure_button, self.signal) if numbers else (self.signal, self.measure_button)
        first.hide()  # before the other comes: both at once would make the window grow
        then.show()
