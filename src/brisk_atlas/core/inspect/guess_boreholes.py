"""Which fields of a layer place boreholes, and which tables say what they passed through, by the names of fields."""

from __future__ import annotations

import logging
from collections.abc import Iterable, Sequence

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import AtlasError, DataRef, Field, Layer
from brisk_atlas.core.model.standing import Foot, IntervalSource, Standing, StandingWay
from brisk_atlas.core.table import fields_with_added

log = logging.getLogger(__name__)

HOLE = ("hole", "bore", "well")
ELEVATION, LENGTH = ("elev", "collar_z", "rl", "altitude"), ("depth", "length", "td", "total")
AZIMUTH, DIP = ("azi", "bearing"), ("dip", "incl", "plunge")
BEGIN, END = ("from", "top", "begin", "start"), ("to_", "base", "bottom", "end", "to")
COLOUR = ("rock", "litho", "lith", "unit", "geology", "formation", "material", "soil")
NUMBERS = ("int", "uint", "float", "double", "decimal")
TABLE_SUFFIXES = (".csv", ".tsv", ".parquet", ".xlsx", ".ods", ".dbf")
MOST_BESIDE = 40  # files beside a layer that are looked into


def field_named(fields: Iterable[Field], begins: Sequence[str], *, numbers: bool | None = None) -> str | None:
    """Return the first field whose name begins with one of some words, in their order."""
    fitting = [f for f in fields if numbers is None or f.type.lower().startswith(NUMBERS) == numbers]
    for word in begins:
        for field in fitting:
            if field.name.lower().lstrip("_").startswith(word):
                return field.name
    return None


def boreholes_guess(fields: Sequence[Field]) -> Standing:
    """Return how boreholes stand by the fields of their collars."""
    elevation = field_named(fields, ELEVATION, numbers=True)
    return Standing(
        StandingWay.BOREHOLES, Foot.FIELD if elevation else Foot.GROUND, elevation, 100.0,
        field_named(fields, LENGTH, numbers=True), 1.0, field_named(fields, AZIMUTH, numbers=True),
        field_named(fields, DIP, numbers=True),
    )  # fmt: skip


def intervals_guess(own: Sequence[Field], ref: DataRef, fields: Sequence[Field]) -> IntervalSource | None:
    """Return a table of a part as intervals of the holes of a layer, None where it lacks what they need."""
    own_hole, hole = field_named(own, HOLE), field_named(fields, HOLE)
    begin = field_named(fields, BEGIN, numbers=True)
    end = field_named([field for field in fields if field.name != begin], END, numbers=True)
    texts = [field for field in fields if field.name != hole]
    colour = field_named(texts, COLOUR, numbers=False) or field_named(texts, ("",), numbers=False)
    if own_hole is None or hole is None or begin is None or end is None or colour is None:
        return None
    return IntervalSource(ref, hole, begin, end, colour, own_hole)


def interval_tables(cache: DataCache, layer: Layer, others: Sequence[Layer]) -> tuple[IntervalSource, ...]:
    """Return the tables that can be intervals of a layer's holes: open ones, and those of files beside its own."""
    own = fields_with_added(cache, layer)
    found = [
        guess for other in others if other.kind.has_rows and not other.kind.has_shapes
        if (guess := intervals_guess(own, other.ref, cache.part(other.ref).facts.fields)) is not None
    ]  # fmt: skip
    seen = {each.ref for each in found}
    for ref in tables_beside(layer.ref):
        try:
            for part in cache.dataset(ref).parts:
                guess = intervals_guess(own, ref.with_part(part.facts.name), part.facts.fields)
                if guess is not None and guess.ref not in seen:
                    found.append(guess)
        except AtlasError as error:
            log.info("no intervals in %s: %s", ref, error)
    return tuple(found)


def tables_beside(ref: DataRef) -> list[DataRef]:
    """Return the files beside a layer's own that may be tables."""
    if not ref.is_local:
        return []
    try:
        names = sorted(path for path in ref.path.parent.iterdir() if path.suffix.lower() in TABLE_SUFFIXES)
    except OSError as error:
        log.info("what lies beside %s can't be listed: %s", ref, error)
        return []
    return [DataRef.file(path) for path in names[:MOST_BESIDE] if path != ref.path]
