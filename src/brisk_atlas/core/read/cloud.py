"""Point clouds (LAS and LAZ) through laspy."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import laspy
import numpy as np
from laspy.errors import LaspyException

from brisk_atlas.core.model import (
    ALL_POINTS,
    CannotRead,
    CloudFacts,
    CloudPart,
    DataKind,
    DataRef,
    Dataset,
    Extent,
    Facts,
    Field,
    PointQuery,
)
from brisk_atlas.core.model.cloud import Points
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.remark import no_crs
from brisk_atlas.core.place import text_of

from .on_disk import on_disk
from .points_decoder import PIECE, DamagedPoints, decode

BROKEN = tr("The copy may have been cut short; ask for the file again.")


@dataclass(frozen=True)
class LasCloud(CloudPart):
    """The points of one LAS or LAZ file."""

    def read(self, query: PointQuery = ALL_POINTS, report: Callable[[float], None] = lambda share: None) -> Points:
        whole = self.facts.count or 0
        if query.limit is None:
            return self._read([(0, whole)], report, query.dimensions)
        pieces = max(1, min(query.limit, whole) // PIECE)
        starts = np.linspace(0, max(0, whole - PIECE), pieces).astype(int) // PIECE * PIECE
        runs = [(int(at), min(PIECE, whole - int(at))) for at in np.unique(starts)]
        return self._read(runs, report, query.dimensions)

    def _read(
        self, runs: list[tuple[int, int]], report: Callable[[float], None], only: tuple[str, ...] | None = None
    ) -> Points:
        """Read runs of points (first, count), in the order of the file."""
        try:
            arrays = decode(self.ref.path, runs, only, report)
        except (DamagedPoints, LaspyException, OSError) as error:
            raise CannotRead(self.ref, str(error), BROKEN) from error
        return Points(arrays.pop("xyz"), arrays, self.facts.crs)


def _check_lists(path: Path) -> None:
    """Raise CannotRead for a header that promises more records than the file has room for; the library would look
    for each of them. Layout: LAS 1.4 R15, tables 3 and 8."""
    size = path.stat().st_size
    with path.open("rb") as file:
        head = file.read(375)
    if len(head) < 227:
        raise CannotRead(path, tr("it ends within its header"), BROKEN)
    records = int.from_bytes(head[100:104], "little") * 54
    if head[24:26] >= b"\x01\x04" and len(head) >= 247:
        records += int.from_bytes(head[243:247], "little") * 60
    if records > size:
        raise CannotRead(path, tr("its header promises more records than it has room for"), BROKEN)


def _check_whole(path: Path, header: laspy.LasHeader) -> None:
    size = path.stat().st_size
    if header.are_points_compressed:
        with path.open("rb") as file:
            file.seek(header.offset_to_point_data)
            table = int.from_bytes(file.read(8), "little", signed=True)  # where the chunk table stands
        if table != -1 and table + 8 > size:
            raise CannotRead(path, tr("its compressed points end too soon"), BROKEN)
    elif header.offset_to_point_data + header.point_count * header.point_format.size > size:
        raise CannotRead(
            path,
            tr(
                "it is too short for the {point_count:,} points that its header promises",
                point_count=header.point_count,
            ),
            BROKEN,
        )


def _triple(values: np.ndarray) -> tuple[float, float, float]:
    x, y, z = map(float, values)
    return x, y, z


def _text(words: str | bytes) -> str:
    """Return a text of the header, which the library gives as bytes where it is not ASCII."""
    return (words.decode("latin-1") if isinstance(words, bytes) else words).strip("\0 ")


def _records(header: laspy.LasHeader) -> list:
    return [*header.vlrs, *(header.evlrs or ())]


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a LAS or LAZ file. Raises CannotRead."""
    path = ref.path
    _check_lists(path)
    try:
        with laspy.open(path) as source:
            header = source.header
            _check_whole(path, header)
            parsed = header.parse_crs()
    except (LaspyException, OSError, ValueError, RuntimeError, IndexError) as error:
        raise CannotRead(path, str(error) or tr("its header is damaged"), BROKEN) from error
    if not (np.isfinite(header.scales).all() and np.all(header.scales) and np.isfinite(header.offsets).all()):
        raise CannotRead(path, tr("its scale is 0 or no number, so that positions are not known"), BROKEN)
    crs = text_of(parsed.to_wkt()) if parsed else None
    names = tuple(name for d in header.point_format.dimensions for name in (d.name,) if d.num_elements == 1) + tuple(
        f"{d.name} {i + 1}" for d in header.point_format.dimensions if d.num_elements > 1 for i in range(d.num_elements)
    )
    low, high = header.mins, header.maxs
    created = header.creation_date.isoformat() if header.creation_date else ""
    cloud = CloudFacts(
        header.point_format.id,
        str(header.version),
        names,
        (float(low[2]), float(high[2])),
        _text(header.generating_software),
        _text(header.system_identifier),
        created,
        str(header.uuid) if header.uuid.int else "",
        _triple(header.scales),
        _triple(header.offsets),
        tuple((_text(v.user_id), v.record_id, _text(v.description)) for v in _records(header)),
    )
    fields = tuple(
        Field(d.name, str(d.dtype) if d.dtype is not None else "uint8") for d in header.point_format.dimensions
    )
    extent = Extent(float(low[0]), float(low[1]), float(high[0]), float(high[1]), crs) if header.point_count else None
    facts = Facts(ref.stem, DataKind.POINTCLOUD, header.point_count, "Point Z", fields, crs, extent, cloud=cloud)
    remarks = [] if crs else [no_crs()]
    indexed = any(vlr.user_id == "copc" for vlr in header.vlrs)
    name = "COPC" if indexed else "LAZ" if header.are_points_compressed else "LAS"
    return Dataset(
        format=name, kind=DataKind.POINTCLOUD, parts=(LasCloud(ref, facts),), warnings=tuple(remarks), **on_disk(ref)
    )
