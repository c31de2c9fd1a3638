"""Which signal of the film the ribbon draws."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QWidget

from deepmirror.core.motion.series import series_title
from deepmirror.ui.translation import tr

WIDTH = 106  # filled only when the numbers are there: its first width would be that of nothing


class SignalChoice(QComboBox):
    """The rep signal, whose name is None, and the film's angles by name."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedWidth(WIDTH)
        self.setAccessibleName(tr("Signal drawn in the ribbon"))

    def offer(self, names: list[str]) -> None:
        """Offer these angles; the one chosen before stays chosen where it is among them."""
        chosen = self.currentData()
        self.clear()
        self.addItem(tr("rep count"), None)
        for name in names:
            self.addItem(tr(series_title(name)), name)
        self.setCurrentIndex(max(self.findData(chosen), 0))

    def choose(self, name: str | None) -> bool:
        """Choose an angle; False where it is not offered."""
        at = self.findData(name) if name is not None else -1
        if at >= 0:
            self.setCurrentIndex(at)
        return at >= 0
