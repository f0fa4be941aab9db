"""What can be done to data, as values: `run` them in a workspace, store them as JSON, call them from the command line.

Names load when they are first asked for; each operation brings the libraries that it needs.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

from brisk_atlas.late_names import late_names

if TYPE_CHECKING:
    from .album import WriteAlbum
    from .boreholes import ListHoles, WriteHoleLog, WriteHoles
    from .catalogue_site import CatalogueSite
    from .class_change import ClassChange
    from .cloud_change import CloudChange
    from .compare import Compare
    from .contour_lines import WriteContours
    from .count_rows import CountRows
    from .export import Export
    from .find_viewshed import FindViewshed
    from .grid_change import GridChange
    from .image_change import ImageChange, ImageShift
    from .index_folders import IndexFolders
    from .line_profile import WriteProfile
    from .operation import Operation, Result, Written
    from .records import (
        ApplyTemplate,
        ConvertRecord,
        FillRecord,
        FlattenXml,
        TableRecords,
        WriteCatalogue,
        WriteRecordPage,
    )
    from .relief_model import ReliefModel
    from .render_relief import RenderRelief
    from .render_view import RenderView
    from .run_recipe import CompareRecipes, RunRecipe, WriteRecipeSchema
    from .sample_grid import SampleGrid
    from .save_edits import SaveEdits
    from .series_statistics import SeriesStatistics
    from .statistics import Statistics
    from .styles import UseStyle, WriteStyle
    from .surface_steps import SurfaceSteps
    from .survey_lines import CheckLines, FindCrossovers, ListLines, WriteLines
    from .trust import Trust
    from .write_paper import WritePaper
    from .zonal_statistics import ZonalStatistics

COMMANDS = {  # on the command line and in JSON: (module, class)
    "export": ("export", "Export"),
    "write-album": ("album", "WriteAlbum"),
    "write-paper": ("write_paper", "WritePaper"),
    "run": ("run_recipe", "RunRecipe"),
    "recipe-schema": ("run_recipe", "WriteRecipeSchema"),
    "recipe-differences": ("run_recipe", "CompareRecipes"),
    "statistics": ("statistics", "Statistics"),
    "trust": ("trust", "Trust"),
    "zonal-statistics": ("zonal_statistics", "ZonalStatistics"),
    "count-rows": ("count_rows", "CountRows"),
    "sample-grid": ("sample_grid", "SampleGrid"),
    "compare-deliveries": ("compare", "Compare"),
    "grid-change": ("grid_change", "GridChange"),
    "surface-steps": ("surface_steps", "SurfaceSteps"),
    "contour-lines": ("contour_lines", "WriteContours"),
    "profile": ("line_profile", "WriteProfile"),
    "lines-list": ("survey_lines", "ListLines"),
    "lines-check": ("survey_lines", "CheckLines"),
    "lines-crossovers": ("survey_lines", "FindCrossovers"),
    "lines-write": ("survey_lines", "WriteLines"),
    "holes-list": ("boreholes", "ListHoles"),
    "holes-log": ("boreholes", "WriteHoleLog"),
    "holes-write": ("boreholes", "WriteHoles"),
    "class-change": ("class_change", "ClassChange"),
    "cloud-change": ("cloud_change", "CloudChange"),
    "image-change": ("image_change", "ImageChange"),
    "image-shift": ("image_change", "ImageShift"),
    "series-statistics": ("series_statistics", "SeriesStatistics"),
    "save-edits": ("save_edits", "SaveEdits"),
    "render-view": ("render_view", "RenderView"),
    "relief": ("render_relief", "RenderRelief"),
    "relief-model": ("relief_model", "ReliefModel"),
    "viewshed": ("find_viewshed", "FindViewshed"),
    "index-folders": ("index_folders", "IndexFolders"),
    "convert-record": ("records", "ConvertRecord"),
    "fill-record": ("records", "FillRecord"),
    "apply-template": ("records", "ApplyTemplate"),
    "table-records": ("records", "TableRecords"),
    "record-page": ("records", "WriteRecordPage"),
    "catalogue": ("catalogue_site", "CatalogueSite"),
    "dcat-catalogue": ("records", "WriteCatalogue"),
    "flatten-xml": ("records", "FlattenXml"),
    "write-style": ("styles", "WriteStyle"),
    "use-style": ("styles", "UseStyle"),
}
_HOME_OF = {name: home for home, name in COMMANDS.values()}
_HOME_OF |= {"Operation": "operation", "Result": "operation", "Written": "operation"}

__all__ = [
    "COMMANDS",
    "ApplyTemplate",
    "CatalogueSite",
    "CheckLines",
    "ClassChange",
    "CloudChange",
    "Compare",
    "CompareRecipes",
    "ConvertRecord",
    "CountRows",
    "Export",
    "FillRecord",
    "FindCrossovers",
    "FindViewshed",
    "FlattenXml",
    "GridChange",
    "ImageChange",
    "ImageShift",
    "IndexFolders",
    "ListHoles",
    "ListLines",
    "Operation",
    "ReliefModel",
    "RenderRelief",
    "RenderView",
    "Result",
    "RunRecipe",
    "SampleGrid",
    "SaveEdits",
    "SeriesStatistics",
    "Statistics",
    "SurfaceSteps",
    "TableRecords",
    "Trust",
    "UseStyle",
    "WriteAlbum",
    "WriteCatalogue",
    "WriteContours",
    "WriteHoleLog",
    "WriteHoles",
    "WriteLines",
    "WritePaper",
    "WriteProfile",
    "WriteRecipeSchema",
    "WriteRecordPage",
    "WriteStyle",
    "Written",
    "ZonalStatistics",
    "from_json",
    "operation_called",
    "to_json",
]


__getattr__ = late_names(__name__, _HOME_OF)


def operation_called(command: str) -> type[Operation]:
    """Return an operation by its name on the command line. Raises KeyError."""
    module, name = COMMANDS[command]
    found: type[Operation] = getattr(import_module(f"{__name__}.{module}"), name)
    return found


def to_json(operation: Operation) -> dict[str, Any]:
    """Return an operation as JSON holds it; what has its default is left out.

    >>> to_json(SaveEdits("lava_2031"))
    {'operation': 'save-edits', 'layer': 'lava_2031'}
    """
    from pydantic import TypeAdapter

    kind = type(operation)
    command = next(command for command, (_, name) in COMMANDS.items() if name == kind.__name__)
    found = TypeAdapter(kind).dump_python(operation, mode="json", exclude_defaults=True)
    return {"operation": command, **found}


def from_json(values: dict[str, Any]) -> Operation:
    """Return an operation from its JSON. Raises ValueError for another operation or another field."""
    from pydantic import TypeAdapter, ValidationError

    fields = dict(values)
    command = fields.pop("operation", None)
    if command not in COMMANDS:
        raise ValueError(f"no operation is called {command}")
    kind = operation_called(command)
    unknown = fields.keys() - set(kind.__dataclass_fields__)
    if unknown:
        raise ValueError(f"{command} has no {', '.join(sorted(unknown))}")
    try:
        return TypeAdapter(kind).validate_python(fields)
    except ValidationError as error:
        first = error.errors()[0]
        raise ValueError(f"{command}: {'.'.join(map(str, first['loc']))}: {first['msg']}") from error
