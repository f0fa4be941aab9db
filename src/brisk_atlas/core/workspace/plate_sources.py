"""Where the data of a plate is from, and whether it changed since."""

from __future__ import annotations

import logging
from collections.abc import Iterable
from typing import TYPE_CHECKING

from .plates import Plate, PlateSource

if TYPE_CHECKING:
    from brisk_atlas.core.model import DataRef, Layer

log = logging.getLogger(__name__)
MOST_OF_CREDIT = 200  # characters


def sources_of(layers: Iterable[Layer]) -> tuple[PlateSource, ...]:
    """Return the sources of layers as they are now, with whom their records credit. Reads records."""
    return sources_of_each([layers])[0]


def sources_of_each(plates: Iterable[Iterable[Layer]]) -> list[tuple[PlateSource, ...]]:
    """Return the sources of the layers of each plate; each dataset is looked at once."""
    shown = [tuple(layers) for layers in plates]
    datasets = {layer.ref.whole for layers in shown for layer in layers}
    about = {each: (_credit(each), _fingerprint(each)) for each in datasets}
    return [tuple(PlateSource(layer.id, layer.name, *about[layer.ref.whole]) for layer in layers) for layers in shown]


def changed_sources(plate: Plate) -> list[PlateSource]:
    """Return the sources of a plate whose files are not as they were when it was captured, or gone."""
    if plate.view is None:
        return []
    refs = {layer.id: layer.ref for layer in plate.view.layers}
    known = [each for each in plate.sources if each.fingerprint and each.layer in refs]
    return [each for each in known if _fingerprint(refs[each.layer]) != each.fingerprint]


def _fingerprint(ref: DataRef) -> str:
    """Return a text that differs once a file has changed; "" for one that is gone, and for what is on no disk here."""
    from brisk_atlas.core.connect import fingerprint
    from brisk_atlas.core.model import AtlasError

    if not ref.is_local:
        return ""
    try:
        return fingerprint(ref.whole)
    except (AtlasError, OSError):
        return ""


def _credit(source: DataRef) -> str:
    """Return whom the record of a dataset credits: as it is stated, or the organisations of its contacts."""
    from brisk_atlas.core.handover.record_handed import record_of_source
    from brisk_atlas.core.model import AtlasError

    if not source.is_local:
        return ""
    try:
        record = record_of_source(source, source.name).record
    except (AtlasError, OSError) as error:
        log.info("%s has no record that can be read: %s", source.name, error)
        return ""
    named = record.credits or dict.fromkeys(each.organisation for each in record.contacts if each.organisation)
    return "; ".join(" ".join(text.split()) for text in named)[:MOST_OF_CREDIT]
