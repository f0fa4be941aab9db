"""The style that a dataset brings along for a layer."""

from __future__ import annotations

import logging
from pathlib import Path

from brisk_atlas.core.model import AtlasError, DataRef, Facts, VectorStyle
from brisk_atlas.core.read.stored_style import stored_style

log = logging.getLogger(__name__)


def style_inside(ref: DataRef, facts: Facts) -> VectorStyle | None:
    """Return the style of a layer that lies in its GeoPackage, None where there is none that can be used."""
    text = stored_style(ref)
    if not text:
        return None
    from brisk_atlas.core.sld import styles_in_text

    texts = [field.name for field in facts.fields if field.type.lower().startswith(("string", "large_string"))]
    try:
        found = [each.style for each in styles_in_text(text, Path(ref.name), texts)]
    except AtlasError as error:
        log.warning("the style of %s is not used: %s", ref, error)
        return None
    return next((style for style in found if isinstance(style, VectorStyle)), None)
