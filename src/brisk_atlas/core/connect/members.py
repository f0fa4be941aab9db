"""Which files on disk make one dataset."""

from __future__ import annotations

import os
import re
from collections.abc import Collection, Iterable
from functools import lru_cache
from pathlib import Path, PurePath

RECORDS = (  # metadata records, in place of the ending or appended to the whole name
    ".xml",
    ".iso.xml",
    ".iso19115-3.xml",
    ".fgdc.xml",
    ".dc.xml",
    ".dcat.jsonld",
    ".dcat.ttl",
    ".dcat.rdf",
    ".stac.json",
)
BESIDE_ANY = (*RECORDS, ".aux.xml", ".ovr", ".msk")  # appended to the whole name
SQLITE = ("-wal", "-shm", "-journal")  # appended to the whole name
_PICTURE = (".wld", ".prj", ".clr")
WITH_STEM = {  # ending: the endings of files with the same stem that belong to it
    ".shp": (".shx", ".dbf", ".prj", ".cpg", ".sbn", ".sbx", ".qix", ".qpj", ".shp.xml"),
    ".tif": (".tfw", ".tifw", ".rrd", ".aux", *_PICTURE),
    ".tiff": (".tfw", ".tiffw", ".rrd", ".aux", *_PICTURE),
    ".jpg": (".jgw", ".jpgw", *_PICTURE),
    ".jpeg": (".jgw", ".jpegw", *_PICTURE),
    ".png": (".pgw", ".pngw", *_PICTURE),
    ".jp2": (".j2w", *_PICTURE),
    ".tab": (".dat", ".map", ".id", ".ind", ".cpg"),
    ".mif": (".mid",),
    ".asc": (".prj",),
    ".flt": (".hdr", ".prj", ".stx", ".clr"),
    ".bil": (".hdr", ".prj", ".stx", ".clr", ".blw"),
    ".bip": (".hdr", ".prj", ".stx", ".clr"),
    ".bsq": (".hdr", ".prj", ".stx", ".clr"),
    ".img": (".hdr", ".ige", ".rrd"),
    ".gml": (".xsd", ".gfs"),
    ".csv": (".csvt", ".prj"),
    ".las": (".lax",),
    ".laz": (".lax",),
    ".hgt": (".prj",),
    ".xyz": (".prj",),
}
SQLITE_ENDINGS = (".gpkg", ".sqlite", ".sqlite3", ".db", ".mbtiles")
_SOURCE = re.compile(r"<SourceFilename[^>]*>([^<]+)</SourceFilename>")
MOST_VIRTUAL = 1_000_000  # bytes of a virtual raster that are searched for what it is made of
MOST_MEMBERS = 100_000  # files counted in a folder that is one dataset


@lru_cache(65536)
def _possible(name: str) -> tuple[str, ...]:
    """Return the names that would belong to the dataset called `name`."""
    path = PurePath(name)
    stem, suffix = path.stem, path.suffix.lower()
    endings = WITH_STEM.get(suffix, ())
    if path.suffix.isupper():
        endings = tuple(ending.upper() for ending in endings)
    found = [name + ending for ending in BESIDE_ANY]
    found += [stem + ending for ending in endings]
    found += [stem + ending for ending in RECORDS] if suffix != ".xml" else []
    found += [name + ending for ending in SQLITE] if suffix in SQLITE_ENDINGS else []
    return tuple(dict.fromkeys(found))


def names_with(name: str, present: Collection[str]) -> list[str]:
    """Return those of the names in one folder that make the dataset called `name`, itself first."""
    return [name, *(other for other in _possible(name) if other in present and other != name)]


def sources_of(path: Path) -> list[str]:
    """Return the names of the files in its own folder that a virtual raster is made of."""
    try:
        with path.open("rb") as file:
            text = file.read(MOST_VIRTUAL).decode("utf-8", "replace")
    except OSError:
        return []
    found = [name.replace("&amp;", "&").removeprefix("./") for name in _SOURCE.findall(text)]
    return [name for name in dict.fromkeys(found) if "/" not in name and name != path.name]


def members_of(path: Path) -> tuple[Path, ...]:
    """Return the files that belong to the dataset at `path`, itself first; of a folder, all its files."""
    if path.is_dir():
        return tuple(_below(path))
    if path.suffix.lower() == ".vrt":
        made_of = [other for name in sources_of(path) if (other := path.with_name(name)).is_file()]
        return (path, *(p for p in _beside(path) if p not in made_of), *made_of)
    return (path, *_beside(path))


def _beside(path: Path) -> tuple[Path, ...]:
    """Return the files with the names that belong to a dataset."""
    folder = f"{path.parent}/"
    return tuple(path.with_name(n) for n in _possible(path.name) if os.path.isfile(folder + n))  # noqa: PTH113  cheaper


def _below(folder: Path) -> Iterable[Path]:
    count = 0
    for root, _, names in os.walk(folder):
        for name in sorted(names):
            count += 1
            if count > MOST_MEMBERS:
                return
            yield Path(root) / name
