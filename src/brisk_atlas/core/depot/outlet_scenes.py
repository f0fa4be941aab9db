"""Grids and clouds that are offered, as scenes of a catalogue (STAC 1.0), where it is known when they are of."""

from __future__ import annotations

from datetime import UTC, datetime
from functools import partial
from typing import Any
from urllib.parse import urlencode

from brisk_atlas.core.model import CannotPlace
from brisk_atlas.core.record.model import Record

from .offers import DEGREES, WORLD, Offer
from .postings.outlet import Outlet
from .postings.outlet_record import stored_record
from .postings.outlet_ways import OfferedService
from .postings.posting import Posting
from .stac import Scene

VERSION, THUMBNAIL_PX = "1.0.0", 256
SERVICES = "/services"  # the end of the address that services are at
MEDIA = {".tif": "image/tiff; application=geotiff; profile=cloud-optimized", ".copc.laz": "application/vnd.laszip+copc"}


def scene_of(outlet: Outlet, posting: Posting, offer: Offer) -> Scene | None:
    """Return an outlet of a file as a scene, None where no record says when it is of, or it has no place."""
    times = times_of(stored_record(posting.record))
    try:
        west, south, east, north = offer.extent_in(DEGREES).bounds
    except (AssertionError, CannotPlace):
        return None
    if not times:
        return None
    ring = [[west, south], [east, south], [east, north], [west, north], [west, south]]
    properties: dict[str, Any] = {"datetime": times[0], "title": outlet.title}
    if len(times) == 2:
        properties |= {"start_datetime": times[0], "end_datetime": times[1]}
    if outlet.summary:
        properties["description"] = outlet.summary
    item = {
        "type": "Feature", "stac_version": VERSION, "id": outlet.id, "bbox": [west, south, east, north],
        "geometry": {"type": "Polygon", "coordinates": [ring]}, "properties": properties,
    }  # fmt: skip
    return Scene(item, partial(_assets, outlet, posting, offer))


def _assets(outlet: Outlet, posting: Posting, offer: Offer, base: str) -> dict[str, Any]:
    ending = next((each for each in MEDIA if posting.file.endswith(each)), "")
    box = ",".join(f"{side:.2f}" for side in offer.extent_in(WORLD).bounds)
    asked = {"service": "WMS", "version": "1.3.0", "request": "GetMap", "layers": outlet.id, "styles": "",
             "crs": WORLD, "bbox": box, "width": THUMBNAIL_PX, "height": THUMBNAIL_PX,
             "format": "image/png"}  # fmt: skip
    root = base.removesuffix(SERVICES)
    data = {"href": f"{root}/pages/{outlet.id}/download/file", "title": outlet.title, "roles": ["data"]}
    about = {"href": f"{root}/collections/{outlet.id}/record", "type": "application/xml", "roles": ["metadata"]}
    picture = {"href": f"{base}/wms?{urlencode(asked)}", "type": "image/png", "roles": ["thumbnail"]}
    return {
        **({"data": data | ({"type": MEDIA[ending]} if ending else {})} if outlet.forms(posting) else {}),
        **({"thumbnail": picture} if OfferedService.MAPS in outlet.services else {}), "metadata": about,
    }  # fmt: skip


def times_of(record: Record) -> list[str]:
    """Return when the content of a record is of: the begin and the end, or one time; the first date where it says no
    more, and nothing where it says none."""
    for each in record.times:
        found = [_time(text) for text in (each.begin, each.end) if text]
        known = [text for text in found if text]
        if known:
            return known
    dates = [_time(each.day) for each in record.dates if each.day]
    return [text for text in dates if text][:1]


def _time(text: str) -> str:
    """Return a day or time as RFC 3339 has it, "" for what is none."""
    try:
        found = datetime.fromisoformat(text if len(text) > 7 else f"{text}-01-01"[:10])
    except ValueError:
        return ""
    known = found if found.tzinfo is not None else found.replace(tzinfo=UTC)
    return known.astimezone(UTC).isoformat().replace("+00:00", "Z")
