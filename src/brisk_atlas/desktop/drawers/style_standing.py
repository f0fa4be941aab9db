"""How a vector layer stands in the relief: draped, lifted, raised, as a wall, or as boreholes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from PyQt6 import sip
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox

from brisk_atlas.core.inspect.guess_boreholes import NUMBERS, boreholes_guess, interval_tables
from brisk_atlas.core.inspect.hole_tables import deviation_tables
from brisk_atlas.core.model import Facts, Field, Layer
from brisk_atlas.core.model.hole_choices import HoleTable
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.standing import Foot, IntervalSource, Standing, StandingWay
from brisk_atlas.core.system.jobs import Job

from .style_rows import StyleRows, slim

LIMIT_M = 100_000.0
WAYS = {
    StandingWay.DRAPED: tr("draped, as on the map"), StandingWay.LIFTED: tr("lifted"),
        StandingWay.RAISED: tr("raised bodies"),
    StandingWay.WALL: tr("a wall"), StandingWay.BOREHOLES: "boreholes",
}  # fmt: skip
WHAT = tr("how it stands in the relief")


def ways_for(geometry: str) -> list[StandingWay]:
    """Return in which ways features of a geometry type can stand."""
    way = StandingWay
    if "Polygon" in geometry:
        return [way.DRAPED, way.RAISED, way.LIFTED, way.WALL]
    if "Line" in geometry:
        return [way.DRAPED, way.LIFTED, way.WALL]
    if "Point" in geometry:
        return [way.DRAPED, way.LIFTED, way.BOREHOLES, way.WALL]
    return list(way)


def standing_rows(rows: StyleRows, facts: Facts, fields: list[str]) -> None:
    """Add how features stand. `fields` are those of the layer, of which numbers give heights."""
    layer = rows.session.work.subject
    own = rows.session.fields_of(layer) if layer is not None else []
    numbers = [each.name for each in own if each.type.lower().startswith(NUMBERS) or each.type == "computed"]

    def put(**values: Any) -> None:
        now = rows.session.work.subject
        if now is not None:
            rows.change_layer(WHAT, standing=replace(now.standing, **values))

    rows.heading(tr("In relief"))
    ways: list[tuple[str, object]] = [(WAYS[each], each) for each in ways_for(facts.geometry_type or "")]
    rows.choice_of(
        tr("Stands"), "standing way", ways, lambda la: la.standing.way, lambda way: _take_way(rows, own, way)
    )
    feet: list[tuple[str, object]] = [
        (tr("the ground"), (Foot.GROUND, None)), (tr("the height 0"), (Foot.ZERO, None)),
            (tr("its own Z"), (Foot.OWN_Z, None)),
        *((name, (Foot.FIELD, name)) for name in numbers),
    ]  # fmt: skip
    foot = rows.choice_of(tr("Counted from"), "standing foot", feet, lambda la: (la.standing.foot, la.standing.foot_by),
                          lambda pair: put(foot=pair[0], foot_by=pair[1]))  # fmt: skip
    by_field: list[tuple[str, object]] = [(tr("the same for all"), None), *((name, name) for name in numbers)]
    height_by = rows.choice_of(tr("Height by"), "standing height field", by_field, lambda la: la.standing.height_by,
                               lambda name: put(height_by=name))  # fmt: skip
    height = _number(rows, tr("Height"), "standing height", lambda standing: standing.height,
                     lambda value: put(height=value), " m")  # fmt: skip
    factor = _number(rows, tr("Times"), "standing factor", lambda standing: standing.factor,
                     lambda value: put(factor=value), "")  # fmt: skip
    factor.setToolTip(tr("Metres to a unit of the field; below zero for what reaches down"))
    azimuth = rows.choice_of(tr("Azimuth"), "standing azimuth", [(tr("upright"), None), *by_field[1:]],
                             lambda la: la.standing.azimuth_by, lambda name: put(azimuth_by=name))  # fmt: skip
    dip = rows.choice_of(tr("Dip"), "standing dip", [(tr("upright"), None), *by_field[1:]],
                         lambda la: la.standing.dip_by, lambda name: put(dip_by=name))  # fmt: skip
    intervals = BesideChoice(rows, put, "intervals", interval_tables)
    rows.form.addRow(tr("Intervals"), intervals)
    deviation = BesideChoice(rows, put, "deviation", deviation_tables)
    deviation.setToolTip(tr("A survey of directions down the holes, along which they are drawn"))
    rows.form.addRow(tr("Deviation"), deviation)

    def show(la: Layer) -> None:
        way, standing = la.standing.way, la.standing
        stands, holes = way is not StandingWay.DRAPED, way is StandingWay.BOREHOLES
        for widget, on in (
            (foot, stands), (height_by, stands), (height, stands and standing.height_by is None),
            (factor, stands and standing.height_by is not None), (azimuth, holes), (dip, holes), (intervals, holes),
            (deviation, holes),
        ):  # fmt: skip
            rows.form.setRowVisible(widget, on)
        intervals.show_layer(la)
        deviation.show_layer(la)

    rows.setters.append(show)


def _take_way(rows: StyleRows, own: Sequence[Field], way: StandingWay) -> None:
    layer = rows.session.work.subject
    if layer is None:
        return
    facts = rows.session.facts_of(layer)
    has_z = facts is not None and "Z" in (facts.geometry_type or "").split()
    standing = Standing(way, Foot.OWN_Z if has_z and way is StandingWay.LIFTED else Foot.GROUND)
    if has_z and way is StandingWay.LIFTED:
        standing = replace(standing, height=0.0)
    if way is StandingWay.BOREHOLES:
        standing = boreholes_guess(own)
        cache, others = rows.session.cache, rows.session.work.layers

        def look(job: Job) -> Standing:
            tables, surveys = interval_tables(cache, layer, others), deviation_tables(cache, layer, others)
            return replace(standing, intervals=next(iter(tables), None), deviation=next(iter(surveys), None))

        def found(guess: Standing) -> None:
            now = rows.session.work.layer(layer.id)
            if guess != standing and now is not None and now.standing == standing:
                rows.session.work.change(WHAT, layer.id, standing=guess)

        rows.session.run(tr("Looking for intervals"), look, found, shown=False)
    rows.change_layer(WHAT, standing=standing)


def _number(rows: StyleRows, label: str, name: str, get: Any, put: Any, unit: str) -> QDoubleSpinBox:
    spin = QDoubleSpinBox()
    spin.setObjectName(name)
    spin.setAccessibleName(label)
    spin.setRange(-LIMIT_M, LIMIT_M)
    spin.setDecimals(2)
    spin.setSuffix(unit)
    spin.setKeyboardTracking(False)
    spin.valueChanged.connect(lambda value: None if rows.filling else put(value))
    rows.form.addRow(label, spin)
    rows.setters.append(lambda layer: spin.setValue(get(layer.standing)))
    return spin


def _words_of(source: IntervalSource | HoleTable) -> str:
    name = source.ref.part or source.ref.name
    return f"{name}, {source.colour_by}" if isinstance(source, IntervalSource) else name


class BesideChoice(QComboBox):
    """The tables that can belong to boreholes as their `intervals` or their `deviation`: open ones, and those beside
    the layer's file."""

    def __init__(self, rows: StyleRows, put: Any, name: str, find: Any) -> None:
        super().__init__()
        slim(self)
        self.setObjectName(f"standing {name}")
        self.setAccessibleName(name.capitalize())
        self._rows, self._name, self._find = rows, name, find
        self._asked: Layer | None = None
        self.addItem(tr("none"), None)
        self.activated.connect(lambda number: put(**{name: self.itemData(number)}))

    def show_layer(self, layer: Layer) -> None:
        """Show the table of a layer, and look for others once it stands as boreholes."""
        if layer.standing.way is not StandingWay.BOREHOLES:
            return
        self._select(getattr(layer.standing, self._name))
        if self._asked is None or self._asked.ref != layer.ref:
            self._asked = layer
            cache, others = self._rows.session.cache, self._rows.session.work.layers
            self._rows.session.run(
                tr("Looking for {name}", name=self._name),
                lambda job: self._find(cache, layer, others),
                self._fill,
                shown=False,
            )

    def _fill(self, tables: tuple[IntervalSource | HoleTable, ...]) -> None:
        if sip.isdeleted(self):
            return
        for table in tables:
            if all(self.itemData(number) != table for number in range(self.count())):
                self.addItem(_words_of(table), table)
        now = self._rows.session.work.subject
        if now is not None:
            self._select(getattr(now.standing, self._name))

    def _select(self, source: IntervalSource | HoleTable | None) -> None:
        at = next((number for number in range(self.count()) if self.itemData(number) == source), -1)
        if at < 0 and source is not None:
            self.addItem(_words_of(source), source)
            at = self.count() - 1
        self.setCurrentIndex(max(at, 0))
