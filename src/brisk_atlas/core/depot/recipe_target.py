"""A Depot that a recipe writes into: a posting by its title, new or with other data from now on."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

import pyarrow as pa

from brisk_atlas.core.handover.flows import Flow, RowFlow
from brisk_atlas.core.handover.formats.format import Loss, Report
from brisk_atlas.core.handover.record_handed import RecordPlan, record_of_flow
from brisk_atlas.core.handover.row_facts import RowFacts
from brisk_atlas.core.handover.step import StepContext
from brisk_atlas.core.model import CannotRead, CannotWrite, DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.record.model import Record
from brisk_atlas.core.system.folders import data_folder
from brisk_atlas.core.system.scratch import ScratchFolder

from .offering import file_to_post, offer_made, offer_rows
from .outlet_file import file_shown
from .postings.depot_store import DepotStore
from .postings.outlet import Outlet, OutletField
from .postings.outlet_record import record_text
from .postings.post_flow import fields_of, replace_by_flow
from .postings.posted_rows import BadRow
from .postings.posting import FieldType, Posting
from .postings.rights import EVERYBODY, LOCAL, Right
from .postings.sqlite_store import FILE
from .recipe_format import SCHEME


def write(
    flow: Flow, facts: RowFacts, ref: DataRef, append: bool, options: Mapping[str, Any], context: StepContext,
    report: Report, plan: RecordPlan,
) -> int:  # fmt: skip
    """Post rows, a grid or a cloud, or have a posting have them from now on; returns how many rows, cells or points it
    has. Raises CannotRead, CannotWrite."""
    store = _opened(ref)
    try:
        before = _posting(store, ref)
        if before is not None and not options["replace"]:
            raise CannotWrite(
                ref, tr("there is a posting of that title"), tr("Say that its data is replaced, or name another.")
            )
        record = record_of_flow(flow.source, ref.inner, plan, context.warn)
        report(0.1, tr("writing"))
        outlets = _outlets(store, flow, ref, str(options["readers"]))
        if isinstance(flow, RowFlow):
            checked = _checked(flow, context)
            if before is not None:
                replace_rows(store, before, checked)
                _replace_record(store, before, record)
            else:
                shapes = facts.type_name or "Unknown"
                offer_rows(store, checked, ref.inner, "", shapes, outlets, by=LOCAL, stated=record)
            return facts.count
        with ScratchFolder() as folder:
            made, count = file_to_post(flow, folder, context.check)
            if before is not None:
                _replace_file(store, before, made)
                _replace_record(store, before, record)
            else:
                offer_made(store, made, flow.crs, ref.inner, "", outlets, by=LOCAL, record=record)
            return count
    finally:
        store.close()


def _checked(flow: RowFlow, context: StepContext) -> RowFlow:
    """Return rows that stop coming when the work is cancelled."""

    def batches() -> Iterator[pa.Table]:
        for batch in flow.batches():
            context.check()
            yield batch

    return replace(flow, batches=batches)


def is_there(ref: DataRef) -> bool:
    """Return whether there is such a posting. Raises CannotRead."""
    store = _opened(ref)
    try:
        return _posting(store, ref) is not None
    finally:
        store.close()


def losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    """Return what a posting does not hold of a flow."""
    if not isinstance(flow, RowFlow):
        return []
    given = [each.name for each in flow.schema if each.name in flow.fields]
    posted = {field.name: field.type for field in fields_of(flow)}
    lists = [name for name in given if posted.get(name) is FieldType.TEXT and not _is_text(flow, name)]
    return [Loss(tr("{names} become text", names=", ".join(lists)))] if lists else []


def _is_text(flow: RowFlow, name: str) -> bool:
    kind = flow.schema.field(name).type
    kind = kind.value_type if pa.types.is_dictionary(kind) else kind
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind) or pa.types.is_null(kind))


def folder_of(ref: DataRef) -> Path:
    """Return the folder of the Depot that an address names."""
    stated = ref.place.removeprefix(f"{SCHEME}://")
    return Path(stated).expanduser() if stated else data_folder(SCHEME)


def _opened(ref: DataRef) -> DepotStore:
    """Return the store of a Depot that there is. Raises CannotRead."""
    folder = folder_of(ref)
    if not (folder / FILE).is_file():
        raise CannotRead(
            folder, tr("there is no Depot in it"), tr("Begin one on Hand over, Depot, or name another folder.")
        )
    return DepotStore(folder)


def _posting(store: DepotStore, ref: DataRef) -> Posting | None:
    """Return the posting of a title. Raises CannotWrite where there are several."""
    found = [each for each in store.postings if each.title == ref.inner]
    if len(found) > 1:
        raise CannotWrite(ref, tr("several postings have this title"), tr("Withdraw the others, or name another."))
    return found[0] if found else None


def _outlets(store: DepotStore, flow: Flow, ref: DataRef, circle: str) -> list[Outlet]:
    """Return the outlet through which a circle reads all of a new posting, none for no circle. Raises CannotWrite."""
    circle = circle.strip()
    known = [EVERYBODY, *store.people.circles()]
    if not circle:
        return []
    if circle not in known:
        raise CannotWrite(
            ref, tr("there is no circle {circle}", circle=circle), tr("There are: {names}.", names=", ".join(known))
        )
    fields = fields_of(flow) if isinstance(flow, RowFlow) else ()
    shown = tuple(OutletField(each.name, each.name) for each in fields)
    return [Outlet("", "", ref.inner, shown, ((circle, frozenset({Right.READ})),))]


def _replace_file(store: DepotStore, before: Posting, made: Path) -> None:
    """Have a posting be another file. Raises CannotWrite where it is of another kind."""
    if not before.file.endswith(made.suffix):
        raise _other(before, tr("it is data of another kind"))
    now = store.replace_file(before.id, made, by=LOCAL)
    for outlet in store.outlets:
        if outlet.posting == now.id:
            file_shown(store, outlet, now)  # so that nobody waits for it later


def _replace_record(store: DepotStore, before: Posting, record: Record) -> None:
    text = record_text(record)
    if text != before.record:
        store.replace_record(before.id, text, by=LOCAL)


def replace_rows(store: DepotStore, before: Posting, flow: Flow) -> tuple[int, int]:
    """Have a posting have other rows; returns how many were added and deleted. Raises CannotWrite where its outlets
    could not show them, as they name its fields."""
    if not isinstance(flow, RowFlow) or not before.has_rows:
        raise _other(before, tr("it is data of another kind"))
    there, coming = ({replace(each, unit="") for each in fields} for fields in (before.fields, fields_of(flow)))
    if there != coming:
        names = ", ".join(sorted(f"{each.name} ({each.type})" for each in there ^ coming))
        raise _other(before, tr("its fields differ: {names}", names=names))
    if before.has_shapes != flow.has_shapes or before.crs != flow.crs:
        raise _other(before, tr("its geometry is in another CRS, or it has none"))
    try:
        return replace_by_flow(store, before, flow, by=LOCAL)
    except BadRow as error:
        raise CannotWrite(before.title, str(error), tr("Mend the row, or leave it out.")) from error


def _other(before: Posting, why: str) -> CannotWrite:
    return CannotWrite(before.title, why, tr("Write to a new title, or change the steps so that both are alike."))
