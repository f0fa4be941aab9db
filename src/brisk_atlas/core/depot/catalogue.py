"""The records of a Depot as a catalogue: what each says, where its data are found, and which fit a search."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from pathlib import Path

from lxml import etree

from brisk_atlas.core.curate.derived import derived_record
from brisk_atlas.core.model import CannotRead, Extent
from brisk_atlas.core.record.document import read_document, written
from brisk_atlas.core.record.model import Link, Record
from brisk_atlas.core.record.standards import STANDARDS

from .offers import DEGREES, Depot, Offer
from .postings.outlet_ways import OfferedService


@dataclass(frozen=True)
class CatalogueEntry:
    """A record and what it describes: its id, what it is offered as, and its extent in degrees, None where it has no
    place."""

    id: str
    name: str
    record: Record
    extent: Extent | None

    @property
    def keywords(self) -> list[str]:
        return [word for each in self.record.keywords for word in each.words]

    @property
    def degrees(self) -> tuple[float, float, float, float] | None:
        return self.extent.bounds if self.extent is not None else None

    def has(self, words: str, box: Extent | None) -> bool:
        """Return whether all words stand in it, and whether it reaches into a box in degrees."""
        if box is not None and (self.extent is None or self.extent.intersection(box) is None):
            return False
        record = self.record
        text = " ".join((record.title, record.abstract, self.name, *self.keywords, *record.places)).casefold()
        return all(word in text for word in re.findall(r"\w+", words.casefold()))

    def iso(self) -> etree._Element:
        """Return the record in ISO 19139."""
        document = written(STANDARDS["ISO 19139"], self.record, Path("record.xml"))
        return etree.fromstring(document.data)


def entries_of(depot: Depot, base: str) -> list[CatalogueEntry]:
    """Return the records of all offers, with links to the services at an address, and those of what has no place."""
    found = []
    for offer in depot.offers.values():
        path, record = depot.record_of(offer.id), depot.records.get(offer.id)
        try:
            record = read_document(path).record if path is not None else record
        except CannotRead:
            record = None
        if record is None:
            record = derived_record(depot.cache.dataset(offer.layer.ref), offer.layer.ref.part)
        stated = record.title if path is not None else ""
        several = len(depot.cache.dataset(offer.layer.ref).parts) > 1
        title = f"{stated}: {offer.title}" if stated and several else stated or offer.title
        found.append(
            CatalogueEntry(
                offer.id, offer.title,
                replace(record, title=title, identifier=offer.id, links=_links(depot, offer, base)),
                offer.extent_in(DEGREES),
            )
        )  # fmt: skip
    alone = {name: record for name, record in depot.records.items() if name not in depot.offers}
    return [*found, *(CatalogueEntry(name, "", record, _extent_stated(record)) for name, record in alone.items())]


def _extent_stated(record: Record) -> Extent | None:
    """Return the extent that a record states, None for none."""
    for each in record.boxes:
        sides = [side for side in (each.west, each.south, each.east, each.north) if side is not None]
        if len(sides) == 4:
            return Extent.of(sides, DEGREES)
    return None


def _links(depot: Depot, offer: Offer, base: str) -> tuple[Link, ...]:
    links = []
    if OfferedService.MAPS in offer.services:
        links.append(Link(f"{base}/wms", offer.id, "Pictures", "OGC:WMS"))
    if offer.has_features and OfferedService.FEATURES in offer.services:
        links.append(Link(f"{base}/wfs", f"depot:{offer.id}", "Features", "OGC:WFS"))
    if depot.folder is not None and offer.layer.ref.is_local:
        links.append(Link(f"{base}/files/{offer.layer.ref.name}", offer.layer.ref.name, "The file", "WWW:DOWNLOAD"))
    return tuple(links)
