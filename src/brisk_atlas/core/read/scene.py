"""Satellite scenes, opened by their metadata: `GROUP` / `KEY = value` text or a STAC item.

A scene's parts are its band groups: bands of one kind on one grid.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

import rasterio
from rasterio.errors import RasterioError

from brisk_atlas.core.model import Band, CannotRead, Dataset, Part

from .members import on_disk
from .raster import RasterFile, grid_facts

GROUPS = {
    "visible": "visible to shortwave",
    "near infrared": "visible to shortwave",
    "shortwave infrared": "visible to shortwave",
}


@dataclass(frozen=True)
class _SceneBand:
    file: Path
    name: str
    role: str
    centre_um: float | None


def parse_groups(text: str) -> dict[str, dict]:
    """Return nested groups of `KEY = value` lines; raises ValueError where a group is not closed."""
    root: dict = {}
    open_groups = [("", root)]
    for line in text.splitlines():
        key, equals, value = (piece.strip() for piece in line.partition("="))
        if key == "END":
            break
        if not equals:
            continue
        if key == "GROUP":
            inner: dict = {}
            open_groups[-1][1][value] = inner
            open_groups.append((value, inner))
        elif key == "END_GROUP":
            if open_groups.pop()[0] != value or not open_groups:
                raise ValueError(f"group {value} is closed and was not open")
        else:
            open_groups[-1][1][key] = value.strip('"')
    if len(open_groups) > 1:
        raise ValueError(f"group {open_groups[-1][0]} is not closed")
    return root


def _inside(folder: Path, name: str) -> Path:
    """Return the file that a scene names; a name that leads out of its folder is refused."""
    file = (folder / name).resolve()
    if folder.resolve() not in file.parents:
        raise ValueError(f"it names {name}, which lies outside its folder")
    return file


def _from_groups(path: Path) -> tuple[list[_SceneBand], dict[str, str]]:
    tree = parse_groups(path.read_text("utf-8", "replace"))
    outer = next(iter(tree.values()))
    scene = outer.get("SCENE", {})
    bands = []
    for name, group in outer.items():
        if name.startswith("BAND_"):
            centre = group.get("CENTRE_MICROMETRES")
            bands.append(
                _SceneBand(
                    _inside(path.parent, group["FILE"]), group["NAME"], group["ROLE"], float(centre) if centre else None
                )
            )
    return bands, {key.replace("_", " ").lower(): value for key, value in scene.items()}


def _from_stac(path: Path) -> tuple[list[_SceneBand], dict[str, str]]:
    item = json.loads(path.read_text("utf-8"))
    bands = []
    for asset in item.get("assets", {}).values():
        described = asset.get("eo:bands")
        if described:
            centre = described[0].get("center_wavelength")
            name = asset.get("title") or described[0].get("name", "")
            bands.append(
                _SceneBand(_inside(path.parent, asset["href"]), name, described[0].get("common_name", ""), centre)
            )
    known = item.get("properties", {})
    notes = {"scene id": item.get("id", "")}
    notes |= {
        name: str(known[key])
        for key, name in (
            ("datetime", "acquired"),
            ("platform", "platform"),
            ("eo:cloud_cover", "cloud percent"),
            ("view:sun_azimuth", "sun azimuth"),
            ("view:sun_elevation", "sun elevation"),
        )
        if key in known
    }
    return bands, notes


def open_dataset(path: Path) -> Dataset:
    """Return a scene by its metadata file. Raises CannotRead."""
    try:
        bands, notes = (_from_stac if path.suffix == ".json" else _from_groups)(path)
    except (ValueError, KeyError, StopIteration, AttributeError, TypeError) as error:
        raise CannotRead(path, f"its scene metadata is not whole ({error})", "Ask for the file again.") from error
    groups: dict[tuple, list[_SceneBand]] = {}
    missing = [band.file.name for band in bands if not band.file.is_file()]
    members = [path]
    try:
        for band in bands:
            if band.file.is_file():
                members.append(band.file)
                with rasterio.open(band.file) as source:
                    key = (GROUPS.get(band.role, band.role), source.shape, source.transform, source.dtypes[0])
                groups.setdefault(key, []).append(band)
        parts: list[Part] = []
        for (name, *_), found in groups.items():
            described = tuple(Band(i, b.name, b.role, b.centre_um) for i, b in enumerate(found, 1))
            with rasterio.open(found[0].file) as source:
                facts = grid_facts(source, name, described)
            facts.notes.update(notes)
            parts.append(RasterFile(path, facts, tuple((str(b.file), 1) for b in found)))
    except (RasterioError, OSError) as error:
        raise CannotRead(path, f"one of its bands can't be read ({error})", "Ask for the scene again.") from error
    if not parts:
        raise CannotRead(path, "none of the band files that it names is there", "Put them beside the metadata file.")
    said = [f"{len(missing)} of its band files missing: {', '.join(missing[:3])}"] if missing else []
    beside = path.with_name(path.name + ".xml")
    members += [beside] if beside.is_file() else []
    return Dataset(
        format="STAC item" if path.suffix == ".json" else "Scene metadata",
        kind="scene",
        parts=tuple(parts),
        warnings=tuple(said),
        **on_disk(path, tuple(members)),
    )
