"""What services of the OGC's older family share: questions as settings of an address, answers and complaints as XML."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from functools import lru_cache
from typing import Any, TypeVar
from urllib.parse import parse_qsl, quote, urlencode, urlsplit, urlunsplit
from zlib import crc32

from lxml import etree

from brisk_atlas.core.model import CannotPlace, CannotRead, DataRef, refusing
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place.crs import proj_crs

from .fetching import fetch
from .stored_answers import StoredAnswer

CAPABILITIES_BYTES = 64_000_000
OWN_SETTINGS = ("service", "request", "version", "acceptversions")  # that each question sets anew
LON_LAT = ("CRS:84", "OGC:CRS84")
T = TypeVar("T")


def asking(address: str, settings: Mapping[str, str]) -> str:
    """Return an address with settings, in place of its own of these names, whatever their case.

    >>> asking("https://survey.tolvane.example/ows?map=zones&SERVICE=WFS", {"service": "WMS"})
    'https://survey.tolvane.example/ows?map=zones&service=WMS'
    """
    parts = urlsplit(address)
    replaced = {name.lower() for name in settings} | set(OWN_SETTINGS)
    others = [(n, v) for n, v in parse_qsl(parts.query, keep_blank_values=True) if n.lower() not in replaced]
    query = urlencode([*others, *settings.items()], quote_via=quote, safe=",:/()")
    return urlunsplit((parts.scheme, parts.netloc, parts.path, query, ""))


def on_own_host(ref: DataRef, stated: str) -> str:
    """Return an address that a service states, or its own where that one is on another host or missing."""
    own, other = urlsplit(ref.address), urlsplit(stated)
    if other.scheme not in ("http", "https") or other.hostname != own.hostname:
        return ref.address
    return urlunsplit((own.scheme, own.netloc, other.path, other.query, ""))


def legend_address(ref: DataRef, stated: str) -> str:
    """Return where the picture of a legend is asked for, "" for none and for one on another host."""
    found = on_own_host(ref, stated)
    return found if stated and found != ref.address else ""


def capabilities(ref: DataRef, service: str, parse: Callable[[str, bytes], T], *, version: str = "") -> T:
    """Return what `parse` makes of the capabilities of a service: it is given their version and their bytes.

    The same bytes are parsed once. Raises CannotRead.
    """
    settings = {"service": service, "request": "GetCapabilities"} | ({"version": version} if version else {})
    whole = DataRef(ref.kind, ref.place)
    address = ref.address if ref.address.lower().endswith(".xml") else asking(ref.address, settings)
    answer = fetch(whole, address, accept="text/xml, application/xml", limit=CAPABILITIES_BYTES)
    return _parsed(parse, whole, answer.body)


def capabilities_state(ref: DataRef, service: str) -> str:
    """Return a text that differs once the capabilities of a service have changed. Raises CannotRead."""
    return capabilities(ref, service, _digest)


def _digest(version: str, body: bytes) -> str:
    return f"{crc32(body):x}"


@lru_cache(16)
def _parsed(parse: Callable[[str, bytes], Any], ref: DataRef, body: bytes) -> Any:
    check_xml(ref, body)
    stated = re.search(rb"<[\w:]*(?:Capabilities|WMT_MS_Capabilities)\b[^>]*?\sversion\s*=\s*[\"']([\d.]+)", body)
    with refusing(ref):
        return parse(stated[1].decode() if stated else "", body)


def check_xml(ref: DataRef, body: bytes) -> None:
    """Raise CannotRead for an answer that is no XML, that is a complaint, or that defines entities of its own."""
    head = body[:5000].lstrip(b"\xef\xbb\xbf \t\r\n")
    if head[:15].lower().startswith((b"<!doctype html", b"<html")):
        raise CannotRead(
            ref, tr("the server answers with a page for people"), tr("Ask its owner for the service's address.")
        )
    if b"<!ENTITY" in body:
        raise CannotRead(ref, tr("its XML defines entities of its own, which can be an attack"), tr("Tell its owner."))
    if not head.startswith(b"<"):
        start = head[:60].decode("utf-8", "replace")
        raise CannotRead(ref, tr("the server's answer is not XML ('{start}')", start=start), tr("Check the address."))
    complaint = complaint_in(body)
    if complaint:
        raise CannotRead(
            ref, tr("the service refuses ({complaint})", complaint=complaint), tr("Check the address and the layer.")
        )


def tree_of(ref: DataRef, body: bytes) -> etree._Element:
    """Return the root of an answer of XML. Raises CannotRead."""
    check_xml(ref, body)
    try:
        return etree.fromstring(body, etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False))
    except (etree.XMLSyntaxError, ValueError) as error:
        raise CannotRead(
            ref, tr("the server's answer is not whole XML ({error})", error=error), tr("Try again.")
        ) from error


def complaint_in(body: bytes) -> str:
    """Return what an exception report states, "" for another answer."""
    if not re.search(rb"<(?:\w+:)?(?:ServiceExceptionReport|ExceptionReport)\b", body[:3000]):
        return ""
    found = re.search(rb"<(?:\w+:)?(?:ExceptionText|ServiceException)\b[^>]*>(.*?)</", body, re.DOTALL)
    text = found[1].decode("utf-8", "replace") if found else ""
    return " ".join(re.sub(r"<!\[CDATA\[|\]\]>", "", text).split())[:300] or "without a reason"


def northing_first(crs: str) -> bool:
    """Return whether the authority of a CRS states latitude or northing before longitude or easting."""
    known = crs_of(crs)
    axes = [axis.direction for axis in proj_crs(known).axis_info] if known else []
    return axes[:2] == ["north", "east"]


def crs_of(name: str) -> str | None:
    """Return the CRS that a service means by a name of its own, as `EPSG:n` or as text; None for one that is unknown.

    >>> crs_of("urn:ogc:def:crs:EPSG::32727"), crs_of("http://www.opengis.net/def/crs/OGC/1.3/CRS84")
    ('EPSG:32727', 'EPSG:4326')
    """
    if name.rstrip("/").rpartition("/")[2] == "CRS84" or name in LON_LAT or name.endswith("CRS84"):
        return "EPSG:4326"
    found = re.search(r"EPSG(?:/[\d.]+/|:[\d.]*:|::|:|/)(\d+)$", name, re.IGNORECASE)
    if found is None:
        return None
    code = {"900913": "3857", "102100": "3857"}.get(found[1], found[1])
    try:
        proj_crs(f"EPSG:{code}")
    except CannotPlace:
        return None
    return f"EPSG:{code}"


def picture_problem(ref: DataRef, answer: StoredAnswer) -> CannotRead:
    """Return what is wrong with an answer that should have been a picture."""
    complaint = complaint_in(answer.body)
    if complaint:
        return CannotRead(
            ref, tr("the service refuses ({complaint})", complaint=complaint), tr("Choose another scale or place.")
        )
    kind = answer.media_type.partition(";")[0] or "nothing that it names"
    return CannotRead(
        ref, tr("the server answers with {kind} where a picture was asked for", kind=kind), tr("Tell its owner.")
    )
