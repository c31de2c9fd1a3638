"""Opening a library: what is asked when another program has it, or when its database is damaged."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QMessageBox

from deepmirror.errors import DeepMirrorError, LibraryBusy, LibraryDamaged
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.program.rescue import backups_at_hand, go_back_to
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import plain

MOST_OFFERED = 3


def open_desk(folder: Path, make: Callable[[bool], FilmLibrary]) -> FilmLibrary | None:
    """The library's desk, after asking where it cannot be had as usual; None when the coach gives up. make: given “read only?”."""
    try:
        return make(False)
    except LibraryBusy as error:
        reading = tr("Open it for reading only")
        return make(True) if _choice(error.sentence, [reading]) == reading else None
    except LibraryDamaged as error:
        offered = {tr("Go back to {when}", when=b.words): b for b in backups_at_hand(folder)[:MOST_OFFERED]}
        chosen = _choice(_with_offer(error.sentence, bool(offered)), list(offered))
        if chosen is None:
            return None
        _choice(go_back_to(folder, offered[chosen]), [])
        return make(False)


def _with_offer(sentence: str, any_backup: bool) -> str:
    more = tr("A backup can take its place.") if any_backup else tr("There is no backup of it that could take its place.")
    return tr("{sentence} {more}", sentence=sentence, more=more)


def _choice(sentence: str, offers: list[str]) -> str | None:
    """Ask before there is a window: what was chosen, None for “Close”."""
    box = QMessageBox(QMessageBox.Icon.Warning, "Deep Mirror", tr(sentence))
    for words in offers:
        box.addButton(tr(words), QMessageBox.ButtonRole.AcceptRole)
    closing = box.addButton(tr("Go on") if not offers else tr("Close"), QMessageBox.ButtonRole.RejectRole)
    box.setDefaultButton(closing)
    plain(box).exec()
    clicked = box.clickedButton()
    return clicked.text() if clicked is not None and clicked is not closing else None


def refuse(error: DeepMirrorError | str) -> None:
    """Say why the library cannot be opened."""
    _choice(error.sentence if isinstance(error, DeepMirrorError) else error, [])
