"""The layer of an offer as a question wants it shown: in one of its styles, at places along its dimensions."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from brisk_atlas.core.model import GridDimension, GridStyle, Layer
from brisk_atlas.core.model.dimension import band_at, places_of

from .answers import Refused
from .offers import Offer

AS_IT_IS, GREY = "default", "grey"
USUAL = ("", "default", "current")  # values that mean the usual place


@dataclass(frozen=True)
class OfferedDimension:
    """A dimension of an offer: the `setting` that asks for a place along it, and the `values` it can have."""

    name: str
    setting: str
    units: str
    values: tuple[str, ...]
    usual: str


def styles_of(offer: Offer) -> dict[str, str]:
    """Return the styles that an offer can be asked in, by name, with their titles."""
    styles = {AS_IT_IS: "As the project shows it"}
    if isinstance(offer.layer.style, GridStyle) and len(offer.layer.style.bands) == 1:
        styles[GREY] = "In grey"
    return styles


def dimensions_of(offer: Offer) -> tuple[OfferedDimension, ...]:
    """Return the dimensions of an offer; the place that its project shows is the usual one."""
    found, style = _dimensions(offer), offer.layer.style
    if not found or not isinstance(style, GridStyle):
        return ()
    return tuple(
        OfferedDimension(
            each.name, each.name if each.is_time else f"dim_{each.name}", "ISO8601" if each.is_time else each.unit,
            tuple(map(_value, each.texts)), _value(each.texts[place]),
        )
        for each, place in zip(found, places_of(found, style.bands[0]))
    )  # fmt: skip


def layer_as_asked(offer: Offer, style: str, settings: Mapping[str, str]) -> Layer:
    """Return the layer to draw. Raises Refused for a style or a place that there is not."""
    if style and style not in styles_of(offer):
        raise Refused("StyleNotDefined", f"'{offer.id}' has no style '{style}'")
    own = offer.layer.style
    if not isinstance(own, GridStyle):
        return offer.layer
    wanted = own if style != GREY else replace(own, ramp="ink", shade=0.0, own_colours=False)
    found = _dimensions(offer)
    places = [*places_of(found, own.bands[0])]
    for number, each in enumerate(dimensions_of(offer)):
        value = settings.get(each.setting, settings.get(each.name, ""))
        if value in each.values:
            places[number] = each.values.index(value)
        elif value not in USUAL:
            raise Refused("InvalidDimensionValue", f"'{offer.id}' has no {each.name} '{value[:60]}'")
    return replace(offer.layer, style=replace(wanted, bands=(band_at(found, places),)) if found else wanted)


def _dimensions(offer: Offer) -> tuple[GridDimension, ...]:
    return offer.facts.grid.dimensions if offer.facts.grid is not None else ()


def _value(text: str) -> str:
    """Return a coordinate as it stands in a question."""
    return text.replace(" ", "T").replace(",", "")
