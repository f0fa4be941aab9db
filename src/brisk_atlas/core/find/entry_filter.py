"""Which rows of a list are shown, in which order, and under which themes."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from datetime import UTC, datetime, timedelta
from math import cos, radians
from typing import TYPE_CHECKING, NamedTuple

from brisk_atlas.core.model import size_text
from brisk_atlas.core.model.date_words import day_text
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

if TYPE_CHECKING:  # the readers load with them, which an empty list can do without
    from .listing import Entry
    from .summary import DatasetSummary

NO_THEME = tr("no theme")
KM_PER_DEGREE = 111.32  # along the equator
AGES = {"today": 1, "last 7 days": 7, "last 30 days": 30, "last year": 365}  # days


class EntryRow(NamedTuple):
    """One row: an entry, and what is known of it so far."""

    entry: Entry
    summary: DatasetSummary | None = None

    @property
    def kind(self) -> str:
        """The kind in a word, `folder` for folders, "" while it is not known."""
        if self.entry.is_folder:
            return "folder"
        return self.summary.kind if self.summary else ""


class EntryFilter(NamedTuple):
    """What a row must be to be shown. Empty values show all. `box` is west, south, east and north in degrees;
    `age` one of AGES. Folders are matched by their names, and by nothing else once there is another wish."""

    text: str = ""
    kinds: frozenset[str] = frozenset()
    crs: frozenset[str] = frozenset()
    age: str = ""
    box: tuple[float, float, float, float] | None = None

    @property
    def by_facts(self) -> bool:
        """Return whether rows are judged by what must be looked up first."""
        return bool(self.kinds or self.crs or self.box)

    def keeps(self, row: EntryRow, now: datetime | None = None) -> bool:
        """Return whether a row is shown; one that is not known yet is not, when that matters."""
        entry, known = row.entry, row.summary
        if self.text:
            names = entry.name.lower() + (" " + " ".join(p.name for p in known.parts).lower() if known else "")
            if not all(word in names for word in self.text.lower().split()):
                return False
        if entry.is_folder:
            return not (self.by_facts or self.age)
        if self.age:
            now = now or datetime.now(UTC)
            if entry.modified < now - timedelta(days=AGES[self.age]):
                return False
        if not self.by_facts:
            return True
        if known is None:
            return False
        kinds = {known.kind, *(part.kind for part in known.parts)}
        systems = {known.crs, *(part.crs for part in known.parts)}
        return (
            (not self.kinds or bool(kinds & self.kinds))
            and (not self.crs or bool(systems & self.crs))
            and (self.box is None or (known.box is not None and overlap(known.box, self.box)))
        )


def overlap(a: tuple[float, float, float, float], b: tuple[float, float, float, float]) -> bool:
    """Return whether two boxes in degrees (west, south, east, north) share a place; one across 180 degrees runs on
    beyond it, or has a west larger than its east."""
    if a[1] > b[3] or a[3] < b[1]:
        return False
    (west, east), (low, high) = ((box[0], box[2] if box[2] >= box[0] else box[2] + 360.0) for box in (a, b))
    return any(west + turn <= high and east + turn >= low for turn in (-360.0, 0.0, 360.0))


def extent_words(box: tuple[float, float, float, float] | None) -> str:
    """Return the middle of a box in degrees, and its width and height on the ground."""
    if box is None:
        return ""
    lon, lat = ((box[0] + box[2]) / 2 + 180.0) % 360.0 - 180.0, (box[1] + box[3]) / 2
    sides = [(box[2] - box[0]) * KM_PER_DEGREE * cos(radians(lat)), (box[3] - box[1]) * KM_PER_DEGREE]
    place = f"{abs(lat):.3f}° {'N' if lat >= 0 else 'S'} {abs(lon):.3f}° {'E' if lon >= 0 else 'W'}"
    return tr("{place}, {sides:,.3g} × {sides2:,.3g} km", place=place, sides=sides[0], sides2=sides[1])


def remarks_of(row: EntryRow) -> str:
    """Return what is wrong or particular: the reason why it can't be read, or the warnings."""
    known = row.summary
    if known is None:
        return ""
    return known.fault or "; ".join(known.warnings)


def _above(row: EntryRow) -> str:
    """Return the folder that a dataset lies in, or its database."""
    return str(row.entry.ref.folder or row.entry.ref.place)


class EntryColumn(NamedTuple):
    """One column of the list: its title, what it says of a row, and what it sorts by."""

    title: str
    text: Callable[[EntryRow], str]
    key: Callable[[EntryRow], object]
    width: int
    right: bool = False


def _of(name: str, empty: str = "") -> Callable[[EntryRow], str]:
    return lambda row: str(getattr(row.summary, name)) if row.summary is not None else empty


def _size_text(row: EntryRow) -> str:
    size = _size(row)
    is_unknown = not size and not row.entry.ref.is_local  # of a view, or of what a service gives
    return "" if row.entry.is_folder or is_unknown else size_text(size)


def _size(row: EntryRow) -> int:
    return row.summary.size_bytes if row.summary is not None and not row.entry.size_bytes else row.entry.size_bytes


COLUMNS = {
    "name": EntryColumn(tr("Name"), lambda r: r.entry.name, lambda r: r.entry.name.lower(), 150),
    "kind": EntryColumn(tr("Kind"), lambda r: r.kind, lambda r: r.kind, 62),
    "shape": EntryColumn(tr("Shape, bands"), _of("shape"), _of("shape"), 94),
    "amount": EntryColumn(tr("Rows or cells"), _of("amount"), lambda r: r.summary.number if r.summary else -1.0, 98,
    True),
    "crs": EntryColumn(tr("CRS"), _of("crs"), _of("crs"), 80),
    "extent": EntryColumn(
        tr("Extent"), lambda r: extent_words(r.summary.box if r.summary else None),
        lambda r: r.summary.box or (999.0,) * 4 if r.summary else (999.0,) * 4, 220,
    ),
    "size": EntryColumn(tr("On disk"), _size_text, _size, 66, True),
    "modified": EntryColumn(
        tr("Changed"), lambda r: day_text(r.entry.modified) if r.entry.modified.year > 1970 else "",
        lambda r: r.entry.modified, 74),
    "record": EntryColumn(tr("Record"), lambda r: _of("record")(r).removesuffix(" CSDGM"), _of("record"), 74),
    "remarks": EntryColumn(tr("Remarks"), remarks_of, lambda r: (not remarks_of(r), remarks_of(r)), 86),
    "files": EntryColumn(tr("Files"), lambda r: "" if r.entry.is_folder or not r.summary else grouped(r.summary.files),
                    lambda r: r.summary.files if r.summary else 0, 50, True),
    "format": EntryColumn(tr("Format"), _of("format"), _of("format"), 90),
    "title": EntryColumn(tr("Title in the record"), _of("title"), _of("title"), 190),
    "folder": EntryColumn(
        tr("Folder"), lambda r: "/".join(_above(r).split("/")[-2:]), lambda r: _above(r), 130,
    ),
}  # fmt: skip
SHOWN_FIRST = ("name", "kind", "shape", "amount", "crs", "size", "modified", "record", "remarks")


def in_order(rows: Iterable[EntryRow], column: str, *, down: bool = False) -> list[EntryRow]:
    """Return rows sorted by a column, folders always first; rows that are alike stay by name."""
    if column == "name":
        named = sorted(rows, key=lambda row: row.entry.name.lower(), reverse=down)
        return sorted(named, key=lambda row: not row.entry.is_folder)
    key = COLUMNS[column].key
    by_name = sorted(rows, key=lambda row: row.entry.name.lower())
    ordered = sorted(by_name, key=lambda row: key(row), reverse=down)  # type: ignore[arg-type,return-value]
    return sorted(ordered, key=lambda row: not row.entry.is_folder)


def by_theme(rows: Sequence[EntryRow]) -> dict[str, list[EntryRow]]:
    """Return the datasets under each theme that their records name; one with several stands under each."""
    found: dict[str, list[EntryRow]] = {}
    rest = []
    for row in rows:
        themes = row.summary.themes if row.summary is not None else ()
        for theme in themes:
            found.setdefault(theme, []).append(row)
        if not themes and not row.entry.is_folder:
            rest.append(row)
    ordered = dict(sorted(found.items(), key=lambda item: item[0].lower()))
    return {**ordered, NO_THEME: rest} if rest else ordered
