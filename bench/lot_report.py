"""Films drawn by lot, told as a page: `python -m bench.lot_report DIR [--cache DIR] [--only A-B]`.

Scores every film with one frame clicked and without, and prints Markdown: the goals, the films that fail first, and each family of
movements from each view. `docs/accuracy.md` holds what it printed.
"""

from __future__ import annotations

import argparse
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path

import numpy as np

from bench.accuracy import ANGLES, short
from bench.lot import CLOSE, GOALS, TURN_S, Scored, failures, large_found, reached, score, wanted

Rows = list[Scored]
LEAST_INSIDE = 0.8  # of a film's measures


def share(hits: list[bool]) -> str:
    """How many of them, in per cent and counted."""
    return f"{100 * sum(hits) / len(hits):.0f} % of {len(hits)}" if hits else "none"


def inside(rows: Rows) -> str:
    """Measures inside their bands, in all these films together."""
    kept, of = np.sum([r.inside for r in rows], axis=0)
    return f"{100 * kept / of:.1f} % of {of}" if of else "none"


def holding(rows: list[Scored]) -> list[bool]:
    """Of each film with measures that can be compared, whether enough of them lie inside their bands."""
    return [row.inside[0] >= LEAST_INSIDE * row.inside[1] for row in rows if row.inside[1]]


def table(head: list[str], lines: list[list[str]]) -> str:
    """A Markdown table."""
    return "\n".join("| " + " | ".join(line) + " |" for line in (head, ["---"] * len(head), *lines))


def goals(clicked: Rows, bare: Rows) -> str:
    """What must be reached, and what was."""
    told: list[tuple[str, str, Callable[[Rows], str]]] = [
        ("repetitions exact", "97 %", lambda rows: share([r.reps[0] == r.reps[1] for r in rows])),
        ("phase boundaries, median over films", "1 frame", lambda rows: f"{np.nanmedian([r.boundary_frames for r in rows]):.2f} frames"),
        (f"films with a turn-round over {TURN_S} s off", "0", lambda rows: str(sum(r.turn_off_s > TURN_S for r in rows))),
        ("measures inside ± u", "90 to 98 %", inside),
        ("films with at least 80 % inside", "100 %", lambda rows: share(holding(rows))),
        ("films with a verdict on the wrong side", "0", lambda rows: str(sum(bool(r.wrong) for r in rows))),
        ("films with a false alarm", "2 %", lambda rows: share([bool(r.alarms) for r in rows])),
        ("planted faults found", "", lambda rows: share([p.found for r in rows for p in r.planted])),
        ("of those larger than limit + 2 u of a clean film", "95 %", lambda rows: share(large_found(rows))),
        ("films refused whole", "", lambda rows: str(sum(bool(r.refused) for r in rows))),
    ]
    lines = [[name, asked, tell(clicked), tell(bare)] for name, asked, tell in told]
    for limits in (GOALS[True], GOALS[False], CLOSE):
        for angle, (median, tail) in limits.items():
            hits = [share([reached(r, angle, limits) for r in rows if "side" in r.kind]) for rows in (clicked, bare)]
            only = [hits[0], ""] if limits is GOALS[True] else ["", hits[1]]
            lines.append([f"{short(angle)} within {median:g} and {tail:g}°, side films", "80 %", *only])
    return table(["", "asked", "clicked", "not clicked"], lines)


def films(clicked: Rows, bare: Rows) -> str:
    """A line a film: those that fail first."""
    order = sorted(zip(clicked, bare, strict=True), key=lambda pair: -max(failures(r, c) for r, c in zip(pair, (True, False), strict=True)))
    return table(["film", "", "clicked", "not clicked"], [[a.name.rpartition("_")[2], a.kind, one(a), one(b)] for a, b in order])


def one(row: Scored) -> str:
    """What came of one film."""
    if row.refused:
        return f"refused: {row.refused}"
    said = [f"{row.inside[0]} of {row.inside[1]} inside"]
    if row.reps[0] != row.reps[1]:
        said.append(f"**{row.reps[1]} of {row.reps[0]} repetitions**")
    said += [f"**{name}: {line}**" for name, lines in (("wrong side", row.wrong), ("false alarm", row.alarms)) for line in lines]
    said += [f"missed {code}" for code in row.missed]
    said.append(" ".join(f"{short(a).split('_')[0]} {m:.1f}/{p:.1f}" for a, (m, p) in row.angles.items()))
    return "; ".join(s for s in said if s)


def families(clicked: Rows, bare: Rows) -> str:
    """Each family of movements from each view: clicked and not, one line each."""
    kinds = sorted({(r.family, r.view) for r in clicked if r.family})
    lines = []
    for family, view in kinds:
        for name, rows in (("clicked", clicked), ("not", bare)):
            own = [r for r in rows if (r.family, r.view) == (family, view)]
            angles = [middle(own, a) for a in ANGLES]
            found = share([p.found for r in own for p in r.planted])
            exact = share([r.reps[0] == r.reps[1] for r in own])
            lines.append([f"{family}, {view}", name, exact, inside(own), share(holding(own)), found, *angles])
    head = ["", "", "repetitions exact", "inside ± u", "films with 80 %", "faults found", *(f"{short(a)}, °" for a in ANGLES)]
    return table(head, lines)


def middle(rows: Rows, angle: str) -> str:
    """Geometric mean over films of the median error and of the 95th percentile."""
    got = np.array([r.angles[angle] for r in rows if angle in r.angles])
    if not len(got):
        return ""
    median, tail = np.exp(np.log(np.maximum(got, 0.1)).mean(axis=0))
    return f"{median:.1f} / {tail:.1f}"


def main() -> None:
    """Command line."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--cache", type=Path, help="keep what was seen here, to solve again quickly")
    parser.add_argument("--only", help="seeds A-B")
    parser.add_argument("--jobs", type=int, default=2)
    args = parser.parse_args()
    chosen = wanted(args.only, args.folder)
    with ProcessPoolExecutor(args.jobs) as pool:
        clicked, bare = (list(pool.map(partial(score, auto=auto, cache=args.cache), chosen)) for auto in (False, True))
    print(f"{len(clicked)} films, {sum(r.length_s for r in clicked):.0f} s.\n")
    for title, page in (("Goals", goals), ("Every film, those that fail first", films), ("By family and view", families)):
        print(f"### {title}\n\n{page(clicked, bare)}\n")


if __name__ == "__main__":
    main()
