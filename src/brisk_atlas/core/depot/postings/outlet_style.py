"""How an outlet is drawn: as its layer is, as far as that says nothing of what the outlet leaves out."""

from __future__ import annotations

from dataclasses import replace

from brisk_atlas.core.model import VectorStyle

from .outlet import Outlet


def style_for(style: VectorStyle, outlet: Outlet, *, renamed: bool = False) -> VectorStyle:
    """Return a style with the names of fields that an outlet has; `renamed` where it has these names already. What goes
    by others, by rounded ones or by several together falls back to one look; so do rules, whose conditions could name
    anything."""
    exact = [each for each in outlet.fields if each.decimals is None]
    names = {each.name if renamed else each.source: each.name for each in exact}

    def named(field: str | None) -> str | None:
        return names.get(field) if field is not None else None

    made = replace(style, colour_by=named(style.colour_by), width_by=named(style.width_by), rules=(),
                   size_by=named(style.size_by))  # fmt: skip
    if made.colour_by is None:
        made = replace(made, method="ramp")
    if made.colour_by is None or outlet.where or outlet.area is not None:  # classes and limits may be of rows left out
        made = replace(made, class_looks=(), hidden=(), stretch=VectorStyle().stretch)
    label = style.label
    if label is not None:
        field = named(label.text)
        made = replace(made, label=replace(label, text=field, first=named(label.first)) if field is not None else None)
    return made
