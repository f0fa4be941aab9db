"""Offering a layer: what others will see of it, before it is posted, and posting it with its outlets."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from brisk_atlas.core.handover.flows import GridFlow, PointFlow, RowFlow
from brisk_atlas.core.handover.record_handed import record_of_source
from brisk_atlas.core.handover.step import StepContext
from brisk_atlas.core.handover.steps.write import WriteStep
from brisk_atlas.core.model import AtlasError, CannotRead, CannotWrite, DataKind, DataRef
from brisk_atlas.core.record.model import Record
from brisk_atlas.core.system.scratch import ScratchFolder

from .outlet_file import file_shown
from .postings.depot_store import DepotStore
from .postings.outlet import BadOutlet, Outlet
from .postings.outlet_record import record_text
from .postings.outlet_rows import MOST_COUNTED, OutletRows, RowsAsked
from .postings.post_flow import post_flow
from .postings.posted_rows import BadRow, PostedRows
from .postings.posting import ALBUM_ENDING, Posting, Value

PREVIEW_ROWS = 8
HEAD_BYTES, ALBUM_MARK = 4_000, b'<meta name="generator" content="Brisk Atlas'
FILE_FORMATS = {DataKind.RASTER: ("COG", ".tif"), DataKind.POINTCLOUD: ("COPC", ".copc.laz")}
WANTED = {
    "a title": lambda record: record.title,
    "a summary": lambda record: record.abstract,
    "a contact": lambda record: record.contacts,
    "conditions of use, such as a licence": lambda record: record.constraints,
    "a date": lambda record: record.dates,
    "how it was made": lambda record: record.lineage or record.steps,
}  # what whoever does not know its makers looks for in a record


@dataclass(frozen=True)
class OutletPreview:
    """What an outlet shows: its fields, the first rows, and how many there are (None for more than are counted)."""

    fields: tuple[str, ...]
    rows: tuple[tuple[Value, ...], ...]
    count: int | None


class OfferTrial:
    """A posting in a store of its own, which is gone once it is closed: outlets are looked at there as they would be in
    the Depot."""

    def __init__(self, flow: RowFlow, title: str, geometry_type: str) -> None:
        """Post rows on trial; of a large layer some of them. Raises AtlasError."""
        self._folder = ScratchFolder()
        self.sampled = flow.sampled
        self.store = DepotStore(self._folder.path / "store")
        try:
            self.posting = post_flow(self.store, flow, title, owner="", geometry_type=geometry_type)
        except BadRow as error:
            self.close()
            raise AtlasError(title, f"it can't be posted: {error}", "Mend the row, or leave it out.") from error

    def close(self) -> None:
        """Remove it."""
        self.store.close()
        self._folder.delete()

    def preview(self, outlet: Outlet) -> OutletPreview:
        """Return what an outlet of it shows. Raises AtlasError where it is not possible so."""
        return preview_of(self.store, self.posting, outlet)


def preview_of(store: DepotStore, posting: Posting, outlet: Outlet) -> OutletPreview:
    """Return what an outlet of a posting shows. Raises AtlasError where it is not possible so."""
    outlet = replace(outlet, posting=posting.id)
    try:
        outlet.check(posting)
    except BadOutlet as error:
        raise AtlasError(outlet.title or "the outlet", str(error), "Change it.") from error
    if not posting.has_rows:
        return OutletPreview((), (), None)
    shown = OutletRows(PostedRows(store.database, posting), outlet)
    count = shown.count()
    order = (next(iter(shown.fields)),) if shown.fields and count is not None and count < MOST_COUNTED else ()
    rows = shown.page(RowsAsked(order=order), PREVIEW_ROWS)
    return OutletPreview(tuple(shown.fields), tuple(tuple(row.values.values()) for row in rows), count)


def offer_rows(
    store: DepotStore, flow: RowFlow, title: str, summary: str, geometry_type: str, outlets: Sequence[Outlet], *,
    by: str, stated: Record | None = None,
) -> Posting:  # fmt: skip
    """Post the rows of a layer with its outlets; where one of these is not possible nothing is posted. `stated` is its
    record, where that is not the one of its source. Raises AtlasError."""
    try:
        record = record_text(stated or record_of_source(flow.source, title).record)
        posting = post_flow(
            store, flow, title, owner=by, geometry_type=geometry_type, summary=summary, record=record
        )  # fmt: skip
    except BadRow as error:
        raise CannotWrite(title, f"it can't be posted: {error}", "Mend the row, or leave it out.") from error
    return _offered(store, posting, outlets, by)


def offer_file(
    store: DepotStore, flow: GridFlow | PointFlow, title: str, summary: str, outlets: Sequence[Outlet], *, by: str,
    check: Callable[[], None] = lambda: None,
) -> Posting:  # fmt: skip
    """Post a grid as COG, or a cloud as COPC, with its outlets. Raises AtlasError."""
    with ScratchFolder() as folder:
        path, _ = file_to_post(flow, folder, check)
        record = record_of_source(flow.source, title).record
        return offer_made(store, path, flow.crs, title, summary, outlets, by=by, record=record)


def offer_made(
    store: DepotStore, path: Path, crs: str | None, title: str, summary: str, outlets: Sequence[Outlet], *, by: str,
    record: Record,
) -> Posting:  # fmt: skip
    """Post a file that was made for it, with its record and outlets. Raises AtlasError."""
    wanted = Posting("", 0, title, by, (), crs, "", summary, record_text(record))
    try:
        posting = store.post_file(wanted, path)
    except OSError as error:
        raise CannotWrite(title, f"it can't be stored ({error.strerror})", "Free space, and try again.") from error
    return _offered(store, posting, outlets, by)


def file_to_post(flow: GridFlow | PointFlow, folder: Path, check: Callable[[], None]) -> tuple[Path, int]:
    """Write a grid as COG, or a cloud as COPC, as a Depot holds it; returns where, and how many cells or points it has.
    Raises AtlasError."""
    format_, ending = FILE_FORMATS[flow.kind]
    path = folder / f"posted{ending}"
    made = WriteStep(path=str(path), format=format_).write(flow, StepContext(lambda name: flow, folder, check))
    return path, made[0].count


def offer_record(
    store: DepotStore, record: Record, title: str, summary: str, outlets: Sequence[Outlet], *, by: str
) -> Posting:
    """Post a metadata record of data that are elsewhere, with its outlets. Raises AtlasError."""
    posting = store.post_record(title, record_text(record), owner=by, summary=summary)
    return _offered(store, posting, outlets, by)


def offer_album(
    store: DepotStore, page: Path, title: str, summary: str, outlets: Sequence[Outlet], *, by: str
) -> Posting:
    """Post the page of an album, with its outlets. Raises AtlasError for another file."""
    check_album(page)
    try:
        posting = store.post_file(Posting("", 0, title, by, (), summary=summary), page)
    except OSError as error:
        raise CannotWrite(title, f"it can't be stored ({error.strerror})", "Free space, and try again.") from error
    return _offered(store, posting, outlets, by)


def check_album(page: Path) -> None:
    """Raise CannotRead for what is no page of an album; others could do what they like in a reader's browser."""
    try:
        with page.open("rb") as file:
            head = file.read(HEAD_BYTES)
    except OSError as error:
        raise CannotRead(page, error.strerror or str(error), "Check the path.") from error
    if page.suffix.lower() != ALBUM_ENDING or ALBUM_MARK not in head:
        raise CannotRead(page, "it is no page of an album", "Write one by `brisk-atlas write-album`.")


def _offered(store: DepotStore, posting: Posting, outlets: Sequence[Outlet], by: str) -> Posting:
    """Offer a new posting, which is removed again where that is not possible. Raises AtlasError."""
    try:
        offer_outlets(store, posting, outlets, by=by)
    except AtlasError:
        store.withdraw(posting.id, by=by)
        raise
    return posting


def offer_outlets(store: DepotStore, posting: Posting, outlets: Sequence[Outlet], *, by: str) -> list[Outlet]:
    """Offer a posting through outlets, new ones and changed ones, and close those that are not among them. Raises
    AtlasError, before anything is offered."""
    for each in outlets:
        preview_of(store, posting, each)
    made = [store.offer(replace(each, posting=posting.id), by=by) for each in outlets]
    if posting.file and posting.has_data:
        for each in made:
            file_shown(store, each, posting)  # so that nobody waits for it later
    for old in store.outlets:
        if old.posting == posting.id and old.id not in {each.id for each in made}:
            store.close_outlet(old.id, by=by)
    return made


def missing_for_public(source: DataRef | None, name: str) -> tuple[Record, list[str]]:
    """Return the record of a layer, and what people outside look for that it does not say."""
    record = record_of_source(source, name).record
    return record, missing_in(record)


def missing_in(record: Record) -> list[str]:
    """Return what people outside look for that a record does not say."""
    return [what for what, stated in WANTED.items() if not stated(record)]
