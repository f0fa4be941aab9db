"""Features as tiles for web maps: PMTiles and MBTiles of vector tiles."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

import pyarrow as pa

from brisk_atlas.core.model import AtlasError, CannotWrite, DataKind
from brisk_atlas.core.model.language import tr

from ..flows import Flow, RowFlow
from ..step import StepContext
from .features import Driver, features_written, plain_layer_name, plainly_typed
from .format import FileFormat, FormatOption, Loss, Report, enter

DEEPEST = 22
OPTIONS = (
    FormatOption("minimum_zoom", 0, tr("The zoom level of the coarsest tiles")),
    FormatOption("maximum_zoom", 12, tr("The zoom level of the finest tiles")),
    FormatOption("layer", "", tr("The name of the layer; that of the file if empty")),
)


def _written_as(driver: str, **more: str):  # type: ignore[no-untyped-def]
    def write(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
        assert isinstance(flow, RowFlow)
        low, high = options["minimum_zoom"], options["maximum_zoom"]
        if not 0 <= low <= high <= DEEPEST:
            raise AtlasError(
                path,
                tr("zoom levels {low} to {high} are out of range", low=low, high=high),
                tr("They go from 0 to {deepest}.", deepest=DEEPEST),
            )
        if flow.crs is None:
            raise CannotWrite(path, tr("the layer has no CRS"), tr("Add the step “State the CRS”."))

        def batches() -> Iterator[pa.Table]:
            for table in flow.batches():
                yield plainly_typed(table)

        plain = replace(flow, schema=plainly_typed(flow.schema.empty_table()).schema, batches=batches)
        given = {"MINZOOM": str(low), "MAXZOOM": str(high), "NAME": plain_layer_name(options["layer"] or path.stem)}
        return features_written(plain, path, Driver(driver, holds_m=False), {**given, **more}, context, report,
                                layer=options["layer"])  # fmt: skip

    return write


def _losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    high = options.get("maximum_zoom", 12)
    size = 40_075_016.7 / 2**high / 4096
    return [Loss(tr("shapes are simplified for each zoom level; to {size:.2g} m at level {high}", size=size,
            high=high), "GeoPackage"),
            Loss(tr("heights, dates and lists become text or are left out"), "GeoPackage")]  # fmt: skip


VECTOR = frozenset({DataKind.VECTOR})
enter(FileFormat("PMTiles", (".pmtiles",), VECTOR, _written_as("PMTiles"), _losses, OPTIONS,
                 tr("Vector tiles in one file that a web server hands out as it is.")))  # fmt: skip
enter(FileFormat("Vector MBTiles", (".mbtiles",), VECTOR, _written_as("MBTiles"), _losses, OPTIONS,
                 tr("Vector tiles in one SQLite file.")))  # fmt: skip
