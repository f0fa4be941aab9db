"""The dates of a series of layers along the map: step, play, choose a stretch, and its statistics as a layer."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QToolButton

from brisk_atlas.core.model import DataRef, GridStyle, Stretch
from brisk_atlas.core.model.date_words import dated
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Lane

from ..session import Session
from .track_bar import TrackBar

if TYPE_CHECKING:
    from brisk_atlas.core.compare.layer_series import SeriesDate
    from brisk_atlas.core.operations.series_statistics import SeriesResult

WHAT = tr("go to a date")  # as undo calls it; what comes after each other is one step


class TimeBar(TrackBar):
    """Hidden unless the subject is one of several layers that show the same at different dates, and while two sides are
    compared."""

    def __init__(self, session: Session, ready: Callable[[], bool]) -> None:
        super().__init__(tr("Dates"), "dates", ready)
        self.session = session
        self.dates: list[SeriesDate] = []
        self.statistics = QToolButton()
        self.statistics.setText(tr("Statistics"))
        self.statistics.setObjectName("series statistics")
        self.statistics.setToolTip(tr("Minimum, maximum, mean, trend and largest change of each cell, as a new layer"))
        self.row.addWidget(self.statistics)
        self.statistics.clicked.connect(self.add_statistics)
        session.work_changed.connect(self._work_changed)

    def _work_changed(self, what: str) -> None:
        if what in ("layers", "subject", "comparison", "file"):
            self.show_subject()

    def show_subject(self) -> None:
        """Show the dates of the series that the subject belongs to."""
        before = [date.layer_id for date in self.dates]
        compared = self.session.work.state.comparison is not None  # which shows two dates as it is
        self.dates = [] if compared else self.session.workspace.series_of_subject()
        self.setVisible(bool(self.dates))
        if not self.dates:
            self.track.show_dates((), (), 0, (0, 0))
            return
        ids = [date.layer_id for date in self.dates]
        if ids != before:
            self.ends = (0, len(ids) - 1)
        subject = self.session.work.state.subject
        at = ids.index(subject) if subject in ids else 0
        texts = [dated(date.time.text) for date in self.dates]
        self.track.show_dates([date.time.seconds for date in self.dates], texts, at, self.ends)
        self.date.setText(texts[at])
        self.statistics.setEnabled(not self._holds_classes())
        self.date.setMinimumWidth(max(self.date.fontMetrics().horizontalAdvance(text) for text in texts) + 8)

    def _holds_classes(self) -> bool:
        """Return whether the numbers of the subject are names, which have no mean."""
        layer = self.session.work.subject
        facts = self.session.facts_of(layer) if layer is not None else None
        return facts is not None and facts.grid is not None and bool(facts.grid.bands[0].classes)

    def go(self, number: int) -> None:
        """Show the layer of a date, hide those of the others, and speak of it."""
        ids = [date.layer_id for date in self.dates]
        self.session.work.show_one_of(WHAT, ids, ids[number])

    def add_statistics(self) -> None:
        """Work out the statistics of each cell through the stretch, and open them as a layer that shows the trend."""
        from brisk_atlas.core.handover.grid import derived_path
        from brisk_atlas.core.operations import SeriesStatistics

        chosen = self.dates[self.ends[0] : self.ends[1] + 1]
        path = derived_path(f"statistics_{chosen[0].name}_to_{chosen[-1].name}", ".tif")
        asked = SeriesStatistics(tuple(date.layer_id for date in chosen), path)
        self.session.run_operation(
            tr("Statistics of {count} dates", count=len(chosen)), asked, self._show, lane=Lane.INTERACTIVE
        )

    def _show(self, found: SeriesResult) -> None:
        path: Path = found.path
        limit = found.steepest or 1.0
        style = GridStyle(bands=(5,), ramp="scar", stretch=Stretch("hand", -limit, limit))
        self.session.add_derived(DataRef.file(path), style)
        self.session.noticed.emit("good", "; ".join(found.lines()[:-1]), "")
