"""Handing over a piece of a vector layer at once: the steps of recipes, with features that are held."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import CannotWrite, Extent
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.system.scratch import ScratchFolder

from .flows import RowFlow
from .formats import FORMATS as ALL
from .sources import held_flow
from .step import Step, StepContext
from .steps.coordinates import Reproject
from .steps.places import Clip, WithinExtent
from .steps.write import WriteStep

FORMATS = {  # by name: the ending, and what is to be known of it
    name: (ALL[name].endings[0], ALL[name].about) for name in ("GeoPackage", "GeoJSON", "FlatGeobuf", "Shapefile")
}
POLYGONS = "polygons"


@dataclass(frozen=True)
class VectorOrder:
    """What to hand over. `rows` are row numbers (None for all); `fields` names (None for all).

    `within` cuts to an extent; `clip` to polygons given as WKB with their CRS. `crs` is that of the
    result (None keeps the source's).
    """

    path: Path
    format: str
    layer_name: str
    rows: np.ndarray | None = None
    fields: tuple[str, ...] | None = None
    crs: str | None = None
    within: Extent | None = None
    clip: tuple[pa.Array, str | None] | None = None


def hand_over_vector(
    features: Features, order: VectorOrder, report: Callable[[float, str], None] = lambda share, step: None
) -> int:
    """Write a piece of a layer; returns how many features. Raises CannotWrite; `report` may stop it.

    Polygons cut into several pieces are written as multipolygons, so the layer keeps one type.
    """
    suffix = FORMATS[order.format][0]
    path = order.path if order.path.suffix.lower() == suffix else order.path.with_name(order.path.name + suffix)
    if not path.parent.is_dir():
        raise CannotWrite(path, tr("No such file or directory"), tr("Choose a folder that is there."))
    report(0.02, tr("choosing rows"))
    table, wkb = features.table, features.wkb
    if order.fields is not None:
        table = table.select(list(order.fields))
    if order.rows is not None:
        rows = pa.array(np.asarray(order.rows, np.int64))
        table, wkb = table.take(rows), wkb.take(rows)
    done = [0.02]
    with ScratchFolder() as scratch:

        def grown(share: float, step: str) -> None:
            done[0] = max(done[0], 0.05 + 0.94 * share)
            report(min(done[0], 0.99), step)

        context = StepContext(lambda name: _polygons(order), scratch, lambda: report(done[0], ""))
        flow: RowFlow = held_flow(order.layer_name, table, wkb, features.crs)
        steps: list[Step] = []
        if order.within is not None:
            steps.append(WithinExtent(order.within))
        if order.clip is not None:
            steps.append(Clip(POLYGONS))
        if order.crs is not None and features.crs is not None:
            steps.append(Reproject(order.crs))
        for step in steps:
            flow = step.rows(step.flow(flow, context))
        if order.crs is not None:
            context.reject = lambda rows, reason: _refuse(path, reason)
        options = {"layer": order.layer_name} if order.format == "GeoPackage" else {}
        (made,) = WriteStep(str(path), order.format, options).write(flow, context, grown)
    return made.count


def _refuse(path: Path, reason: str) -> None:
    """Refuse to leave out what has no place in another CRS; what an extent or polygons leave out is wanted so."""
    if "no place" in reason:
        raise CannotWrite(path, tr("some features have no place in that CRS"), tr("Choose a CRS made for this area."))


def _polygons(order: VectorOrder) -> RowFlow:
    assert order.clip is not None
    wkb, crs = order.clip
    return held_flow(POLYGONS, pa.table({"n": pa.nulls(len(wkb), pa.int64())}), wkb, crs)
