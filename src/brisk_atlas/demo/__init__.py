"""The made-up survey of Tolvane Island: its shipped data, its truth and the generator of both."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

DATA = Path(__file__).parent / "data"
PROJECT = DATA / "tolvane.brisk.json"


def truth() -> dict[str, Any]:
    """Return what the shipped data must show (volumes in m³, areas in m², lengths in m)."""
    return json.loads((Path(__file__).parent / "truth.json").read_text(encoding="utf-8"))
