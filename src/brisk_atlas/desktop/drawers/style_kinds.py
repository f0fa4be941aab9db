"""The style forms of vector layers, grids and point clouds."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtWidgets import QPushButton

from brisk_atlas.core.draw.cloud import CLASS
from brisk_atlas.core.model import Band, CloudStyle, DataRef, Facts, GridStyle, Layer, VectorStyle
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.vocabulary import shown

from .class_switches import ClassSwitches
from .rule_list import RuleList, first_rules
from .style_labels import label_rows
from .style_rows import StyleRows, slim
from .style_standing import standing_rows

METHODS = [
    (tr("ramp"), "ramp"),
    (tr("equal intervals"), "equal"),
    (tr("quantiles"), "quantile"),
    (tr("natural breaks"), "natural"),
    (tr("each value its own"), "unique"),
]
DASHES: list[tuple[str, object]] = [
    (tr("unbroken"), ()),
    (tr("dashes"), (8.0, 4.0)),
    (tr("long dashes"), (16.0, 6.0)),
    (tr("dots"), (1.0, 4.0)),
    (tr("dash and dot"), (10.0, 4.0, 1.0, 4.0)),
]
HATCHES: list[tuple[str, object]] = [
    (tr("solid"), "none"),
    (tr("hatch rising"), "rising"),
    (tr("hatch falling"), "falling"),
    (tr("hatch crossed"), "crossed"),
    (tr("hatch level"), "level"),
    (tr("dots"), "dots"),
]
RESAMPLES: list[tuple[str, object]] = [
    (tr("nearest cell (classes)"), "nearest"),
    (tr("bilinear (continuous)"), "bilinear"),
    (tr("cubic (continuous)"), "cubic"),
]
COMPOSITES = {  # by the roles that bands have, or else by their names; red, green, blue
    tr("natural colour"): ("red", "green", "blue"),
    tr("colour infrared"): (tr("near infrared"), "red", "green"),
    tr("shortwave infrared"): (tr("shortwave infrared 2"), tr("near infrared"), "red"),
    tr("burn and lava"): (tr("shortwave infrared 2"), tr("shortwave infrared 1"), tr("near infrared")),
    "vegetation": (tr("shortwave infrared 1"), tr("near infrared"), "blue"),
    tr("rock and soil"): (tr("shortwave infrared 2"), tr("shortwave infrared 1"), "blue"),
}


def vector_rows(rows: StyleRows, facts: Facts, fields: list[str], *, by_rules: bool) -> None:
    """Add what a vector style has, by the geometry of the layer; `fields` are those it can go by."""
    kind = facts.geometry_type or ""
    is_line, has_points = "Line" in kind, "Point" in kind or kind in ("Unknown", "Geometry", "GeometryCollection")
    _rule_rows(rows, kind, by_rules=by_rules)
    rows.heading(tr("Colour"))
    rows.by_field(tr("Colour by"), "colour_by", tr("one colour"), fields, lambda s: s.colour_by,
                  lambda value: rows.change(tr("colour by"), colour_by=value))  # fmt: skip
    method = rows.choice(tr("Classes"), "method", [(text, word) for text, word in METHODS])
    count = rows.number(tr("How many"), "classes", 2, 12, 1, "")
    count.valueChanged.disconnect()
    count.valueChanged.connect(lambda value: rows.change(tr("classes"), classes=int(value)))
    ramp = rows.ramp()

    def fitting(layer: Layer) -> None:
        style = layer.style
        if isinstance(style, VectorStyle):
            rows.form.setRowVisible(method, style.colour_by is not None)
            rows.form.setRowVisible(count, style.colour_by is not None and style.method not in ("ramp", "unique"))
            through_ramp = style.colour_by is not None and style.method != "unique"
            rows.form.setRowVisible(ramp, through_ramp or style.density > 0)

    rows.setters.append(fitting)
    before = rows.form.rowCount()
    rows.stretch()
    _show_when(
        rows,
        lambda style: style.colour_by is not None and style.method == "ramp" and not style.density,
        rows.form.rowCount() - before,
    )
    if not is_line:
        rows.heading(tr("Fill"))
        rows.colour(tr("Fill"), "fill")
        rows.check(
            "", tr("outline only"), "hollow", lambda s: s.hollow, lambda on: rows.change(tr("outline only"), hollow=on)
        )
        if not has_points or kind in ("Unknown", "Geometry", "GeometryCollection"):
            rows.choice(tr("Pattern"), "hatch", HATCHES)
            gap = rows.number(tr("Gap"), "hatch_gap", 3, 40, 1)
            rows.setters.append(
                lambda layer: rows.form.setRowVisible(gap, getattr(layer.style, "hatch", "none") != "none")
            )
    if has_points:
        rows.heading(tr("Symbol"))
        dense = rows.number(tr("Density over"), "density", 0.0, 200.0, 1.0)
        dense.setSpecialValueText(tr("each point by itself"))
        dense.setToolTip(tr("How densely points lie, smoothed over so many pixels, in the colours of a ramp"))
        cluster = rows.number(tr("Clusters over"), "cluster", 0.0, 200.0, 10.0)
        cluster.setSpecialValueText(tr("each point by itself"))
        cluster.setToolTip(tr("Points within about so many pixels are drawn as one, with their number"))
        rows.choice(tr("Shape"), "symbol", [(shown(w), w) for w in ("circle", "square", "triangle", "cross", "pin")])
        rows.number(tr("Size"), "size", 1.0, 60.0, 1.0)
        rows.by_field(tr("Size by"), "size_by", tr("the same for all"), fields, lambda s: s.size_by,
                      lambda value: rows.change(tr("size by"), size_by=value))  # fmt: skip
        _ends(rows, "sizes", "size_by", 1.0, 80.0, 1.0)
    rows.heading(tr("Line"))
    rows.colour(tr("Line"), "line")
    rows.number(tr("Width"), "width", 0.0, 30.0, 0.2)
    if is_line:
        rows.by_field(tr("Width by"), "width_by", tr("the same for all"), fields, lambda s: s.width_by,
                      lambda value: rows.change(tr("width by"), width_by=value))  # fmt: skip
        _ends(rows, "widths", "width_by", 0.0, 40.0, 0.2)
    if is_line or not has_points:
        rows.choice(tr("Dashes"), "dash", DASHES)
        rows.choice(tr("Corners"), "join", [(shown(w), w) for w in ("round", "mitre", "bevel")])
    if is_line:
        rows.choice(tr("Ends"), "cap", [(shown(w), w) for w in ("round", "flat", "square")])
        rows.number(tr("Casing"), "casing", 0.0, 10.0, 0.5)
        rows.colour(tr("Casing colour"), "casing_colour")
    label_rows(rows, fields)
    standing_rows(rows, facts, fields)


def _rule_rows(rows: StyleRows, kind: str, *, by_rules: bool) -> None:
    """Add the rules by which the style draws, or what begins them."""
    if by_rules:
        from brisk_atlas.core.draw.swatch import shape_of

        rows.heading(tr("Rules"))
        rows.rules = RuleList(rows.session, shape_of(kind), rows.change_style)
        rows.rules.rule_chosen.connect(rows.refill)
        rows.form.addRow(rows.rules)
        return
    begin = QPushButton(tr("Draw by rules…"))
    begin.setObjectName("by rules")
    begin.setToolTip(tr("Features that meet a condition in a look of their own"))

    def make_rules() -> None:
        layer = rows.session.work.subject
        if layer is not None and isinstance(layer.style, VectorStyle):
            rows.change_style(tr("draw by rules"), replace(layer.style, rules=first_rules(layer), hidden=()))

    begin.clicked.connect(make_rules)
    rows.form.addRow("", begin)


def _show_when(rows: StyleRows, wanted: Any, last: int) -> None:
    """Show the `last` rows of the form only for styles that want them."""
    form = rows.form
    numbers = range(form.rowCount() - last, form.rowCount())

    def show(layer: Layer) -> None:
        on = wanted(layer.style)
        for number in numbers:
            form.setRowVisible(number, on)

    rows.setters.append(show)


def _ends(rows: StyleRows, field: str, by: str, low: float, high: float, step: float) -> None:
    """Add the two ends between which a width or size grows, shown when it does."""
    for place, label in enumerate(("minimum", "maximum")):
        spin = rows.number(label, field, low, high, step)
        spin.setObjectName(f"{field} {label}")
        spin.valueChanged.disconnect()
        rows.setters.pop()

        def put(value: float, place: int = place) -> None:
            ends = list(getattr(rows.style(), field))
            ends[place] = value
            rows.change(by.replace("_", " "), **{field: tuple(ends)})

        def show(layer: Layer, spin: Any = spin, place: int = place) -> None:
            spin.setValue(getattr(layer.style, field)[place])
            rows.form.setRowVisible(spin, getattr(layer.style, by) is not None)

        spin.valueChanged.connect(put)
        rows.setters.append(show)


def grid_rows(rows: StyleRows, facts: Facts, shown: tuple[int, ...], elsewhere: list[tuple[str, DataRef, int]]) -> None:
    """Add what a grid's style has. `elsewhere` lists bands of other open layers: text, part and number."""
    assert facts.grid is not None
    if facts.grid.drawn_by_service:
        _server_rows(rows, facts.grid.server_styles)
        return
    bands = facts.grid.bands
    along = facts.grid.dimensions  # their bands are chosen by the sliders over the map
    three = len(shown) == 3
    if not along or three:
        rows.heading(tr("Bands"))
    if len(bands) + len(elsewhere) >= 3 and (not along or three):
        mode = [(tr("three bands"), 3), (tr("one band through a ramp"), 1)]
        first = tuple(b.index for b in bands[:3])
        first += (first[-1],) * (3 - len(first))
        rows.choice_of(tr("Show"), "composite", [(t, n) for t, n in mode], lambda layer: len(_grid(layer).bands),
                       lambda n: rows.change(tr("composite"), bands=first if n == 3 else first[:1],
                       others=()))  # fmt: skip
    presets = presets_of(bands)
    if three and presets:
        found: list[tuple[str, object]] = [
            (tr("chosen by hand"), None),
            *((name, numbers) for name, numbers in presets.items()),
        ]

        def preset(layer: Layer) -> object:
            return None if any(_grid(layer).others) else _grid(layer).bands

        def put(numbers: object) -> None:
            if numbers:
                rows.change(tr("preset"), bands=numbers, others=())

        rows.choice_of(tr("Preset"), "preset", found, preset, put)
    for place, label in enumerate((tr("Red"), tr("Green"), tr("Blue")) if three else () if along else (tr("Band"),)):
        _band(rows, label, place, [(b.name, None, b.index) for b in bands] + list(elsewhere if three else []))
    if not three:
        classes = bands[shown[0] - 1].classes
        if classes:
            rows.check(tr("Colours"), tr("those of the file"), "own colours", lambda s: s.own_colours,
                       lambda on: rows.change(tr("class colours"), own_colours=on))  # fmt: skip
        rows.ramp()
        rows.heading(tr("Light"))
        rows.check(
            "",
            tr("hillshade"),
            "shade",
            lambda s: s.shade > 0,
            lambda on: rows.change(tr("hillshade"), shade=0.75 if on else 0.0),
        )
        lights = rows.choice(tr("From"), "lights", [(tr("one side"), 1), (tr("several sides"), 4)])
        azimuth = rows.number(tr("Azimuth"), "azimuth", 0, 360, 15, "°")
        altitude = rows.number(tr("Altitude"), "altitude", 5, 90, 5, "°")

        def fitting(layer: Layer) -> None:
            now = _grid(layer)
            rows.form.setRowVisible(lights, now.shade > 0)
            rows.form.setRowVisible(azimuth, now.shade > 0 and now.lights == 1)
            rows.form.setRowVisible(altitude, now.shade > 0)

        rows.setters.append(fitting)
        every = rows.number(
            tr("Contours every"), "contours", 0, 1_000_000, 0.5, f" {bands[shown[0] - 1].unit}".rstrip()
        )
        every.setSpecialValueText(tr("none"))
        every.setToolTip(tr("Lines of equal value at its multiples, each fifth one heavier"))
        _flow_rows(rows, bands, elsewhere)
        rows.check("", tr("colour by slope"), "slope", lambda s: s.slope, lambda on: rows.change(tr("slope"), slope=on))
    rows.heading(tr("Stretch"))
    rows.stretch(in_view=True)
    rows.heading(tr("Cells"))
    rows.choice(tr("Resample"), "resample", RESAMPLES)


def _server_rows(rows: StyleRows, styles: tuple[tuple[str, str], ...]) -> None:
    """Add what can be chosen of a picture that a server draws."""
    if len(styles) > 1:
        rows.heading(tr("Drawn by its server"))
        named: list[tuple[str, object]] = [(title, name) for name, title in styles]
        box = rows.choice_of(tr("Style"), "server style", [(tr("as the server chooses"), ""), *named],
                             lambda layer: _grid(layer).server_style,
                             lambda name: rows.change(tr("style of the server"), server_style=name))  # fmt: skip
        box.setToolTip(tr("The styles that the service offers for this layer"))
    rows.heading(tr("Pixels"))
    rows.choice(tr("Resample"), "resample", RESAMPLES)


def _flow_rows(rows: StyleRows, bands: tuple[Band, ...], elsewhere: list[tuple[str, DataRef, int]]) -> None:
    """Add the choice of the band that makes arrows with the one on show."""
    parts = dict.fromkeys(ref for _, ref, _ in elsewhere)
    names = {ref: next(text for text, other, _ in elsewhere if other == ref).partition(":")[0] for ref in parts}
    options: list[tuple[str, object]] = [(tr("none"), (None, 0)), *((b.name, (None, b.index)) for b in bands)]
    options += [(tr("{names}, the same band", names=names[ref]), (ref, 0)) for ref in parts]
    box = rows.choice_of(tr("Arrows with"), "flow", options, lambda layer: (_grid(layer).flow, _grid(layer).flow_band),
                         lambda chosen: rows.change(tr("arrows"), flow=chosen[0], flow_band=chosen[1]))  # fmt: skip
    box.setToolTip(tr("The part of the motion towards the north; the band on show is the one towards the east"))
    gap = rows.number(tr("Arrows every"), "flow_gap", 12.0, 120.0, 4.0)

    def show(layer: Layer) -> None:
        rows.form.setRowVisible(gap, _grid(layer).flow is not None or _grid(layer).flow_band > 0)

    rows.setters.append(show)


def _grid(layer: Layer) -> GridStyle:
    assert isinstance(layer.style, GridStyle)
    return layer.style


def presets_of(bands: tuple[Band, ...]) -> dict[str, tuple[int, ...]]:
    """Return the named composites that bands can make, by role, or by name where roles repeat."""
    by_name = {band.name.lower(): band.index for band in bands}
    by_role = {band.role.lower(): band.index for band in reversed(bands)}
    known = by_role | by_name
    return {
        name: tuple(known[word] for word in words)
        for name, words in COMPOSITES.items()
        if all(word in known for word in words)
    }


def _band(rows: StyleRows, label: str, place: int, options: list[tuple[str, DataRef | None, int]]) -> None:
    from PyQt6.QtWidgets import QComboBox

    box = slim(QComboBox())
    box.setObjectName(f"band {label.lower()}")
    box.setAccessibleName(label)
    for text, _, _ in options:
        box.addItem(text)

    def chosen(i: int) -> None:
        style = rows.style()
        if isinstance(style, GridStyle) and not rows.filling:
            bands, others = list(style.bands), [*style.others, *([None] * 3)][: len(style.bands)]
            bands[place], others[place] = options[i][2], options[i][1]
            rows.change(tr("bands"), bands=tuple(bands), others=tuple(others) if any(others) else ())

    def show(layer: Layer) -> None:
        style = _grid(layer)
        if place < len(style.bands):
            other = style.others[place] if place < len(style.others) else None
            box.setCurrentIndex(
                next((i for i, (_, o, n) in enumerate(options) if (o, n) == (other, style.bands[place])), 0)
            )

    box.currentIndexChanged.connect(chosen)
    rows.form.addRow(label, box)
    rows.setters.append(show)


def cloud_rows(rows: StyleRows, facts: Facts) -> None:
    """Add what a point cloud's style has."""
    names = [f.name for f in facts.fields if f.name not in ("X", "Y", "Z")]
    options: list[tuple[str, object]] = [(tr("height"), "z"), *((n.replace("_", " "), n) for n in names)]
    if "red" in names:
        options.insert(1, (tr("measured colour"), "rgb"))
    rows.heading(tr("Points"))
    rows.choice(tr("Colour by"), "colour_by", options)
    rows.number(tr("Size"), "size", 1.0, 20.0, 1.0)
    ramp = rows.ramp()
    rows.stretch()
    runs = lambda style: isinstance(style, CloudStyle) and style.colour_by not in ("rgb", "classification")  # noqa: E731
    rows.setters.append(lambda layer: rows.form.setRowVisible(ramp, runs(layer.style)))
    _show_when(rows, runs, 5)
    if CLASS in names:
        rows.heading(tr("Classes"))
        switches = ClassSwitches(rows)
        rows.form.addRow(switches)
        rows.setters.append(switches.show_layer)
