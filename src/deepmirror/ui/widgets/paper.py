"""Small helpers of the paper panels."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QLayout, QScrollArea, QWidget


def heading(words: str) -> QLabel:
    """A small section heading."""
    label = QLabel(words)
    label.setObjectName("heading")
    label.setWordWrap(True)
    return label


def rolled(inside: QWidget) -> QScrollArea:
    """A panel that scrolls up and down where it is too long."""
    scroll = QScrollArea()
    scroll.setWidget(inside)
    scroll.setWidgetResizable(True)
    scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    return scroll


def empty(layout: QLayout) -> None:
    """Take all widgets out of a layout, and out of the layouts in it, and let them go."""
    while (item := layout.takeAt(0)) is not None:
        if (widget := item.widget()) is not None:
            widget.hide()
            widget.deleteLater()
        elif (inner := item.layout()) is not None:
            empty(inner)
