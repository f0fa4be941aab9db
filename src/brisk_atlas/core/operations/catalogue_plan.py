"""What a catalogue site was made of, what its source has now, and so what is to be built."""

from __future__ import annotations

import json
import logging
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum
from hashlib import sha256
from pathlib import Path
from typing import TYPE_CHECKING, Any

from pydantic import TypeAdapter, ValidationError

from brisk_atlas.core.model import AtlasError, CannotWrite, DataRef, PlaceKind
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.site.site_entry import SiteEntry, entry_id
from brisk_atlas.core.system.atomic_write import reason_of

if TYPE_CHECKING:
    from brisk_atlas.core.find.listing import Entry

log = logging.getLogger(__name__)
STATE = ".catalogue.json"  # what the site was made of, so that it is made anew only where that changed
FORMAT = 3
OWN = ("catalogue.ttl", "search.js", "machines.html")  # by which a site without its state is known
DATASETS = "datasets"
ID = re.compile(r"[a-z0-9-]+")  # a folder of a dataset, and none above it
NOT_DATA = (".brisk.json",)
MOST_DEEP = 4  # folders of a database or a service within each other


class NextBuild(StrEnum):
    """What the next build does with a dataset."""

    NEW = "new"
    CHANGED = "changed"
    SAME = "as it is"
    LEFT_OUT = "left out"


@dataclass(frozen=True)
class SiteWish:
    """How a site is asked for: its title, what it says of itself, where it will be found, and the largest file in
    megabytes that it hands out."""

    title: str = ""
    summary: str = ""
    address: str = ""
    largest_mb: int = 200


@dataclass(frozen=True)
class SiteState:
    """What is stored of a site: how it was asked for, and of what settings and data it was made. `ties` are digests of
    what stands on the page of each dataset of others."""

    format: int
    wish: SiteWish
    settings: str
    entries: tuple[SiteEntry, ...]
    ties: dict[str, str]


NO_SITE = SiteState(FORMAT, SiteWish(), "", (), {})
_STATE = TypeAdapter(SiteState)


@dataclass(frozen=True)
class DatasetWish:
    """A dataset that a site is to have: where it lies, where below the source of the site that is (`source`, which
    stands on its page), what it is called in addresses, and the state of its files."""

    ref: DataRef
    source: str
    id: str
    state: str


@dataclass(frozen=True)
class PlannedDataset:
    """A dataset of the source, what the next build does with it, and what the site has of it, None for nothing yet."""

    source: str
    build: NextBuild
    entry: SiteEntry | None


@dataclass(frozen=True)
class SitePlan:
    """What is to be built, and the entries that still hold."""

    wishes: tuple[DatasetWish, ...]
    holding: tuple[SiteEntry, ...]
    before: dict[str, SiteEntry]

    def rows(self) -> list[PlannedDataset]:
        """Return all datasets in the order of their places; what was found to be no data is none."""
        found = []
        for wish in self.wishes:
            build = NextBuild.CHANGED if wish.source in self.before else NextBuild.NEW
            found.append(PlannedDataset(wish.source, build, self.before.get(wish.source)))
        found += [
            PlannedDataset(entry.source, NextBuild.LEFT_OUT if entry.fault else NextBuild.SAME, entry)
            for entry in self.holding
            if entry.is_listed or entry.fault
        ]
        return sorted(found, key=lambda row: row.source)


def stored_site(out: Path) -> SiteState | None:
    """Return what is stored of the site in a folder, None where there is none that can be read."""
    try:
        found = _STATE.validate_json((out / STATE).read_bytes())
    except FileNotFoundError:
        return None
    except (ValidationError, OSError):
        log.warning("the state of the site in %s can't be read; all is built anew", out, exc_info=True)
        return None
    if not all(ID.fullmatch(entry.id) for entry in found.entries):
        log.warning("the state of the site in %s names other folders; all is built anew", out)
        return None
    return found if found.format == FORMAT else None


def state_bytes(state: SiteState) -> bytes:
    """Return a state as it is stored."""
    return _STATE.dump_json(state)


def checked_folder(out: Path) -> SiteState:
    """Make the folder of a site where it is not there; returns what is stored of it. Raises CannotWrite for a folder
    with something else."""
    try:
        out.mkdir(parents=True, exist_ok=True)
        is_site = (out / STATE).is_file() or all((out / name).is_file() for name in OWN)
        if not is_site and any(out.iterdir()):
            raise CannotWrite(out, tr("there is something else in that folder"), tr("Choose a new or empty folder."))
    except OSError as error:
        raise reason_of(error, out) from error
    return stored_site(out) or NO_SITE


def source_of(given: str | DataRef) -> DataRef:
    """Return what a site is to be made of, as a reference; an address of the web is asked what answers there. Raises
    AtlasError."""
    ref = given if isinstance(given, DataRef) else DataRef.typed(given)
    if ref.kind is not PlaceKind.ADDRESS or not ref.place.startswith(("http://", "https://")):
        return ref
    from brisk_atlas.core.connect.recognise import recognise

    return recognise(ref.place).ref


def listed_in(source: DataRef, out: Path, check: Callable[[], None]) -> Iterator[Entry]:
    """Yield what a folder, a database or a service has, but for the site itself. Raises AtlasError."""
    from brisk_atlas.core.find.listing import list_place, walk

    if source.is_local:
        if not source.path.is_dir():
            raise AtlasError(
                source, tr("it is no folder"), tr("Name a folder, or the address of a database or a service.")
            )
        own = out.resolve()
        for rows in walk(source.path):
            check()
            if rows and not _is_within(rows[0].path.parent, own):
                yield from (row for row in rows if not row.name.endswith(NOT_DATA))
        return
    waiting = [(source, 0)]
    while waiting:
        place, deep = waiting.pop()
        for row in list_place(place):
            check()
            if not row.is_folder:
                yield row
            elif deep < MOST_DEEP:
                waiting.append((row.ref, deep + 1))


def _is_within(path: Path, folder: Path) -> bool:
    return path == folder or path.is_relative_to(folder)


def digest_of_settings(value: dict[str, Any]) -> str:
    """Return a digest of settings, without the day."""
    plain = {name: each for name, each in value.items() if name != "day"}
    return sha256(json.dumps(plain, sort_keys=True, default=str).encode()).hexdigest()


def plan_of(source: DataRef, listed: Sequence[Entry], old: SiteState, settings: str, out: Path) -> SitePlan:
    """Return what is to be built of what is listed; all of it where the settings are others."""
    before = {entry.source: entry for entry in old.entries}
    taken = dict.fromkeys(entry.id for entry in old.entries)
    wishes, holding = [], []
    shared: dict[str, str] = {}
    root = f"{source.place.rstrip('/')}/" if source.is_local else ""
    for row in listed:
        place = row.ref.place.removeprefix(root) if root else _name_there(row)
        folder = row.ref.place.rpartition("/")[0] if root else ""
        if folder not in shared:
            shared[folder] = _shared_state(Path(folder)) if root else ""
        state = f"{row.state}.{shared[folder]}"
        entry = before.get(place)
        if entry is not None and old.settings == settings and entry.state == state and _is_there(entry, out / DATASETS):
            holding.append(entry)
            continue
        id_ = entry.id if entry is not None else entry_id(place, taken)
        taken[id_] = None
        wishes.append(DatasetWish(row.ref, place, id_, state))
    return SitePlan(tuple(wishes), tuple(holding), before)


def _is_there(entry: SiteEntry, folder: Path) -> bool:
    return not entry.is_listed or folder.joinpath(entry.id, "index.html").is_file()


def _name_there(row: Entry) -> str:
    """Return what a dataset of a service or a database is called there."""
    return "/".join(filter(None, (row.ref.inner, row.ref.part))) or row.name


def _shared_state(folder: Path) -> str:
    """Return the state of records that speak of a whole folder, "" for none."""
    from brisk_atlas.core.read.find_records import SHARED

    found = []
    for name in SHARED:
        try:
            stat = (folder / name).stat()
        except OSError:
            continue
        found.append(f"{stat.st_size:x}.{stat.st_mtime_ns:x}")
    return "-".join(found)
