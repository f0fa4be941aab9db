"""Statistics of a field, a band or a dimension."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from brisk_atlas.core.inspect.statistics import StatisticsSummary
from brisk_atlas.core.model import AtlasError, Extent
from brisk_atlas.core.model.language import tr

from .operation import Operation, Progress, Source, argument, layer_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.inspect.point import Where
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class StatisticsResult:
    """The summary of known values, None where there are none, with their unit."""

    name: str
    summary: StatisticsSummary | None
    unit: str

    def lines(self) -> list[str]:
        from brisk_atlas.core.inspect.statistics import summary_readings

        if self.summary is None:
            return [tr("no known value of {name}", name=self.name)]
        return [f"{r.label}: {r.shown}" for r in summary_readings(self.name, self.summary, self.unit)]

    def as_json(self) -> dict[str, Any]:
        found: dict[str, Any] = {"name": self.name, "unit": self.unit, "count": 0}
        s = self.summary
        if s is not None:
            found |= {"count": s.count, "missing": s.missing, "minimum": s.minimum, "mean": s.mean, "median": s.median,
                      "maximum": s.maximum, "standard_deviation": s.standard_deviation, "note": s.note}  # fmt: skip
            found |= {"histogram": {"counts": s.counts.tolist(), "edges": s.edges.tolist()}}
        return found


@dataclass(frozen=True)
class Statistics(Operation):
    """Count, minimum, mean, median, maximum and standard deviation of a field, a band or a dimension."""

    source: Source = argument(tr("the layer or dataset"))
    field: str = argument(tr("the field, band or dimension; the first with numbers if not given"), "")
    within: Extent | None = argument(tr("an extent; everywhere if not given"), None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> StatisticsResult:
        return self.over(workspace, self.within, progress)

    def over(self, workspace: Workspace, where: Where | Extent | None, progress: Progress = silent) -> StatisticsResult:
        """Return the statistics over an area drawn by hand, an extent, or everywhere."""
        from brisk_atlas.core.kinds.asking import names_of, statistics_of

        layer = layer_of(workspace, self.source)
        names = names_of(workspace.cache, layer)
        name = self.field or next(iter(names), "")
        if name not in names:
            reason = tr("it has no {name} with numbers", name=name) if name else tr("it has no numbers")
            raise AtlasError(layer.name, reason, tr("There are: {names}.", names=", ".join(names) or "none"))
        summary, unit = statistics_of(workspace.cache, layer, name, where, lambda: progress(0.5, tr("summing up")))
        return StatisticsResult(name, summary, unit)
