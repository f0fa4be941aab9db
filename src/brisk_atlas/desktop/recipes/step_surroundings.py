"""What the settings of a step may name, and those that a new step begins with."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from brisk_atlas.core.model import DataKind, Extent, Layer
from brisk_atlas.core.model.language import tr

if TYPE_CHECKING:
    from brisk_atlas.core.handover.flows import Flow
    from brisk_atlas.core.handover.recipe import Recipe
    from brisk_atlas.core.workspace.work import Work


@dataclass(frozen=True)
class StepSurroundings:
    """What the settings of a step may name: fields or bands that come to it, sources (word and value as JSON), what the
    map shows, the kind of the data and its CRS."""

    fields: tuple[str, ...] = ()
    bands: tuple[str, ...] = ()
    sources: tuple[tuple[str, Any], ...] = ()
    view_extent: Extent | None = None
    kind: DataKind | None = None
    crs: str | None = None


def surroundings(
    flow: Flow | None, layers: Sequence[Layer], recipe: Recipe | None, branch: str, view_extent: Extent | None
) -> StepSurroundings:
    """Return what a step of a branch may name: what comes to it (`flow`), open layers, other branches."""
    from brisk_atlas.core.handover.flows import GridFlow, RowFlow

    fields = tuple(flow.fields) if isinstance(flow, RowFlow) else ()
    bands = tuple(band.name for band in flow.bands) if isinstance(flow, GridFlow) else ()
    sources: list[tuple[str, Any]] = []
    for layer in layers:
        edited = layer.kind.has_rows and any(layer.rows.modifications)
        sources.append((layer.name, layer.id if edited else layer.ref.as_json()))
    others = recipe.branches if recipe is not None else ()
    sources += [(tr("branch {name}", name=b.name), b.name) for b in others if b.name != branch]
    return StepSurroundings(
        fields, bands, tuple(sources), view_extent, flow.kind if flow is not None else None,
        flow.crs if flow is not None else None,
    )  # fmt: skip


def first_settings(word: str, branch: str, around: StepSurroundings, work: Work) -> dict[str, Any]:
    """Return the settings that a new step of a kind begins with, where some are at hand."""
    picks, subject, extent = work.picks, work.subject, around.view_extent
    if word == "write":
        return {"path": str(Path.home() / f"{branch}_piece")}
    if word == "rows" and picks is not None and subject is not None and picks.layer_id == subject.id:
        return {"rows_wanted": list(picks.rows)}
    if word == "fields":
        return {"fields": list(around.fields)}
    if word == "extent" and extent is not None:
        return {
            "extent": {"xmin": extent.xmin, "ymin": extent.ymin, "xmax": extent.xmax, "ymax": extent.ymax,
                       "crs": extent.crs}
        }  # fmt: skip
    return {}
