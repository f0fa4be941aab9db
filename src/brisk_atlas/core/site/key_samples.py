"""Fields that may be keys, and which fields of other datasets have the same keys.

A sample of the values of a field are those with the smallest hashes, so that two fields with the same values have the
same sample (bottom-k sketches: Cohen and Kaplan, "Summarizing data using bottom-k sketches", PODC 2007).
"""

from __future__ import annotations

from zlib import crc32

import pyarrow as pa
import pyarrow.compute as pc

from .site_entry import KeySample

SAMPLE = 48  # values of a field
MOST_ROWS = 20_000  # of a table that is looked at
FEWEST = 3  # different values of a key
MOST_FIELDS = 6
SHARE = 0.5  # of the sample of one field that the other has


def key_samples(table: pa.Table) -> tuple[KeySample, ...]:
    """Return the fields of a table whose values could be keys: short texts and whole numbers."""
    found = []
    for name, column in zip(table.column_names, table.columns):
        if pa.types.is_dictionary(column.type):
            column = column.cast(column.type.value_type)
        kind = column.type
        if not (pa.types.is_string(kind) or pa.types.is_large_string(kind) or pa.types.is_integer(kind)):
            continue
        column = column.slice(0, MOST_ROWS).drop_null()
        different = pc.unique(column)
        if len(different) < FEWEST:
            continue
        is_unique = len(different) == len(column)
        if pa.types.is_integer(kind) and not is_unique:
            continue  # counts and years are no keys
        hashes = sorted({crc32(str(value).encode("utf-8", "replace")) for value in different.to_pylist()})[:SAMPLE]
        found.append(KeySample(name, is_unique, tuple(hashes)))
        if len(found) == MOST_FIELDS:
            break
    return tuple(found)


def share_keys(one: KeySample, other: KeySample) -> bool:
    """Return whether two fields of the same name have the same keys, of which one has each once: most of the hashes are
    in both, up to where both samples are whole."""
    if one.field.lower() != other.field.lower() or not (one.is_unique or other.is_unique):
        return False
    reach = (
        min(sample.hashes[-1] for sample in (one, other) if len(sample.hashes) == SAMPLE)
        if any(len(sample.hashes) == SAMPLE for sample in (one, other))
        else None
    )
    mine, theirs = ({each for each in sample.hashes if reach is None or each <= reach} for sample in (one, other))
    shared = len(mine & theirs)
    return shared >= FEWEST and shared >= SHARE * min(len(mine), len(theirs))
