"""The overlay of keys and the usual cautions."""

from __future__ import annotations

from collections.abc import Mapping
from importlib import resources

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QTextCursor
from PyQt6.QtWidgets import QDialog, QGridLayout, QMessageBox, QTextBrowser, QVBoxLayout, QWidget

from deepmirror.commands.table import ACTIONS
from deepmirror.ui.theme import tokens as t
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel

CAUTION = (
    "See a physician before starting a programme.\n\n"
    "Stop for sharp, shooting or worsening pain, numbness, giving way, swelling or locking, and refer to a licensed clinician.\n\n"
    "Follow the machine maker's instructions; use safety stops, spotters and catch arms.\n\n"
    "Deep Mirror measures and organises. It does not diagnose."
)


def show_keys(parent: QWidget, keys: Mapping[str, str]) -> None:
    """All actions and their keys in one overlay; keys: those in use, by action."""
    dialog = QDialog(parent)
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    dialog.setWindowTitle(tr("Keys"))
    grid = QGridLayout(dialog)
    grid.setHorizontalSpacing(26)
    half = (len(ACTIONS) + 1) // 2
    for i, entry in enumerate(ACTIONS):
        key = PlainLabel(QKeySequence(keys[entry.id]).toString(QKeySequence.SequenceFormat.NativeText))
        key.setObjectName("heading")
        grid.addWidget(key, i % half, 2 * (i // half))
        grid.addWidget(PlainLabel(tr(entry.title)), i % half, 2 * (i // half) + 1)
    dialog.open()


def show_guide(parent: QWidget) -> QDialog:
    """The coach's guide, as it ships: a few pages with pictures."""
    dialog, page = QDialog(parent), QTextBrowser()
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    dialog.setWindowTitle(tr("The coach's guide"))
    dialog.resize(860, 700)
    folder = resources.files("deepmirror") / "assets" / "guide"
    page.setSearchPaths([str(folder)])
    page.setAccessibleName(tr("The coach's guide"))
    page.setStyleSheet(f"background: {t.PAPER}; border: none")
    page.setMarkdown((folder / "guide.md").read_text("utf-8"))
    _space_out(page)
    layout = QVBoxLayout(dialog)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.addWidget(page)
    dialog.open()
    return dialog


def _space_out(page: QTextBrowser) -> None:
    """Room around headings and between paragraphs, which Markdown does not ask for."""
    document = page.document()
    assert document is not None
    document.setDocumentMargin(22)
    block = document.begin()
    while block.isValid():
        shape = block.blockFormat()
        shape.setTopMargin(18.0 if shape.headingLevel() else 4.0)
        shape.setBottomMargin(6.0)
        QTextCursor(block).setBlockFormat(shape)
        block = block.next()


def show_caution(parent: QWidget) -> None:
    """The usual cautions."""
    box = QMessageBox(QMessageBox.Icon.Information, tr("Cautions"), tr(CAUTION), QMessageBox.StandardButton.Ok, parent)
    box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    box.open()
