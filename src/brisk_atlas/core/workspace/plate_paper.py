"""A plate on paper: how it is first laid out, and what its maps are drawn of."""

from __future__ import annotations

from typing import TYPE_CHECKING

from brisk_atlas.core.paper.arrangement import first_blocks
from brisk_atlas.core.paper.layout import BlockKind, Paper, PaperGrid, PaperSize, round_scale

from .comparison import Way
from .plates import Plate, PlateKind, PlateView
from .stacks import Stacks, stacks_of, subtracted
from .undoable_work import WorkState
from .work import Work

if TYPE_CHECKING:
    from brisk_atlas.core.model import Layer


def first_paper(plate: Plate, sheet: PaperSize = PaperSize.A4, wide: bool | None = None) -> Paper:
    """Return a plate as it is first laid out, at a round scale that shows all that it shows; on the long side where it
    is wider than high, unless that is given."""
    view = plate.view if plate.kind is PlateKind.MAP else None
    if wide is None:
        width, height = (view.width, view.height) if view is not None else _picture_size(plate)
        wide = width >= height
    stacks, changed = stacks_in(view) if view is not None else ((), None)
    maps = 2 if len(stacks) > 1 and changed is None else 1
    blocks = first_blocks(sheet, wide, maps=maps, is_map=view is not None)
    grid = PaperGrid(view.grid) if view is not None else PaperGrid.NONE
    paper = Paper(sheet, wide, 1.0, blocks, grid=grid)
    return paper if view is None else paper._replace(scale=fitting_scale(paper, view))


def fitting_scale(paper: Paper, view: PlateView) -> float:
    """Return the round scale at which the maps of a page show all that a view of the screen shows."""
    from brisk_atlas.core.place import ground_metres

    metres = view.resolution * ground_metres(view.crs, view.x, view.y)
    maps = paper.of_kind(BlockKind.MAP)
    if not maps:
        return paper.scale
    needed = max(max(view.width / each.width, view.height / each.height) for each in maps) * metres * 1000
    return round_scale(needed)


def stacks_in(view: PlateView) -> tuple[Stacks, tuple[Layer, Layer] | None]:
    """Return the layers of each picture of a view, bottom first, both sides in one place where it compares two; and the
    grids whose difference comes between the two stacks, None for none."""
    work = Work()
    comparison = view.comparison
    if comparison is not None and comparison.way is Way.TWIN:
        comparison = comparison._replace(way=Way.CURTAIN)
    work.state = WorkState(view.layers, view.subject, view.crs, comparison, view.groups)
    return stacks_of(work), subtracted(work)


def _picture_size(plate: Plate) -> tuple[int, int]:
    """Return the width and height of the picture of a plate."""
    from io import BytesIO

    from PIL import Image

    if not plate.picture:
        return 1, 1
    with Image.open(BytesIO(plate.picture)) as image:
        width, height = image.size
    return width, height
