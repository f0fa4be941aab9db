"""What a plate on paper shows: its layers, legends and sources, and a page for each feature where it has an index."""

from __future__ import annotations

from collections.abc import Callable, Set
from dataclasses import replace
from io import BytesIO
from typing import TYPE_CHECKING, Any

import numpy as np

from brisk_atlas.core.draw.frame import extent_of
from brisk_atlas.core.draw.legend import Legend
from brisk_atlas.core.kinds import kind_of
from brisk_atlas.core.model import AtlasError, Extent, Layer
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import Shapes, bounds_of
from brisk_atlas.core.paper.layout import BlockKind, PagesByFeature, Paper, round_scale
from brisk_atlas.core.paper.map_frame import scale_to_fit
from brisk_atlas.core.paper.paper_page import PaperContent, PaperPage
from brisk_atlas.core.place import crs_label
from brisk_atlas.core.table import rows_of, shown_rows
from brisk_atlas.core.workspace.comparison import side_title
from brisk_atlas.core.workspace.plate_paper import first_paper
from brisk_atlas.core.workspace.plates import Plate, PlateKind, PlateView

from .album_content import credits_of
from .drawn_sides import drawn_sides

if TYPE_CHECKING:
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.workspace.workspace import Workspace

MOST_PAGES = 2_000
ROOM_AROUND = 0.08  # of a page's map around its feature, at each side
Check = Callable[[], None]


def paper_content(workspace: Workspace, plate: Plate, check: Check = lambda: None) -> PaperContent:
    """Return all that the pages of a plate show, as its data is now. Raises AtlasError."""
    paper = plate.paper or first_paper(plate)
    sources = "; ".join(
        f"{', '.join(names)} ({credit})" if credit else ", ".join(names) for names, credit in credits_of(plate.sources)
    )
    words = {"title": plate.title, "date": plate.captured[:10], "crs": "", "zone": ""}
    plain = PaperContent(paper, words, credits=f"Data: {sources}" if sources else "")
    if plate.view is None or plate.kind is not PlateKind.MAP:
        return replace(plain, picture=_picture(plate), pages=(PaperPage("", (0.0, 0.0), 1.0),))
    view, cache = plate.view, workspace.cache
    sides, difference = drawn_sides(cache, view)
    names: tuple[str, ...] = ()
    if difference is None:
        legends = _legends(cache, view)
    else:
        legends = (difference.legend, *_legends(cache, view, leave_out=difference.layers))
    if difference is None and view.comparison is not None:
        names = tuple(side_title(side, view.layers, view.groups) for side in view.comparison.sides)[: len(sides)]
    words["crs"] = crs_label(view.crs) if view.crs else "no CRS"
    return replace(
        plain, sides=sides, side_names=names, crs=view.crs, turn=view.turn, inset=tuple(view.shown)[::-1],
        inset_extent=_whole_extent(cache, view), legends=legends,
        pages=_pages(cache, paper, view, check),
    )  # fmt: skip


def _whole_extent(cache: DataCache, view: PlateView) -> Extent | None:
    """Return the extent of all layers that can be read; None where none has one."""
    found = []
    for layer in view.shown:
        try:
            found.append(extent_of(cache, [layer], view.crs))
        except (AtlasError, OSError):  # reported where it is drawn
            continue
    return Extent.around([each for each in found if each is not None])


def _picture(plate: Plate) -> np.ndarray | None:
    from PIL import Image

    if not plate.picture:
        return None
    with Image.open(BytesIO(plate.picture)) as image:
        return np.asarray(image.convert("RGBA"))


def _legends(cache: DataCache, view: PlateView, leave_out: Set[str] = frozenset()) -> tuple[tuple[str, Legend], ...]:
    found: list[tuple[str, Legend]] = []
    for layer in view.shown:
        try:
            legend = kind_of(layer.kind).legend(cache, layer) if layer.id not in leave_out else None
        except (AtlasError, OSError):  # it can't be drawn either, which is reported
            continue
        if legend is not None and legend not in [each for _, each in found]:
            found.append((layer.name, legend))
    return tuple(found)


def _pages(cache: DataCache, paper: Paper, view: PlateView, check: Check) -> tuple[PaperPage, ...]:
    centre = paper.centre or (view.x, view.y)
    if paper.pages is None:
        return (PaperPage("", centre, paper.scale),)
    layer = next((each for each in view.layers if each.id == paper.pages.layer), None)
    if layer is None:
        raise AtlasError(
            "paper", tr("the layer that its pages are by is not in the plate"), tr("Choose another layer.")
        )
    return _pages_by_feature(cache, paper, paper.pages, layer, view, check)


def _pages_by_feature(
    cache: DataCache, paper: Paper, pages: PagesByFeature, layer: Layer, view: PlateView, check: Check
) -> tuple[PaperPage, ...]:
    """Return a page for each feature that a layer shows and that has a place."""
    table, shapes = rows_of(cache, layer), cache.shapes_in(layer.ref, view.crs)
    for name in (pages.name, pages.order):
        if name and name not in table.column_names:
            raise AtlasError(
                layer.name, tr("it has no field {name}", name=name), tr("Choose another field for the pages.")
            )
    box = min((each.box for each in paper.of_kind(BlockKind.MAP)), key=lambda each: each.width, default=None)
    if box is None:
        raise AtlasError(layer.name, tr("the paper has no map that pages could show"), tr("Add a map."))
    shown = shown_rows(cache, layer)
    rows = np.flatnonzero(np.isfinite(shapes.bounds).all(axis=1) & (shown if shown is not None else True))
    rows = rows[_order(table, pages.order, rows)]
    if len(rows) > MOST_PAGES:
        raise AtlasError(
            layer.name,
            tr("{count:,} pages are more than {most_pages:,}", count=len(rows), most_pages=MOST_PAGES),
            tr("Filter the layer."),
        )
    found = []
    for row in rows.tolist():
        check()
        xmin, ymin, xmax, ymax = shapes.bounds[row].tolist()
        extent = Extent(xmin, ymin, xmax, ymax, view.crs)
        scale = paper.scale
        if pages.fits and (extent.width > 0 or extent.height > 0):
            scale = round_scale(scale_to_fit(box, view.crs, extent, view.turn, ROOM_AROUND))
        words = {name: _text(table.column(name)[row]) for name in table.column_names}
        found.append(PaperPage(words.get(pages.name, ""), extent.centre, scale, words, _one(shapes, row)))
    if not found:
        raise AtlasError(layer.name, tr("it shows no feature with a place"), tr("Change its filter."))
    return tuple(found)


def _order(table: Any, name: str, rows: np.ndarray) -> np.ndarray:
    """Return the order of rows by a field; those without a value last."""
    import pyarrow.compute as pc

    if not name:
        return np.arange(len(rows))
    return pc.sort_indices(table.column(name).take(rows)).to_numpy()


def _text(value: Any) -> str:
    plain = value.as_py()
    return "" if plain is None else grouped(plain, ",g") if isinstance(plain, float) else str(plain)


def _one(shapes: Shapes, row: int) -> Shapes:
    """Return the shape of one feature."""
    first, last = shapes.feature_starts[row : row + 2].tolist()
    a, b = int(shapes.path_starts[first]), int(shapes.path_starts[last])
    starts, one = shapes.path_starts[first : last + 1] - a, np.array([0, last - first])
    xy = shapes.xy[a:b]
    return Shapes(xy, None, starts, shapes.path_kinds[first:last], one, bounds_of(xy, starts, one))
