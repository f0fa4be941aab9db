"""Satellite scenes, opened by their metadata: `GROUP` / `KEY = value` text or a STAC item.

A scene's parts are its band groups: bands of one kind on one grid. The text may give each band a
group of its own, or one key a band (`FILE_NAME_BAND_4 = ...`).
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any
from urllib.parse import urljoin, urlsplit

from rasterio.errors import RasterioError

from brisk_atlas.core.model import (
    Band,
    CannotRead,
    DataKind,
    DataRef,
    Dataset,
    Facts,
    NeedsPermission,
    Part,
    Quantity,
    Rescale,
)
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.remark import Remark, RemarkCode

from .grid_facts import grid_facts
from .library_names import library_name
from .on_disk import on_disk
from .permissions import allowed_places
from .raster import RasterFile, placed
from .raster_library import open_raster
from .scene_names import metadata_in
from .scene_words import GROUPS, role_of_band

__all__ = ["metadata_in", "open_dataset", "parse_groups"]
_FLAT = re.compile(r"^FILE_NAME_(?:BAND_)?(.+)$")
_QUANTITIES = (  # key of the gain, key of the offset, quantity, unit
    (("REFLECTANCE_SCALE", "REFLECTANCE_MULT"), ("REFLECTANCE_OFFSET", "REFLECTANCE_ADD"), Quantity.REFLECTANCE, ""),
    (("RADIANCE_SCALE", "RADIANCE_MULT"), ("RADIANCE_OFFSET", "RADIANCE_ADD"), Quantity.RADIANCE, "W/(m² sr µm)"),
    (("TEMPERATURE_SCALE", "TEMPERATURE_MULT"), ("TEMPERATURE_OFFSET", "TEMPERATURE_ADD"), Quantity.TEMPERATURE, "K"),
)
_UNITS = {Quantity.REFLECTANCE: "", Quantity.RADIANCE: "W/(m² sr µm)", Quantity.TEMPERATURE: "K"}
QUALITY_COLOURS = ("#C9BEA8", "#9A8F7A", "#4F7FA8", "#7FB2C9", "#E9E6DF", "#6B6F7A", "#B9C7D6", "#8E6BA8", "#A8584F")
BY_PIECES = (".tif", ".tiff", ".jp2")  # files of items on web servers that are read
MOST_METADATA = 4_000_000  # bytes; no scene's metadata is larger


@dataclass(frozen=True)
class _SceneBand:
    file: Path | str  # the name that the library gives it, where it lies on a web server
    name: str
    role: str
    centre_um: float | None
    rescale: tuple[Rescale, ...] = ()
    classes: tuple[tuple[int, str, str], ...] = ()
    elsewhere: str = ""  # where it lies, if that is not the scene's folder


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
                raise ValueError(tr("group {value} is closed and was not open", value=value))
        else:
            open_groups[-1][1][key] = value.strip('"')
    if len(open_groups) > 1:
        raise ValueError(tr("group {open_groups} is not closed", open_groups=open_groups[-1][0]))
    return root


def _inside(folder: Path, name: str) -> Path:
    """Return the file that a scene names; a name that leads out of its folder is refused."""
    file = (folder / name).resolve()
    if folder.resolve() not in file.parents:
        raise ValueError(tr("it names {name}, which lies outside its folder", name=name))
    return folder / file.relative_to(folder.resolve())


def _asset(folder: Path, address: str) -> tuple[Path, str]:
    """Return the file of an asset, and the address of one that lies elsewhere: a copy beside the item is used."""
    try:
        if "://" not in address:
            return _inside(folder, address), ""
    except ValueError:
        pass
    name = PurePosixPath(urlsplit(address).path).name
    return _inside(folder, name or "none"), address


def _rescales(value_of: dict[str, str]) -> tuple[Rescale, ...]:
    """Return the rescalings among a band's keys."""

    def number(keys: tuple[str, ...]) -> float | None:
        return next((float(value_of[key]) for key in keys if key in value_of), None)

    found = []
    for gains, offsets, quantity, unit in _QUANTITIES:
        gain, offset = number(gains), number(offsets)
        if gain is not None:
            found.append(Rescale(quantity, gain, offset or 0.0, unit))
    k1, k2 = number(("K1", "K1_CONSTANT")), number(("K2", "K2_CONSTANT"))
    radiance = next((how for how in found if how.quantity is Quantity.RADIANCE), None)
    is_warm = any(how.quantity is Quantity.TEMPERATURE for how in found)
    if k1 is not None and k2 is not None and radiance and not is_warm:
        found.append(Rescale(Quantity.TEMPERATURE, radiance.gain, radiance.offset, "K", k1, k2))
    return tuple(found)


def _classes(value_of: dict[str, str]) -> tuple[tuple[int, str, str], ...]:
    named = sorted((int(key[6:]), text) for key, text in value_of.items() if re.fullmatch(r"CLASS_\d+", key))
    return tuple((value, QUALITY_COLOURS[i % len(QUALITY_COLOURS)], text) for i, (value, text) in enumerate(named))


def _from_groups(path: Path) -> tuple[list[_SceneBand], dict[str, str]]:
    if path.stat().st_size > MOST_METADATA:
        raise ValueError(tr("it is far longer than scene metadata is"))
    outer = next(iter(parse_groups(path.read_text("utf-8", "replace")).values()))
    flat: dict[str, str] = {}
    for group in outer.values():
        if isinstance(group, dict):
            flat |= {key: value for key, value in group.items() if isinstance(value, str)}
    bands = []
    for name, group in outer.items():
        if name.startswith("BAND_") and isinstance(group, dict) and "FILE" in group:
            centre = group.get("CENTRE_MICROMETRES")
            role = group.get("ROLE", "")
            file = _inside(path.parent, group["FILE"])
            found = group.get("NAME") or name.replace("_", " ").lower()
            bands.append(
                _SceneBand(file, found, role, float(centre) if centre else None, _rescales(group), _classes(group))
            )
    if not bands:
        bands = _from_keys(path, flat)
    scene = outer.get("SCENE") or {k: v for k, v in flat.items() if not re.search(r"BAND_|FILE_NAME", k)}
    return bands, {key.replace("_", " ").lower(): value for key, value in list(scene.items())[:40]}


def _from_keys(path: Path, flat: dict[str, str]) -> list[_SceneBand]:
    """Return the bands of metadata that has a key a band, such as `FILE_NAME_BAND_4`."""
    bands = []
    for key, value in flat.items():
        found = _FLAT.match(key)
        if not found or not value.lower().endswith((".tif", ".tiff", ".jp2")):
            continue
        mark = found.group(1)
        own = {k.removesuffix(f"_BAND_{mark}"): v for k, v in flat.items() if k.endswith(f"_BAND_{mark}")}
        quality = "QUALITY" in mark.upper() or mark.upper().startswith("QA")
        name = f"band {mark}" if mark.isdigit() else mark.replace("_", " ").lower()
        role = "quality" if quality else "thermal" if "K1_CONSTANT" in own else "visible"
        bands.append(_SceneBand(_inside(path.parent, value), name, role, None, _rescales(own)))
    return bands


def _from_stac(path: Path) -> tuple[list[_SceneBand], dict[str, str]]:
    return _from_item(json.loads(path.read_text("utf-8")), lambda address: _asset(path.parent, address))


def _from_item(
    item: dict[str, Any], found_at: Callable[[str], tuple[Path | str, str]]
) -> tuple[list[_SceneBand], dict[str, str]]:
    """Return the bands of a STAC item and its notes. `found_at` says of the address of an asset which file that is, and
    where it lies if that is elsewhere."""
    bands = []
    for key, asset in item.get("assets", {}).items():
        described = asset.get("eo:bands") or asset.get("bands")
        if not described:
            continue
        first = described[0]
        centre = first.get("center_wavelength", first.get("eo:center_wavelength"))
        common = first.get("common_name", first.get("eo:common_name", ""))
        name = asset.get("title") or first.get("name") or key
        numbers = (asset.get("raster:bands") or [{}])[0]
        classes = tuple(
            (int(c["value"]), QUALITY_COLOURS[i % len(QUALITY_COLOURS)], c.get("description") or c.get("name", ""))
            for i, c in enumerate(asset.get("classification:classes") or ())
        )
        file, elsewhere = found_at(asset["href"])
        scale = _stac_scale(numbers, first, common)
        bands.append(_SceneBand(file, name, common, centre, scale, classes, elsewhere))
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


def _stac_scale(numbers: dict, band: dict, role: str) -> tuple[Rescale, ...]:
    gain = numbers.get("scale", band.get("raster:scale"))
    offset = numbers.get("offset", band.get("raster:offset", 0.0))
    if gain is None:
        return ()
    unit = str(numbers.get("unit") or band.get("unit") or "")
    warm = role.startswith(("thermal", "lwir")) or unit.lower() in ("k", "kelvin")
    quantity = Quantity.TEMPERATURE if warm else Quantity.RADIANCE if "sr" in unit.lower() else Quantity.REFLECTANCE
    return (Rescale(quantity, float(gain), float(offset), _UNITS[quantity]),)


def open_dataset(ref: DataRef) -> Dataset:
    """Return a scene by its metadata file; a STAC collection as a record. Raises CannotRead."""
    path = ref.path
    stac = path.suffix == ".json"
    try:
        if stac and json.loads(path.read_text("utf-8")).get("type") in ("Collection", "Catalog"):
            from .record import stac_collection

            return stac_collection(path)
        bands, notes = (_from_stac if stac else _from_groups)(path)
    except (ValueError, KeyError, StopIteration, AttributeError, TypeError, IndexError, OSError) as error:
        raise CannotRead(
            path, tr("its scene metadata is not whole ({error})", error=error), tr("Ask for the file again.")
        ) from error
    groups: dict[tuple, list[_SceneBand]] = {}
    gone = [band for band in bands if not Path(band.file).is_file()]
    missing = [Path(band.file).name for band in gone if not band.elsewhere]
    elsewhere = [band.elsewhere for band in gone if band.elsewhere]
    members = [path]
    try:
        for band in bands:
            if Path(band.file).is_file():
                members.append(Path(band.file))
                with open_raster(str(band.file)) as source:
                    key = (GROUPS.get(band.role, band.role), source.shape, source.transform, source.dtypes[0])
                groups.setdefault(key, []).append(band)
        parts = [_part(ref, name, found, notes) for (name, *_), found in groups.items()]
    except (RasterioError, OSError) as error:
        raise CannotRead(
            path, tr("one of its bands can't be read ({error})", error=error), tr("Ask for the scene again.")
        ) from error
    if not parts and elsewhere:
        from .record import stac_item

        return stac_item(path, _said_elsewhere(elsewhere))
    if not parts:
        raise CannotRead(
            path, tr("none of the band files that it names is there"), tr("Put them beside the metadata file.")
        )
    words = tr("{count} of its band files missing: {missing}", count=len(missing), missing=", ".join(missing[:3]))
    remarks: list[str] = [Remark(words, RemarkCode.FILES_MISSING)] if missing else []
    remarks += _said_elsewhere(elsewhere)
    beside = path.with_name(path.name + ".xml")
    members += [beside] if beside.is_file() else []
    return Dataset(
        format="STAC item" if stac else "Scene metadata",
        kind=DataKind.SCENE,
        parts=_unlike(parts),
        warnings=tuple(remarks),
        **on_disk(ref, tuple(members)),
    )


def open_item(ref: DataRef) -> Dataset:
    """Return an item of a catalogue on a web server as a scene, its bands read where they lie. Raises CannotRead."""
    from brisk_atlas.core.connect.stac import item_of

    item, base = item_of(ref)
    own, elsewhere = urlsplit(base).hostname, set()

    def found_at(address: str) -> tuple[Path | str, str]:
        there = urljoin(base, address)
        host = urlsplit(there).hostname or ""
        if host != own and host not in allowed_places():
            elsewhere.add(host)
        return library_name(DataRef.parse(there)), ""

    try:
        bands, notes = _from_item(item, found_at)
    except (ValueError, KeyError, AttributeError, TypeError, IndexError) as error:
        raise CannotRead(
            ref, tr("the item is not whole ({error})", error=error), tr("Ask the catalogue's owner.")
        ) from error
    if elsewhere:
        host = min(elsewhere)
        raise NeedsPermission(
            ref,
            tr("its files lie on another host, {host}", host=host),
            tr("Allow {host} if you trust it.", host=host),
            (host,),
        )
    bands = [band for band in bands if str(band.file).lower().endswith(BY_PIECES)]
    if not bands:
        raise CannotRead(
            ref, tr("none of its files is a picture that is read by pieces"), tr("Open its files one by one.")
        )
    groups: dict[tuple, list[_SceneBand]] = {}
    try:
        for band in bands:
            with open_raster(str(band.file)) as source:
                key = (GROUPS.get(band.role, band.role), source.shape, source.transform, source.dtypes[0])
            groups.setdefault(key, []).append(band)
        parts = [_part(ref, name, found, notes) for (name, *_), found in groups.items()]
    except (RasterioError, OSError) as error:
        raise CannotRead(ref, tr("one of its bands can't be read ({error})", error=error), tr("Try again.")) from error
    return Dataset(format="STAC item", kind=DataKind.SCENE, parts=_unlike(parts), **on_disk(ref))


def _said_elsewhere(addresses: list[str]) -> list[str]:
    if not addresses:
        return []
    return [
        tr(
            "{count} of its bands lie elsewhere ({addresses}); copies beside the item are used",
            count=len(addresses),
            addresses=addresses[0][:120],
        )
    ]


def _part(ref: DataRef, name: str, found: list[_SceneBand], notes: dict[str, str]) -> RasterFile:
    described = tuple(
        Band(i, b.name, role_of_band(b.name, b.role, b.centre_um), b.centre_um, "", b.classes, b.rescale)
        for i, b in enumerate(found, 1)
    )
    with open_raster(str(found[0].file)) as source:
        facts: Facts = grid_facts(source, name or "bands", described)
    facts.notes.update(notes)
    return placed(ref, facts, tuple((str(b.file), 1) for b in found))


def _unlike(parts: list[RasterFile]) -> tuple[Part, ...]:
    """Return the parts, those of the same name with the size of their cells behind it."""
    from dataclasses import replace

    names = [part.facts.name for part in parts]
    out: list[Part] = []
    for part in parts:
        facts = part.facts
        if names.count(facts.name) > 1 and facts.grid:
            part = replace(part, facts=replace(facts, name=f"{facts.name}, {facts.grid.resolution[0]:g} m"))
        out.append(part)
    return tuple(out)
