"""The kinds of layers, one file a kind; a new kind is a new file and a line in `KINDS`."""

from __future__ import annotations

from typing import TYPE_CHECKING

from brisk_atlas.core.draw.frame import Painter
from brisk_atlas.core.model import AtlasError, DataKind
from brisk_atlas.core.model.language import tr

from .cloud import CloudKind
from .grid import GridKind
from .kind import LayerKind
from .table import TableKind
from .vector import VectorKind

if TYPE_CHECKING:
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.model import Facts, Style

KINDS: dict[DataKind, LayerKind] = {each.kind: each for each in (VectorKind(), GridKind(), CloudKind(), TableKind())}

__all__ = ["KINDS", "LayerKind", "first_style", "kind_of", "painter_for"]


def kind_of(kind: DataKind) -> LayerKind:
    """Return what a kind of layer says of itself. Raises AtlasError for a kind that is no layer."""
    found = KINDS.get(kind)
    if found is None:
        raise AtlasError(kind, tr("it can't be a layer"), tr("Read it on Find or Record."))
    return found


def first_style(facts: Facts, number: int) -> Style | None:
    """Return the style that a part gets when it is opened, None for what is not drawn."""
    found = KINDS.get(facts.kind)
    return found.first_style(facts, number) if found else None


def painter_for(cache: DataCache) -> Painter:
    """Return a painter of frames of all kinds of layers."""
    return Painter(cache, {kind: each.painter for kind, each in KINDS.items() if each.painter is not None})
