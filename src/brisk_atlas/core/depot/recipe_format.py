"""What a Depot is among the places that a recipe writes to; `recipe_target` writes, and loads with the first need."""

from __future__ import annotations

from brisk_atlas.core.handover.formats.format import FormatOption
from brisk_atlas.core.handover.formats.table_format import TableFormat
from brisk_atlas.core.model import DataKind
from brisk_atlas.core.model.language import tr

SCHEME = "depot"

DEPOT = TableFormat(
    "Depot", (SCHEME,), f"{__package__}.recipe_target",
    tr("A posting of your Depot, such as depot://#closed zones, or of that in a folder, depot://~/survey#closed zones. "
       "Its record goes with it; others see it through its outlets."),
    f"{SCHEME}://#", tr("Posting"),
    options=(
        FormatOption("replace", False, tr("Replace the data of the posting of that title; its outlets stay")),
        FormatOption("readers", "", tr("The circle that may read a new posting, such as everybody")),
    ),
    kinds=frozenset({DataKind.VECTOR, DataKind.TABLE, DataKind.RASTER, DataKind.POINTCLOUD}),
    appends=False, has_schemas=False, has_record=True, opens=False,
)  # fmt: skip
