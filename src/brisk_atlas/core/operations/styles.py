"""Styles as files of the open standards."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.model import AtlasError, GridStyle, Layer, VectorStyle
from brisk_atlas.core.model.language import tr

from .operation import Operation, Progress, Source, Written, argument, layer_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.sld import ReadStyle
    from brisk_atlas.core.sld.writing import StyleContext
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class WriteStyle(Operation):
    """Write the style of a layer as an SLD 1.1 file with Symbology Encoding 1.1.

    What the standards can't say is listed in the result.
    """

    layer: Source = argument(tr("the layer whose style is written"))
    path: Path = argument(tr("the file to write"))

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.system.atomic_write import write_whole

        layer = layer_of(workspace, self.layer)
        if layer.style is None:
            raise AtlasError(
                layer.name, tr("a {kind} is not drawn and has no style", kind=layer.kind), tr("Choose another layer.")
            )
        progress(0.1, tr("looking at its values"))
        text, notes = layer_style_text(workspace.cache, layer)
        write_whole(self.path, text.encode())
        return Written((self.path,), tr("1 style"), tuple(tr("not written: {note}", note=note) for note in notes))


@dataclass(frozen=True)
class UseStyle(Operation):
    """Give a layer the style that an SLD or SE file has for it: the one of its name, else the first of its kind.

    What is not taken over is listed in the result.
    """

    layer: Source = argument(tr("the layer to restyle"))
    path: Path = argument(tr("the file to read"))

    def read(self, workspace: Workspace) -> ReadStyle:
        """Return the style without using it. Raises CannotRead, or AtlasError where the file has none that fits."""
        from brisk_atlas.core.sld import read_styles

        layer = layer_of(workspace, self.layer)
        texts = [f.name for f in workspace.fields_of(layer) if f.type.lower().startswith(("string", "large_string"))]
        found = [each for each in read_styles(self.path, texts) if isinstance(each.style, type(layer.style))]
        if not found:
            reason = tr("it has no style for a {kind}", kind=layer.kind)
            raise AtlasError(self.path, reason, tr("It is not one for {name}.", name=layer.name))
        return next((each for each in found if each.name == layer.name), found[0])

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        layer = layer_of(workspace, self.layer)
        if workspace.work.layer(layer.id) is None:
            raise AtlasError(layer.name, tr("it is not open, and only an open layer has a style"), tr("Open it first."))
        read = self.read(workspace)
        workspace.work.change(tr("read a style"), layer.id, style=read.style)
        return Written(
            (),
            tr("the style {name}", name=read.name),
            tuple(tr("not taken over: {note}", note=note) for note in read.notes),
        )


def layer_style_text(cache: DataCache, layer: Layer) -> tuple[str, tuple[str, ...]]:
    """Return the style of a layer as an SLD file, and what of it the standards can't say. Raises AtlasError."""
    from brisk_atlas.core.sld import style_text

    assert layer.style is not None
    return style_text(layer.name, layer.style, _context(cache, layer))


def _context(cache: DataCache, layer: Layer) -> StyleContext:
    """Return what of a layer its style depends on; reads what it needs."""
    from brisk_atlas.core.draw.classes import colouring_of
    from brisk_atlas.core.draw.legend import drawn_shapes
    from brisk_atlas.core.draw.limits import grid_limits
    from brisk_atlas.core.sld.writing import StyleContext
    from brisk_atlas.core.table import all_seen_rows

    style = layer.style
    if isinstance(style, VectorStyle):
        plain = style.colour_by is not None and not style.rules
        colouring = colouring_of(all_seen_rows(cache, layer), style) if plain else None
        return StyleContext(drawn_shapes(cache, layer, style), colouring, opacity=layer.opacity)
    if isinstance(style, GridStyle):
        grid = cache.part(layer.ref).facts.grid
        assert grid is not None
        if grid.drawn_by_service:
            raise AtlasError(
                layer.name, tr("its server draws it, in a style of its own"), tr("Choose a layer drawn here.")
            )
        limits = [grid_limits(cache, layer.ref, band, style.stretch) for band in style.bands]
        return StyleContext(limits=limits, classes=grid.bands[style.bands[0] - 1].classes, opacity=layer.opacity)
    return StyleContext(opacity=layer.opacity)
