"""Dressing rooms nobody has seen yet while nothing else is to be done: Qt does it as a room is first shown, for a tenth of a second."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial

from PyQt6.QtWidgets import QWidget

AT_ONCE = 12  # widgets in one turn: about five milliseconds


def dressing(rooms: Iterable[QWidget]) -> list[Callable[[], None]]:
    """Parts for `Turns` that apply the style to every widget of some rooms."""
    widgets = [widget for room in rooms for widget in (room, *room.findChildren(QWidget))]
    return [partial(_dress, widgets[i : i + AT_ONCE]) for i in range(0, len(widgets), AT_ONCE)]


def _dress(widgets: list[QWidget]) -> None:
    for widget in widgets:
        try:
            widget.ensurePolished()
        except RuntimeError:  # gone meanwhile
            continue
