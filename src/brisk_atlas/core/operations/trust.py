"""Whether the data of a layer can be trusted."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from brisk_atlas.core.kinds import kind_of
from brisk_atlas.core.model.language import tr

from .operation import Operation, Progress, Source, argument, layers_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.model import Layer
    from brisk_atlas.core.trust import TrustReport
    from brisk_atlas.core.workspace.workspace import Workspace

HOLDS_ALL = "ISO 19115-3"  # the standard that has all kinds of quality


@dataclass(frozen=True)
class Trust(Operation):
    """Look for what is wrong or strange in data, which stays as it is.

    Invalid, doubled and overlapping geometry, gaps and slivers; missing and stand-in values, keys that are there twice,
    spellings and units that differ, outliers; holes, spikes, stripes and steps in grids; doubled and stray points.
    """

    source: Source = argument(tr("the layer or dataset to look at"))
    record: Path | None = argument(tr("a copy of its record to write, with what was found as ISO 19157 results"), None)
    page: Path | None = argument(tr("a page (.html) to write of what was found"), None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> TrustReports:
        for path in (self.record, self.page):
            if path is not None:
                self.check_is_no_source(workspace, path)
        layers, found = layers_of(workspace, self.source), []
        for number, layer in enumerate(layers):
            share = (number + 0.5) / len(layers)
            check = lambda share=share, name=layer.name: progress(share, name)  # noqa: E731
            found.append(kind_of(layer.kind).trust(workspace.cache, layer, check))
        reports = TrustReports(tuple(found))
        if self.record is not None:
            progress(0.95, tr("writing the record"))
            _write_record(self.record, layers[0], reports)
        if self.page is not None:
            from brisk_atlas.core.trust.trust_page import write_trust_page

            write_trust_page(layers[0].ref.whole.name, reports.reports, self.page)
        return reports


@dataclass(frozen=True)
class TrustReports:
    """The report on each layer that was looked at."""

    reports: tuple[TrustReport, ...]

    def lines(self) -> list[str]:
        return [line for report in self.reports for line in report.lines()]

    def as_json(self) -> dict[str, Any]:
        return {"reports": [report.as_json() for report in self.reports]}


def _write_record(path: Path, layer: Layer, reports: TrustReports) -> None:
    """Write the record of a dataset with the findings as results of its quality. Raises AtlasError."""
    from brisk_atlas.core.handover.record_handed import record_of_source
    from brisk_atlas.core.record import standard_named, written
    from brisk_atlas.core.system.atomic_write import write_whole

    draft = record_of_source(layer.ref.whole, layer.name)
    day = datetime.now(UTC).date()
    found = [result for report in reports.reports for result in report.as_quality(day)]
    record = replace(draft.record, quality=(*draft.record.quality, *found))
    document = written(draft.standard, draft.standard.adapted(record), path)
    if len(document.record.quality) < len(record.quality):  # its standard does not hold them all
        standard = standard_named(HOLDS_ALL)
        document = written(standard, standard.adapted(record), path)
    write_whole(path, document.data)
