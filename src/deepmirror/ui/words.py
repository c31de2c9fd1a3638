"""The interface's words go through Qt's translation from the start: tr("...") with English as the source."""

from __future__ import annotations

from PyQt6.QtCore import QCoreApplication


def tr(words: str, **parts: object) -> str:
    """The words in the interface's language; parts fill {places} after the translation."""
    said = QCoreApplication.translate("deepmirror", words)
    return said.format(**parts) if parts else said
