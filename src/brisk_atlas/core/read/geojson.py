"""GeoJSON that is about to be drawn: parsed once, for its facts and for its features.

The library parses such a file as a whole each time it is asked about it. It does not say the name of the layer with
the features, so that is read here: the member `name` of the collection, or else the file's own.
"""

from __future__ import annotations

import json
import warnings
from collections.abc import Iterator
from dataclasses import dataclass, field

import pyarrow as pa
import shapely

from brisk_atlas.core.model import Capability, DataKind, DataRef, Dataset, FeatureQuery

from . import vector
from .answer import ArrowLayer, batches_of
from .on_disk import on_disk

LARGEST = 400_000_000  # bytes of a file that is held; what is larger is asked for its facts first
LOOK = 65_536  # bytes at either end in which the members of the collection are looked for


@dataclass(frozen=True)
class HeldLayer(ArrowLayer):
    """The features of a file that were parsed with its facts, geometry in the last column."""

    able = Capability.NONE
    held: pa.Table = field(compare=False, repr=False)

    def batches(self, query: FeatureQuery, *, geometry: bool = True) -> Iterator[pa.RecordBatch]:
        last = self.held.num_columns - 1
        yield from batches_of(self.held if geometry else self.held.remove_column(last))


def parse_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a GeoJSON file with its features held. Raises CannotRead."""
    name = layer_name(ref)
    if name is None:
        return vector.open_dataset(ref)
    vector.check_whole(ref)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        about, table = vector.read_arrow(ref, None)
    if about["geometry_type"] is None:
        return vector.open_dataset(ref)
    shapes = shapely.from_wkb(table.column(table.num_columns - 1).to_numpy())
    bounds = shapely.total_bounds(shapes) if len(shapes) else None
    facts = vector.facts_from(name, about, table.num_rows, bounds)
    part = HeldLayer(ref, facts, table)
    return Dataset(
        format=vector.FORMATS[".geojson"],
        kind=DataKind.VECTOR,
        parts=(part,),
        warnings=tuple(vector.remarks(facts)),
        **on_disk(ref),
    )


def layer_name(ref: DataRef) -> str | None:
    """Return the name that the library gives to the only layer of a file on the disk; None where it has to be asked."""
    if not ref.is_local or ref.path.stat().st_size > LARGEST:
        return None
    with ref.path.open("rb") as file:
        head = file.read(LOOK)
        file.seek(max(0, ref.path.stat().st_size - LOOK))
        tail = file.read()
    before, mark, _ = head.partition(b'"features"')
    _, end, after = tail.rpartition(b"]")
    if not mark or not end:
        return None
    try:
        first = json.loads(before.decode("utf-8-sig").rstrip().rstrip(",").rstrip() + "}")
        last = json.loads("{" + after.decode("utf-8").strip().lstrip(",")) if after.strip() != b"}" else {}
    except ValueError:  # such as a member after the features that has brackets itself
        return None
    members = {**first, **last}
    if members.get("type") != "FeatureCollection" or not isinstance(members.get("name", ""), str):
        return None
    return str(members.get("name", ref.path.stem))
