"""The change between two grids."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from brisk_atlas.core.compare import GridDifference
from brisk_atlas.core.compare.accuracy import METRES
from brisk_atlas.core.compare.stated_accuracy import stated_accuracies
from brisk_atlas.core.model.style import shown_band

from .operation import Operation, Progress, Source, argument, grid_of, layer_of, silent

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

    from brisk_atlas.core.model import DataRef
    from brisk_atlas.core.workspace.workspace import Workspace

NUMBERS = (
    "threshold", "compared_cells", "cell_area", "risen_area", "fallen_area", "risen_volume", "fallen_volume",
    "net_volume", "mean", "minimum", "maximum", "resampled",
)  # fmt: skip


@dataclass(frozen=True)
class GridChangeResult:
    """The change B minus A, its unit, and the file of the difference where one was wanted."""

    change: GridDifference
    unit: str
    path: Path | None = None

    @property
    def volume_unit(self) -> str:
        """The unit of the volumes: m³ where heights are in metres."""
        return "m³" if self.unit in METRES else f"m² x {self.unit or 'value'}"

    def lines(self) -> list[str]:
        c, unit, volume = self.change, self.unit, self.volume_unit
        lines = [
            f"rose: {c.risen_area:,.0f} m², {c.risen_volume:,.0f} {volume}",
            f"fell: {c.fallen_area:,.0f} m², {c.fallen_volume:,.0f} {volume}",
            f"net: {c.net_volume:+,.0f} {volume}",
            f"mean: {c.mean:+,.3f} {unit}".rstrip(),
            f"minimum: {c.minimum:+,.2f} {unit}".rstrip(),
            f"maximum: {c.maximum:+,.2f} {unit}".rstrip(),
            f"{c.compared_cells:,} cells compared, from a change of {c.threshold:g} {unit}".rstrip(),
        ]
        lines += ["B was interpolated onto the cells of A"] if c.resampled else []
        if c.uncertainty is not None:
            u, (a, b) = c.uncertainty, c.uncertainty.accuracies
            lines += [
                f"left out below that: {u.left_out[0]:,.0f} {volume} risen, {u.left_out[1]:,.0f} {volume} fallen",
                f"accuracies: {a:g} {unit} (A), {b:g} {unit} (B); level of detection, 95 %: {u.detection:.3f} {unit}",
                *(f"{name} volume: ±{e.independent:,.0f} {volume} if the errors of cells are independent, "
                  f"±{e.alike:,.0f} if they are all alike (95 %)"
                  for name, e in (("risen", u.risen), ("fallen", u.fallen), ("net", u.net))),
            ]  # fmt: skip
        return lines + ([f"Written: {self.path}"] if self.path else [])

    def as_json(self) -> dict[str, Any]:
        numbers = {name: getattr(self.change, name) for name in NUMBERS}
        found = numbers | {"unit": self.unit, "path": str(self.path) if self.path else None}
        return found | ({"uncertainty": asdict(self.change.uncertainty)} if self.change.uncertainty else {})


@dataclass(frozen=True)
class GridChange(Operation):
    """Area and volume of what rose and fell between two grids, B minus A, where both have data."""

    before: Source = argument("side A, the earlier grid")
    after: Source = argument("side B, the later grid")
    threshold: float = argument("the change, up or down, from which a cell counts", 0.0)
    accuracies: tuple[float, float] | None = argument(
        "the standard errors of A and of B, in their unit; those that their records state if not given", None
    )
    within: Source | None = argument("a layer of polygons to compare in alone", None)
    bands: tuple[int, int] | None = argument("the bands of A and of B, the first is 1; those shown if not given", None)
    path: Path | None = argument("a GeoTIFF to write the difference to", None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> GridChangeResult:
        from brisk_atlas.core.compare import change_between
        from brisk_atlas.core.compare.change import unlike
        from brisk_atlas.core.handover.grid import write_grid_file
        from brisk_atlas.core.model import AtlasError

        before, after = grid_of(workspace, self.before), grid_of(workspace, self.after)
        bands = self.bands or (shown_band(before.style), shown_band(after.style))
        a, b = workspace.cache.raster(before.ref), workspace.cache.raster(after.ref)
        if a.facts.grid is not None and b.facts.grid is not None:
            reason = unlike(a.facts.grid.bands[bands[0] - 1], b.facts.grid.bands[bands[1] - 1])
            if reason:
                raise AtlasError(
                    f"{before.name} and {after.name}", f"they can't be compared: {reason}", "Choose like grids."
                )
        unit = a.facts.grid.bands[bands[0] - 1].unit if a.facts.grid else ""
        accuracies = self.accuracies or (
            stated_accuracies(workspace.cache, before.ref, after.ref) if unit in METRES else None
        )
        change = change_between(
            a, b, threshold=self.threshold, bands=bands, accuracies=accuracies,
            within=_shape_of(workspace, self.within, a.facts.crs), check=lambda share: progress(share, "comparing"),
        )  # fmt: skip
        if self.path is not None:
            if change.difference is None:
                raise AtlasError(self.path, "the difference is too large to be written at once", "Cut the grids first.")
            self.check_is_no_source(workspace, self.path)
            words = f"{after.name} minus {before.name}"
            write_grid_file(change.difference, self.path, unit=unit, description=words)
        return GridChangeResult(change, unit, self.path)


def _shape_of(workspace: Workspace, source: str | DataRef | None, crs: str | None) -> BaseGeometry | None:
    """Return the polygons of a layer as one shape in a CRS."""
    if source is None:
        return None
    import shapely

    from brisk_atlas.core.compare.shape_change import in_crs_of

    placed = in_crs_of(workspace.cache.features(layer_of(workspace, source).ref), crs)
    shapes = shapely.from_wkb(placed.wkb.to_numpy(zero_copy_only=False), on_invalid="ignore")
    return shapely.union_all(shapely.make_valid(shapes[shapely.get_dimensions(shapes) == 2]))
