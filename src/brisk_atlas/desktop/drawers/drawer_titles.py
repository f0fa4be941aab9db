"""The drawers of the Desk in their order, and what they are called."""

from __future__ import annotations

from brisk_atlas.core.model.language import tr

DRAWER_TITLES = {
    "probe": tr("Probe"), "style": tr("Style"), "change": tr("Change"), "statistics": tr("Statistics"),
    "places": tr("Places"), "sketch": tr("Sketch"), "edit": tr("Edit"),
}  # fmt: skip
