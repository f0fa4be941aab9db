"""Surfaces of several dates: what rose and fell from each to the next."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

from .grid_change import GridChange, GridChangeResult
from .operation import Operation, Progress, Source, argument, grid_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.compare.layer_time import LayerTime
    from brisk_atlas.core.workspace.workspace import Workspace


class SurfaceStep(NamedTuple):
    """From one surface to a later one; `years` between them, None where a time is not known."""

    before: str
    after: str
    years: float | None
    result: GridChangeResult

    def as_row(self) -> dict[str, Any]:
        """Return its numbers by the names of columns."""
        change, sure = self.result.change, self.result.change.uncertainty
        years = self.years
        return {
            "from": self.before, "to": self.after, "years": years,
            "risen_m2": change.risen_area, "risen_m3": change.risen_volume,
            "risen_error_m3": sure.risen.independent if sure else None,
            "fallen_m2": change.fallen_area, "fallen_m3": change.fallen_volume,
            "fallen_error_m3": sure.fallen.independent if sure else None,
            "net_m3": change.net_volume, "net_error_m3": sure.net.independent if sure else None,
            "net_error_if_alike_m3": sure.net.alike if sure else None,
            "net_m3_per_year": change.net_volume / years if years else None,
            "mean_change": change.mean, "counts_from": change.threshold, "compared_cells": change.compared_cells,
        }  # fmt: skip


@dataclass(frozen=True)
class SurfaceStepsResult:
    """The steps in order of time, and the change from the first surface to the last."""

    steps: tuple[SurfaceStep, ...]
    whole: SurfaceStep
    path: Path | None = None

    def lines(self) -> list[str]:
        found = []
        for step in (*self.steps, self.whole):
            change, volume = step.result.change, step.result.volume_unit
            error = f" ±{grouped(change.uncertainty.net.independent, ',.0f')}" if change.uncertainty else ""
            pace = tr(", {net_volume:+,.0f} a year", net_volume=change.net_volume / step.years) if step.years else ""
            found.append(
                tr(
                    "{before} to {after}: rose {risen_volume:,.0f}, fell {fallen_volume:,.0f}, net "
                    "{net_volume:+,.0f}{error} {volume}{pace}",
                    before=step.before,
                    after=step.after,
                    risen_volume=change.risen_volume,
                    fallen_volume=change.fallen_volume,
                    net_volume=change.net_volume,
                    error=error,
                    volume=volume,
                    pace=pace,
                )
            )
        return found + ([tr("Written: {path}", path=self.path)] if self.path else [])

    def as_json(self) -> dict[str, Any]:
        return {
            "steps": [step.as_row() for step in self.steps], "whole": self.whole.as_row(),
            "path": str(self.path) if self.path else None,
        }  # fmt: skip


@dataclass(frozen=True)
class SurfaceSteps(Operation):
    """Area and volume of what rose and fell from each surface to the next, and from the first to the last."""

    sources: tuple[Source, ...] = argument(tr("the grids, three or more; in order of their times, or as given without"))
    threshold: float = argument(tr("the change, up or down, from which a cell counts"), 0.0)
    accuracy: float | None = argument(
        tr("the standard error of each grid; those that records state if not given"), None
    )
    within: Source | None = argument(tr("a layer of polygons to compare in alone"), None)
    path: Path | None = argument(tr("a table to write, a row a step and one for the whole (.csv)"), None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> SurfaceStepsResult:
        from brisk_atlas.core.model import AtlasError

        layers = [grid_of(workspace, source) for source in self.sources]
        if len(layers) < 3:
            names = ", ".join(layer.name for layer in layers)
            raise AtlasError(names, tr("a sequence needs three surfaces"), tr("Use grid-change for two."))
        if self.path is not None:
            self.check_is_no_source(workspace, self.path)
        times = [workspace.time_of(layer) for layer in layers]
        order = list(range(len(layers)))
        if all(time is not None for time in times):
            order.sort(key=lambda n: times[n].seconds)  # type: ignore[union-attr]
        pairs = [*pairwise(order), (order[0], order[-1])]
        errors = (self.accuracy, self.accuracy) if self.accuracy is not None else None
        steps = []
        for number, (a, b) in enumerate(pairs):

            def step(share: float, words: str, number: int = number) -> None:
                progress((number + share) / len(pairs), words)

            asked = GridChange(self.sources[a], self.sources[b], self.threshold, errors, self.within)
            steps.append(SurfaceStep(layers[a].name, layers[b].name, _years(times[a], times[b]),
                                     asked.run(workspace, step)))  # fmt: skip
        result = SurfaceStepsResult(tuple(steps[:-1]), steps[-1], self.path)
        if self.path is not None:
            _write(result, self.path)
        return result


def _years(a: LayerTime | None, b: LayerTime | None) -> float | None:
    from brisk_atlas.core.compare.series import years_of

    if a is None or b is None:
        return None
    first, last = years_of([a.seconds, b.seconds])
    return float(last - first)


def _write(result: SurfaceStepsResult, path: Path) -> None:
    import pyarrow as pa

    from brisk_atlas.core.handover.table import write_table

    rows = [step.as_row() for step in (*result.steps, result.whole)]
    write_table(pa.Table.from_pylist(rows), path, "CSV")
