"""`brisk-atlas facts PATH...`: what datasets are."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence

from brisk_atlas.core.model.language import tr


def parser() -> argparse.ArgumentParser:
    made = argparse.ArgumentParser(prog="brisk-atlas facts", description=tr("Say what each dataset is."))
    made.add_argument("paths", nargs="+", metavar="PATH")
    made.add_argument("--json", action="store_true", help=tr("print a list with an object a dataset"))
    return made


def facts(paths: Sequence[str], as_json: bool) -> int:
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
        print(
            tr(
                "{name}: {format}, {kind}, {size}, {files} file(s)",
                name=dataset.ref.name,
                format=dataset.format,
                kind=dataset.kind,
                size=size,
                files=files,
            )
        )
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
