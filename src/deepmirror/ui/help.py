"""The overlay of keys and the usual cautions."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QDialog, QGridLayout, QMessageBox, QWidget

from deepmirror.commands.table import ACTIONS
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel

CAUTION = (
    "See a physician before starting a programme.\n\n"
    "Stop for sharp, shooting or worsening pain, numbness, giving way, swelling or locking, and refer to a licensed clinician.\n\n"
    "Follow the machine maker's instructions; use safety stops, spotters and catch arms.\n\n"
    "Deep Mirror measures and organises. It does not diagnose."
)


def show_keys(parent: QWidget) -> None:
    """All actions and their keys in one overlay."""
    dialog = QDialog(parent)
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    dialog.setWindowTitle(tr("Keys"))
    grid = QGridLayout(dialog)
    grid.setHorizontalSpacing(26)
    half = (len(ACTIONS) + 1) // 2
    for i, entry in enumerate(ACTIONS):
        key = PlainLabel(QKeySequence(entry.key).toString(QKeySequence.SequenceFormat.NativeText))
        key.setObjectName("heading")
        grid.addWidget(key, i % half, 2 * (i // half))
        grid.addWidget(PlainLabel(tr(entry.title)), i % half, 2 * (i // half) + 1)
    dialog.open()


def show_caution(parent: QWidget) -> None:
    """The usual cautions."""
    box = QMessageBox(QMessageBox.Icon.Information, tr("Cautions"), tr(CAUTION), QMessageBox.StandardButton.Ok, parent)
    box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    box.open()
