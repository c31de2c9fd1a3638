"""Movement by fault: what was planted in films with truth, what was found, what was said that is not there.

`python -m bench.faults [--cache DIR] [FILM.mp4 ...]` prints one row per movement and fault, and exits 1 on a false alarm.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections import Counter
from pathlib import Path

from bench.accuracy import analysed, films


def tally(paths: list[Path], cache: Path | None) -> dict[tuple[str, str], Counter[str]]:
    """(movement, fault) -> how often planted, found and missed, and false alarms."""
    out: dict[tuple[str, str], Counter[str]] = {}
    for path in paths:
        truth = json.loads(path.with_suffix("").with_suffix(".truth.json").read_text())
        findings = analysed(path, False, 1, cache, truth).judgement.findings
        allowed = {t["code"] for t in truth["tolerated"]}
        for fault in truth["faults"]:
            codes = {fault["code"], *fault.get("accept_also", [])}
            allowed |= codes
            row = out.setdefault((truth["movement"], fault["code"]), Counter())
            row["planted"] += 1
            row["found" if any(f.code in codes for f in findings) else "missed"] += 1
        for finding in findings:
            if finding.code not in allowed:
                out.setdefault((truth["movement"], finding.code), Counter())["false"] += 1
        out.setdefault((truth["movement"], "(films)"), Counter())["planted"] += 1
    return out


def main() -> None:
    """Command line."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("films", nargs="*")
    parser.add_argument("--cache", type=Path)
    args = parser.parse_args()
    rows = tally(list(films(args.films)), args.cache)
    print(f"{'movement':24s} {'fault':24s} planted found missed false")
    for (movement, fault), n in sorted(rows.items()):
        print(f"{movement:24s} {fault:24s} {n['planted']:7d} {n['found']:5d} {n['missed']:6d} {n['false']:5d}")
    sys.exit(1 if any(n["false"] for n in rows.values()) else 0)


if __name__ == "__main__":
    main()
