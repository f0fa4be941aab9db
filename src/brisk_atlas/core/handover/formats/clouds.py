"""Points: LAS and LAZ, in tiles too, COPC, PLY and text."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from copy import deepcopy
from pathlib import Path
from typing import Any

import laspy
import numpy as np

from brisk_atlas.core.model import CannotWrite, DataKind
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import proj_crs
from brisk_atlas.core.system.atomic_write import reason_of

from ..flows import Flow, PointFlow
from ..point_runs import Run, record_of
from ..step import StepContext
from .format import FileFormat, FormatOption, Loss, Report, enter

POINTS = frozenset({DataKind.POINTCLOUD})
AS_IT_IS = "as it is"
FORMAT_OF = {"1.2": 3, "1.3": 3, "1.4": 7}  # with time and colour
VERSION = FormatOption("version", AS_IT_IS, tr("The version of LAS"), (AS_IT_IS, "1.2", "1.3", "1.4"))


def header_of(flow: PointFlow, version: str = AS_IT_IS) -> laspy.LasHeader:
    """Return the header of a file of the points of a flow."""
    own = flow.header
    if version == AS_IT_IS:
        header = laspy.LasHeader(point_format=deepcopy(own.point_format), version=str(own.version))
    else:
        names = set(own.point_format.dimension_names)
        wanted = _format_for(names, version)
        header = laspy.LasHeader(point_format=wanted, version=version)
        extra = list(own.point_format.extra_dimensions)
        header.add_extra_dims([laspy.ExtraBytesParams(d.name, d.type_str(), d.description, d.offsets, d.scales)
                               for d in extra])  # fmt: skip
    header.scales, header.offsets = own.scales, own.offsets
    header.generating_software = "Brisk Atlas"
    header.system_identifier = own.system_identifier
    header.global_encoding.gps_time_type = own.global_encoding.gps_time_type
    if flow.crs:
        crs = proj_crs(flow.crs)
        header.add_crs(crs, keep_compatibility=header.version.minor >= 4 and header.point_format.id < 6)
    return header


def _format_for(names: set[str], version: str) -> int:
    """Return the point format of a version that holds the dimensions."""
    colour, time, infrared = "red" in names, "gps_time" in names, "nir" in names
    if version == "1.4":
        return 8 if infrared else 7 if colour else 6
    return (3 if time else 2) if colour else (1 if time else 0)


def _runs(flow: PointFlow, header: laspy.LasHeader, path: Path) -> Iterator[Run]:
    """Yield the runs of a flow in the point format of a header."""
    same = flow.header.point_format == header.point_format
    for run in flow.runs():
        if same:
            yield record_of(np.ascontiguousarray(run.array), header)
            continue
        out = laspy.ScaleAwarePointRecord.zeros(len(run), header=header)
        try:
            out.copy_fields_from(run)
        except OverflowError as error:
            raise CannotWrite(
                path, tr("a value does not fit into this version ({error})", error=error), tr("Choose version 1.4.")
            ) from error
        yield out


def write_las(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    """Write points as LAS or, by the ending, LAZ. Raises CannotWrite."""
    assert isinstance(flow, PointFlow)
    header, count = header_of(flow, options["version"]), 0
    try:
        packed = path.suffix.lower() == ".laz"
        backend = laspy.LazBackend.LazrsParallel if packed else None
        with laspy.open(path, mode="w", header=header, do_compress=packed, laz_backend=backend) as out:
            for run in _runs(flow, header, path):
                context.check()
                out.write_points(run)
                count += len(run)
                report(0.95 * min(1.0, count / max(1, flow.count or count)), tr("writing"))
    except (OSError, laspy.errors.LaspyException, ValueError) as error:
        raise reason_of(error, path) from error
    return count


def _las_losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    assert isinstance(flow, PointFlow)
    if options.get("version") not in ("1.2", "1.3"):
        return []
    found = []
    if flow.header.point_format.id >= 6:
        found.append(
            Loss(tr("classes above 31, more than 5 returns and fine scan angles do not fit"), remedy=tr("Choose 1.4"))
        )
    if "nir" in set(flow.header.point_format.dimension_names):
        found.append(Loss(tr("infrared is left out"), remedy=tr("Choose 1.4")))
    return found


def _xyz_of(run: Run) -> np.ndarray:
    return np.column_stack([np.asarray(run.x), np.asarray(run.y), np.asarray(run.z)])


def write_text(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    """Write x, y, z and chosen dimensions as text, a line for each point. Raises CannotWrite."""
    assert isinstance(flow, PointFlow)
    known = set(flow.header.point_format.dimension_names)
    names = [n.strip() for n in options["dimensions"].split(",") if n.strip()]
    strange = [n for n in names if n not in known]
    if strange:
        raise CannotWrite(
            path,
            tr("there is no dimension {strange}", strange=", ".join(strange)),
            tr("There are: {sorted}.", sorted=", ".join(sorted(known))),
        )
    decimals = [max(0, round(-np.log10(scale))) for scale in flow.header.scales]
    count = 0
    try:
        with path.open("w", encoding="ascii") as file:
            if options["head"]:
                file.write(" ".join(["x", "y", "z", *names]) + "\n")
            for run in flow.runs():
                context.check()
                columns = [*_xyz_of(run).T, *(np.asarray(run[n], float) for n in names)]
                forms = [f"%.{d}f" for d in decimals] + ["%.10g"] * len(names)
                np.savetxt(file, np.column_stack(columns), fmt=" ".join(forms))
                count += len(run)
                report(0.95 * min(1.0, count / max(1, flow.count or count)), tr("writing"))
    except OSError as error:
        raise reason_of(error, path) from error
    return count


def write_ply(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    """Write points as binary PLY. Raises CannotWrite."""
    assert isinstance(flow, PointFlow)
    from plyfile import PlyData, PlyElement

    whole = flow.whole(context.check)
    known = [n for n in whole.point_format.dimension_names if n not in ("X", "Y", "Z")]
    has_colour = {"red", "green", "blue"} <= set(known)
    chosen = [
        n for n in known if n in ("intensity", "classification") or (has_colour and n in ("red", "green", "blue"))
    ]
    types = [("x", "f8"), ("y", "f8"), ("z", "f8"), *((n, _ply_type(n, whole)) for n in chosen)]
    array = np.empty(len(whole), types)
    array["x"], array["y"], array["z"] = _xyz_of(whole).T
    for name in chosen:
        values = np.asarray(whole[name])
        array[name] = values >> 8 if name in ("red", "green", "blue") and _is_wide(whole) else values
    report(0.5, tr("writing"))
    try:
        notes = [f"crs {flow.crs}".encode("ascii", "replace").decode()] if flow.crs else []
        PlyData([PlyElement.describe(array, "vertex")], comments=notes).write(str(path))
    except OSError as error:
        raise reason_of(error, path) from error
    return len(whole)


def _is_wide(points: Run) -> bool:
    """Return whether colours have 16 bits, as the standard wants, not 8."""
    return any(len(points) and int(np.asarray(points[n]).max()) > 255 for n in ("red", "green", "blue"))


def _ply_type(name: str, points: Run) -> str:
    return "u1" if name in ("red", "green", "blue", "classification") else np.asarray(points[name]).dtype.str[1:]


def _text_losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    return [Loss(tr("the CRS and dimensions that are not named are left out"), "LAZ")]


def _ply_losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    return [Loss(tr("times, returns and other dimensions are left out; colours have 8 bits"), "LAZ")]


enter(FileFormat("LAZ", (".laz",), POINTS, write_las, _las_losses, (VERSION,), tr("Packed LAS.")))
enter(
    FileFormat(
        "LAS", (".las",), POINTS, write_las, _las_losses, (VERSION,), tr("Points as the standard lays them out.")
    )
)
enter(FileFormat("PLY", (".ply",), POINTS, write_ply, _ply_losses, (), tr("For programs that know no CRS.")))
enter(FileFormat("XYZ", (".xyz", ".txt"), POINTS, write_text, _text_losses,
             (FormatOption("dimensions", "", tr("Dimensions after x, y and z, with commas between")),
              FormatOption("head", False, tr("Begin with a line of names"))),
              tr("Text, a line for each point.")))  # fmt: skip
