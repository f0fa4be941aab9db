"""The command line: the window, and what works without one; a file a command."""

from __future__ import annotations

import argparse
import atexit
import gc
import os
import sys
import warnings
from collections.abc import Sequence
from pathlib import Path

from brisk_atlas import __version__
from brisk_atlas.core.system.footing import may_open_many

PAGES = ("find", "desk", "record", "handover")


def _size(text: str) -> tuple[int, int]:
    width, _, height = text.lower().partition("x")
    if not (width.isdigit() and height.isdigit() and 320 <= int(width) <= 8000 and 240 <= int(height) <= 8000):
        raise argparse.ArgumentTypeError(f"'{text}' is not a size such as 1280x800")
    return int(width), int(height)


def _window_parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="brisk-atlas",
        description="Open spatial data and see what it is.",
        epilog="Without a window: `brisk-atlas facts PATH... [--json]` says what datasets are; "
        "`brisk-atlas compare A B` says what differs between two deliveries; `brisk-atlas record "
        "show|check|convert|table|apply|flatten|page|catalogue` works on metadata records; `brisk-atlas step` "
        "does one step of a recipe; `brisk-atlas depot` shares layers with colleagues and everybody; `brisk-atlas "
        "stand-in` offers a project on this machine as services would.",
    )
    parser.add_argument("paths", nargs="*", help="datasets, one project, or a link to a view, to open")
    parser.add_argument("--demo", action="store_true", help="open the shipped survey of Tolvane Island")
    parser.add_argument(
        "--picture", type=Path, metavar="OUT.png", help="draw the window into a picture and exit; needs no display"
    )
    parser.add_argument("--page", choices=PAGES, default=None, help="the page to show in the picture")
    parser.add_argument(
        "--size", type=_size, default=(1280, 800), metavar="WxH", help="the picture's size, 1280x800 if not given"
    )
    parser.add_argument(
        "--do",
        action="append",
        default=[],
        metavar="COMMAND",
        help="run a command of the window before the picture is taken",
    )
    parser.add_argument(
        "--log-level", choices=("DEBUG", "INFO", "WARNING", "ERROR"), default="INFO", help="how much is logged"
    )
    parser.add_argument("--version", action="version", version=f"Brisk Atlas {__version__}")
    return parser


def _end_quietly() -> None:
    """Drop what libraries report about themselves while the process is taken down."""
    sys.stderr.flush()
    os.dup2(os.open(os.devnull, os.O_WRONLY), 2)


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the program; returns its exit code."""
    given = list(sys.argv[1:] if arguments is None else arguments)
    may_open_many()
    atexit.register(_end_quietly)
    if not sys.warnoptions:
        warnings.simplefilter("ignore")  # what libraries remark to programmers; the window's go into its log
    command = given[0] if given else ""
    if command == "facts":
        from .facts import facts, parser

        chosen = parser().parse_args(given[1:])
        return facts(chosen.paths, chosen.json)
    if command == "compare":
        from . import compare

        return compare.main(given[1:])
    if command == "stand-in":
        from . import stand_in

        return stand_in.main(given[1:])
    if command == "depot":
        from . import depot

        return depot.main(given[1:])
    if command == "step":
        from . import step

        return step.main(given[1:])
    if command == "record":
        from . import record

        return record.main(given[1:])
    if command and not command.startswith("-") and (given[1:] or not Path(command).exists()):
        from brisk_atlas.core.operations import COMMANDS

        two_words = f"{command}-{given[1]}" if len(given) > 1 else ""  # such as `lines list`
        if command in COMMANDS or two_words in COMMANDS:
            from .operation import run

            return run(command, given[1:]) if command in COMMANDS else run(two_words, given[2:])
    if command in ("-h", "--help"):
        from .operation import listing

        print(_window_parser().format_help() + "\noperations (`brisk-atlas OPERATION --help`):\n" + listing())
        return 0
    asked = _window_parser().parse_args(given)
    paths = list(asked.paths)
    pin = served = None
    if asked.demo:
        from brisk_atlas import demo

        paths.insert(0, demo.PROJECT)
        pin, served = demo.DATA, demo.PROJECT
    gc.disable()  # nothing is thrown away while modules load; `run` turns it on again
    from brisk_atlas.desktop import app

    if asked.picture:
        from PyQt6.QtCore import QSize

        page = asked.page or ("desk" if paths else "find")
        return app.picture(paths, asked.picture, page, QSize(*asked.size), pin=pin, served=served, prepare=asked.do)
    return app.run(paths, pin=pin, served=served, log_level=asked.log_level)
