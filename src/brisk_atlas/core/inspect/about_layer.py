"""What is known of a layer before anything of it is probed."""

from __future__ import annotations

from brisk_atlas.core.model import Facts, Layer, number_text
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.field_types import field_type_words
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.vocabulary import shown
from brisk_atlas.core.place import crs_name, unit_of

MOST_FIELDS = 14


def about_layer(layer: Layer, facts: Facts) -> list[tuple[str, str]]:
    """Return lines of label and text: how much there is, where, and what it says of each thing."""
    lines = [(tr("note"), layer.note)] if layer.note else []
    if facts.grid is not None and facts.grid.drawn_by_service:
        lines += [(name, text) for name, text in facts.notes.items() if name != "abstract"]
    elif facts.grid is not None:
        grid = facts.grid
        lines.append((tr("cells"), f"{grouped(grid.width)} x {grouped(grid.height)}"))
        unit = unit_of(facts.crs)
        lines.append(
            (tr("cell size"), " x ".join(f"{step:g}" for step in grid.resolution) + (f" {unit}" if unit else ""))
        )
        lines += [
            (
                each.name,
                tr(
                    "{count:,} from {shown} to {shown2}",
                    count=len(each),
                    shown=each.shown(0),
                    shown2=each.shown(len(each) - 1),
                ),
            )
            for each in grid.dimensions
        ]
        if not grid.dimensions:
            lines += [
                (tr("band {number}", number=b.index), f"{b.name}{f', {b.unit}' if b.unit else ''}")
                for b in grid.bands[:MOST_FIELDS]
            ]
            lines += _more(len(grid.bands), tr("bands"))
    elif facts.count is not None:
        what = "points" if facts.kind.has_points else facts.geometry_type or "rows"
        lines.append((shown(what), number_text(facts.count)))
    lines.append((tr("CRS"), crs_name(facts.crs) if facts.crs else tr("not stated")))
    lines += [(field.name, field_type_words(field.type)) for field in facts.fields[:MOST_FIELDS]]
    return lines + _more(len(facts.fields), "fields")


def _more(count: int, what: str) -> list[tuple[str, str]]:
    return [("", tr("and {count:,} more {what}", count=count - MOST_FIELDS, what=what))] if count > MOST_FIELDS else []
