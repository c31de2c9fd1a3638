"""The batch command as a separate process: results, and one clear line for bad input."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from tests.conftest import DEMO


def run(*words: object) -> subprocess.CompletedProcess[str]:
    environment = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "QT_QPA_PLATFORM")}
    return subprocess.run(
        [sys.executable, "-m", "deepmirror", *map(str, words)], capture_output=True, text=True, env=environment, check=False
    )


def test_analyse_a_film_with_its_reply(tmp_path: Path, short_film: Path) -> None:
    out = tmp_path / "deep" / "out"
    done = run("analyse", short_film, "--brief", DEMO / "tove_back_squat_side.brief.json", "--out", out, "--reply")
    assert done.returncode == 0 and done.stderr == ""
    measures = json.loads((out / "measures.json").read_text())
    assert measures["clip"]["frames"] == 128 and len(measures["reps"]) == 1
    assert measures["reps"][0]["phases_s"]["top"] is None
    assert {"reply.mp4", "reply.html", "measures.json"} <= {p.name for p in out.iterdir()}
    assert not [p for p in out.iterdir() if p.name.startswith(".")]


def test_a_run_that_is_asked_to_stop_ends_in_one_line_and_leaves_nothing(tmp_path: Path) -> None:
    out = tmp_path / "out"
    words = ["analyse", DEMO / "tove_back_squat_side.mp4", "--brief", DEMO / "tove_back_squat_side.brief.json", "--out", out]
    with subprocess.Popen([sys.executable, "-m", "deepmirror", *map(str, words)], stderr=subprocess.PIPE, text=True) as process:
        time.sleep(2.5)  # somewhere in the looking, which takes longer
        process.send_signal(signal.SIGTERM)
        _, complaint = process.communicate(timeout=60)
    assert process.returncode == 130 and complaint == "Stopped.\n"
    assert not out.exists() or not list(out.iterdir())


STOPPED_WHILE_LOADING = """
from deepmirror import bootstrap

def stop():
    raise KeyboardInterrupt

def run():
    try:
        eval("stop()")  # as modules do that are being loaded
    except KeyboardInterrupt as error:
        if {wrapped}:
            raise ImportError("a library's own error") from error
        raise

bootstrap.leave(bootstrap.ending(run))
"""


@pytest.mark.parametrize("wrapped", [False, True])
def test_stopped_while_it_still_loads_it_ends_the_same_way(wrapped: bool) -> None:
    done = subprocess.run(
        [sys.executable, "-c", STOPPED_WHILE_LOADING.format(wrapped=wrapped)], capture_output=True, text=True, check=False
    )
    assert (done.returncode, done.stderr) == (130, "Stopped.\n")


@pytest.mark.parametrize("case", ["no film", "empty film", "no brief", "bad brief", "unknown movement"])
def test_bad_input_is_one_line_and_exit_two(tmp_path: Path, case: str) -> None:
    clip, brief = DEMO / "tove_back_squat_side.mp4", tmp_path / "brief.json"
    brief.write_text(json.dumps({"movement": "back_squat", "view": "side-left"}))
    if case == "no film":
        clip = tmp_path / "missing.mp4"
    elif case == "empty film":
        clip = tmp_path / "empty.mp4"
        clip.touch()
    elif case == "no brief":
        brief.unlink()
    elif case == "bad brief":
        brief.write_text("{")
    else:
        brief.write_text(json.dumps({"movement": "handstand", "view": "front"}))
    done = run("analyse", clip, "--brief", brief, "--out", tmp_path / "out")
    assert done.returncode == 2
    assert len(done.stderr.strip().splitlines()) == 1 and "Traceback" not in done.stderr
    assert not (tmp_path / "out").exists()
