"""From which class to which, of grids of classes or coverages of polygons."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from brisk_atlas.core.compare.class_change import ClassMatrix
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

from .operation import Operation, Progress, Source, argument, layer_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace

SHOWN = 12  # changes, the largest ones


@dataclass(frozen=True)
class ClassChangeResult:
    """The matrix from the classes of A to those of B."""

    matrix: ClassMatrix

    def lines(self) -> list[str]:
        m = self.matrix
        lines = [
            tr("the same: {agreement:.2%} of {total:,.0f} m²", agreement=m.agreement, total=m.total),
            f"kappa: {m.kappa:.3f}",
            *(tr("{name}: {before:,.0f} m² in A, {after:,.0f} m² in B", name=name, before=before, after=after)
              for name, before, after in zip(m.classes, m.before, m.after)),
            *(f"{a} -> {b}: {grouped(area, ',.0f')} m²" for a, b, area in m.largest_changes(SHOWN)),
        ]  # fmt: skip
        return lines + (
            [tr("B has the class of its nearest cell, as the cells do not coincide")] if m.resampled else []
        )

    def as_json(self) -> dict[str, Any]:
        m = self.matrix
        kappa = m.kappa
        return {
            "classes": list(m.classes), "areas_m2": m.areas.tolist(), "counts": m.counts.tolist(),
            "agreement": m.agreement, "kappa": kappa if kappa == kappa else None, "resampled": m.resampled,
        }  # fmt: skip


@dataclass(frozen=True)
class ClassChange(Operation):
    """From which class to which: areas of two grids of classes or two layers of polygons, their agreement and kappa."""

    before: Source = argument(tr("side A, the earlier classes"))
    after: Source = argument(tr("side B, the later classes"))
    fields: tuple[str, str] | None = argument(tr("for polygons: the fields of A and of B that hold the classes"), None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> ClassChangeResult:
        from brisk_atlas.core.compare.class_change import class_matrix
        from brisk_atlas.core.compare.coverage_change import coverage_matrix
        from brisk_atlas.core.model import AtlasError
        from brisk_atlas.core.model.style import shown_band

        a, b = layer_of(workspace, self.before), layer_of(workspace, self.after)

        def check(share: float) -> None:
            progress(share, tr("comparing classes"))

        if a.kind.has_cells and b.kind.has_cells:
            bands = shown_band(a.style), shown_band(b.style)
            parts = workspace.cache.raster(a.ref), workspace.cache.raster(b.ref)
            return ClassChangeResult(class_matrix(*parts, bands, check))
        if not (a.kind.has_shapes and b.kind.has_shapes):
            raise AtlasError(tr("{name} and {b_name}", name=a.name, b_name=b.name),
                             tr("classes are compared of two grids or of two layers of polygons"),
                             tr("Choose two of a kind."))  # fmt: skip
        if self.fields is None or len(self.fields) != 2:
            raise AtlasError(a.name, tr("its field of classes is not stated"), tr("Name a field of A and one of B."))
        sides = workspace.cache.features(a.ref), workspace.cache.features(b.ref)
        return ClassChangeResult(coverage_matrix(*sides, self.fields, check))
