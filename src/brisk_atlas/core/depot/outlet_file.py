"""The file that an outlet of a grid or a cloud offers: that of its posting, or one of the area and the bands that are
offered, made once and stored beside it."""

from __future__ import annotations

import hashlib
import threading
from pathlib import Path
from tempfile import TemporaryDirectory

from brisk_atlas.core import read
from brisk_atlas.core.handover.sources import flow_of_part, one_part
from brisk_atlas.core.handover.step import StepContext
from brisk_atlas.core.handover.steps.cells import ChooseBands
from brisk_atlas.core.handover.steps.places import WithinExtent
from brisk_atlas.core.handover.steps.write import WriteStep
from brisk_atlas.core.model import DataRef, Extent

from .postings.depot_store import DepotStore
from .postings.outlet import Outlet
from .postings.posting import Posting

FORMATS = {".tif": "COG", ".copc.laz": "COPC"}
_making = threading.Lock()  # one at a time, as each takes what memory there is


def file_shown(store: DepotStore, outlet: Outlet, posting: Posting) -> Path:
    """Return the file that an outlet offers. Raises AtlasError where it can't be made, as there is nothing in the area
    or no such band."""
    whole = store.file_of(posting)
    if outlet.area is None and not outlet.bands:
        return whole
    ending = next((each for each in FORMATS if whole.name.endswith(each)), whole.suffix)
    what = hashlib.sha256(repr((outlet.area, outlet.bands)).encode()).hexdigest()[:16]
    path = whole.with_name(f"{whole.name.removesuffix(ending)}.{what}{ending}")
    with _making:
        if not path.exists():
            _make(whole, path, outlet, FORMATS.get(ending, "COG"))
    return path


def _make(whole: Path, path: Path, outlet: Outlet, format_: str) -> None:
    ref = DataRef.file(whole)
    flow = flow_of_part(one_part(read.open(ref), ref), outlet.id)
    with TemporaryDirectory(prefix="outlet-", dir=path.parent) as folder:
        context = StepContext(lambda name: flow, Path(folder))
        if outlet.area is not None:
            flow = WithinExtent(extent=Extent(*outlet.area, flow.crs)).flow(flow, context)
        if outlet.bands:
            flow = ChooseBands(bands=tuple(map(str, outlet.bands))).flow(flow, context)
        made = Path(folder) / path.name
        WriteStep(path=str(made), format=format_).write(flow, context)
        made.chmod(0o600)
        made.rename(path)
