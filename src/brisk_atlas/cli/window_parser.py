"""The arguments of the window."""

from __future__ import annotations

import argparse
from pathlib import Path

from brisk_atlas.core.model.language import tr
from brisk_atlas.version import VERSION

PAGES = ("find", "desk", "record", "handover")


def _size(text: str) -> tuple[int, int]:
    width, _, height = text.lower().partition("x")
    if not (width.isdigit() and height.isdigit() and 320 <= int(width) <= 8000 and 240 <= int(height) <= 8000):
        raise argparse.ArgumentTypeError(tr("'{text}' is not a size such as 1280x800", text=text))
    return int(width), int(height)


def window_parser() -> argparse.ArgumentParser:
    """Return the parser of the arguments of the window."""
    parser = argparse.ArgumentParser(
        prog="brisk-atlas",
        description=tr("Open spatial data and see what it is."),
        epilog=tr(
            "Without a window: `brisk-atlas facts PATH... [--json]` says what datasets are; "
            "`brisk-atlas compare A B` says what differs between two deliveries; `brisk-atlas record "
            "show|check|convert|table|apply|flatten|page|catalogue` works on metadata records; `brisk-atlas step` "
            "does one step of a recipe; `brisk-atlas desktop install` puts the application into the menu; `brisk-atlas "
            "compile` spares the first picture its wait; `brisk-atlas "
            "depot` shares layers with colleagues and everybody; `brisk-atlas "
            "stand-in` offers a project on this machine as services would."
        ),
    )
    parser.add_argument("paths", nargs="*", help=tr("datasets, one project, or a link to a view, to open"))
    parser.add_argument("--demo", action="store_true", help=tr("open the shipped survey of Tolvane Island"))
    parser.add_argument(
        "--picture", type=Path, metavar="OUT.png", help=tr("draw the window into a picture and exit; needs no display")
    )
    parser.add_argument("--page", choices=PAGES, default=None, help=tr("the page to show in the picture"))
    parser.add_argument(
        "--size", type=_size, default=(1280, 800), metavar="WxH", help=tr("the picture's size, 1280x800 if not given")
    )
    parser.add_argument(
        "--do",
        action="append",
        default=[],
        metavar="COMMAND",
        help=tr("run a command of the window before the picture is taken"),
    )
    parser.add_argument(
        "--new-window",
        action="store_true",
        help=tr("open a window of its own, also where the application runs already"),
    )
    parser.add_argument(
        "--log-level", choices=("DEBUG", "INFO", "WARNING", "ERROR"), default="INFO", help=tr("how much is logged")
    )
    parser.add_argument("--version", action="version", version=f"Brisk Atlas {VERSION}")
    return parser
