"""What lies at an address that somebody pasted: a service by what it answers, a folder, or a file."""

from __future__ import annotations

import json
import re
import time
from collections.abc import Callable
from typing import Any, NamedTuple
from urllib.parse import parse_qsl, urljoin, urlsplit, urlunsplit

from brisk_atlas.core.model import CannotRead, DataRef, PlaceKind
from brisk_atlas.core.model.errors import NeedsPassword
from brisk_atlas.core.model.language import tr

from .fetching import fetch
from .ows import OWN_SETTINGS, asking, complaint_in
from .vectortiles import is_vector_template
from .web_folder import links_below
from .xyz import is_template

LOOK_BYTES = 64_000_000
ROOTS = {
    b"WMS_Capabilities": "wms", b"WMT_MS_Capabilities": "wms", b"WFS_Capabilities": "wfs",
}  # fmt: skip
FILES = (".json", ".xml")  # endings of files that may describe a service instead
TRIED = ("wms", "wfs", "wmts", "wcs", "csw")  # what an address that answers without a question is asked as
Check = Callable[[], None]


class Recognised(NamedTuple):
    """What an address is, and how long its server took to answer, in seconds."""

    ref: DataRef
    seconds: float


def recognise(address: str, check: Check = lambda: None) -> Recognised:
    """Return what lies at a web address. Raises CannotRead where the server gives nothing that is known."""
    began = time.monotonic()
    ref = _recognised(address.strip(), check)
    return Recognised(ref, time.monotonic() - began)


def _recognised(address: str, check: Check) -> DataRef:
    if is_vector_template(address):
        return DataRef.service("vectortiles", address)
    if is_template(address):
        return DataRef.service("xyz", address)
    path = urlsplit(address).path.rstrip("/")
    if path.endswith(("/MapServer", "/FeatureServer", "/rest/services")):
        return DataRef.service("geoservices", asking(address, {}).partition("?")[0].rstrip("/"))
    plain = DataRef.service("http", address)  # without the password and the keys
    asked = DataRef(PlaceKind.ADDRESS, plain.address)
    settings = {name.lower(): value for name, value in parse_qsl(urlsplit(address).query)}
    protocol = settings.get("service", "").lower()
    if protocol in TRIED:
        return DataRef.service(protocol, _bare(asked.place))
    try:
        found = _by_answer(asked, check)
    except NeedsPassword:
        raise
    except CannotRead:
        found = None
        refused = True
    else:
        refused = False
    if found is not None:
        return found
    for each in TRIED:
        check()
        question = asking(asked.place, {"service": each.upper(), "request": "GetCapabilities"})
        try:
            body = fetch(asked, question, limit=LOOK_BYTES, check=check).body
        except NeedsPassword:
            raise
        except CannotRead:
            continue
        if _protocol_in(body) == each:
            return DataRef.service(each, _bare(asked.place))
    if refused:
        fetch(asked, asked.place, limit=LOOK_BYTES, check=check)  # for its reason
    raise CannotRead(
        asked,
        tr("what the server answers is no service that is known"),
        tr("Ask its owner for the address of its capabilities or landing page, or of a file."),
    )


def _by_answer(asked: DataRef, check: Check) -> DataRef | None:
    answer = fetch(
        asked, asked.place, accept="application/json, text/xml;q=0.9, */*;q=0.5", limit=LOOK_BYTES, check=check
    )
    body = answer.body
    protocol = _protocol_in(body)
    if protocol:
        path = urlsplit(asked.place).path.lower()
        return DataRef.service(protocol, asked.place if path.endswith(".xml") else _bare(asked.place))
    if complaint_in(body):
        return None
    if body.lstrip()[:1] == b"{" and (found := _of_json(asked, body)) is not None:
        return found
    if asked.suffix in FILES:
        return asked
    folder = asked.place if asked.place.endswith("/") else f"{asked.place}/"
    if "html" in answer.media_type and links_below(folder, body.decode("utf-8", "replace")):
        return DataRef(PlaceKind.ADDRESS, folder)
    return None


def _bare(address: str) -> str:
    """Return an address without the settings that each question sets anew."""
    parts = urlsplit(address)
    pieces = [each for each in parts.query.split("&") if each and each.partition("=")[0].lower() not in OWN_SETTINGS]
    return urlunsplit(parts._replace(query="&".join(pieces), fragment=""))


def _protocol_in(body: bytes) -> str:
    """Return what a document of capabilities belongs to, "" for another document."""
    head = body[:4000]
    found = re.search(rb"<(?:[\w-]+:)?([A-Z]\w*Capabilities|Capabilities)\b([^>]*)>", head)
    if found is None:
        return ""
    if found[1] == b"Capabilities":
        spaces = {b"wmts": "wmts", b"/wcs/2": "wcs", b"/cat/csw/": "csw"}
        return next((protocol for space, protocol in spaces.items() if space in found[2]), "")
    return ROOTS.get(found[1], "")


def _of_json(asked: DataRef, body: bytes) -> DataRef | None:
    try:
        found: Any = json.loads(body)
    except (ValueError, RecursionError):
        return None
    if not isinstance(found, dict):
        return None
    stated = found.get("links")
    links = stated if isinstance(stated, list) else []
    rels = {str(link.get("rel", "")).rpartition("/")[2] for link in links if isinstance(link, dict)}
    if "tilejson" in found and isinstance(found.get("tiles"), list):
        template = urljoin(asked.place, str((found["tiles"] or [""])[0]))
        if "vector_layers" in found or is_vector_template(template):
            return DataRef.service("vectortiles", asked.place)
        return DataRef.service("xyz", template)
    if "currentVersion" in found and ("services" in found or "layers" in found):
        return DataRef.service("geoservices", _bare(asked.place).rstrip("/"))
    if "stac_version" in found and "search" in rels:
        return DataRef.service("stac", _bare(asked.place))
    if found.get("itemType") == "record" and found.get("id"):
        landing = _bare(asked.place).partition("/collections/")[0]
        return DataRef.service("records", f"{landing}/")
    if "collections" in found or "data" in rels or "conformance" in rels:
        return DataRef.service("ogcapi", _bare(asked.place))
    return None
