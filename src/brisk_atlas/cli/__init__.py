"""The command line: the window, and what works without one; a file a command."""

from __future__ import annotations

import atexit
import gc
import os
import sys
import warnings
from collections.abc import Sequence
from pathlib import Path

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.footing import may_open_many
from brisk_atlas.core.system.lean_imports import load_lean

from .parser_words import speak
from .window_parser import window_parser


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
    speak()
    command = given[0] if given else ""
    if arguments is None and command != "console":
        load_lean()
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
    if command == "desktop":
        from . import desktop

        return desktop.main(given[1:])
    if command == "compile":
        from . import compile_ahead

        return compile_ahead.main(given[1:])
    if command == "console":
        from . import console

        return console.main(given[1:])
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

        print(window_parser().format_help() + tr("\noperations (`brisk-atlas OPERATION --help`):\n") + listing())
        return 0
    asked = window_parser().parse_args(given)
    paths = list(asked.paths)
    pin = served = None
    if asked.demo:
        from brisk_atlas import demo

        paths.insert(0, demo.PROJECT)
        pin, served = demo.DATA, demo.PROJECT
    alone = bool(asked.demo or asked.new_window)
    if not (alone or asked.picture):
        from brisk_atlas.core.system.one_instance import hand_to_running

        if hand_to_running([str(path) for path in paths]):
            return 0
    from brisk_atlas.desktop.settings.chosen_language import take_language
    from brisk_atlas.desktop.settings.numbers_and_dates import take_numbers_and_dates
    from brisk_atlas.desktop.settings.settings_file import window_settings

    take_language(window_settings())
    take_numbers_and_dates(window_settings())
    gc.disable()  # nothing is thrown away while modules load; `run` turns it on again
    from brisk_atlas.desktop import app

    if asked.picture:
        from PyQt6.QtCore import QSize

        page = asked.page or ("desk" if paths else "find")
        return app.picture(paths, asked.picture, page, QSize(*asked.size), pin=pin, served=served, prepare=asked.do)
    return app.run(paths, pin=pin, served=served, log_level=asked.log_level, alone=alone)
