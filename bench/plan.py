"""The plan with a long record: `python -m bench.plan [SETS]` opens the room and works the next session out. Name the machine beside it."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtWidgets import QApplication

from deepmirror.exchange.plan_file import check_training
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.training.training_file import TrainingFile
from deepmirror.store.training import DoneRecord
from deepmirror.ui.rooms.plan import PlanRoom
from deepmirror.ui.theme.style import apply_theme

NOW = datetime(2026, 3, 2, 12, tzinfo=UTC)
LIFTS = ("back_squat", "romanian_deadlift", "lying_leg_curl", "standing_calf_raise")
RUNS = 7


def library(folder: Path, sets: int) -> tuple[FilmLibrary, int]:
    """A library whose one client has done so many sets, three a lift and twelve a session, three sessions a week."""
    lib = FilmLibrary(folder, NOW)
    client = lib.add_client("Bench", 172)
    exercises = [{"movement": m, "sets": 3, "reps": [6, 10], "rest_s": 120} for m in LIFTS]
    sessions = [{"day": d, "exercises": exercises} for d in ("mon", "wed", "fri")]
    gear = {"bar_kg": 20, "plates_kg": [[25, 6], [20, 2], [10, 2], [5, 2], [2.5, 2], [1.25, 2]], "stacks": {}}
    gear["stacks"] = {m: {"pins_kg": [5.0 * n for n in range(1, 30)], "adder_kg": 2.5} for m in LIFTS[2:]}
    part = check_training({"level": "trained", "equipment": gear, "plan": {"start": "2026-01-05", "weeks": 6, "sessions": sessions}})
    lib.store.training.keep_record(client.id, part.model_dump(mode="json", exclude_defaults=True))
    rows = []
    for n in range(sets):
        session, within = divmod(n, 12)
        day = (NOW - timedelta(days=1 + session * 7 / 3)).date().isoformat()
        rows.append(DoneRecord(client.id, day, LIFTS[within // 3], 60.0 + session % 8, 8, 8, rir=2.0, pain=0.0))
    lib.store.training.add_done(rows)
    return lib, client.id


def best(work: Callable[[], object]) -> tuple[float, float]:
    """Quickest and middle of some runs, ms."""
    times = []
    for _ in range(RUNS):
        started = time.perf_counter()
        work()
        times.append(1000 * (time.perf_counter() - started))
    return min(times), sorted(times)[RUNS // 2]


def main() -> None:
    """Command line."""
    sets = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
    app = QApplication([])
    apply_theme(app)
    with tempfile.TemporaryDirectory() as folder:
        lib, client_id = library(Path(folder) / "library", sets)
        file = TrainingFile(lib, client_id)
        room = PlanRoom()
        room.resize(1280, 800)
        room.show()

        def opened() -> None:
            room.show_file(TrainingFile(lib, client_id))
            room.grab()

        _ = file.record
        for words, work in (
            ("read the record", lambda: TrainingFile(lib, client_id)),
            ("room opened and drawn", opened),
            ("next session", file.next),
        ):
            quickest, middle = best(work)
            print(f"{sets} sets: {words:24s} {quickest:6.0f} ms quickest, {middle:6.0f} ms in the middle of {RUNS}", flush=True)
        room.close()
        lib.close()


if __name__ == "__main__":
    main()
