"""The sources of a recipe in a workspace: open layers as they stand, with their edits, and datasets."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.cache.by_view import is_stream
from brisk_atlas.core.connect.connector import fingerprint
from brisk_atlas.core.handover.flows import Flow, RowFlow
from brisk_atlas.core.handover.sources import count_of, flow_of_part, held_flow, one_part, source_name
from brisk_atlas.core.model import AtlasError, DataRef, Layer, VectorStyle
from brisk_atlas.core.table import rows_of

from .styles import layer_style_text

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace


class WorkspaceSources:
    """Open layers by their id or name, and datasets by reference or path, relative to a folder."""

    def __init__(self, workspace: Workspace, folder: Path | None = None) -> None:
        self.workspace, self.folder = workspace, folder

    def flow(self, source: str | DataRef, *, sampled: bool = False) -> Flow:
        """Return the flow of an open layer, with its edits, joined and computed fields, or of a dataset. Raises
        AtlasError."""
        layer = self.layer(source)
        if layer is not None:
            return self._of_layer(layer, sampled)
        ref = self._ref(source)
        part = one_part(self.workspace.cache.dataset(ref), ref)
        return flow_of_part(part, source_name(part), sampled=sampled)

    def state(self, source: str | DataRef) -> str:
        """Return what tells that a layer or a dataset changed."""
        layer = self.layer(source)
        if layer is None:
            return fingerprint(self._ref(source).whole)
        return f"{fingerprint(layer.ref.whole)} {layer.ref} {layer.rows.modifications!r}"

    def count(self, source: str | DataRef) -> int | None:
        """Return how many rows, cells or points a source has; None where that is not known."""
        layer = self.layer(source)
        ref = layer.ref if layer is not None else self._ref(source)
        try:
            return count_of(one_part(self.workspace.cache.dataset(ref), ref))
        except AtlasError:
            return None

    def layer(self, source: str | DataRef) -> Layer | None:
        """Return the open layer that a text means, None where there is none."""
        if isinstance(source, DataRef):
            return None
        by_id = self.workspace.work.layer(source)
        named = [layer for layer in self.workspace.work.layers if layer.name == source]
        return by_id or (named[0] if len(named) == 1 else None)

    def _ref(self, source: str | DataRef) -> DataRef:
        return source if isinstance(source, DataRef) else DataRef.typed(source, self.folder)

    def _of_layer(self, layer: Layer, sampled: bool) -> Flow:
        cache = self.workspace.cache
        part = cache.part(layer.ref)
        changed = layer.kind.has_rows and any(layer.rows.modifications)
        if not changed or (layer.kind.has_shapes and is_stream(cache, layer.ref)):
            return self._styled(flow_of_part(part, layer.name, sampled=sampled), layer)
        table = rows_of(cache, layer)
        features = cache.features(layer.ref) if layer.kind.has_shapes else None
        units = tuple((field.name, field.unit) for field in self.workspace.fields_of(layer) if field.unit)
        wkb, crs = (features.wkb, features.crs) if features is not None else (None, None)
        held = held_flow(layer.name, table, wkb, crs, sampled=sampled, units=units)
        return self._styled(replace(held, source=layer.ref), layer)

    def _styled(self, flow: Flow, layer: Layer) -> Flow:
        """Return the flow of a layer with its look, which is worked out when it is needed."""
        if not isinstance(flow, RowFlow) or layer.style is None:
            return flow
        look = layer.style if isinstance(layer.style, VectorStyle) else None
        return replace(flow, style=lambda: layer_style_text(self.workspace.cache, layer)[0], look=look)
