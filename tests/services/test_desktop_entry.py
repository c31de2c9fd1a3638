"""The entry in the desktop's menu, by the freedesktop.org specifications."""

from __future__ import annotations

import configparser
import xml.etree.ElementTree as ET
from pathlib import Path

import pytest

from deepmirror.__main__ import main
from deepmirror.services.program.desktop_entry import places, put_into_menu, quoted, take_out_of_menu

MAIN_CATEGORIES = {
    "AudioVideo",
    "Audio",
    "Video",
    "Development",
    "Education",
    "Game",
    "Graphics",
    "Network",
    "Office",
    "Science",
    "Settings",
}
"""Registered main categories, Desktop Menu Specification, appendix A (from memory)."""


def test_the_menus_entry_is_one_a_desktop_reads_and_can_be_taken_out(tmp_path: Path) -> None:
    other = tmp_path / "applications" / "another.desktop"
    other.parent.mkdir(parents=True)
    other.write_text("[Desktop Entry]\n")
    words = put_into_menu(tmp_path, "/home/a b/bin/deepmirror")
    entry, icon = places(tmp_path)
    assert str(entry) in words
    read = configparser.ConfigParser(interpolation=None)
    read.optionxform = str  # type: ignore[assignment, method-assign]
    read.read(entry)
    row = read["Desktop Entry"]
    assert row["Type"] == "Application" and row["Name"] == "Deep Mirror" and row["Terminal"] == "false"
    assert row["Exec"] == '"/home/a b/bin/deepmirror" window'
    assert set(row["Categories"].rstrip(";").split(";")) & MAIN_CATEGORIES and row["Categories"].endswith(";")
    assert row["Icon"] == icon.stem and ET.parse(icon).getroot().tag.endswith("svg")
    assert icon.parts[-4:] == ("hicolor", "scalable", "apps", "deepmirror.svg")
    take_out_of_menu(tmp_path)
    assert not entry.exists() and not icon.exists() and other.exists()
    take_out_of_menu(tmp_path)


@pytest.mark.parametrize(("path", "said"), [("/a/b", '"/a/b"'), ("/a $b", r'"/a \$b"'), ('/a"b', r'"/a\"b"'), ("/50%", '"/50%%"')])
def test_a_path_in_the_exec_key_is_quoted_as_the_specification_says(path: str, said: str) -> None:
    assert quoted(path) == said


def test_the_command_does_it_in_this_account(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    assert main(["menu"]) == 0 and "menu now" in capsys.readouterr().out
    assert "deepmirror" in (tmp_path / "applications" / "deepmirror.desktop").read_text()
    assert main(["menu", "--remove"]) == 0 and not (tmp_path / "applications" / "deepmirror.desktop").exists()
    (tmp_path / "applications").rmdir()
    (tmp_path / "applications").write_text("in the way")
    assert main(["menu"]) == 2 and "could not be written" in capsys.readouterr().err
