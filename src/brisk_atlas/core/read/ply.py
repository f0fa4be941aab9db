"""Point clouds in PLY, text or binary; faces are counted and left aside."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
import plyfile

from brisk_atlas.core.model import CannotRead, CloudFacts, DataKind, DataRef, Dataset, Extent, Facts, Field
from brisk_atlas.core.model.cloud import Points
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.remark import no_crs

from .answer import ParsedCloud
from .on_disk import on_disk

BROKEN = tr("The copy may have been cut short; ask for the file again.")
COLOURS = {prefix + name: name for prefix in ("", "diffuse_") for name in ("red", "green", "blue")}
HEAD_BYTES = 65536
SIZES = {"short": 2, "ushort": 2, "int": 4, "uint": 4, "float": 4, "double": 8, "int16": 2, "uint16": 2}
SIZES |= {"int32": 4, "uint32": 4, "float32": 4, "float64": 8}  # bytes of a number; others take one
FULL = 257  # from 8 bits to the 16 bits that colours have in clouds


def _check_room(path: Path) -> None:
    """Raise CannotRead for a head that promises more than the file has room for; the library would make room first."""
    with path.open("rb") as file:
        head = file.read(HEAD_BYTES).partition(b"end_header")[0]
    needs, count, each, text = 0, 0, 0, b"format ascii" in head
    for line in head.splitlines():
        words = line.split()
        if words[:1] == [b"element"] and len(words) == 3 and words[2].isdigit():
            needs, count, each = needs + count * each, int(words[2]), 0
        elif words[:1] == [b"property"] and len(words) >= 3:
            each += 2 if text else 1 if words[1] == b"list" else SIZES.get(words[1].decode("latin-1"), 1)
    if needs + count * each - 1 > path.stat().st_size:
        raise CannotRead(path, tr("its head promises more than it has room for"), BROKEN)


def _vertices(path: Path) -> tuple[np.ndarray, dict[str, int]]:
    _check_room(path)
    try:
        found = plyfile.PlyData.read(str(path), mmap=False)
        others = {element.name: element.count for element in found.elements if element.name != "vertex"}
        return found["vertex"].data, others
    except (plyfile.PlyParseError, KeyError, ValueError, OSError, EOFError, MemoryError, UnicodeDecodeError) as error:
        raise CannotRead(path, tr("it is not a whole PLY file ({error})", error=error), BROKEN) from error


@dataclass(frozen=True)
class PlyCloud(ParsedCloud):
    """The vertices of one PLY file."""


def _points(data: np.ndarray) -> Points:
    xyz = np.column_stack([data[axis].astype(float) for axis in "xyz"])
    rest = {}
    for name in data.dtype.names or ():
        if name in "xyz":
            continue
        values = data[name]
        if name in COLOURS and values.dtype == np.uint8:
            values = values.astype(np.uint16) * FULL
        rest[COLOURS.get(name, name)] = values
    return Points(xyz, rest, None)


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a PLY file. Raises CannotRead."""
    path = ref.path
    data, others = _vertices(path)
    names = data.dtype.names or ()
    if not {"x", "y", "z"} <= set(names):
        raise CannotRead(path, tr("its vertices have no x, y and z"), tr("It may hold something else than points."))
    extent = zrange = None
    placed = data[np.isfinite(data["x"]) & np.isfinite(data["y"]) & np.isfinite(data["z"])]
    if len(placed):
        x0, x1, y0, y1, z0, z1 = (float(v) for axis in "xyz" for v in (placed[axis].min(), placed[axis].max()))
        extent, zrange = Extent(x0, y0, x1, y1, None), (z0, z1)
    cloud = CloudFacts(None, "", tuple(names), zrange)
    fields = tuple(Field(name, str(data.dtype[name])) for name in names)
    notes = {name: f"{count:,}, left aside" for name, count in others.items()}
    facts = Facts(ref.stem, DataKind.POINTCLOUD, len(data), "Point Z", fields, None, extent, cloud=cloud, notes=notes)
    remarks: list[str] = [no_crs()]
    if len(placed) < len(data):
        remarks.append(
            tr(
                "{count:,} of its {count2:,} vertices have no finite position",
                count=len(data) - len(placed),
                count2=len(data),
            )
        )
    part = PlyCloud(ref, facts, _points(data))
    return Dataset(format="PLY", kind=DataKind.POINTCLOUD, parts=(part,), warnings=tuple(remarks), **on_disk(ref))
