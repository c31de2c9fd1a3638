"""The live command on films in real time: how soon a rep is known, whether the count is the offline one, how soon the summary comes, looks
that were dropped, and whether its cue is the one the full analysis gives.

    python -m bench.live [FOLDER] [--speed 1] [--quick]

FOLDER holds films with their briefs (the demo's when absent). --quick: times alone, without the full analysis. One line a film, the
totals, and the machine. Memory over half an hour and killed recordings: bench/recording.py.
"""

from __future__ import annotations

import argparse
import json
import os
import platform
from importlib import resources
from pathlib import Path
from typing import Any

import numpy as np

from deepmirror.interpreter import share_the_interpreter
from deepmirror.services.live.live_command import live_command

DEMO = Path(str(resources.files("deepmirror"))) / "assets" / "demo"


def one(film: Path, speed: float, quick: bool) -> dict[str, Any]:
    """What the live command said of a film, in numbers."""
    lines: list[str] = []
    looks = live_command(film, film.with_suffix(".brief.json"), speed, lines.append, to_the_end=not quick)
    rows = [json.loads(line) for line in lines]
    of = {event: [r for r in rows if r["event"] == event] for event in ("rep", "set_end", "summary", "final")}
    summary = of["summary"][-1]
    final = of["final"][-1] if of["final"] else summary
    over = of["rep"][-1]["end_s"] if of["rep"] else of["set_end"][-1]["end_s"]
    return {
        "film": film.stem,
        "told": len(of["rep"]),
        "offline": final["reps"],
        "late_s": [r["at_s"] - r["end_s"] for r in of["rep"]],
        "summary_s": summary["at_s"] - max(of["set_end"][-1]["at_s"], over),
        "same_cue": summary["finding"] == final["finding"],
        "looks": (looks.looked, looks.dropped),
        "cues": [summary["finding"], final["finding"]],
    }


def main() -> None:
    words = argparse.ArgumentParser(description=__doc__)
    words.add_argument("folder", type=Path, nargs="?", default=DEMO)
    words.add_argument("--speed", type=float, default=1.0)
    words.add_argument("--quick", action="store_true")
    args = words.parse_args()
    share_the_interpreter()
    rows = []
    for film in sorted(args.folder.glob("*.mp4")):
        if not film.with_suffix(".brief.json").exists():
            continue
        row = one(film, args.speed, args.quick)
        rows.append(row)
        late = f"{max(row['late_s'], default=0.0):.2f}"
        counted = f"told {row['told']} offline {row['offline']}"
        dropped = f"{row['looks'][1]} of {sum(row['looks'])} looks dropped"
        print(f"{row['film']:40s} {counted}  latest rep {late} s  summary {row['summary_s']:.1f} s  {dropped}  {row['cues']}", flush=True)
    late_s = [s for row in rows for s in row["late_s"]]
    print(f"count equal on {sum(r['told'] == r['offline'] for r in rows)} of {len(rows)} films")
    print(f"rep known after its end: median {np.median(late_s):.2f} s, 95th percentile {np.percentile(late_s, 95):.2f} s")
    looked, dropped = (sum(r["looks"][k] for r in rows) for k in (0, 1))
    print(f"looks dropped as a newer picture came first: {dropped} of {looked + dropped}")
    print(f"summary after the set's end: longest {max(r['summary_s'] for r in rows):.1f} s")
    if args.quick:
        print(f"machine: {os.cpu_count()} cores, {platform.processor() or platform.machine()}, Python {platform.python_version()}")
        return
    print(f"finding as offline on {sum(r['same_cue'] for r in rows)} of {len(rows)} films")
    print(f"machine: {os.cpu_count()} cores, {platform.processor() or platform.machine()}, Python {platform.python_version()}")


if __name__ == "__main__":
    main()
