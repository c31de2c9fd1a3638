"""The program in the menu of the user's desktop: an entry and an icon in her own account (freedesktop.org, Desktop Entry and Icon Theme
Specifications)."""

from __future__ import annotations

import os
import shutil
import sys
from importlib import resources
from pathlib import Path

from deepmirror.errors import LibraryError
from deepmirror.words import say

ENTRY, ICON = "deepmirror.desktop", "deepmirror.svg"


def data_home() -> Path:
    """Where an account's desktop looks for entries and icons (XDG Base Directory Specification)."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")


def places(home: Path) -> tuple[Path, Path]:
    """The files of entry and icon."""
    return home / "applications" / ENTRY, home / "icons" / "hicolor" / "scalable" / "apps" / ICON


def put_into_menu(home: Path, executable: str) -> str:
    """Write both; says where. executable: what the entry starts. Raises LibraryError."""
    assets = resources.files("deepmirror") / "assets" / "desktop"
    entry, icon = places(home)
    try:
        for path in (entry, icon):
            path.parent.mkdir(parents=True, exist_ok=True)
        entry.write_text((assets / ENTRY).read_text("utf-8").replace("EXECUTABLE", quoted(executable)), "utf-8")
        icon.write_bytes((assets / ICON).read_bytes())
    except OSError as error:
        raise LibraryError(
            say("The menu's entry could not be written to “{home}”: {error}.", home=home, error=error.strerror or error)
        ) from error
    return say("Deep Mirror stands in your desktop's menu now ({entry}).", entry=entry)


def take_out_of_menu(home: Path) -> str:
    """Remove both; nothing else is touched."""
    for path in places(home):
        path.unlink(missing_ok=True)
    return "Deep Mirror is no longer in your desktop's menu."


def quoted(path: str) -> str:
    """A program's path as the Exec key wants it: in quotes, with the signs that mean something in them taken as they are."""
    for sign in ("\\", '"', "`", "$"):
        path = path.replace(sign, f"\\\\{sign}" if sign == "\\" else f"\\{sign}")
    return f'"{path.replace("%", "%%")}"'


def own_executable() -> str:
    """The command that started this program, as a whole path."""
    here = Path(sys.argv[0])
    if here.name == "deepmirror" and here.exists():
        return str(here.resolve())
    beside = Path(sys.executable).with_name("deepmirror")
    return str(beside if beside.exists() else shutil.which("deepmirror") or beside)
