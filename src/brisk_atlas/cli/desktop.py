"""`brisk-atlas desktop install`: a place in the menu, an icon, kinds of files, a manual page and completion."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from pathlib import Path

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr


def parser() -> argparse.ArgumentParser:
    """Return the parser of its arguments."""
    made = argparse.ArgumentParser(
        prog="brisk-atlas desktop", description=tr("Make the application known to the desktop.")
    )
    made.add_argument("deed", choices=("install", "remove"), help=tr("write the files, or remove them"))
    made.add_argument(
        "--prefix", type=Path, metavar="DIR", help=tr("where shared files lie; ~/.local/share if not given")
    )
    return made


def main(arguments: Sequence[str]) -> int:
    """Run the command; returns its exit code."""
    from brisk_atlas import desktop_entry

    from .manual import bash_completion, manual_page

    asked = parser().parse_args(arguments)
    prefix = asked.prefix or desktop_entry.data_home()
    try:
        more = {"man/man1/brisk-atlas.1": manual_page().encode(),
                "bash-completion/completions/brisk-atlas": bash_completion().encode()}  # fmt: skip
        done = desktop_entry.install(prefix, more) if asked.deed == "install" else desktop_entry.remove(prefix, more)
    except AtlasError as error:
        print(tr("brisk-atlas desktop: {error}", error=error), file=sys.stderr)
        return 1
    for path in done:
        print(path)
    return 0
