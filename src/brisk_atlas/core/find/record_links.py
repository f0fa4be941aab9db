"""Where the data that a record describes are found: its links, as references that can be listed or opened."""

from __future__ import annotations

from typing import NamedTuple
from urllib.parse import urlsplit

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.read.find_records import find_records
from brisk_atlas.core.record.model import Link

PROTOCOLS = {"wms": "wms", "wmts": "wmts", "wfs": "wfs", "wcs": "wcs", "csw": "csw", "stac": "stac"}
REST = ("/MapServer", "/FeatureServer")


class DataLink(NamedTuple):
    """A link of a record: what it is called, and where it leads."""

    title: str
    ref: DataRef


def links_of_record(cache: DataCache, ref: DataRef) -> list[DataLink]:
    """Return the links of the records of a dataset that lead to the web. Raises CannotRead."""
    found, _ = find_records(cache.dataset(ref))
    links = [link for each in found for link in each.document.record.links]
    named = {link.url: link for link in links if link.url.startswith(("http://", "https://"))}
    return [DataLink(link.description or link.name or link.url, ref_of_link(link)) for link in named.values()]


def ref_of_link(link: Link) -> DataRef:
    """Return what a link leads to: a layer of a service, where its protocol and its name say so, else its address.

    >>> str(ref_of_link(Link("https://survey.tolvane.example/ows", "zones", "", "OGC:WMS-1.3.0-http-get-map")))
    'wms+https://survey.tolvane.example/ows#zones'
    """
    words = link.protocol.lower().replace("ogc:", "").replace("-", " ").replace("_", " ").split()
    protocol = next((PROTOCOLS[word] for word in words if word in PROTOCOLS), "")
    if not protocol or urlsplit(link.url).path.endswith(REST):
        return DataRef.parse(link.url)
    return DataRef.service(protocol, link.url.partition("#")[0].rstrip("?&"), link.name)
