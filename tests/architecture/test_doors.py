"""The layout's rules hold, and each would catch a breach: a violation is planted in a copy for every contract."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[2]
BREACHES = [
    ("planning/gate.py", "import deepmirror.store.library", "planning works from core and movements alone"),
    ("core/geometry.py", "import PyQt6.QtCore", "Qt lives in ui and bootstrap only"),
    ("core/geometry.py", "import cv2", "core computes and nothing else"),
    ("pose/trajectory_solver.py", "import deepmirror.media.film", "the working rooms do not know one another"),
    ("judge/findings.py", "import av", "av only in media"),
    ("exchange/brief.py", "import sqlalchemy", "SQL only in store"),
    ("ui/window.py", "import deepmirror.media.film", "ui sees services, commands, core and errors, nothing below"),
    ("ui/rooms/desk/room.py", "import deepmirror.ui.rooms.reply", "rooms do not know one another"),
    ("ui/widgets/ribbon.py", "import deepmirror.services.films.film_library", "widgets know no use cases"),
    ("ui/control/edits.py", "import deepmirror.ui.window", "controllers do not know the window"),
    (
        "core/body/client_body.py",
        "import deepmirror.core.motion.reps",
        "core: drawings stand on measures, measures on motion, motion on the camera, the camera on the body",
    ),
    (
        "services/films/review.py",
        "import deepmirror.services.replies.composing",
        "services: the program, then clients beside replies beside live sets, then training, then films, then the solver's words",
    ),
]


def lint(folder: Path) -> str:
    command = [sys.executable, "-c", "from importlinter.cli import lint_imports_command; lint_imports_command()", "--no-cache"]
    environment = {**os.environ, "PYTHONPATH": str(folder / "src"), "COLUMNS": "200"}
    return subprocess.run(command, cwd=folder, capture_output=True, text=True, env=environment, check=False).stdout


@pytest.fixture(scope="module")
def breached(tmp_path_factory: pytest.TempPathFactory) -> str:
    """What the linter says of a copy with every breach in it: one run, as each takes seconds."""
    folder = tmp_path_factory.mktemp("breached")
    heavy = shutil.ignore_patterns("*.tflite", "*.mp4", "*.npz", "*.truth.json", "__pycache__")
    shutil.copytree(ROOT / "src" / "deepmirror", folder / "src" / "deepmirror", ignore=heavy)
    shutil.copy(ROOT / "pyproject.toml", folder)
    for file, line, _ in BREACHES:
        path = folder / "src" / "deepmirror" / file
        text = path.read_text()
        path.write_text(text.replace("from __future__ import annotations\n", f"from __future__ import annotations\n\n{line}\n", 1))
    return lint(folder)


@pytest.mark.parametrize(("file", "line", "contract"), BREACHES, ids=[b[2] for b in BREACHES])
def test_a_planted_breach_is_caught(breached: str, file: str, line: str, contract: str) -> None:
    assert f"{contract} BROKEN" in breached
    told = breached[breached.index(f"\n{contract}\n") :].split("\n\n\n", maxsplit=1)[0]
    importer = f"deepmirror.{file.removesuffix('.py').replace('/', '.')}"
    imported = line.removeprefix("import ")
    assert importer in told and imported.split(".")[0] in told, f"{contract} does not name {importer}"


def test_the_layout_holds() -> None:
    out = lint(ROOT)
    assert "0 broken" in out and f"{len(BREACHES)} kept" in out


def test_the_interface_asks_services_and_never_the_store_behind_them() -> None:
    reaching = [p.name for p in (ROOT / "src/deepmirror/ui").rglob("*.py") if re.search(r"\.store\b", p.read_text("utf-8"))]
    assert not reaching


def test_everything_but_the_interface_works_where_qt_cannot_be_imported() -> None:
    code = (
        "import sys; sys.modules['PyQt6'] = None\n"
        "import pkgutil, importlib, deepmirror\n"
        "skip = ('deepmirror.ui', 'deepmirror.store.migrations')\n"
        "names = [m.name for m in pkgutil.walk_packages(deepmirror.__path__, 'deepmirror.') if not m.name.startswith(skip)]\n"
        "[importlib.import_module(n) for n in names if n != 'deepmirror.__main__']\n"
        "print(len(names))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert int(done.stdout) > 30
