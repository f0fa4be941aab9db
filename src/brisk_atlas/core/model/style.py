"""How layers look. Values, compared by content, saved with the project."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from .data_ref import DataRef

StretchKind = Literal["percent", "deviations", "range", "hand"]
Method = Literal["ramp", "equal", "quantile", "natural", "unique"]
Symbol = Literal["circle", "square", "triangle", "cross", "pin"]
LineJoin = Literal["round", "mitre", "bevel"]
LineCap = Literal["round", "flat", "square"]
Hatch = Literal["none", "rising", "falling", "crossed", "level", "dots"]
Resample = Literal["nearest", "bilinear", "cubic"]


@dataclass(frozen=True)
class Stretch:
    """Which values take the ends of a ramp.

    `kind`: `percent` (cut `low`/`high` per cent off the tails), `deviations` (mean less `low` to
    mean plus `high` standard deviations), `range` (minimum to maximum) or `hand` (from
    `low` to `high`). `gamma` above 1 brightens the middle. `in_view` measures what the map shows
    rather than the whole.
    """

    kind: StretchKind = "percent"
    low: float = 2.0
    high: float = 98.0
    gamma: float = 1.0
    in_view: bool = False


@dataclass(frozen=True)
class Label:
    """Text beside features. `text` is a field or an SQL expression; `first` is one whose highest
    values are placed first where there is no room for all. `repeat` sets the text along lines again every so many
    pixels; 0 sets it once. `wrap` breaks the text at spaces into lines of about so many characters; 0 leaves it as it
    is, with the line breaks that it has. `callout` puts the text into a box so many pixels aside, with a line to its
    feature; 0 puts it at the feature. `over` puts it over a point, whether there is room or not, rather than beside
    it. Labels of a higher `priority`, 0 to 10, are placed before those of others, in
    all layers; of the same, those of upper layers."""

    text: str
    size: float = 12.0
    colour: str = "#1D2A35"
    halo: str = "#FFFDF8"
    first: str | None = None
    repeat: float = 0.0
    wrap: int = 0
    callout: float = 0.0
    over: bool = False
    priority: int = 5


@dataclass(frozen=True)
class ClassLook:
    """How one class of a layer differs from what its method makes of it: `text` is the class as the method names it;
    `colour` and `name` are its own, None for those of the method."""

    text: str
    colour: str | None = None
    name: str | None = None


@dataclass(frozen=True)
class StyleRule:
    """A look for some features of a layer: those for which `where`, an SQL condition, is true; all for "". With
    `otherwise` those that no other rule draws. `scales` are those between which it draws, as numbers below one; None
    for all. The style's own rules are not followed."""

    name: str
    where: str = ""
    style: VectorStyle = field(default_factory=lambda: VectorStyle())
    otherwise: bool = False
    scales: tuple[float, float] | None = None


@dataclass(frozen=True)
class VectorStyle:
    """Colours are `#rrggbb`, widths, sizes and gaps pixels.

    With `colour_by` (a field or an SQL expression), colour goes by value: the fill of polygons, the
    stroke of lines, the body of points. `method` is `ramp`, or makes `classes` classes: `equal`,
    `quantile`, `natural`; `unique` gives each value its own. `width_by` and `size_by` let width and
    size grow from the first to the second of `widths` and `sizes` with a value. `class_looks` are classes with a colour
    or a name of their own, `hidden` those that are switched off, as the method names them. With `rules`, each feature
    is drawn by every rule that it meets, the first rule lowest, and the style itself draws nothing. `density` draws
    how densely points lie instead of each, smoothed over that many pixels and coloured through `ramp`; 0 draws each.
    `cluster` draws points that lie within about so many pixels of each other as one, with their number.
    """

    fill: str = "#1C7C7D"
    line: str = "#1D2A35"
    width: float = 1.2
    size: float = 8.0
    hollow: bool = False
    colour_by: str | None = None
    method: Method = "ramp"
    classes: int = 5
    ramp: str = "ember"
    stretch: Stretch = Stretch("range", 0.0, 0.0)
    symbol: Symbol = "circle"
    join: LineJoin = "round"
    cap: LineCap = "round"
    dash: tuple[float, ...] = ()
    casing: float = 0.0
    casing_colour: str = "#FFFDF8"
    hatch: Hatch = "none"
    hatch_gap: float = 8.0
    width_by: str | None = None
    widths: tuple[float, float] = (0.8, 6.0)
    size_by: str | None = None
    sizes: tuple[float, float] = (5.0, 26.0)
    label: Label | None = None
    hidden: tuple[str, ...] = ()
    density: float = 0.0
    cluster: float = 0.0
    class_looks: tuple[ClassLook, ...] = ()
    rules: tuple[StyleRule, ...] = ()


@dataclass(frozen=True)
class GridStyle:
    """One band through `ramp`, or three bands as red, green and blue.

    `others` names, for each band, the part that it comes from when not from the layer's own. `resample` is
    `nearest` (classes), `bilinear` or `cubic` (continuous). `shade` darkens the colour by a hillshade of the
    band (0 none, 1 full), lit from `azimuth` degrees, `altitude` degrees above the horizon, or from four sides
    at once with `lights` 4. `slope` colours by the steepness of the band instead of its values. `own_colours`
    takes the file's class colours. `mask` names a part of the same dataset, one of its bands, and the classes
    in it whose cells are left out. `contours` draws lines of equal value at its multiples, none for 0. Arrows show a
    motion whose part towards the east is the band, and that towards the north `flow_band` of the layer's part, or of
    the part `flow`, there for 0 the band of the same number; they stand `flow_gap` pixels apart. `server_style` is the
    style of the service that draws it, "" for the one that it chooses.
    """

    bands: tuple[int, ...] = (1,)
    ramp: str = "ember"
    stretch: Stretch = Stretch()
    shade: float = 0.0
    resample: Resample = "bilinear"
    others: tuple[DataRef | None, ...] = ()
    lights: int = 1
    azimuth: float = 315.0
    altitude: float = 45.0
    slope: bool = False
    own_colours: bool = False
    mask: tuple[str, int, tuple[int, ...]] | None = None
    contours: float = 0.0
    contour_colour: str = "#1D2A35"
    flow: DataRef | None = None
    flow_band: int = 0
    flow_gap: float = 28.0
    server_style: str = ""


@dataclass(frozen=True)
class CloudStyle:
    """`colour_by` is a dimension, `z`, or `rgb`; `size` is the width of a point in pixels; `hidden` are the codes of
    classes that are switched off."""

    colour_by: str = "z"
    ramp: str = "ember"
    stretch: Stretch = Stretch()
    size: float = 2.0
    hidden: tuple[int, ...] = ()


Style = VectorStyle | GridStyle | CloudStyle


def shown_band(style: Style | None) -> int:
    """Return the band that a grid shows, the first one of a composite; 1 where the style says nothing."""
    return bands_of(style)[0] if bands_of(style) else 1


def bands_of(style: Style | None) -> tuple[int, ...]:
    """Return the numbers of the bands that a style shows; () where it shows none."""
    return style.bands if isinstance(style, GridStyle) else ()
