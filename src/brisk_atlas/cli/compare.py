"""`brisk-atlas compare A B`: what differs between two deliveries, by the exit code too: 0 nothing, 1 something."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr

from .operation import source_from


def parser() -> argparse.ArgumentParser:
    """Return the parser of the command's arguments."""
    made = argparse.ArgumentParser(
        prog="brisk-atlas compare",
        description=tr(
            "Say what changed from one delivery to the next: layers, rows, shapes, values, fields, cells and "
            "records. Exit 0 when nothing differs, 1 when something does, 2 when that is unknown."
        ),
    )
    made.add_argument("before", metavar="A", help=tr("the earlier dataset, PATH[#PART] or an address"))
    made.add_argument("after", metavar="B", help=tr("the later one"))
    made.add_argument(
        "--key", nargs="+", metavar="FIELD", help=tr("the fields that identify rows; guessed if not given")
    )
    made.add_argument("--tolerance", type=float, default=0.0, help=tr("up to which numbers count as equal"))
    made.add_argument("--tolerance-m", type=float, default=0.0, help=tr("metres up to which shapes count as equal"))
    made.add_argument("--report", type=Path, metavar="OUT.html", help=tr("a page to write of it"))
    made.add_argument("--patch", type=Path, metavar="OUT.gpkg", help=tr("a GeoPackage to write of the changes"))
    made.add_argument("--json", action="store_true", help=tr("print the result as JSON"))
    return made


def main(arguments: list[str]) -> int:
    """Compare; returns the exit code."""
    asked = parser().parse_args(arguments)
    from brisk_atlas.core.operations import Compare
    from brisk_atlas.core.workspace import Workspace

    key = tuple(asked.key) if asked.key else None
    try:
        a, b = (source_from(text, ()) for text in (asked.before, asked.after))
        with Workspace() as workspace:
            order = Compare(a, b, key, asked.tolerance, asked.tolerance_m, asked.report, asked.patch)
            result = order.run(workspace)
    except AtlasError as error:
        print(" ".join(str(error).split()), file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        print(tr("Cancelled."), file=sys.stderr)
        return 130
    print(json.dumps(result.as_json(), indent=2, ensure_ascii=False) if asked.json else "\n".join(result.lines()))
    return 1 if result.differs else 0 if result.change.is_certain else 2
