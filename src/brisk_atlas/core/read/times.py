"""Times with their zones, from text."""

from __future__ import annotations

import pyarrow as pa
import pyarrow.compute as pc

_ZONE = r"(?P<zone>Z|[+-]\d{2}:?\d{2})$"


def times_of(texts: pa.ChunkedArray) -> pa.ChunkedArray:
    """Return times from ISO 8601 texts: without a zone where none has one, in the zone where all have the
    same, in UTC where they have several. Where only some have a zone they stay text, as they can't be compared."""
    found = pc.extract_regex(texts, _ZONE)
    zones = pc.struct_field(found, "zone")
    different = pc.unique(zones.filter(pc.is_valid(texts))).to_pylist()
    kind = pa.timestamp("ms") if different in ([], [None]) else pa.timestamp("ms", "UTC")
    if kind.tz is not None and None in different:
        return texts
    try:
        times = texts.cast(kind)
    except pa.ArrowInvalid:
        return texts
    only = different[0] if len(different) == 1 and kind.tz is not None else None
    return times if only in (None, "Z", "+00:00") else times.cast(pa.timestamp("ms", only))
