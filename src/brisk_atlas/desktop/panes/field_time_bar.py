"""The times of a field along the map: which rows show, date by date."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QCheckBox, QToolButton

from brisk_atlas.core.model import FieldFilter, Layer
from brisk_atlas.core.model.date_words import dated
from brisk_atlas.core.model.kinds import DataKind
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.vocabulary import amount_words
from brisk_atlas.core.system.jobs import Job, Lane

from ..session import Session
from .track_bar import TrackBar

if TYPE_CHECKING:
    from brisk_atlas.core.table.time_steps import TimeStep

WHAT = tr("go to a date of the rows")  # as undo calls it; what comes after each other is one step


class FieldTimeBar(TrackBar):
    """Hidden unless the subject's rows are gone through by a field of dates. A date is a filter of that field, which
    acts on the sheet and on the map."""

    def __init__(self, session: Session, ready: Callable[[], bool]) -> None:
        super().__init__("", "rows", ready)
        self.session = session
        self.steps: list[TimeStep] = []
        self._of: tuple[object, ...] = ()
        self._reading = False
        self.before = QCheckBox(tr("and before"))
        self.before.setObjectName("and before")
        self.before.setToolTip(tr("Show the rows of all earlier dates too"))
        self.every, self.close_bar = QToolButton(), QToolButton()
        for button, text, tip, act in (
            (self.every, tr("All"), tr("Show the rows of all dates"), self.show_all),
            (self.close_bar, "×", tr("Put the dates away, and show all rows"), self.put_away),
        ):
            button.setText(text)
            button.setToolTip(tip)
            button.clicked.connect(lambda checked=False, act=act: act())
            self.row.addWidget(button)
        self.row.insertWidget(self.row.count() - 2, self.before)
        self.before.toggled.connect(lambda on: self.go(self.track.at) if self.track.at >= 0 else None)
        session.work_changed.connect(self._work_changed)

    def _work_changed(self, what: str) -> None:
        if what in ("layers", "subject", "file"):
            self.show_subject()

    @property
    def layer(self) -> Layer | None:
        """The subject, if its rows are gone through by dates."""
        layer = self.session.work.subject
        return layer if layer is not None and layer.kind.has_rows and layer.rows.dates else None

    def show_subject(self) -> None:
        """Show the dates of the subject's field, which are read in the background at first."""
        layer = self.layer
        if layer is None:
            self._of = ()
            self.hide()
            return
        of = (layer.id, layer.ref, layer.rows.dates, layer.rows.modifications)
        if of != self._of:
            self._of, self.steps, self._reading = of, [], True
            self._read(layer, of)
        self._show(layer)

    def _read(self, layer: Layer, of: tuple[object, ...]) -> None:
        field = layer.rows.dates

        def work(job: Job) -> list[TimeStep]:
            from brisk_atlas.core.table.time_steps import time_steps

            sheet = self.session.sheet_of(layer, job.check)
            sheet.load([field])
            return time_steps(sheet.table.column(field))

        def done(found: list[TimeStep]) -> None:
            if self._of == of:
                self.steps, self.ends, self._reading = found, (0, len(found) - 1), False
                self._show(self.layer)

        def failed(error: BaseException) -> None:
            if self._of == of:
                self._reading = False
                self.date.setText(str(error))

        self.session.run(
            tr("Reading the dates of {field}", field=field), work, done, lane=Lane.INTERACTIVE, failed=failed
        )

    def _show(self, layer: Layer | None) -> None:
        if layer is None:
            return
        self.title.setText(layer.rows.dates)
        own = next((f for f in layer.rows.filters if f.field == layer.rows.dates and f.kind == "range"), None)
        ends = [step.last for step in self.steps]
        at = ends.index(own.high) if own is not None and own.high in ends else -1
        self.track.show_dates(
            [step.seconds for step in self.steps], [dated(step.text) for step in self.steps], at, self.ends
        )
        for widget in (self.player, self.track, self.before):
            widget.setEnabled(bool(self.steps))
        self.every.setEnabled(own is not None)
        rows = self.steps[at].rows if at >= 0 else 0
        text = f"{dated(self.steps[at].text)}  {amount_words(DataKind.TABLE, rows)}" if at >= 0 else tr("all dates")
        self.date.setText(text if self.steps else tr("reading…") if self._reading else tr("no dates"))
        self.show()

    def go(self, number: int) -> None:
        """Show the rows of a date, or of it and all before."""
        layer = self.layer
        if layer is None or not 0 <= number < len(self.steps):
            return
        step, field = self.steps[number], layer.rows.dates
        low = None if self.before.isChecked() else step.first
        self._filter(layer, FieldFilter(field, "range", low=low, high=step.last))

    def show_all(self) -> None:
        """Show the rows of all dates."""
        if self.layer is not None:
            self._filter(self.layer, None)

    def _filter(self, layer: Layer, chosen: FieldFilter | None) -> None:
        others = tuple(each for each in layer.rows.filters if each.field != layer.rows.dates)
        filters = (*others, chosen) if chosen is not None else others
        rows = replace(layer.rows, filters=filters, on_map=layer.rows.on_map or chosen is not None)
        self.session.work.slide(WHAT, layer.id, rows=rows)

    def put_away(self) -> None:
        """Hide the bar and show all rows."""
        layer = self.layer
        if layer is not None:
            others = tuple(each for each in layer.rows.filters if each.field != layer.rows.dates)
            rows = replace(layer.rows, filters=others, dates="")
            self.session.work.change(tr("put the dates away"), layer.id, rows=rows)
