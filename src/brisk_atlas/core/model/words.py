"""Numbers and paths as a person reads them."""

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


def path_text(path: object) -> str:
    """Return a path as it is written; an address gets back the slash that paths fold away."""
    text = str(path)
    scheme, colon, rest = text.partition(":/")
    return f"{scheme}://{rest.lstrip('/')}" if colon and scheme in ("http", "https", "s3") else text
