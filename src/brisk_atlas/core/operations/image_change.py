"""What changed between two pictures, and how far one lies beside the other."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from brisk_atlas.core.compare.image_change import ChangeMeasure, ImageQuestion, Limit, PictureChange
from brisk_atlas.core.compare.image_shift import ShiftField
from brisk_atlas.core.compare.radiometry import Normalise
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

from .operation import Operation, Progress, Source, argument, grid_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class ImageChangeResult:
    """What changed, and the files that were written of it."""

    change: PictureChange
    question: ImageQuestion
    paths: tuple[Path, ...] = ()
    left_out: tuple[tuple[str, ...], tuple[str, ...]] = ((), ())

    def lines(self) -> list[str]:
        c = self.change
        lines = [f"{name}: {grouped(area, ',.0f')} m²" for name, area in c.areas.items()]
        around = f" from {c.centre:+.4g}" if c.centre else ""
        lines.append(
            tr(
                "{count:,} patches, from a change of {threshold:.4g}{around}",
                count=len(c.patches),
                threshold=c.threshold,
                around=around,
            )
        )
        lines.append(tr("{compared_m2:,.0f} m² compared", compared_m2=c.compared_m2))
        if self.question.normalise is not Normalise.NONE:
            lines += [
                tr("band {band}: x {gain:.4f} {levels:+.4g}, fitted to {unchanged:.0%} of the cells", band=band,
                    gain=level.gain, levels=level.levels[0] - level.gain * level.knots[0], unchanged=level.unchanged)
                if len(level.knots) == 2 else tr("band {band}: quantiles of B became those of A", band=band)
                for band, level in zip(c.bands.b, c.brightness)
            ]  # fmt: skip
        lines += [tr("B was interpolated onto the cells of A")] if c.resampled else []
        lines += [
            tr("left out of {side}: {names}", side=side, names=", ".join(names))
            for side, names in zip("AB", self.left_out)
            if names
        ]
        return lines + [tr("Written: {path}", path=path) for path in self.paths]

    def as_json(self) -> dict[str, Any]:
        c = self.change
        return {
            "areas_m2": c.areas, "patches": len(c.patches), "threshold": c.threshold, "centre": c.centre,
            "compared_m2": c.compared_m2, "resampled": c.resampled,
            "left_out": {"a": list(self.left_out[0]), "b": list(self.left_out[1])},
            "bands": {"a": list(c.bands.a), "b": list(c.bands.b)},
            "paths": [str(path) for path in self.paths],
        }  # fmt: skip


@dataclass(frozen=True)
class ImageChange(Operation):
    """What changed between two pictures by a difference, ratio, index, change vector or spectral angle.

    Normalised differences are of vegetation (near infrared, red), water (green, near infrared), burn (near infrared,
    shortwave infrared 2) and snow (green, shortwave infrared 1).
    """

    before: Source = argument(tr("side A, the earlier picture"))
    after: Source = argument(tr("side B, the later picture"))
    measure: str = argument(
        tr("what is compared: {changemeasure}", changemeasure=", ".join(ChangeMeasure)), ChangeMeasure.DIFFERENCE.value
    )
    expression: str = argument(tr("for the measure expression: SQL over the bands b1, b2 and so on"), "")
    normalise: str = argument(
        tr("how B is brought to A's brightness: {normalise}", normalise=", ".join(Normalise)), Normalise.NONE.value
    )
    limit: str = argument(tr("how the threshold is found: {limit}", limit=", ".join(Limit)), Limit.OTSU.value)
    level: float = argument(tr("the threshold by hand, or how many standard deviations from the mean it is"), 2.0)
    minimum_area: float = argument(tr("m², below which patches are left out"), 0.0)
    leave_out: tuple[str, ...] | None = argument(
        tr("names of classes of the scenes' quality bands whose cells are left out; if not given, those that hide the "
        "ground, such as clouds"), None,
    )  # fmt: skip
    path: Path | None = argument(tr("a GeoTIFF to write the change to"), None)
    polygons: Path | None = argument(tr("a GeoPackage to write the patches to"), None)

    def question(self, bands: tuple[int, int]) -> ImageQuestion:
        """Return what is asked, of the bands that are shown. Raises AtlasError for a word that is none."""
        from brisk_atlas.core.model import AtlasError

        try:
            kinds = ChangeMeasure(self.measure), Normalise(self.normalise), Limit(self.limit)
        except ValueError as error:
            raise AtlasError("image-change", str(error), tr("See --help for the words that there are.")) from error
        if kinds[0] is ChangeMeasure.EXPRESSION and not self.expression.strip():
            raise AtlasError(
                "image-change", tr("no expression is given"), tr("Write one, such as (b4 - b3) / (b4 + b3).")
            )
        return ImageQuestion(*kinds, self.level, self.minimum_area, bands, self.expression)

    def run(self, workspace: Workspace, progress: Progress = silent) -> ImageChangeResult:
        from brisk_atlas.core.compare.hidden_cells import clear_part, hidden_cells
        from brisk_atlas.core.compare.image_change import CLASS_NAMES, image_change
        from brisk_atlas.core.compare.patches import write_patches
        from brisk_atlas.core.handover.grid import write_bands_file
        from brisk_atlas.core.model.style import shown_band

        a, b = grid_of(workspace, self.before), grid_of(workspace, self.after)
        for path in (self.path, self.polygons):
            if path is not None:
                self.check_is_no_source(workspace, path)
        question = self.question((shown_band(a.style), shown_band(b.style)))
        hidden = [hidden_cells(workspace.cache, layer, self.leave_out) for layer in (a, b)]
        one, two = (clear_part(workspace.cache, layer, out) for layer, out in zip((a, b), hidden))
        found = image_change(one, two, question, lambda share: progress(0.8 * share, tr("comparing")))
        paths = []
        if self.path is not None:
            names = [f"{question.measure} change, {b.name} and {a.name}", "direction, degrees"]
            count = len(found.change.values)
            write_bands_file(found.change, self.path, names[:count], ("", "°")[:count])
            paths.append(self.path)
        if self.polygons is not None and len(found.patches):
            progress(0.9, tr("writing the patches"))
            write_patches(found.patches, found.change.lattice, CLASS_NAMES, self.polygons)
            paths.append(self.polygons)
        first, second = (out.names if out is not None else () for out in hidden)
        return ImageChangeResult(found, question, tuple(paths), (first, second))


@dataclass(frozen=True)
class ImageShiftResult:
    """How far B lies from A, and the file of arrows."""

    field: ShiftField
    path: Path | None = None

    def lines(self) -> list[str]:
        f = self.field
        x, y = f.shift
        lines = [
            tr(
                "B lies {x:+.3f} east and {y:+.3f} north of A ({hypot:.2f} cells)",
                x=x,
                y=y,
                hypot=np.hypot(x, y) / f.cell,
            ),
            tr(
                "residual once it is moved back: {residual:.3f} ({residual2:.2f} cells)",
                residual=f.residual,
                residual2=f.residual / f.cell,
            ),
            tr("{count} of {count2} windows agree", count=int(f.used.sum()), count2=len(f.used)),
        ]
        return lines + ([tr("Written: {path}", path=self.path)] if self.path else [])

    def as_json(self) -> dict[str, Any]:
        f = self.field
        return {
            "shift": list(f.shift), "residual": f.residual, "cell": f.cell, "windows": len(f.used),
            "agreeing": int(f.used.sum()), "path": str(self.path) if self.path else None,
        }  # fmt: skip


@dataclass(frozen=True)
class ImageShift(Operation):
    """How far one picture lies beside another, by phase correlation in windows all over both."""

    before: Source = argument(tr("side A"))
    after: Source = argument(tr("side B"))
    path: Path | None = argument(tr("a GeoPackage to write the shift of each window to, as arrows"), None)
    exaggeration: float = argument(tr("how many times longer than the shift the arrows are"), 1.0)

    def run(self, workspace: Workspace, progress: Progress = silent) -> ImageShiftResult:
        from brisk_atlas.core.compare.image_shift import shift_between, write_arrows
        from brisk_atlas.core.model.style import shown_band

        a, b = grid_of(workspace, self.before), grid_of(workspace, self.after)
        if self.path is not None:
            self.check_is_no_source(workspace, self.path)
        parts = workspace.cache.raster(a.ref), workspace.cache.raster(b.ref)
        bands = shown_band(a.style), shown_band(b.style)
        found = shift_between(*parts, bands, lambda share: progress(0.9 * share, tr("looking for the shift")))
        if self.path is not None:
            write_arrows(found, parts[0].facts.crs, self.path, self.exaggeration)
        return ImageShiftResult(found, self.path)
