"""The change between two grids."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from brisk_atlas.core.compare import GridDifference
from brisk_atlas.core.compare.accuracy import METRES
from brisk_atlas.core.compare.stated_accuracy import stated_accuracies
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
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
            tr(
                "rose: {risen_area:,.0f} m², {risen_volume:,.0f} {volume}",
                risen_area=c.risen_area,
                risen_volume=c.risen_volume,
                volume=volume,
            ),
            tr(
                "fell: {fallen_area:,.0f} m², {fallen_volume:,.0f} {volume}",
                fallen_area=c.fallen_area,
                fallen_volume=c.fallen_volume,
                volume=volume,
            ),
            f"net: {grouped(c.net_volume, '+,.0f')} {volume}",
            f"mean: {grouped(c.mean, '+,.3f')} {unit}".rstrip(),
            f"minimum: {grouped(c.minimum, '+,.2f')} {unit}".rstrip(),
            f"maximum: {grouped(c.maximum, '+,.2f')} {unit}".rstrip(),
            tr(
                "{compared_cells:,} cells compared, from a change of {threshold:g} {unit}",
                compared_cells=c.compared_cells,
                threshold=c.threshold,
                unit=unit,
            ).rstrip(),
        ]
        lines += [tr("B was interpolated onto the cells of A")] if c.resampled else []
        if c.uncertainty is not None:
            u, (a, b) = c.uncertainty, c.uncertainty.accuracies
            lines += [
                tr(
                    "left out below that: {left_out:,.0f} {volume} risen, {left_out2:,.0f} {volume} fallen",
                    left_out=u.left_out[0],
                    volume=volume,
                    left_out2=u.left_out[1],
                ),
                tr(
                    "accuracies: {a:g} {unit} (A), {b:g} {unit} (B); level of detection, 95 %: {detection:.3f} {unit}",
                    a=a,
                    unit=unit,
                    b=b,
                    detection=u.detection,
                ),
                *(
                    tr(
                        "{name} volume: ±{independent:,.0f} {volume} if the errors of cells are independent, "
                        "±{alike:,.0f} if they are all alike (95 %)",
                        name=name,
                        independent=e.independent,
                        volume=volume,
                        alike=e.alike,
                    )
                    for name, e in (("risen", u.risen), ("fallen", u.fallen), ("net", u.net))
                ),
            ]
        return lines + ([tr("Written: {path}", path=self.path)] if self.path else [])

    def as_json(self) -> dict[str, Any]:
        numbers = {name: getattr(self.change, name) for name in NUMBERS}
        found = numbers | {"unit": self.unit, "path": str(self.path) if self.path else None}
        return found | ({"uncertainty": asdict(self.change.uncertainty)} if self.change.uncertainty else {})


@dataclass(frozen=True)
class GridChange(Operation):
    """Area and volume of what rose and fell between two grids, B minus A, where both have data."""

    before: Source = argument(tr("side A, the earlier grid"))
    after: Source = argument(tr("side B, the later grid"))
    threshold: float = argument(tr("the change, up or down, from which a cell counts"), 0.0)
    accuracies: tuple[float, float] | None = argument(
        tr("the standard errors of A and of B, in their unit; those that their records state if not given"), None
    )
    within: Source | None = argument(tr("a layer of polygons to compare in alone"), None)
    bands: tuple[int, int] | None = argument(
        tr("the bands of A and of B, the first is 1; those shown if not given"), None
    )
    path: Path | None = argument(tr("a GeoTIFF to write the difference to"), None)

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
                    tr("{name} and {after_name}", name=before.name, after_name=after.name),
                    tr("they can't be compared: {reason}", reason=reason),
                    tr("Choose like grids."),
                )
        unit = a.facts.grid.bands[bands[0] - 1].unit if a.facts.grid else ""
        accuracies = self.accuracies or (
            stated_accuracies(workspace.cache, before.ref, after.ref) if unit in METRES else None
        )
        change = change_between(
            a, b, threshold=self.threshold, bands=bands, accuracies=accuracies,
            within=_shape_of(workspace, self.within, a.facts.crs), check=lambda share: progress(share, tr("comparing")),
        )  # fmt: skip
        if self.path is not None:
            if change.difference is None:
                raise AtlasError(
                    self.path, tr("the difference is too large to be written at once"), tr("Cut the grids first.")
                )
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
