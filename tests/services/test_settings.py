"""Deleting a client leaves nothing of hers, and everything of everybody else."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from deepmirror.errors import LibraryError
from deepmirror.services.clients.client_deletion import delete_client, what_goes
from deepmirror.services.clients.sheets import make_sheet, write_sheet
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.program.arrivals import Arrivals
from deepmirror.services.program.settings import Settings, keep_settings, settings_of
from deepmirror.standins.simulated_post import SimulatedMailbox
from tests.conftest import DEMO, NOON


def test_a_deleted_client_is_gone_from_library_and_backups(demo_library: FilmLibrary, tmp_path: Path) -> None:
    bram = next(c for c in demo_library.clients() if c.name.startswith("Bram"))
    Arrivals(demo_library, SimulatedMailbox(DEMO / "arrivals" / "plan.json", tmp_path / "post", lambda: 100.0)).collect(Progress())
    demo_library.store.update_client(bram.id, bram.body | {"notes": "a very private remark"}, "2026-03-02", "note")
    folder = demo_library.store.folder
    shutil.copyfile(folder / "library.db", folder / "library.before-0009.db")
    write_sheet(demo_library, bram.id, "back_squat", make_sheet(demo_library, bram.id, "back_squat"))
    films = [f for f in demo_library.films() if f.client_id == bram.id]
    others = [f for f in demo_library.films() if f.client_id != bram.id]
    lines = "\n".join(what_goes(demo_library, bram.id))
    assert len(films) == 2 and "2 × films" in lines and "library.before-0009.db" in lines
    assert "watched corrections" in lines and "not deleted" in lines and "MB" in lines and "set-up sheets" in lines
    delete_client(demo_library, bram.id)
    assert [f.id for f in demo_library.films()] == [f.id for f in others] and all(f.path.exists() for f in others)
    assert not any(f.path.exists() or demo_library.store.evidence_path(f.id).exists() for f in films)
    demo_library.close()
    for path in [p for p in folder.rglob("*") if p.is_file()]:
        data = path.read_bytes()
        assert b"Achterberg" not in data and b"very private remark" not in data, path.name
    again = FilmLibrary(folder, NOON)
    assert len(again.clients()) == 5
    with pytest.raises(LibraryError, match="no longer"):
        what_goes(again, bram.id)
    again.close()


def test_settings_are_kept_and_a_wrong_folder_is_told(library: FilmLibrary, tmp_path: Path) -> None:
    assert settings_of(library) == Settings()
    keep_settings(library, Settings("Marit", True, str(tmp_path), ""))
    assert settings_of(library) == Settings("Marit", True, str(tmp_path), "")
    with pytest.raises(LibraryError, match="watched folder"):
        keep_settings(library, Settings("Marit", True, str(tmp_path / "none"), ""))
    assert settings_of(library).inbox == str(tmp_path)
