"""`brisk-atlas compile`: what draws and computes, compiled for this machine ahead of its first use."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from importlib import import_module

from brisk_atlas.core.model.language import tr

ROOMS = ("draw", "inspect", "compare", "relief", "strip", "handover")  # of the core, each with kernels to compile


def parser() -> argparse.ArgumentParser:
    """Return the parser of its arguments, of which there are none."""
    return argparse.ArgumentParser(
        prog="brisk-atlas compile",
        description=tr(
            "Compile what draws and computes for this machine, so that the first picture waits for nothing. "
            "The result is stored beside the program where that may be written to, else in the user's cache."
        ),
    )


def main(arguments: Sequence[str]) -> int:
    """Run the command; returns its exit code."""
    parser().parse_args(arguments)
    for number, room in enumerate(ROOMS):
        print(tr("compiling {number} of {count}", number=number + 1, count=len(ROOMS)), file=sys.stderr)
        import_module(f"brisk_atlas.core.{room}.warm").warm()
    return 0
