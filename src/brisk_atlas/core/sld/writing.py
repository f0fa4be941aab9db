"""Writing styles as SLD 1.1 with SE 1.1. What the standards can't say is named, never left out in silence."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from math import isfinite
from typing import Any

from lxml import etree

from brisk_atlas.core.draw.classes import NO_VALUE, Colouring
from brisk_atlas.core.model import AtlasError, GridStyle, Label, Style, StyleRule, VectorStyle
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import LINE, POINT
from brisk_atlas.core.table.expression import syntax_tree

from .colours import ValueRamp, add_categorize, add_interpolate, steps_of
from .filters import NotInFilter, add_filter, add_label
from .names import CAPS, JOINS, OGC, PREFIXES, SCHEMA, SE, SLD, SYMBOLS, XSI, add


@dataclass(frozen=True)
class StyleContext:
    """What of a layer its style depends on.

    shapes : the kind of path that each rule draws, of a style without rules one alone; colouring : what colouring by
    value came to; limits : between which values the colours of a grid ran, one pair a band;
    classes : the colours of a grid's own classes.
    """

    shapes: Sequence[int] = ()
    colouring: Colouring | None = None
    limits: Sequence[tuple[float, float]] = ()
    classes: Sequence[tuple[int, str, str]] = ()
    opacity: float = 1.0


@dataclass
class StyleWriter:
    """Builds the elements of one style; `notes` gather what can't be said, each once."""

    context: StyleContext
    notes: dict[str, None] = field(default_factory=dict)

    def note(self, text: str) -> None:
        self.notes[text] = None

    def vector(self, parent: Any, name: str, style: VectorStyle) -> None:
        """Add the rules of a vector style."""
        if style.rules:
            for rule, shape in zip(style.rules, self.context.shapes):
                if rule.name in style.hidden:
                    self.note(tr("the rule {name}, which is switched off", name=rule.name))
                else:
                    self._rule(parent, rule, shape)
            return
        shape, colouring = self.context.shapes[0], self.context.colouring
        if colouring is None or colouring.ramp or style.colour_by is None:
            self._rule(parent, StyleRule(name, "", style), shape)
            return
        for number, (colour, text) in enumerate(colouring.entries):
            if text in style.hidden:
                self.note(tr("the class {text}, which is switched off", text=text))
                continue
            own = replace(style, colour_by=None, fill=colour, line=colour if shape == LINE else style.line)
            rule = StyleRule(colouring.names.get(text, text), style=own)
            self._rule(parent, rule, shape, (style.colour_by, *self._class(style, number, text)))

    def _class(self, style: VectorStyle, number: int, text: str) -> tuple[str, str]:
        """Return the lower and the upper end of a class, or its value and ""."""
        edges = self.context.colouring.edges if self.context.colouring is not None else ()
        if not edges:
            return text, ""
        return f"{edges[number]:.10g}", f"{edges[number + 1]:.10g}"

    def _rule(self, parent: Any, rule: StyleRule, shape: int, of: tuple[str, str, str] | None = None) -> None:
        made = add(parent, SE, "Rule")
        add(made, SE, "Name", rule.name)
        add(add(made, SE, "Description"), SE, "Title", rule.name)
        if of is not None:
            self._class_filter(made, *of)
        elif rule.otherwise:
            add(made, SE, "ElseFilter")
        elif rule.where.strip():
            try:
                add_filter(made, rule.where)
            except NotInFilter as error:
                remedy = "Write its condition with fields, values and comparisons."
                raise AtlasError(
                    rule.name, tr("its condition has {error}, which a filter can't say", error=error), remedy
                ) from error
        if rule.scales is not None:
            closest, farthest = rule.scales
            if closest > 0:
                add(made, SE, "MinScaleDenominator", f"{closest:.10g}")
            if isfinite(farthest):
                add(made, SE, "MaxScaleDenominator", f"{farthest:.10g}")
        self._symbols(made, rule.style, shape)

    def _class_filter(self, parent: Any, by: str, low: str, high: str) -> None:
        """Add the filter of one class: a value, or a range whose upper end belongs to it in the last class alone."""
        made = add(parent, OGC, "Filter")
        if not high:
            self._compare(made, "PropertyIsEqualTo", by, low)
            return
        both = add(made, OGC, "And")
        self._compare(both, "PropertyIsGreaterThanOrEqualTo", by, low)
        colouring = self.context.colouring
        is_last = colouring is not None and high == f"{colouring.edges[-1]:.10g}"
        self._compare(both, "PropertyIsLessThanOrEqualTo" if is_last else "PropertyIsLessThan", by, high)

    def _compare(self, parent: Any, operator: str, by: str, value: str) -> None:
        made = add(parent, OGC, operator)
        self._field(made, by)
        add(made, OGC, "Literal", value)

    def _field(self, parent: Any, by: str) -> str:
        """Add the field that an expression is. Raises AtlasError for one that is more than a field."""
        node = None if by.isidentifier() else _tree_or_none(by)
        if node is not None and node["class"] != "COLUMN_REF":
            remedy = "Add it as a computed field and colour by that."
            raise AtlasError(by, tr("a style file colours by a field, not by an expression"), remedy)
        name = by if node is None else ".".join(node["column_names"])
        if parent is not None:
            add(parent, OGC, "PropertyName", name)
        return name

    # Symbols

    def _symbols(self, parent: Any, look: VectorStyle, shape: int) -> None:
        for is_so, words in (
            (look.hatch != "none", "hatches"),
            (look.density > 0, "densities"),
            (look.cluster > 0, "clusters"),
            (look.width_by or look.size_by, "sizes and widths that grow with a value"),
        ):
            if is_so:
                self.note(words)
        if shape == LINE:
            if look.casing > 0:
                under = replace(
                    look, line=look.casing_colour, width=look.width + 2 * look.casing, dash=(), colour_by=None
                )
                self._stroke(add(parent, SE, "LineSymbolizer"), under, by_value=False)
            self._stroke(add(parent, SE, "LineSymbolizer"), look, by_value=look.colour_by is not None)
        elif shape == POINT:
            self._point(parent, look)
        else:
            made = add(parent, SE, "PolygonSymbolizer")
            self._fill(made, look)
            self._stroke(made, look, by_value=False)
        if look.label is not None:
            self._text(parent, look.label, shape)

    def _fill(self, parent: Any, look: VectorStyle) -> None:
        if look.hollow:
            return
        fill = add(parent, SE, "Fill")
        setting = add(fill, SE, "SvgParameter", name="fill")
        self._colour(setting, look, look.fill, by_value=look.colour_by is not None)
        self._opacity(fill, "fill-opacity")

    def _colour(self, parent: Any, look: VectorStyle, plain: str, *, by_value: bool) -> None:
        colouring = self.context.colouring
        if not by_value or look.colour_by is None or colouring is None or not colouring.ramp:
            parent.text = plain
            return
        field_name = self._field(None, look.colour_by)
        add_interpolate(parent, field_name, ValueRamp(colouring.ramp, colouring.low, colouring.high), NO_VALUE)

    def _opacity(self, parent: Any, name: str) -> None:
        if self.context.opacity < 1:
            add(parent, SE, "SvgParameter", f"{self.context.opacity:g}", name=name)

    def _stroke(self, parent: Any, look: VectorStyle, *, by_value: bool) -> None:
        if look.width <= 0:
            return
        stroke = add(parent, SE, "Stroke")
        self._colour(add(stroke, SE, "SvgParameter", name="stroke"), look, look.line, by_value=by_value)
        self._opacity(stroke, "stroke-opacity")
        add(stroke, SE, "SvgParameter", f"{look.width:g}", name="stroke-width")
        add(stroke, SE, "SvgParameter", JOINS[look.join], name="stroke-linejoin")
        add(stroke, SE, "SvgParameter", CAPS[look.cap], name="stroke-linecap")
        if len(look.dash) > 1:
            add(stroke, SE, "SvgParameter", " ".join(f"{d:g}" for d in look.dash), name="stroke-dasharray")

    def _point(self, parent: Any, look: VectorStyle) -> None:
        if look.hollow and look.width <= 0:
            return  # nothing is seen but its label
        graphic = add(add(parent, SE, "PointSymbolizer"), SE, "Graphic")
        mark = add(graphic, SE, "Mark")
        if look.symbol not in SYMBOLS:
            self.note(tr("the symbol {symbol}, written as a circle", symbol=look.symbol))
        add(mark, SE, "WellKnownName", SYMBOLS.get(look.symbol, "circle"))
        self._fill(mark, look)
        self._stroke(mark, look, by_value=False)
        add(graphic, SE, "Size", f"{look.size:g}")

    def _text(self, parent: Any, label: Label, shape: int) -> None:
        made = add(parent, SE, "TextSymbolizer")
        try:
            node = _tree_or_none(label.text)
            element = add(made, SE, "Label")
            if node is None:
                add(element, OGC, "PropertyName", label.text)
            else:
                add_label(element, label.text)
        except NotInFilter as error:
            parent.remove(made)
            self.note(tr("labels with {error}", error=error))
            return
        font = add(made, SE, "Font")
        add(font, SE, "SvgParameter", f"{label.size:g}", name="font-size")
        if shape == LINE:
            along = add(add(made, SE, "LabelPlacement"), SE, "LinePlacement")
            if label.repeat > 0:
                add(along, SE, "IsRepeated", "true")
                add(along, SE, "Gap", f"{label.repeat:g}")
        halo = add(made, SE, "Halo")
        add(halo, SE, "Radius", "1.5")
        add(add(halo, SE, "Fill"), SE, "SvgParameter", label.halo, name="fill")
        add(add(made, SE, "Fill"), SE, "SvgParameter", label.colour, name="fill")
        for is_so, words in (
            (label.callout > 0, "callouts"),
            (label.priority != 5 or label.first, "which labels go first"),
        ):
            if is_so:
                self.note(words)

    # Grids

    def grid(self, parent: Any, name: str, style: GridStyle) -> None:
        """Add the one rule of a grid."""
        rule = add(parent, SE, "Rule")
        add(rule, SE, "Name", name)
        made = add(rule, SE, "RasterSymbolizer")
        if self.context.opacity < 1:
            add(made, SE, "Opacity", f"{self.context.opacity:g}")
        channels = add(made, SE, "ChannelSelection")
        titles = ("RedChannel", "GreenChannel", "BlueChannel") if len(style.bands) == 3 else ("GrayChannel",)
        for title, band in zip(titles, style.bands):
            add(add(channels, SE, title), SE, "SourceChannelName", str(band))
        if len(style.bands) == 1:
            self._colour_map(made, style)
        else:
            self.note(tr("between which values each band is stretched"))
        if style.stretch.gamma != 1.0:
            add(add(made, SE, "ContrastEnhancement"), SE, "GammaValue", f"{style.stretch.gamma:g}")
        if style.shade > 0:
            relief = add(made, SE, "ShadedRelief")
            add(relief, SE, "BrightnessOnly", "true")
        for is_so, words in (
            (style.others and any(style.others), "bands of other datasets"),
            (style.slope, "colours by slope"),
            (style.mask is not None, "classes that are left out"),
            (style.contours > 0, "contour lines"),
            (style.flow is not None or style.flow_band > 0, "arrows"),
        ):
            if is_so:
                self.note(words)

    def _colour_map(self, parent: Any, style: GridStyle) -> None:
        made = add(parent, SE, "ColorMap")
        if style.own_colours and self.context.classes:
            classes = sorted(self.context.classes)
            edges = [value - 0.5 for value, _, _ in classes[1:]]
            add_categorize(made, None, edges, [colour for _, colour, _ in classes], NO_VALUE)
            return
        low, high = self.context.limits[0]
        steps = steps_of(style.ramp, low, high)
        if steps is not None:
            add_categorize(made, None, *steps, NO_VALUE)
        else:
            add_interpolate(made, None, ValueRamp(style.ramp, low, high), NO_VALUE)


def style_text(name: str, style: Style, context: StyleContext) -> tuple[str, tuple[str, ...]]:
    """Return a style as an SLD file, and what of it the standards can't say. Raises AtlasError."""
    root = etree.Element(f"{{{SLD}}}StyledLayerDescriptor", nsmap=PREFIXES, version="1.1.0")
    root.set(f"{{{XSI}}}schemaLocation", f"{SLD} {SCHEMA}")
    layer = add(root, SLD, "NamedLayer")
    add(layer, SE, "Name", name)
    user = add(layer, SLD, "UserStyle")
    add(user, SE, "Name", name)
    writer = StyleWriter(context)
    if isinstance(style, VectorStyle):
        writer.vector(add(user, SE, "FeatureTypeStyle"), name, style)
    elif isinstance(style, GridStyle):
        writer.grid(add(user, SE, "CoverageStyle"), name, style)
    else:
        raise AtlasError(
            name, tr("the standards know no styles of point clouds"), tr("Save the project to store its look.")
        )
    text = etree.tostring(root, pretty_print=True, xml_declaration=True, encoding="UTF-8").decode()
    return text, tuple(writer.notes)


def _tree_or_none(text: str) -> dict[str, Any] | None:
    """Return the tree of an expression; None for the plain name of a field."""
    if text.replace("_", "a").isalnum():
        return None
    return syntax_tree(text)
