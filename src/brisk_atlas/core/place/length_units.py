"""Units of length as files and records write them."""

from __future__ import annotations

METRES_A_UNIT = {
    "m": 1.0, "metre": 1.0, "metres": 1.0, "meter": 1.0, "dm": 0.1, "cm": 0.01, "mm": 0.001, "km": 1000.0, "ft": 0.3048,
    "foot": 0.3048, "feet": 0.3048, "us-ft": 1200 / 3937, "us survey foot": 1200 / 3937, "US survey foot": 1200 / 3937,
    "ftUS": 1200 / 3937,
}  # fmt: skip
"""How many metres a unit has."""
