"""COPC: LAZ whose points lie in an octree, coarse ones first, so that readers take what a view needs.

Layout: COPC specification 1.0 (copc.io), on LAS 1.4 (ASPRS) with chunks of different sizes.
"""

from __future__ import annotations

import struct
from collections.abc import Mapping
from pathlib import Path
from typing import Any, BinaryIO

import laspy
import lazrs
import numpy as np

from brisk_atlas.core.model import CannotWrite, DataKind
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.atomic_write import reason_of

from ..flows import Flow, PointFlow
from ..step import StepContext
from .clouds import header_of
from .format import FileFormat, Loss, Report, enter

SPAN = 128  # cells along each side of a node, each of which has one point at most
FEW = 2_000  # points left in a node that are not divided any more
DEEPEST = 14  # levels below the root, so that the cells of a level fit into 21 bits along each axis
INFO_SIZE, ENTRY_SIZE, HEADER_SIZE = 160, 32, 375
HIERARCHY, INFO = 1000, 1  # numbers of the records
Key = tuple[int, int, int, int]  # level, x, y, z


def octree(xyz: np.ndarray, low: np.ndarray, size: float) -> dict[Key, np.ndarray]:
    """Return the rows of points, (n, 3) float64 in a cube, of each node of an octree: a node has one point for each of
    its SPAN³ cells, what is left goes to the nodes below."""
    nodes: dict[Key, np.ndarray] = {}
    left = np.arange(len(xyz))
    for level in range(DEEPEST + 1):
        if not left.size:
            break
        cells = 2**level * SPAN
        at = np.clip(((xyz[left] - low) / size * cells).astype(np.int64), 0, cells - 1)
        node = at // SPAN
        number = (node[:, 0] << 42) | (node[:, 1] << 21) | node[:, 2]
        _, owner, count = np.unique(number, return_inverse=True, return_counts=True)
        cell = (at[:, 0] << 42) | (at[:, 1] << 21) | at[:, 2]
        taken = np.zeros(left.size, bool)
        taken[np.unique(cell, return_index=True)[1]] = True
        taken |= (count[owner] <= FEW) | (level == DEEPEST)
        chosen = np.flatnonzero(taken)
        order = chosen[np.argsort(number[chosen], kind="stable")]
        ends = np.flatnonzero(np.diff(number[order])) + 1
        for part in np.split(order, ends):
            if part.size:
                x, y, z = node[part[0]].tolist()
                nodes[level, x, y, z] = left[part]
        left = left[~taken]
    return _with_ancestors(nodes)


def _with_ancestors(nodes: dict[Key, np.ndarray]) -> dict[Key, np.ndarray]:
    """Return nodes with those above them, which have no points where none were left for them."""
    for level, x, y, z in list(nodes):
        for up in range(1, level + 1):
            nodes.setdefault((level - up, x >> up, y >> up, z >> up), np.empty(0, np.int64))
    return dict(sorted(nodes.items()))


def write_copc(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    """Write points as COPC; returns how many. Raises CannotWrite."""
    assert isinstance(flow, PointFlow)
    report(0.05, tr("reading points"))
    whole = flow.whole(context.check)
    if not len(whole):
        raise CannotWrite(path, tr("there are no points"), tr("Look at the steps before."))
    header = header_of(flow, "1.4")
    if whole.point_format != header.point_format:
        made = laspy.ScaleAwarePointRecord.zeros(len(whole), header=header)
        made.copy_fields_from(whole)
        whole = made
    xyz = np.column_stack([np.asarray(whole.x), np.asarray(whole.y), np.asarray(whole.z)])
    low, high = xyz.min(axis=0), xyz.max(axis=0)
    size = float(max((high - low).max(), 1e-6)) * (1 + 1e-9)
    report(0.3, tr("sorting points"))
    nodes = octree(xyz, low, size)
    header.mins, header.maxs = low, high
    header.point_count = len(whole)
    returns = np.bincount(np.asarray(whole["return_number"]), minlength=16)[1:16]
    header.number_of_points_by_return = returns
    times = np.asarray(whole["gps_time"])
    try:
        with path.open("w+b") as file:
            _written(file, whole.array, header, nodes, (low + size / 2, size / 2, times), context, report)
    except (OSError, lazrs.LazrsError) as error:
        raise reason_of(error, path) from error
    return len(whole)


def _written(
    file: BinaryIO, array: np.ndarray, header: laspy.LasHeader, nodes: Mapping[Key, np.ndarray],
    cube: tuple[np.ndarray, float, np.ndarray], context: StepContext, report: Report,
) -> None:  # fmt: skip
    """Write the head, the points of each node as one chunk, and where these lie."""
    vlr = lazrs.LazVlr.new_for_compression(header.point_format.id, header.point_format.num_extra_bytes, True)
    own = [
        each
        for each in header.vlrs
        if (each.user_id, each.record_id) not in (("copc", INFO), ("laszip encoded", 22204))
    ]
    header.vlrs = laspy.vlrs.vlrlist.VLRList([laspy.VLR("copc", INFO, "", bytes(INFO_SIZE)), *own,
                                              laspy.VLR("laszip encoded", 22204, "", vlr.record_data())])  # fmt: skip
    header.are_points_compressed = True
    header.write_to(file)
    start = header.offset_to_point_data
    file.seek(start)
    compressor = lazrs.LasZipCompressor(file, vlr)
    entries, at = [], start + 8  # after the address of the table of chunks
    for number, (key, rows) in enumerate(nodes.items()):
        context.check()
        if not rows.size:
            entries.append((*key, 0, 0, 0))
            continue
        compressor.compress_many(np.ascontiguousarray(array[np.sort(rows)]).view(np.uint8).reshape(-1))
        compressor.finish_current_chunk()
        here = file.tell()
        entries.append((*key, at, here - at, rows.size))
        at = here
        report(0.4 + 0.55 * number / len(nodes), tr("writing"))
    compressor.done()
    file.seek(0, 2)
    hierarchy = file.tell()
    page = b"".join(struct.pack("<iiiiQii", *entry) for entry in entries)
    head = struct.pack("<H16sHQ32s", 0, b"copc", HIERARCHY, len(page), b"hierarchy")
    file.write(head + page)
    middle, half, times = cube
    info = struct.pack("<5d2Q2d", *middle, half, 2 * half / SPAN, hierarchy + len(head), len(page),
                       float(times.min()), float(times.max()))  # fmt: skip
    file.seek(HEADER_SIZE + 54)
    file.write(info.ljust(INFO_SIZE, b"\0"))
    file.seek(235)  # start of the first extended record, and how many there are
    file.write(struct.pack("<QI", hierarchy, 1))


def _losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    return [Loss(tr("points are put in another order"))]


enter(FileFormat("COPC", (".copc.laz",), frozenset({DataKind.POINTCLOUD}), write_copc, _losses, (),
                 tr("LAZ that is read by place and by scale, over a network too.")))  # fmt: skip
