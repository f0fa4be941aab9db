"""What is done with boreholes: markers, and how tables and regions belong to them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtWidgets import QDialog, QInputDialog, QWidget

from brisk_atlas.core.model.hole_choices import HoleMarker
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job

from ..session import Session
from .log_shows import ShowsHoles


class LogDeeds:
    """Asks, runs the work, and shows what came of it."""

    def __init__(self, session: Session, pane: ShowsHoles) -> None:
        self.session, self.pane = session, pane

    @property
    def _parent(self) -> QWidget:
        return self.pane.canvas

    # Markers

    def markers(self) -> tuple[HoleMarker, ...]:
        """Return the markers of the holes' layer."""
        layer = self.session.work.layer(self.pane.content.layer_id)
        return layer.holes.markers if layer is not None else ()

    def _set_markers(self, what: str, markers: tuple[HoleMarker, ...]) -> None:
        layer = self.session.work.layer(self.pane.content.layer_id)
        if layer is not None:
            self.session.work.change(what, layer.id, holes=replace(layer.holes, markers=markers))
            self.pane.show_again()

    def ask_marker(self, hole: str, depth: float) -> None:
        """Ask for the name of a marker, and add it."""
        names = list(dict.fromkeys(marker.name for marker in self.markers()))
        name, chosen = QInputDialog.getItem(
            self._parent,
            tr("Add a marker"),
            tr("Level at {depth:,.2f} m of {hole}", depth=depth, hole=hole),
            names,
            -1,
            True,
        )
        if chosen and name.strip():
            self.add_marker(name.strip(), hole, depth)

    def add_marker(self, name: str, hole: str, depth: float) -> None:
        """Add a marker to a hole, in the place of its own of that name."""
        others = tuple(m for m in self.markers() if (m.name, m.hole) != (name, hole))
        self._set_markers(tr("add a marker"), (*others, HoleMarker(name, hole, round(depth, 3))))

    def move_marker(self, marker: HoleMarker, depth: float) -> None:
        """Move a marker along its hole."""
        moved = replace(marker, depth=round(depth, 3))
        self._set_markers(tr("move a marker"), tuple(moved if m == marker else m for m in self.markers()))

    def remove_marker(self, marker: HoleMarker) -> None:
        """Remove a marker."""
        self._set_markers(tr("remove a marker"), tuple(m for m in self.markers() if m != marker))

    # Columns and regions

    def ask_columns(self) -> None:
        """Ask how tables belong to the holes, and take them so from now on."""
        from ..hole_columns_form import HoleColumnsForm

        holes, cache = self.pane.content.holes, self.session.cache
        layer = self.session.work.layer(self.pane.content.layer_id)
        if holes is None or layer is None or not holes.tables:
            return
        fields = {table.ref: [field.name for field in cache.part(table.ref).facts.fields] for table in holes.tables}
        form = HoleColumnsForm(holes.tables, fields, self._parent)
        if form.exec() == QDialog.DialogCode.Accepted and form.changed():
            stated = {each.ref: each for each in (*layer.holes.tables, *form.changed())}
            choices = replace(layer.holes, tables=tuple(stated.values()))
            self.session.work.change(tr("state the columns of tables of boreholes"), layer.id, holes=choices)

    def list_in_region(self) -> None:
        """List only holes in the polygons that are picked on the map."""
        holes, picks, cache = self.pane.content.holes, self.session.work.picks, self.session.cache
        region = self.session.work.layer(picks.layer_id) if picks is not None and picks.rows else None
        facts = self.session.facts_of(region) if region is not None else None
        polygons = facts is not None and "Polygon" in (facts.geometry_type or "")
        if holes is None or picks is None or region is None or not polygons:
            self.pane.hole_list.in_region.setChecked(False)
            self.session.noticed.emit(
                "caution", tr("No polygon is picked"), tr("Pick one on the map or in the sheet first.")
            )
            return
        rows = tuple(picks.rows)

        def work(job: Job) -> np.ndarray:
            from brisk_atlas.core.strip.holes.hole_list import holes_in

            return holes_in(cache, holes, region, rows)

        def done(found: np.ndarray) -> None:
            self.pane.hole_list.region = found
            self.pane.hole_list.refilter()

        self.session.run(tr("Finding holes in the region"), work, done, shown=False)
