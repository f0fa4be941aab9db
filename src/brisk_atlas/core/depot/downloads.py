"""What an outlet shows as a file, in the formats that rows are written in."""

from __future__ import annotations

import threading
from dataclasses import replace

from starlette.background import BackgroundTask
from starlette.responses import FileResponse, Response

from brisk_atlas.core.handover.sources import row_flow
from brisk_atlas.core.handover.step import StepContext
from brisk_atlas.core.handover.steps.write import WriteStep
from brisk_atlas.core.model import RowsPart
from brisk_atlas.core.system.scratch import ScratchFolder

from .answers import Refused
from .postings.depot_store import DepotStore
from .postings.outlet_part import dataset_of
from .postings.outlet_rows import OutletRows

_TURNS = threading.BoundedSemaphore(2)  # files that are written at once


def download(store: DepotStore, shown: OutletRows, form: str) -> Response:
    """Return an outlet as a file. Raises Refused for another format, or while as many are written as may be."""
    forms = shown.outlet.forms(shown.rows.posting)
    if form not in forms:
        raise Refused("NotFound", f"it is not handed out as {form[:40]}", 404)
    name, ending, media_type = forms[form]
    if not _TURNS.acquire(timeout=30):
        raise Refused("NotAvailable", "others are being served; try again", 503)
    folder = ScratchFolder()
    try:
        path = folder.path / f"{shown.outlet.id}{ending}"
        (part,) = dataset_of(shown, store.figures(shown), "").parts
        assert isinstance(part, RowsPart)
        flow = replace(row_flow(part, shown.outlet.id), source=None, units=_units(shown))
        step = WriteStep(path=str(path), format=name, empty=True)
        step.write(flow, StepContext(lambda name: flow, folder.path))
    except BaseException:
        folder.delete()
        raise
    finally:
        _TURNS.release()
    return FileResponse(path, media_type=media_type, filename=path.name, background=BackgroundTask(folder.delete))


def _units(shown: OutletRows) -> tuple[tuple[str, str], ...]:
    return tuple((name, field.unit) for name, field in shown.fields.items() if field.unit)
