"""Colours that go by a value, as the functions of Symbology Encoding 1.1: Interpolate, Categorize and Recode."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np

from brisk_atlas.core.draw.ramps import STEPS, OwnRamp, hex_of, ramp

from .names import OGC, SE, add, all_below, below, local, text_of

STOPS = 17  # of a smooth ramp that is written
RASTER_DATA = "Rasterdata"


class ValueRamp(NamedTuple):
    """Colours between two values. `ramp` is as styles store it."""

    ramp: str
    low: float
    high: float


# Written


def add_interpolate(parent: Any, field: str | None, colours: ValueRamp, fallback: str) -> None:
    """Add colours that run with a field, or with the cells of a grid for None."""
    made = add(parent, SE, "Interpolate", fallbackValue=fallback, method="color")
    _looked_up(made, field)
    shares = _shares(colours.ramp)
    for share in shares:
        point = add(made, SE, "InterpolationPoint")
        add(point, SE, "Data", f"{colours.low + share * (colours.high - colours.low):.10g}")
        add(point, SE, "Value", hex_of(ramp(colours.ramp)[round(share * (STEPS - 1))]))


def add_categorize(
    parent: Any, field: str | None, edges: Sequence[float], colours: Sequence[str], fallback: str
) -> None:
    """Add flat colours between values: one more colour than edges."""
    made = add(parent, SE, "Categorize", fallbackValue=fallback)
    _looked_up(made, field)
    add(made, SE, "Value", colours[0])
    for edge, colour in zip(edges, colours[1:]):
        add(made, SE, "Threshold", f"{edge:.10g}")
        add(made, SE, "Value", colour)


def _looked_up(parent: Any, field: str | None) -> None:
    made = add(parent, SE, "LookupValue", None if field else RASTER_DATA)
    if field:
        add(made, OGC, "PropertyName", field)


def _shares(text: str) -> list[float]:
    """Return where a ramp is looked up to be written: at its own stops, or evenly."""
    try:
        own = OwnRamp.parse(text)
    except ValueError:
        own = OwnRamp((), ())
    return sorted({*own.shares, 0.0, 1.0}) if own.shares else np.linspace(0, 1, STOPS).tolist()


def steps_of(text: str, low: float, high: float) -> tuple[list[float], list[str]] | None:
    """Return the edges and colours of a ramp in steps, None for a smooth one."""
    try:
        count = OwnRamp.parse(text).classes
    except ValueError:
        count = 0
    if not count:
        return None
    edges = np.linspace(low, high, count + 1)
    colours = [hex_of(ramp(text)[min(STEPS - 1, int((i + 0.5) / count * STEPS))]) for i in range(count)]
    return edges[1:-1].tolist(), colours


# Read


def ramp_in(element: Any | None) -> ValueRamp | None:
    """Return the ramp of a function of colours, or of a colour map of version 1.0; None for another thing."""
    if element is None:
        return None
    stops: list[tuple[float, str]] = []
    name = local(element)
    if name == "Interpolate":
        stops = [_stop(text_of(p, "Data"), text_of(p, "Value")) for p in all_below(element, "InterpolationPoint")]
    elif name == "Categorize":
        stops = _of_categories(element)
    elif name == "ColorMap":
        stops = _of_entries(element)
    stops = sorted((s for s in stops if np.isfinite(s[0])), key=lambda stop: stop[0])
    if len(stops) < 2 or not stops[0][0] < stops[-1][0]:
        return None
    low, high = stops[0][0], stops[-1][0]
    shares = tuple(round((value - low) / (high - low), 4) for value, _ in stops)
    return ValueRamp(str(OwnRamp(tuple(colour for _, colour in stops), shares)), low, high)


def _stop(value: str, colour: str) -> tuple[float, str]:
    try:
        number = float(value)
    except ValueError:
        number = float("nan")
    return number if is_colour(colour) else float("nan"), colour.lower()


def is_colour(text: str) -> bool:
    """Return whether a text is a colour as the standards write one."""
    digits = text[1:]
    return text.startswith("#") and len(digits) == 6 and all(d in "0123456789abcdefABCDEF" for d in digits)


def _of_categories(element: Any) -> list[tuple[float, str]]:
    """Return stops with hard edges; the open ends are as wide as their neighbours."""
    colours = [(child.text or "").strip() for child in all_below(element, "Value")]
    edges = [_stop((child.text or "").strip(), "#000000")[0] for child in all_below(element, "Threshold")]
    if len(colours) != len(edges) + 1 or not edges or not all(map(is_colour, colours)):
        return []
    wide = (edges[-1] - edges[0]) / max(1, len(edges) - 1) or abs(edges[0]) or 1.0
    ends = [edges[0] - wide, *edges, edges[-1] + wide]
    return [(edge, c.lower()) for i, c in enumerate(colours) for edge in (ends[i], ends[i + 1])]


def _of_entries(element: Any) -> list[tuple[float, str]]:
    """Return the stops of a colour map of version 1.0; in one of intervals an entry colours what lies below it."""
    entries = [_stop(e.get("quantity", ""), e.get("color", "")) for e in all_below(element, "ColorMapEntry")]
    if element.get("type") == "intervals" and len(entries) > 1:
        edges = [entries[0][0] - (entries[1][0] - entries[0][0]), *(value for value, _ in entries)]
        return [(edge, c) for i, (_, c) in enumerate(entries) for edge in (edges[i], edges[i + 1])]
    return entries


def recoded(element: Any | None) -> list[tuple[str, str]]:
    """Return the (value, colour) pairs of a Recode, none for another function."""
    if element is None or local(element) != "Recode":
        return []
    pairs = [(text_of(item, "Data"), text_of(item, "Value").lower()) for item in all_below(element, "MapItem")]
    return [(value, colour) for value, colour in pairs if is_colour(colour)]


def field_looked_up(element: Any) -> Any | None:
    """Return the expression whose value a function looks up, None where it is the grid's own."""
    found = below(element, "LookupValue")
    return next((child for child in found if local(child)), None) if found is not None else None
