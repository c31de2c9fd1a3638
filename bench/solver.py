"""How long the build solver takes: `python -m bench.solver`. Name the machine beside the numbers."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np

from deepmirror.core.body.client_body import Body
from deepmirror.core.body.machine_model import MACHINES, GuidedBuild
from deepmirror.core.body.squat_model import Build
from deepmirror.core.body.squat_setup import Setup


def milliseconds(work: Callable[[], object], runs: int = 40) -> float:
    """Median time of one run."""
    out = []
    for _ in range(runs):
        started = time.perf_counter()
        work()
        out.append(time.perf_counter() - started)
    return float(np.median(out)) * 1000


def main() -> None:
    """Print the table."""
    build, setup = Build(Body(175, 75, "male")), Setup("high", 60)
    guided = GuidedBuild(Body(175, 75, "male"))
    for name, work in (
        ("posture at a depth", lambda: build.at_depth(10, setup)),
        ("deepest and its limit", lambda: build.deepest(setup)),
        ("levers", lambda: build.levers(10, setup)),
        ("hinge", lambda: build.hinge(90, 18, 60)),
        ("leg press, deepest", lambda: guided.deepest(MACHINES["leg_press"])),
    ):
        print(f"{name:24s} {milliseconds(work):6.2f} ms")


if __name__ == "__main__":
    main()
