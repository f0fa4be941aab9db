"""Links of the OGC API's answers."""

from __future__ import annotations

from typing import Any

GEOJSON = "application/geo+json"


def link(address: str, rel: str, type_: str) -> dict[str, Any]:
    """Return a link to an address, with how it is related and of which type it is."""
    return {"href": address, "rel": rel, "type": type_}
