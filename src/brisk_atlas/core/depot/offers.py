"""What a Depot offers: layers of a project, by names that stand in addresses."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from copy import copy
from dataclasses import dataclass
from pathlib import Path
from types import MappingProxyType

import numpy as np
import shapely

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.kinds import kind_of, painter_for
from brisk_atlas.core.model import Extent, Facts, Layer
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place import same_crs, transform, transform_extent
from brisk_atlas.core.record.model import Record
from brisk_atlas.core.table.expression import mask_of

from .postings.outlet_ways import ALL_SERVICES, OfferedService

DEGREES = "EPSG:4326"
WORLD = "EPSG:3857"


@dataclass(frozen=True)
class Offer:
    """A layer that is offered. `id` stands in addresses; `services` are those that it is handed out by."""

    id: str
    layer: Layer
    facts: Facts
    services: tuple[OfferedService, ...] = ALL_SERVICES

    @property
    def title(self) -> str:
        return self.layer.name

    @property
    def has_features(self) -> bool:
        return self.facts.kind.has_shapes

    @property
    def crs(self) -> str:
        assert self.facts.crs is not None
        return self.facts.crs

    @property
    def systems(self) -> tuple[str, ...]:
        """The CRSs that it is offered in, its own first."""
        return tuple(dict.fromkeys((self.crs, WORLD, DEGREES)))

    def extent_in(self, crs: str) -> Extent:
        """Return its place in a CRS."""
        assert self.facts.extent is not None
        placed = transform_extent(self.facts.extent, crs)
        assert placed is not None
        return placed


class Depot:
    """Offers and what answers about them. Safe for threads. `folder` is one whose files are handed out as they are;
    `ids` are what layers are called in addresses, by their ids, where that is not made of their names; `records` are
    those of offers, by their ids, that do not lie beside their data; `services` are those that some are handed out by,
    where that is not all."""

    def __init__(
        self, title: str, cache: DataCache, layers: Sequence[Layer], folder: Path | None = None,
        ids: Mapping[str, str] = MappingProxyType({}), records: Mapping[str, Record] = MappingProxyType({}),
        services: Mapping[str, tuple[OfferedService, ...]] = MappingProxyType({}),
    ) -> None:  # fmt: skip
        self.title, self.cache, self.folder, self.records = title, cache, folder, records
        self.services = services
        self.painter = painter_for(cache)
        self.offers: dict[str, Offer] = {}
        for layer in layers:
            facts = cache.part(layer.ref).facts
            if facts.crs and facts.extent is not None and layer.style is not None:
                name = ids.get(layer.id) or self._free_id(layer.name)
                self.offers[name] = Offer(name, layer, facts, services.get(name, ALL_SERVICES))

    def _free_id(self, name: str) -> str:
        wanted = re.sub(r"[^A-Za-z0-9]+", "_", name).strip("_").lower() or "layer"
        number = 1
        while (found := wanted if number == 1 else f"{wanted}_{number}") in self.offers:
            number += 1
        return found

    def through(self, service: OfferedService) -> Depot:
        """Return one with those alone that are handed out by a service."""
        limited = copy(self)
        limited.offers = {name: offer for name, offer in self.offers.items() if service in offer.services}
        limited.records = {name: record for name, record in self.records.items()
                           if service in self.services.get(name, ALL_SERVICES)}  # fmt: skip
        return limited

    @property
    def feature_offers(self) -> list[Offer]:
        """Those whose features are handed out."""
        return [offer for offer in self.offers.values() if offer.has_features]

    def record_of(self, name: str) -> Path | None:
        """Return the record beside the data of an offer, None for one that has none."""
        offer = self.offers.get(name)
        if offer is None or not offer.layer.ref.is_local:
            return None
        path = offer.layer.ref.path
        record = path.with_name(f"{path.name}.xml")
        return record if record.is_file() else None

    def features(self, offer: Offer) -> Features:
        """Return the features of an offer."""
        return self.cache.features(offer.layer.ref)

    def rows(self, offer: Offer, extent: Extent | None = None, where: str = "") -> np.ndarray:
        """Return the numbers of the features that meet an extent, in any CRS, and a condition. Raises BadExpression."""
        found = self.features(offer)
        chosen = np.ones(len(found), bool)
        if extent is not None:
            own = transform_extent(extent, offer.crs)
            if own is None:
                return np.zeros(0, np.int64)
            chosen = found.shapes.meeting(own)
            near = np.flatnonzero(chosen)
            geometry = shapely.from_wkb(found.wkb.take(near).to_numpy(zero_copy_only=False))
            if not same_crs(offer.crs, extent.crs):
                geometry = in_crs(geometry, offer.crs, extent.crs)
            chosen[near] = shapely.intersects(geometry, shapely.box(*extent.bounds))
        if where:
            chosen &= mask_of(found.table, where)
        return np.flatnonzero(chosen)

    def geometry(self, offer: Offer, rows: np.ndarray, crs: str) -> np.ndarray:
        """Return shapes of some features in a CRS, x or longitude first."""
        found = self.features(offer)
        geometry = shapely.from_wkb(found.wkb.take(rows).to_numpy(zero_copy_only=False))
        return geometry if same_crs(offer.crs, crs) else in_crs(geometry, offer.crs, crs)

    def probe(self, layer: Layer, x: float, y: float, crs: str, reach: float) -> list[tuple[str, str]]:
        """Return what the layer of an offer has at a position, as labels and values with their units."""
        from brisk_atlas.core.inspect.finding import Where

        found = kind_of(layer.kind).probe(self.cache, layer, Where.at(x, y, crs, reach), lambda: None)
        return [(each.label, each.shown) for each in found.readings] if found is not None else []


def record_address(depot: Depot, offer: Offer, base: str) -> str:
    """Return where the record of an offer is handed out by a Depot at an address, "" for none."""
    return f"{base}/records/{offer.id}.xml" if depot.record_of(offer.id) is not None else ""


def in_crs(geometry: np.ndarray, source: str | None, target: str | None) -> np.ndarray:
    """Return shapes in another CRS, x or longitude first."""
    return shapely.transform(geometry, lambda xy: transform(xy, source, target))


def flipped(geometry: np.ndarray) -> np.ndarray:
    """Return shapes with their coordinates the other way round."""
    return shapely.transform(geometry, lambda xy: xy[:, ::-1])
