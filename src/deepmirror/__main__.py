"""Command line: parse the words and hand over to bootstrap."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path


def parser() -> argparse.ArgumentParser:
    """The commands and their options."""
    top = argparse.ArgumentParser(prog="deepmirror", description="Measures, judges and answers films of leg training.")
    commands = top.add_subparsers(dest="command")
    window = commands.add_parser("window", help="open the program (default)")
    window.add_argument("--library", type=Path, help="library folder; the usual one when absent")
    window.add_argument("--demo", action="store_true", help="fill the library with the invented demo clients and films")
    batch = commands.add_parser("analyse", help="analyse one film without a window")
    batch.add_argument("clip", type=Path)
    batch.add_argument("--brief", type=Path, required=True, help="what the coach knows: JSON")
    batch.add_argument("--out", type=Path, required=True, help="folder for measures.json")
    batch.add_argument("--reply", action="store_true", help="also write the annotated reply")
    return top


def main(words: list[str] | None = None) -> int:
    """Run; returns the exit code: 0 done, 2 bad input (one line on stderr)."""
    args = parser().parse_args(words)
    from deepmirror import bootstrap

    if args.command == "analyse":
        return bootstrap.run_batch(args.clip, args.brief, args.out, args.reply)
    return bootstrap.run_window(getattr(args, "library", None), getattr(args, "demo", False))


if __name__ == "__main__":
    sys.exit(main())
