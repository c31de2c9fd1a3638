"""Command line: parse the words and hand over to bootstrap."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path
from typing import NoReturn


class OneLine(argparse.ArgumentParser):
    """Refuses in one line, as every command does."""

    def error(self, message: str) -> NoReturn:
        self.exit(2, f"{self.prog}: {' '.join(message.split())} ({self.prog} --help tells more)\n")


def parser() -> argparse.ArgumentParser:
    """The commands and their options."""
    top = OneLine(prog="deepmirror", description="Measures, judges and answers films of leg training.")
    commands = top.add_subparsers(dest="command", parser_class=OneLine)
    window = commands.add_parser("window", help="open the program (default)")
    window.add_argument("--library", type=Path, help="library folder; the usual one when absent")
    window.add_argument("--demo", action="store_true", help="fill the library with the invented demo clients and films")
    window.add_argument("--inbox", type=Path, help="folder that is watched for films and bundles; the library's “inbox” when absent")
    window.add_argument("--outbox", type=Path, help="folder that replies are put into; the library's “outbox” when absent")
    batch = commands.add_parser("analyse", help="analyse one film without a window")
    batch.add_argument("clip", type=Path)
    batch.add_argument("--brief", type=Path, required=True, help="what the coach knows: JSON")
    batch.add_argument("--out", type=Path, required=True, help="folder for measures.json")
    batch.add_argument("--reply", action="store_true", help="also write the annotated reply")
    build = commands.add_parser("build", help="what this client's body must do, as JSON")
    build.add_argument("client", type=Path, help="the brief's client part: JSON")
    build.add_argument("--movement", default="back_squat")
    build.add_argument("--depth", default="parallel", help="parallel, deepest, or degrees (thigh over level; knee flexion on machines)")
    build.add_argument("--heel-lift-cm", type=float, default=0.0)
    build.add_argument("--bar", choices=("high", "low", "front", "goblet", "none", "belt"))
    build.add_argument("--knees-open-deg", type=float, default=0.0)
    build.add_argument("--load-kg", type=float, default=0.0)
    build.add_argument("--foot-height-cm", type=float, help="machines: ankle over the rail's line through the hip")
    plan = commands.add_parser("plan", help="a client's next session worked out, as JSON")
    plan.add_argument("client", type=Path, help="plan, equipment, history and pain: JSON")
    plan.add_argument("--date", required=True, help="the day it is worked out on, like 2026-10-05")
    live = commands.add_parser("live", help="feed a film like a camera and say what happens, as lines of JSON")
    live.add_argument("--film", type=Path, required=True)
    live.add_argument("--brief", type=Path, required=True, help="what the coach knows: JSON")
    live.add_argument("--speed", default="1", help="times real time; 0: as fast as it goes")
    backup = commands.add_parser("backup", help="write a whole library into one file, read back and checked")
    backup.add_argument("file", type=Path)
    backup.add_argument("--library", type=Path, help="library folder; the usual one when absent")
    restore = commands.add_parser("restore", help="make a library of such a file, in an empty folder")
    restore.add_argument("file", type=Path)
    restore.add_argument("--library", type=Path, required=True, help="folder that is not there yet, or is empty")
    menu = commands.add_parser("menu", help="put the program into the menu of your desktop")
    menu.add_argument("--remove", action="store_true", help="take it out again")
    look = commands.add_parser("look", help="find and follow the body in a film, for the window's background work")
    look.add_argument("clip", type=Path)
    look.add_argument("--brief", type=Path, required=True)
    look.add_argument("--out", type=Path, required=True, help="evidence file (.npz) to write")
    look.add_argument("--what", choices=("quick", "final", "follow"), default="final")
    look.add_argument("--movements", type=Path, help="folder of own movement definitions")
    commands.add_parser("conclude", help="work out films' numbers, for the window's background work: evidence in, analyses out, by pipes")
    commands.add_parser("floor", help="run a camera for the window's Floor: commands in, messages out, by pipes")
    movements = commands.add_parser("movements", help="list and check the movement definitions")
    movements.add_argument("--library", type=Path, help="library folder; own definitions lie in its folder “movements”")
    movements.add_argument("--copy", metavar="ID", help="copy a shipped definition into that folder, to be changed")
    return top


def main(words: list[str] | None = None) -> int:
    """Run; returns the exit code: 0 done, 1 a mistake of the program, 2 refused, 130 stopped; with one line on stderr but for 0."""
    args = parser().parse_args(words)
    from deepmirror import bootstrap

    windowless: dict[str, Callable[[], int]] = {
        "analyse": lambda: bootstrap.run_batch(args.clip, args.brief, args.out, args.reply),
        "build": lambda: bootstrap.run_build(args),
        "plan": lambda: bootstrap.run_plan(args.client, args.date),
        "live": lambda: bootstrap.run_live(args.film, args.brief, args.speed),
        "backup": lambda: bootstrap.run_backup(args.library, args.file),
        "restore": lambda: bootstrap.run_restore(args.file, args.library),
        "menu": lambda: bootstrap.run_menu(args.remove),
        "look": lambda: bootstrap.run_look(args),
        "conclude": bootstrap.run_conclude,
        "floor": bootstrap.run_floor,
        "movements": lambda: bootstrap.run_movements(args.library, args.copy),
    }
    if args.command in windowless:
        return bootstrap.ending(windowless[args.command])
    named = (getattr(args, name, None) for name in ("inbox", "outbox"))
    return bootstrap.run_window(getattr(args, "library", None), getattr(args, "demo", False), *named)


def run() -> None:
    """The command: run, and end the process."""
    from deepmirror import bootstrap

    bootstrap.leave(main())


if __name__ == "__main__":
    run()
