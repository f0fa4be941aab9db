"""Numbers as a person reads them."""

from __future__ import annotations


def size_text(size: int) -> str:
    """Return a file size as a person reads it."""
    if size < 1000:
        return f"{size} bytes"
    value = float(size)
    for unit in ("kB", "MB", "GB", "TB"):
        value /= 1000
        if value < 999.5 or unit == "TB":
            break
    return f"{value:.3g} {unit}"
