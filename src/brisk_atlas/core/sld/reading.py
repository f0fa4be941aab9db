"""Reading styles from SLD and SE. What can't be taken over is named, never guessed."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, field, replace
from math import inf, isfinite
from pathlib import Path
from typing import Any

from brisk_atlas.core.model import CannotRead, ClassLook, GridStyle, Label, Stretch, Style, StyleRule, VectorStyle
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.record.safe_xml import parse_xml, xml_in

from .colours import field_looked_up, is_colour, ramp_in, recoded
from .filters import FilterReader, NotInFilter
from .names import CAPS, JOINS, SYMBOLS, all_below, below, local, text_of

MOST_RULES = 1000
NO_SIGHT = VectorStyle(hollow=True, width=0.0, size=1.0)  # under a text that stands alone
SYMBOLIZERS = ("PolygonSymbolizer", "LineSymbolizer", "PointSymbolizer", "TextSymbolizer", "RasterSymbolizer")
HOW = ("Interpolate", "Categorize", "Recode")


@dataclass(frozen=True)
class ReadStyle:
    """A style of a file: `notes` say what of it is not taken over."""

    name: str
    style: Style
    notes: tuple[str, ...] = ()


@dataclass
class StyleReader:
    """Goes through one style; `notes` gather what is not taken over, each once."""

    filters: FilterReader
    notes: dict[str, None] = field(default_factory=dict)

    def note(self, text: str) -> None:
        self.notes[text] = None

    # Rules

    def style_of(self, rules: list[Any]) -> Style | None:
        """Return the style that rules make; None where they draw nothing that is known."""
        for rule in rules:
            raster = below(rule, "RasterSymbolizer")
            if raster is not None:
                return self.grid(raster)
        made: list[StyleRule] = []
        for number, rule in enumerate(rules[:MOST_RULES], 1):
            made += self.rules_of(rule, number)
        if len(rules) > MOST_RULES:
            self.note(tr("rules after the first {most_rules:,}", most_rules=MOST_RULES))
        if len(made) == 1 and not made[0].where and not made[0].otherwise and made[0].scales is None:
            return made[0].style
        return VectorStyle(rules=_named_apart(made)) if made else None

    def rules_of(self, rule: Any, number: int) -> list[StyleRule]:
        """Return the rules of ours that one rule makes: one for each symbol that it draws."""
        name = text_of(rule, "Description", "Title") or text_of(rule, "Title") or text_of(rule, "Name")
        name = name or f"rule {number}"
        where, condition = "", below(rule, "Filter")
        if condition is not None:
            try:
                where = self.filters.sql_of(condition)
            except NotInFilter as error:
                self.note(tr("{name}, as its condition is {error}", name=name, error=error))
                return []
        otherwise = below(rule, "ElseFilter") is not None
        closest, farthest = (_number(text_of(rule, f"{end}ScaleDenominator")) for end in ("Min", "Max"))
        scales = (closest or 0.0, farthest or inf) if closest or farthest else None
        return [StyleRule(name, where, look, otherwise, scales) for look in self.looks(rule)]

    def looks(self, rule: Any) -> list[VectorStyle]:
        """Return the looks of a rule's symbols, the lowest first; texts go with the symbol before them."""
        looks: list[VectorStyle] = []
        for element in rule:
            match local(element):
                case "PolygonSymbolizer":
                    looks.append(self.polygon(element))
                case "LineSymbolizer":
                    self._add_line(looks, self.line(element))
                case "PointSymbolizer":
                    looks.append(self.point(element))
                case "TextSymbolizer":
                    label = self.label(element)
                    if label is not None:
                        looks.append(replace(looks.pop() if looks else NO_SIGHT, label=label))
            if local(element) in SYMBOLIZERS:
                self._check_symbolizer(element)
        return looks

    def _add_line(self, looks: list[VectorStyle], line: VectorStyle) -> None:
        """Add a line; a narrower one over one that was just drawn has that for its casing."""
        under = looks[-1] if looks else None
        if under is not None and under.cap == line.cap and not under.hollow and under.fill == under.line and (
            under.width > line.width and not under.dash and under.label is None and under.casing == 0
        ):  # fmt: skip
            casing = round((under.width - line.width) / 2, 3)
            looks[-1] = replace(line, casing=casing, casing_colour=under.line)
        else:
            looks.append(line)

    def _check_symbolizer(self, element: Any) -> None:
        unit = element.get("uom", "")
        if unit and not unit.rstrip("/").endswith("pixel"):
            self.note(tr("sizes in units of the ground, read as pixels"))
        if below(element, "Geometry") is not None:
            self.note(tr("geometry worked out by a function"))

    # Symbols

    def _settings(self, element: Any | None) -> dict[str, Any]:
        """Return the parameters of a fill or stroke, by name: their text, or the function that makes them."""
        found: dict[str, Any] = {}
        for child in element if element is not None else ():
            if local(child) in ("SvgParameter", "CssParameter"):
                function = next((each for each in child if local(each) in HOW), None)
                text = (child.text or "").strip() or text_of(child, "Literal")
                found[child.get("name", "")] = function if function is not None else text
            elif local(child) in ("GraphicFill", "GraphicStroke"):
                self.note(tr("pictures as fill or along lines"))
        return found

    def _coloured(self, look: VectorStyle, settings: dict[str, Any], name: str, target: str) -> VectorStyle:
        """Return a look with the colour of a setting: a plain one, or one that goes by a value."""
        colour = settings.get(name, "")
        if isinstance(colour, str):
            if not colour:
                return look
            if is_colour(colour):
                return replace(look, line=colour.lower()) if target == "line" else replace(look, fill=colour.lower())
            self.note(tr("the colour {colour!r}", colour=colour[:30]))
            return look
        return self._by_value(look, colour)

    def _by_value(self, look: VectorStyle, function: Any) -> VectorStyle:
        expression = field_looked_up(function)
        try:
            by = self.filters.value_of(expression) if expression is not None else ""
        except NotInFilter as error:
            self.note(tr("colours by {error}", error=error))
            return look
        by = by[1:-1].replace('""', '"') if by.startswith('"') else by
        pairs, colours = recoded(function), ramp_in(function)
        if pairs and by:
            looks = tuple(ClassLook(value, colour) for value, colour in pairs)
            return replace(look, colour_by=by, method="unique", class_looks=looks)
        if colours is not None and by:
            stretch = Stretch("hand", colours.low, colours.high)
            return replace(look, colour_by=by, method="ramp", ramp=colours.ramp, stretch=stretch)
        self.note(tr("colours by a function {local}", local=local(function)))
        return look

    def _stroke(self, look: VectorStyle, element: Any | None) -> VectorStyle:
        if element is None:
            return replace(look, width=0.0)
        settings = self._settings(element)
        look = self._coloured(look, settings, "stroke", "line")
        joins, caps = {v: k for k, v in JOINS.items()}, {v: k for k, v in CAPS.items()}
        dash = [_number(part) for part in _plain(settings, "stroke-dasharray").replace(",", " ").split()]
        self._check_opacity(settings, "stroke-opacity")
        return replace(
            look,
            width=_or(_number(_plain(settings, "stroke-width")), 1.0),
            dash=tuple(d for d in dash if d is not None) if len(dash) > 1 else (),
            join=joins.get(_plain(settings, "stroke-linejoin"), "mitre"),  # type: ignore[arg-type]
            cap=caps.get(_plain(settings, "stroke-linecap"), "flat"),  # type: ignore[arg-type]
        )

    def _check_opacity(self, settings: dict[str, Any], name: str) -> float:
        opacity = _or(_number(_plain(settings, name)), 1.0)
        if 0 < opacity < 1:
            self.note(tr("an opacity of single symbols; the layer has one for all"))
        return opacity

    def _fill(self, look: VectorStyle, element: Any | None) -> VectorStyle:
        if element is None:
            return replace(look, hollow=True)
        settings = self._settings(element)
        hollow = self._check_opacity(settings, "fill-opacity") == 0
        return replace(self._coloured(replace(look, fill="#808080"), settings, "fill", "fill"), hollow=hollow)

    def polygon(self, element: Any) -> VectorStyle:
        look = self._fill(VectorStyle(line="#000000"), below(element, "Fill"))
        return self._stroke(look, below(element, "Stroke"))

    def line(self, element: Any) -> VectorStyle:
        if below(element, "PerpendicularOffset") is not None:
            self.note(tr("lines set off to a side"))
        look = self._stroke(VectorStyle(fill="#000000", line="#000000"), below(element, "Stroke"))
        return replace(look, fill=look.line)

    def point(self, element: Any) -> VectorStyle:
        graphic = below(element, "Graphic")
        mark = below(graphic, "Mark") if graphic is not None else None
        look = VectorStyle(size=_or(_number(text_of(graphic, "Size")), 6.0), line="#000000")
        if mark is None:
            self.note(tr("pictures from other places as symbols"))
            return look
        name = text_of(mark, "WellKnownName") or "square"
        symbols = {v: k for k, v in SYMBOLS.items()}
        if name not in symbols:
            self.note(tr("the symbol {name!r}", name=name[:30]))
        if (_number(text_of(graphic, "Rotation")) or 0.0) != 0:
            self.note(tr("turned symbols"))
        look = self._stroke(self._fill(look, below(mark, "Fill")), below(mark, "Stroke"))
        return replace(look, symbol=symbols.get(name, "circle"))  # type: ignore[arg-type]

    def label(self, element: Any) -> Label | None:
        what = below(element, "Label")
        try:
            text = self.filters.label_of(what) if what is not None else ""
        except NotInFilter as error:
            self.note(tr("labels with {error}", error=error))
            return None
        if not text:
            return None
        font, fill = self._settings(below(element, "Font")), self._settings(below(element, "Fill"))
        halo = self._settings(below(element, "Halo", "Fill"))
        colour, around = _plain(fill, "fill"), _plain(halo, "fill")
        along = below(element, "LabelPlacement", "LinePlacement")
        repeat = _number(text_of(along, "Gap")) if text_of(along, "IsRepeated") in ("true", "1") else None
        return Label(
            text,
            _or(_number(_plain(font, "font-size")), 10.0),
            colour.lower() if is_colour(colour) else "#000000",
            around.lower() if is_colour(around) else "#ffffff",
            repeat=_or(repeat, 0.0),
        )

    # Grids

    def grid(self, element: Any) -> GridStyle:
        """Return the style of a grid."""
        channels = below(element, "ChannelSelection")
        style = GridStyle()
        if channels is not None:
            names = [text_of(channels, f"{c}Channel", "SourceChannelName") for c in ("Red", "Green", "Blue", "Gray")]
            numbers = [int(name) if name.isdigit() and 0 < int(name) < 10_000 else 0 for name in names]
            if all(numbers[:3]):
                style = replace(style, bands=tuple(numbers[:3]))
            elif numbers[3]:
                style = replace(style, bands=(numbers[3],))
            elif any(names):
                self.note(tr("bands that are named otherwise than by their number"))
        colour_map = below(element, "ColorMap")
        function = next((c for c in colour_map if local(c) in HOW), colour_map) if colour_map is not None else None
        colours = ramp_in(function)
        if colours is not None:
            style = replace(style, ramp=colours.ramp, stretch=Stretch("hand", colours.low, colours.high))
        elif colour_map is not None:
            self.note(tr("its colour map"))
        gamma = _number(text_of(element, "ContrastEnhancement", "GammaValue"))
        if gamma and gamma > 0:
            style = replace(style, stretch=replace(style.stretch, gamma=gamma))
        if below(element, "ShadedRelief") is not None:
            style = replace(style, shade=0.75)
        return style


def read_styles(path: Path, text_fields: Collection[str] = ()) -> tuple[ReadStyle, ...]:
    """Return the styles in an SLD or SE file, in their order.

    text_fields : the fields of the layer that hold text, which decides how values are compared. Raises CannotRead.
    """
    return _styles_of(parse_xml(path).getroot(), path, text_fields)


def styles_in_text(text: str, place: Path, text_fields: Collection[str] = ()) -> tuple[ReadStyle, ...]:
    """Return the styles in the text of an SLD or SE document that was found at a place, as `read_styles` does."""
    return _styles_of(xml_in(text.encode(), place)[0].getroot(), place, text_fields)


def _styles_of(root: Any, path: Path, text_fields: Collection[str]) -> tuple[ReadStyle, ...]:
    if local(root) not in ("StyledLayerDescriptor", "FeatureTypeStyle", "CoverageStyle", "UserStyle"):
        raise CannotRead(path, tr("it is no style ({local})", local=local(root)), tr("Choose an SLD or SE file."))
    found: list[ReadStyle] = []
    for number, (name, rules) in enumerate(_styles_in(root), 1):
        reader = StyleReader(FilterReader(text_fields))
        style = reader.style_of(rules)
        if style is not None:
            found.append(ReadStyle(name or f"style {number}", style, tuple(reader.notes)))
    if not found:
        raise CannotRead(path, tr("it has no style with a symbol that is known"), tr("Look at it in a text editor."))
    return tuple(found)


def _styles_in(root: Any) -> list[tuple[str, list[Any]]]:
    """Return the name and the rules of each style."""
    if local(root) in ("FeatureTypeStyle", "CoverageStyle"):
        return [(text_of(root, "Name"), all_below(root, "Rule"))]
    styles = [root]
    if local(root) != "UserStyle":
        layers = [layer for layer in root if local(layer) in ("NamedLayer", "UserLayer")]
        styles = [style for layer in layers for style in all_below(layer, "UserStyle")]
    found = []
    for style in styles:
        name = text_of(style, "Name") or (text_of(style.getparent(), "Name") if style is not root else "")
        parts = [each for each in style if local(each) in ("FeatureTypeStyle", "CoverageStyle")]
        found.append((name, [rule for part in parts for rule in all_below(part, "Rule")]))
    return found


def _number(text: str) -> float | None:
    try:
        value = float(text)
    except ValueError:
        return None
    return value if isfinite(value) and value >= 0 else None


def _or(value: float | None, instead: float) -> float:
    return instead if value is None else value


def _plain(settings: dict[str, Any], name: str) -> str:
    value = settings.get(name, "")
    return value if isinstance(value, str) else ""


def _named_apart(rules: list[StyleRule]) -> tuple[StyleRule, ...]:
    """Return rules with names that no two share."""
    taken: set[str] = set()
    named = []
    for rule in rules:
        name, number = rule.name, 1
        while name in taken:
            number += 1
            name = f"{rule.name} {number}"
        taken.add(name)
        named.append(replace(rule, name=name))
    return tuple(named)
