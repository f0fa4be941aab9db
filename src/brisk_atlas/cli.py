"""The command line: `brisk-atlas [PATH...]`, `--demo`, `--picture OUT.png`, `facts PATH...`, `record ...`."""

from __future__ import annotations

import argparse
import atexit
import gc
import json
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
        epilog="Without a window: `brisk-atlas facts PATH... [--json]` says what datasets are; `brisk-atlas record "
        "show|check|convert|table|apply|flatten|page|catalogue` works on metadata records.",
    )
    parser.add_argument("paths", nargs="*", type=Path, help="datasets, or one project, to open")
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


def _facts_parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="brisk-atlas facts", description="Say what each dataset is.")
    parser.add_argument("paths", nargs="+", type=Path)
    parser.add_argument("--json", action="store_true", help="print a list with an object a dataset")
    return parser


def facts(paths: Sequence[Path], as_json: bool) -> int:
    """Print what each dataset is; returns 1 if any could not be read."""
    from brisk_atlas.core import read
    from brisk_atlas.core.model import AtlasError, Dataset, size_text

    found: list[Dataset] = []
    failed = False
    for path in paths:
        try:
            found.append(read.open(path))
        except AtlasError as error:
            failed = True
            print(" ".join(str(error).split()), file=sys.stderr)
    if as_json:
        print(json.dumps([dataset.as_json() for dataset in found], indent=2, allow_nan=False))
        return int(failed)
    for dataset in found:
        size, files = size_text(dataset.size_bytes), len(dataset.members)
        print(f"{dataset.ref.name}: {dataset.format}, {dataset.kind}, {size}, {files} file(s)")
        for part in dataset.parts:
            f = part.facts
            if f.grid:
                size = f"{f.grid.width} x {f.grid.height} cells, {len(f.grid.bands)} band(s)"
            else:
                size = "" if f.count is None else f"{f.count:,}"
            print(f"  {f.name}: {f.geometry_type or f.kind}, {size}, {(f.crs or 'no CRS')[:60]}")
        for warning in dataset.warnings:
            print(f"  ! {warning}")
    return int(failed)


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
    if given[:1] == ["facts"]:
        asked = _facts_parser().parse_args(given[1:])
        return facts(asked.paths, asked.json)
    if given[:1] == ["record"]:
        from brisk_atlas import cli_record

        return cli_record.main(given[1:])
    asked = _window_parser().parse_args(given)
    paths = list(asked.paths)
    pin = None
    if asked.demo:
        from brisk_atlas import demo

        paths.insert(0, demo.PROJECT)
        pin = demo.DATA
    gc.disable()  # nothing is thrown away while modules load; `run` turns it on again
    from brisk_atlas.desktop import app

    if asked.picture:
        from PyQt6.QtCore import QSize

        page = asked.page or ("desk" if paths else "find")
        return app.picture(paths, asked.picture, page, QSize(*asked.size), pin=pin, prepare=asked.do)
    return app.run(paths, pin=pin, log_level=asked.log_level)
