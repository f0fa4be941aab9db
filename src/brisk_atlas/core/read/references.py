"""What a file points at: other files and addresses that a library would open on its behalf.

Files may point at what lies in their own folder or below it. For anything else the analyst is asked.
"""

from __future__ import annotations

import mmap
import os
import re
from collections.abc import Callable, Iterator
from functools import cache
from pathlib import Path
from urllib.parse import unquote

from brisk_atlas.core.model import CannotRead, NeedsPermission
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.record.safe_xml import parse_xml

from .content import content_of, root_of
from .permissions import allowed_places, is_allowed, place_of

MOST_XML = 64_000_000  # bytes of a virtual dataset that is looked through
DEEPEST = 8  # virtual datasets within each other
VIRTUAL = ("VRTDataset", "OGRVRTDataSource")
SERVICES = re.compile(r"<\s*(GDAL_|OGR|WMS|WCS|MRF)", re.IGNORECASE)
PREFIX = re.compile(r"^(?!file:)[A-Za-z][\w+.-]+:(?![\\/]?$)", re.IGNORECASE)  # a driver's or a scheme's
CONTAINERS = ("NETCDF", "HDF5", "GPKG", "ZARR", "GTIFF_DIR", "COG", "VRT")  # prefixes of files on the disk
LINKED_CRS = re.compile(rb'"(?:type|Type)"\s*:\s*"(?:link|url)"', re.IGNORECASE)
MEMBER = re.compile(rb'"crs"\s*+:\s*+\{')
ADDRESS = re.compile(rb'"(?:href|url)"\s*:\s*"([^"]{1,2000})"', re.IGNORECASE)
NAMES_FILES = re.compile(
    r"file|source|datasource|dataset|url|path|overview|kernel|href|layer|connection", re.IGNORECASE
)
NAMES_NO_FILES = ("SourceBand", "SourceProperties", "SourceTransferType", "SrcLayer", "Dataset", "GeolocationDataset")


def check_references(path: Path) -> None:
    """Raise NeedsPermission for a file that points out of its own folder and was not allowed to, CannotRead for one
    that holds the description of a service."""
    wanted: dict[str, None] = {}
    allowed = cache(allowed_places)  # read for a file that points elsewhere alone

    def may_follow(target: str) -> bool:
        return ("://" not in target and _is_below(target, path.parent)) or is_allowed(target, allowed())

    for target in _targets(path, 0, may_follow):
        if not may_follow(target):
            wanted.setdefault(target)
    if wanted:
        first = next(iter(wanted))
        more = f" and {len(wanted) - 1:,} more" if len(wanted) > 1 else ""
        places = tuple(dict.fromkeys(map(place_of, wanted)))
        raise NeedsPermission(
            path,
            tr(
                "it points at {first}{more}, outside its own folder, which nothing was read from",
                first=first[:200],
                more=more,
            ),
            tr("Allow {places} if you trust the file.", places=", ".join(places)[:200]),
            places,
        )


def _is_below(target: str, folder: Path) -> bool:
    try:
        return folder.resolve() in Path(target).resolve().parents
    except (OSError, RuntimeError, ValueError):
        return False


def _targets(path: Path, depth: int, may_follow: Callable[[str], bool]) -> Iterator[str]:
    """Yield the paths and addresses that a file points at, and those that virtual datasets among them point at."""
    if depth > DEEPEST:
        raise CannotRead(path, tr("virtual datasets are nested too deeply in it"), tr("Ask for what it is made of."))
    with path.open("rb") as file:
        head = file.read(4096)
    kind = content_of(head) if head else ""
    if kind == "JSON":
        yield from _json_targets(path)
    for xml in (path, path.with_name(path.name + ".aux.xml")):
        if (xml == path and kind != "XML") or not xml.is_file():
            continue
        if xml == path and root_of(head) not in VIRTUAL:
            if depth:
                raise CannotRead(
                    path, tr("a virtual dataset points at it, and it describes a service"), tr("Ask who made it.")
                )
            continue
        for target in _xml_targets(xml, sidecar=xml != path):
            yield target
            inner = Path(target)
            if "://" not in target and may_follow(target) and inner.is_file() and inner != path:
                yield from _targets(inner, depth + 1, may_follow)


def _xml_targets(path: Path, *, sidecar: bool) -> Iterator[str]:
    if path.stat().st_size > MOST_XML:
        raise CannotRead(path, tr("it is far longer than virtual datasets are"), tr("Ask for what it is made of."))
    for element in parse_xml(path).getroot().iter():
        if not isinstance(element.tag, str):
            continue
        name = element.tag.rpartition("}")[2]
        about = f"{name} {element.get('key', '')} {element.get('name', '')}"
        if sidecar and element.get("key") != "OVERVIEW_FILE":
            continue
        for text in (element.text or "", *(v for k, v in element.attrib.items() if NAMES_FILES.search(k))):
            text = text.strip()
            if not text or text in ("0", "1"):
                continue
            if SERVICES.search(text):
                raise CannotRead(
                    path, tr("it holds the description of a service"), tr("Connect to the service by itself.")
                )
            names = sidecar or (NAMES_FILES.search(about) and name not in NAMES_NO_FILES)
            if names or "://" in text or "/vsi" in text:
                relative = (element.get("relativeToVRT") or element.get("relativetoVRT") or "0") == "1"
                yield from _as_target(text, path.parent, relative=relative or sidecar)


def _as_target(text: str, folder: Path, *, relative: bool) -> Iterator[str]:
    """Yield the path or address that a name in a virtual dataset leads to."""
    address = re.search(r"[a-z][a-z0-9+.-]*://[^\s\"'<>]+", text, re.IGNORECASE)
    if address:
        found = address[0]
        yield unquote(found[7:]) if found.lower().startswith("file://") else found
        return
    if "/vsi" in text:
        yield f"vsi://{text.partition('/vsi')[2].partition('/')[0]}/{text}"
        return
    prefix = PREFIX.match(text)
    if prefix:
        driver, _, rest = text.partition(":")
        if driver.upper() not in CONTAINERS:
            yield f"driver://{driver.lower()}/{rest}"
            return
        text = rest.strip('"').partition('"')[0].partition(":")[0]
    if text.lstrip().upper().startswith(("SELECT ", "WITH ")):
        return
    yield os.path.normpath(folder / text)


def _json_targets(path: Path) -> Iterator[str]:
    """Yield the addresses that a GeoJSON names for its CRS."""
    if path.stat().st_size == 0:
        return
    with path.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as data:
        at = data.find(b'"crs"')
        while at >= 0:
            piece = bytes(data[at : at + 4000])
            if MEMBER.match(piece) and LINKED_CRS.search(piece):
                for found in ADDRESS.findall(piece):
                    text = found.decode("utf-8", "replace").replace("\\/", "/")
                    yield from _as_target(text, path.parent, relative=True)
            at = data.find(b'"crs"', at + 5)
