"""Speed as ratios of the film's length: `python -m bench.speed FILM.mp4`. Name the machine beside the numbers."""

from __future__ import annotations

import argparse
import resource
import time
from collections.abc import Callable
from pathlib import Path

from deepmirror.exchange.brief import read_brief
from deepmirror.media.film import Film
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.looking import look
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.analysis import conclude
from deepmirror.services.films.observation import FINAL, QUICK, observe


def timed(work: Callable[[], object]) -> tuple[float, object]:
    """Seconds and result."""
    started = time.perf_counter()
    result = work()
    return time.perf_counter() - started, result


def main() -> None:
    """Command line."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("film", type=Path)
    args = parser.parse_args()
    brief, catalogue = read_brief(args.film.with_suffix(".brief.json")), load_catalogue()
    movement = catalogue.movement(brief.file.movement)
    with Film(args.film) as film:
        length = film.facts.duration_s
        decode, _ = timed(lambda: sum(1 for _ in film.stream_grey()))

        def network() -> object:
            every = FINAL.every(film.times)
            frames = ((i * every, p) for i, p in enumerate(film.stream(every)))
            return look(frames, film.times, FINAL, {}, lambda _: None)

        only_network, _ = timed(network)
        quick, seen = timed(lambda: observe(film, brief, movement, Progress(), QUICK))
        first, _ = timed(lambda: conclude(film.facts, brief, catalogue, seen))  # type: ignore[arg-type]
        final, seen = timed(lambda: observe(film, brief, movement, Progress(), FINAL))
        solve, _ = timed(lambda: conclude(film.facts, brief, catalogue, seen))  # type: ignore[arg-type]
        print(f"film {length:.1f} s, {film.facts.width} x {film.facts.height}, {film.facts.fps:.0f} frames/s")
    rows = (
        ("decode only", decode),
        ("network only", only_network),
        ("quick result", quick + first),
        ("final result", final + solve),
        ("solve again", solve),
    )
    for name, seconds in rows:
        print(f"{name:14s} {seconds:6.1f} s   {seconds / length:5.2f} x film   {seconds / decode:6.1f} x decode")
    print(f"largest memory {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")


if __name__ == "__main__":
    main()
