"""Filters of single fields as SQL conditions."""

from __future__ import annotations

from brisk_atlas.core.model import FieldFilter, TableView
from brisk_atlas.core.model.language import tr

from .asking import quoted
from .expression import literal


def condition_of(chosen: FieldFilter) -> str:
    """Return the SQL condition that a filter stands for."""
    name = quoted(chosen.field)
    if chosen.kind == "missing":
        return f"{name} IS NULL"
    if chosen.kind == "known":
        return f"{name} IS NOT NULL"
    if chosen.kind == "text":
        return f"contains(lower(CAST({name} AS VARCHAR)), {literal(chosen.text.lower())})"
    if chosen.kind == "range":
        ends = [(">=", chosen.low), ("<=", chosen.high)]
        return " AND ".join(f"{name} {sign} {literal(v)}" for sign, v in ends if v is not None) or "TRUE"
    known = [literal(v) for v in chosen.values if v is not None]
    either = [f"{name} IN ({', '.join(known)})"] if known else []
    either += [f"{name} IS NULL"] if None in chosen.values else []
    return f"({' OR '.join(either)})" if either else "FALSE"


def words_of(chosen: FieldFilter) -> str:
    """Return a filter as a person reads it."""
    if chosen.kind == "missing":
        return tr("{field} is missing", field=chosen.field)
    if chosen.kind == "known":
        return tr("{field} is known", field=chosen.field)
    if chosen.kind == "text":
        return tr("{field} holds “{text}”", field=chosen.field, text=chosen.text)
    if chosen.kind == "range":
        low, high = chosen.low, chosen.high
        if low is None or high is None:
            return f"{chosen.field} {'up to' if low is None else 'from'} {high if low is None else low}"
        return f"{chosen.field} {low} to {high}"
    shown = ", ".join("missing" if v is None else str(v) for v in chosen.values[:3])
    return f"{chosen.field}: {shown}" + (
        tr(" and {count} more", count=len(chosen.values) - 3) if len(chosen.values) > 3 else ""
    )


def where_of(look: TableView) -> str:
    """Return the SQL condition of all filters together, empty for none; one that stands alone is as it
    was typed, so that a fault in it has its place."""
    if not look.filters:
        return look.where.strip()
    pieces = [condition_of(chosen) for chosen in look.filters]
    if look.where.strip():
        pieces.append(f"({look.where.strip()}\n)")
    return " AND ".join(pieces)
