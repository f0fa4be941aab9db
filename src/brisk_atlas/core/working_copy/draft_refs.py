"""What references to copies mean: which outlet, and which draft of what was done to it here."""

from __future__ import annotations

from brisk_atlas.core.model import DataRef


def outlet_in(ref: DataRef) -> str:
    """Return the outlet that a reference to a copy means."""
    return ref.inner.partition("?")[0]


def draft_in(ref: DataRef) -> int:
    """Return the draft that a reference to a copy means, 0 for the rows as the Depot shows them."""
    text = ref.inner.partition("?draft=")[2]
    return int(text) if text.isdecimal() else 0


def with_draft(ref: DataRef, draft: int) -> DataRef:
    """Return the reference to another draft of the same copy."""
    inner = outlet_in(ref) + (f"?draft={draft}" if draft else "")
    return DataRef(ref.kind, ref.place, inner, ref.part)
