"""The interface's words go through Qt's translation from the start: tr("...") with English as the source.

Sentences that were made below the interface remember their patterns (`deepmirror.words`) and are translated when they are shown, by
the same tr. A language is a compiled Qt translation in assets/i18n, named deepmirror_<language>.qm; `python scripts/words.py` writes
the list of all words to translate (.ts).
"""

from __future__ import annotations

from importlib import resources

from PyQt6.QtCore import QCoreApplication, QLibraryInfo, QTranslator

from deepmirror.words import Said, in_language, speak_with

CONTEXT = "deepmirror"


def _by_qt(words: str) -> str:
    return QCoreApplication.translate(CONTEXT, words)


def tr(words: str, /, **parts: object) -> str:
    """The words in the interface's language; parts fill {places} after the translation."""
    return in_language(Said(words, parts) if parts else words)


def load_language(translator: QTranslator, locale: str) -> bool:
    """Load the language of a locale such as "de_CH", or of its language alone; False when it does not ship."""
    folder = str(resources.files("deepmirror") / "assets" / "i18n")
    return any(translator.load(f"deepmirror_{name}", folder) for name in (locale, locale.split("_", maxsplit=1)[0]))


def install_language(app: QCoreApplication, locale: str) -> bool:
    """Speak the language of a locale, in our words and in those of Qt's own dialogs; False, and English, when it does not ship."""
    ours, own = QTranslator(app), QTranslator(app)
    if not load_language(ours, locale):
        return False
    if own.load(f"qtbase_{locale}", QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)):
        app.installTranslator(own)
    return speak(app, ours)


def speak(app: QCoreApplication, translator: QTranslator) -> bool:
    """Show all words as a translator gives them; without one nothing is looked up, and English costs nothing."""
    speak_with(_by_qt)
    return app.installTranslator(translator)
