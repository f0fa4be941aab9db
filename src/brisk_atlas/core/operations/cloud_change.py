"""How far a cloud lies from a grid or from another cloud."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from brisk_atlas.core.compare.cloud_change import Along, CloudDifference
from brisk_atlas.core.model.language import tr

from .operation import Operation, Progress, Source, argument, layer_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace

PERCENTILES = (5, 50, 95)


@dataclass(frozen=True)
class CloudChangeResult:
    """Distances, positive where the later side is higher, and the file of points that was written."""

    change: CloudDifference
    path: Path | None = None

    @property
    def numbers(self) -> dict[str, float]:
        """Mean, standard deviation and percentiles of the distances that are known."""
        known = self.change.known
        low, middle, high = np.percentile(known, PERCENTILES)
        return {
            "mean": float(known.mean(dtype=float)), "standard deviation": float(known.std(dtype=float)),
            "5th percentile": float(low), "median": float(middle), "95th percentile": float(high),
        }  # fmt: skip

    def lines(self) -> list[str]:
        known, every = len(self.change.known), len(self.change.distance)
        lines = [tr("{known:,} of {every:,} points lie near the other side", known=known, every=every)]
        lines += [f"{name}: {value:+.3f} m" if name != "standard deviation" else f"{name}: {value:.3f} m"
                  for name, value in self.numbers.items()]  # fmt: skip
        return lines + ([tr("Written: {path}", path=self.path)] if self.path else [])

    def as_json(self) -> dict[str, Any]:
        return {"points": len(self.change.distance), "known": len(self.change.known), **self.numbers,
                "path": str(self.path) if self.path else None}  # fmt: skip


@dataclass(frozen=True)
class CloudChange(Operation):
    """How far a point cloud lies from a grid or another cloud, point by point; positive where B is higher."""

    before: Source = argument(tr("side A: a cloud or a grid of heights"))
    after: Source = argument(tr("side B: a cloud or a grid of heights; one side at least is a cloud"))
    along: str = argument(tr("which way, between clouds: {along}", along=", ".join(Along)), Along.VERTICAL.value)
    path: Path | None = argument(tr("a LAZ file to write the points to, with their distance"), None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> CloudChangeResult:
        from brisk_atlas.core.compare.cloud_change import from_cloud, from_grid, write_cloud
        from brisk_atlas.core.model import AtlasError
        from brisk_atlas.core.model.style import shown_band

        a, b = layer_of(workspace, self.before), layer_of(workspace, self.after)
        kinds = a.kind, b.kind
        if self.along not in tuple(Along):
            raise AtlasError(
                "cloud-change",
                tr("'{along}' is no way to measure", along=self.along),
                tr("Choose {along}.", along=" or ".join(Along)),
            )
        if not any(kind.has_points for kind in kinds) or not all(kind.has_points or kind.has_cells for kind in kinds):
            raise AtlasError(tr("{name} and {b_name}", name=a.name, b_name=b.name),
                             tr("one side must be a cloud, the other a cloud or a grid"),
                             tr("Choose other layers."))  # fmt: skip
        if self.path is not None:
            self.check_is_no_source(workspace, self.path)
        cache = workspace.cache

        def check(share: float) -> None:
            progress(0.3 + 0.6 * share, tr("measuring distances"))

        if kinds[0] is kinds[1]:
            found = from_cloud(cache.points(a.ref), cache.points(b.ref), Along(self.along), check)
        else:
            cloud, grid = (a, b) if kinds[0].has_points else (b, a)
            part = cache.raster(grid.ref)
            found = from_grid(cache.points(cloud.ref), part, shown_band(grid.style), later=grid is b, check=check)
        if not len(found.known):
            raise AtlasError(
                tr("{name} and {b_name}", name=a.name, b_name=b.name),
                tr("no point lies near the other side"),
                tr("Choose other layers."),
            )
        if self.path is not None:
            write_cloud(found, self.path)
        return CloudChangeResult(found, self.path)
