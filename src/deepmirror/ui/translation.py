"""The interface's words go through Qt's translation from the start: tr("...") with English as the source.

A language is a compiled Qt translation in assets/i18n, named deepmirror_<language>.qm; `python scripts/words.py` writes the
list of all words to translate (.ts).
"""

from __future__ import annotations

from importlib import resources

from PyQt6.QtCore import QCoreApplication, QTranslator

CONTEXT = "deepmirror"


def tr(words: str, **parts: object) -> str:
    """The words in the interface's language; parts fill {places} after the translation."""
    said = QCoreApplication.translate(CONTEXT, words)
    return said.format(**parts) if parts else said


def load_language(translator: QTranslator, locale: str) -> bool:
    """Load the language of a locale such as "de_CH", or of its language alone; False when it does not ship."""
    folder = str(resources.files("deepmirror") / "assets" / "i18n")
    return any(translator.load(f"deepmirror_{name}", folder) for name in (locale, locale.split("_", maxsplit=1)[0]))
