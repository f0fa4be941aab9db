"""Layers of services as datasets: those that the server draws, and those whose features it hands out."""

from __future__ import annotations

from dataclasses import replace
from importlib import import_module
from typing import cast
from urllib.parse import urlsplit

from brisk_atlas.core.connect import connector_for
from brisk_atlas.core.connect.catalogues import RecordCatalogue
from brisk_atlas.core.connect.service import LayerAbout, Service, TileSource
from brisk_atlas.core.model import CannotRead, DataKind, DataRef, Dataset, NeedsPermission, Part
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place.tile_grid import TilePlace

from .on_disk import on_disk
from .permissions import allowed_places
from .record import open_dataset as open_record
from .scene import open_item

FORMATS = {
    "wms": "WMS layer",
    "wmts": "WMTS layer",
    "xyz": "map tiles",
    "wfs": "WFS layer",
    "wcs": "WCS coverage",
    "ogcapi": "OGC API collection",
    "geoservices": "GeoServices layer",
    "vectortiles": "vector tiles",
}


def open_dataset(ref: DataRef) -> Dataset:
    """Return a layer of a service as a dataset: a part of features, one of pictures, or both. Raises CannotRead."""
    if ref.protocol == "stac":
        return open_item(ref)
    if ref.is_copy:
        return import_module("brisk_atlas.core.read.working_copy").open_dataset(ref)
    connector = connector_for(ref)
    if isinstance(connector, RecordCatalogue):
        return replace(open_record(connector.localise(ref)), ref=ref, members=())
    service = cast(Service, connector)
    if not ref.inner:
        contents = service.contents(ref)
        if len(contents) != 1:
            raise CannotRead(ref, tr("it is a service with many layers"), tr("Open one of them; Find lists them."))
        ref = DataRef(ref.kind, ref.place, contents[0].name)
    parts: list[Part] = []
    source, pictures = service.features(ref), service.pictures(ref)
    if source is not None:
        parts.append(import_module("brisk_atlas.core.read.feature_service").part_of(source, own_name(source.about)))
    tiles = service.vector_tiles(ref) if source is None else None
    if tiles is not None:
        _check_hosts(tiles)
        parts.append(import_module("brisk_atlas.core.read.tiled_features").part_of(tiles, own_name(tiles.about)))
    coverage = service.coverage(ref)
    if coverage is not None:
        _check_hosts(coverage)
        parts.append(import_module("brisk_atlas.core.read.tiled_cells").part_of(coverage, own_name(coverage.about)))
    if pictures is not None:
        _check_hosts(pictures)
        name = f"{own_name(pictures.about)} picture" if parts else own_name(pictures.about)
        parts.append(import_module("brisk_atlas.core.read.tiled_pictures").part_of(pictures, name))
    if not parts:
        raise CannotRead(
            ref, tr("the service neither draws it nor hands out its features"), tr("Choose another layer.")
        )
    kind = DataKind.VECTOR if source is not None or tiles is not None else DataKind.RASTER
    return Dataset(format=FORMATS.get(ref.protocol, ref.protocol), kind=kind, parts=tuple(parts), **on_disk(ref))


def own_name(about: LayerAbout) -> str:
    """Return the name of a part: that of its layer, without the prefix of a namespace."""
    return about.name.rpartition(":")[2]


def _check_hosts(pictures: TileSource) -> None:
    """Raise NeedsPermission where the tiles of a service lie on another host."""
    own = urlsplit(pictures.ref.address).hostname
    host = urlsplit(pictures.address(TilePlace(0, 0, 0))).hostname
    if host and host != own and "{s}" not in pictures.ref.address and host not in allowed_places():
        reason = tr("its pictures lie on another host, {host}", host=host)
        raise NeedsPermission(pictures.ref, reason, tr("Allow {host} if you trust it.", host=host), (host,))
