"""Decoding LAS and LAZ points, here or in worker processes.

The decompressor holds Python's lock while it works, so a large file is decoded by a worker for each
core, straight into memory that is shared; the window never waits for it.
"""

from __future__ import annotations

import mmap
import os
from collections.abc import Callable
from pathlib import Path

import laspy
import numpy as np

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Lane
from brisk_atlas.core.system.workers import Call, WorkerDied, WorkerTooSlow, shared_workers

IN_THIS_PROCESS = 400_000  # points, not compressed, that are read here, as starting a process would take longer
MOST_MEMORY_SHARE = 0.6  # of the machine's, for the points of one file
PIECE = 50_000  # points compressed together by default (LAZ specification), and decoded in one call
Runs = list[tuple[int, int]]
Arrays = dict[str, np.ndarray]


class DamagedPoints(Exception):
    """The points can't be decoded; the text says why."""


def layout(path: Path, only: tuple[str, ...] | None) -> dict[str, str]:
    """Return the dimensions of a file that are wanted, each with its type; `xyz` comes first."""
    with laspy.open(path) as source:
        header = source.header
        one = laspy.ScaleAwarePointRecord.zeros(1, header=header)
        names = [n for n in header.point_format.dimension_names if n not in ("X", "Y", "Z")]
        found: dict[str, str] = {}
        for name in names:
            values = np.asarray(one[name])
            numbered = [f"{name} {i + 1}" for i in range(values.shape[1])] if values.ndim > 1 else [name]
            found |= {each: values.dtype.str for each in numbered if only is None or each in only}
        return {"xyz": "float64"} | found


def _values(chunk: laspy.ScaleAwarePointRecord, name: str) -> np.ndarray:
    """Return a dimension, or one of several numbers that a dimension has."""
    if name in chunk.point_format.dimension_names:
        return np.asarray(chunk[name])
    base, _, number = name.rpartition(" ")
    return np.asarray(chunk[base])[:, int(number) - 1]


def decode(path: Path, runs: Runs, only: tuple[str, ...] | None, report: Callable[[float], None]) -> Arrays:
    """Return `xyz` (points, 3) and the wanted dimensions of runs of points (first, count), in order.

    `report` takes the share done and may raise to stop. Raises DamagedPoints.
    """
    wanted = sum(count for _, count in runs)
    types = layout(path, only)
    pieces = [(first + at, min(PIECE, count - at)) for first, count in runs for at in range(0, count, PIECE)]
    memory_size = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    if _size(types, wanted) > MOST_MEMORY_SHARE * memory_size:
        raise DamagedPoints(
            tr(
                "its {wanted:,} points need {size:,.0f} GB of memory",
                wanted=wanted,
                size=_size(types, wanted) / 1000000000.0,
            )
        )
    if wanted <= IN_THIS_PROCESS and not _is_compressed(path):  # the decompressor ends the process on some damage
        arrays = _arrays(types, wanted, None)
        _fill(path, pieces, 0, arrays, report)
        return arrays
    memory = os.memfd_create("points")
    try:
        os.ftruncate(memory, max(1, _size(types, wanted)))
        _in_workers(path, pieces, types, wanted, memory, report)
        return _arrays(types, wanted, mmap.mmap(memory, 0))
    finally:
        os.close(memory)


def _is_compressed(path: Path) -> bool:
    with laspy.open(path) as source:
        return bool(source.header.are_points_compressed)


def _size(types: dict[str, str], count: int) -> int:
    return sum(count * np.dtype(kind).itemsize * (3 if name == "xyz" else 1) for name, kind in types.items())


def _arrays(types: dict[str, str], count: int, memory: mmap.mmap | None) -> Arrays:
    """Return the arrays, in memory of their own or one after another in that which is shared."""
    made, at = {}, 0
    for name, kind in types.items():
        shape = (count, 3) if name == "xyz" else (count,)
        if memory is None:
            made[name] = np.empty(shape, kind)
        else:
            made[name] = np.frombuffer(memory, kind, int(np.prod(shape)), at).reshape(shape)
        at += made[name].nbytes
    return made


def _fill(path: Path, pieces: Runs, at: int, arrays: Arrays, report: Callable[[float], None]) -> None:
    """Decode pieces into the arrays from row `at` on."""
    try:
        with laspy.open(path, laz_backend=laspy.LazBackend.Lazrs) as source:
            place = 0
            for number, (first, count) in enumerate(pieces):
                report(number / len(pieces))
                if first != place:
                    source.seek(first)
                chunk = source.read_points(count)
                if len(chunk) != count:
                    raise DamagedPoints(tr("it ends after {first:,} points", first=first + len(chunk)))
                place, end = first + count, at + count
                for name, into in arrays.items():
                    if name == "xyz":
                        for axis, values in enumerate((chunk.x, chunk.y, chunk.z)):
                            into[at:end, axis] = values
                    else:
                        into[at:end] = _values(chunk, name)
                at = end
    except (laspy.errors.LaspyException, OSError, ValueError, RuntimeError) as error:
        raise DamagedPoints(str(error)) from error
    except BaseException as error:  # the decompressor raises its own kind, not an Exception's child
        if type(error).__name__ not in ("LazrsError", "PanicException"):
            raise
        raise DamagedPoints(tr("its compressed points are damaged ({error})", error=error)) from error


def _in_workers(
    path: Path, pieces: Runs, types: dict[str, str], wanted: int, memory: int, report: Callable[[float], None]
) -> None:
    """Have workers decode a share each, one after another in the file; wait for all of them."""
    pool = shared_workers()
    shares = np.array_split(np.arange(len(pieces)), max(1, min(pool.count, len(pieces))))
    calls = [
        Call(
            f"{__name__}:decode_share",
            (
                path,
                pieces[int(share[0]) : int(share[-1]) + 1],
                types,
                wanted,
                sum(count for _, count in pieces[: int(share[0])]),
            ),
            descriptors=(memory,),
            reports=True,
        )
        for share in shares
    ]
    for _, answer in pool.run_all(calls, report=report, lane=Lane.INTERACTIVE):
        if isinstance(answer, WorkerDied | WorkerTooSlow):
            raise DamagedPoints(tr("the process that decodes it ended")) from answer
        if isinstance(answer, Exception):
            raise answer


def decode_share(
    path: Path,
    pieces: Runs,
    types: dict[str, str],
    wanted: int,
    at: int,
    descriptors: list[int],
    report: Callable[[float], None],
) -> None:
    """Decode pieces of a file into shared memory, whose arrays have room for all `wanted` points, from row `at` on."""
    shared = mmap.mmap(descriptors[0], 0)
    _fill(path, [(first, count) for first, count in pieces], at, _arrays(types, wanted, shared), report)
