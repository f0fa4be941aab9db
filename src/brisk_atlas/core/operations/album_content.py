"""What a page says of an album: its pictures with legends, scale, sources, and the features and rows in them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from io import BytesIO
from typing import TYPE_CHECKING

from brisk_atlas.core.album.page_parts import (
    PageContent,
    PageFeatures,
    PageFigure,
    PagePassage,
    PagePicture,
    PageTable,
    PictureGroup,
    PictureMap,
)
from brisk_atlas.core.album.plate_features import features_in_view
from brisk_atlas.core.draw.legend_lines import LegendLines, lines_of
from brisk_atlas.core.draw.overlays import north_of
from brisk_atlas.core.draw.view import View
from brisk_atlas.core.kinds import kind_of
from brisk_atlas.core.model import AtlasError, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.paper.layout import PaperGrid
from brisk_atlas.core.workspace.comparison import Way, side_title
from brisk_atlas.core.workspace.plate_sources import changed_sources
from brisk_atlas.core.workspace.plates import Album, AlbumItem, Passage, Plate, PlateKind, PlateSource, PlateView
from brisk_atlas.core.workspace.shared_views import link_for_others

from .album_relief import relief_of
from .album_series import series_for
from .drawn_sides import ShownDifference, drawn_sides
from .operation import Progress, silent

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace

MOST_LEGENDS = 6  # of a figure
WAYS = {Way.CURTAIN: PictureGroup.CURTAIN, Way.BLINK: PictureGroup.BLINK, Way.TWIN: PictureGroup.CURTAIN}
BEFORE, AFTER = "before", "after"


def content_of(
    workspace: Workspace, album: Album, progress: Progress = silent, *, with_maps: bool = False
) -> PageContent:
    """Return all of a page for an album, with the pictures as they were captured; `with_maps` with what maps are drawn
    of, too, where that is as it was."""
    parts: list[PageFigure | PagePassage] = []
    items = list(album.items)
    while items:
        item = items.pop(0)
        name = f"part-{len(parts) + 1}"
        progress(len(parts) / max(1, len(album.items)), item.title)
        if isinstance(item, Passage):
            parts.append(PagePassage(name, item.title, item.text))
        elif len(group := _with_joined(item, items)) > 1:
            del items[: len(group) - 1]
            parts.append(_joined(workspace, group, name, with_maps))
        else:
            parts.append(_figure(workspace, item, name, with_maps))
    return PageContent(album.title or "Album", album.summary, tuple(parts))


def _with_joined(plate: Plate, following: Sequence[AlbumItem]) -> list[Plate]:
    """Return a plate with those after it that are shown together with it."""
    group = [plate]
    for each in following:
        if not (group[-1].joined and group[-1].picture and isinstance(each, Plate) and each.picture):
            break
        group.append(each)
    return group


def _joined(workspace: Workspace, group: Sequence[Plate], name: str, with_maps: bool) -> PageFigure:
    """Return plates as one figure: two with a curtain between them, more as a series."""
    figures = [_figure(workspace, each, name, with_maps) for each in group]
    usual = (BEFORE, AFTER) if len(group) == 2 else [f"{number}" for number in range(1, len(group) + 1)]
    pictures = tuple(replace(figure.pictures[0], name=plate.title or word)
                     for figure, plate, word in zip(figures, group, usual))  # fmt: skip
    places = {(each.width, each.height, *_place(plate.view)) for each, plate in zip(pictures, group)}
    same = len(places) == 1
    shown = PictureGroup.SERIES if len(group) > 2 else PictureGroup.CURTAIN if same else PictureGroup.BLINK
    legends = {each[0]: each for figure in figures for each in figure.legends}
    notes = [figure.note for figure in figures if figure.note]
    titles = list(dict.fromkeys(plate.title for plate in group if plate.title))
    title = " / ".join(titles) if len(titles) < 3 else tr("{first} to {last}", first=titles[0], last=titles[-1])
    return replace(
        figures[0], title=title, pictures=pictures,
        compared=shown, caption="\n\n".join(plate.caption for plate in group if plate.caption), alt=group[0].alt,
        legends=tuple(legends.values())[:MOST_LEGENDS], note=notes[0] if notes else "", relief=None, table=None,
        credits=credits_of([source for plate in group for source in plate.sources]),
        features=figures[0].features if same and len(group) == 2 else (), metres=figures[0].metres if same else None,
    )  # fmt: skip


def credits_of(sources: Sequence[PlateSource]) -> tuple[tuple[tuple[str, ...], str], ...]:
    """Return the names of sources by whom they are credited to; those of nobody come last."""
    found: dict[str, dict[str, None]] = {}
    for each in sources:
        found.setdefault(each.credit, {})[each.name] = None
    return tuple((tuple(names), credit) for credit, names in sorted(found.items(), key=lambda each: not each[0]))


def _place(view: PlateView | None) -> tuple[object, ...]:
    return (view.crs, view.x, view.y, view.resolution, view.turn) if view is not None else ()


def _figure(workspace: Workspace, plate: Plate, name: str, with_maps: bool) -> PageFigure:
    changed = changed_sources(plate)
    note = (
        tr("Since it was captured these changed: {listed}.", listed=", ".join(each.name for each in changed))
        if changed
        else ""
    )
    facts = [plate.view.crs] if plate.view is not None and plate.view.crs and plate.kind is PlateKind.MAP else []
    facts += [tr("captured {day}", day=plate.captured[:10])] if plate.captured else []
    table = PageTable(*plate.table) if plate.table is not None else None
    maps = _maps(workspace, plate) if with_maps and not changed else ()
    figure = PageFigure(name, plate.title, _pictures(plate, maps), plate.caption, plate.alt, facts=tuple(facts),
                        credits=credits_of(plate.sources), table=table, note=note)  # fmt: skip
    if plate.view is None or plate.kind not in (PlateKind.MAP, PlateKind.RELIEF):
        return figure
    figure = replace(figure, legends=_legends(workspace, plate.view))
    if plate.kind is PlateKind.RELIEF:
        relief = relief_of(workspace, plate.view)
        stated = (
            (tr("heights x {exaggeration:g}", exaggeration=relief.exaggeration),)
            if relief is not None and relief.exaggeration != 1
            else ()
        )
        return replace(figure, relief=relief, facts=(*figure.facts, *stated))
    view = map_view(plate.view)
    metres = view.ground_metres if view.crs else None
    compared = WAYS.get(plate.view.comparison.way) if plate.view.comparison is not None and plate.other else None
    found = _features(workspace, plate, plate.view, view)
    link = link_for_others(plate.view)
    return replace(
        figure, metres=metres, north=north_of(view), features=found, compared=compared, link=str(link) if link else ""
    )


def map_view(view: PlateView) -> View:
    """Return a plate's view of the map, a pixel of it for one of the screen."""
    return View(view.x, view.y, view.resolution, view.width, view.height, view.crs, turn=view.turn)


def _maps(workspace: Workspace, plate: Plate) -> list[PictureMap]:
    """Return what the pictures of a map are drawn of; none where some of it comes from a server, which may not answer
    as it did."""
    view = plate.view
    if view is None or plate.kind is not PlateKind.MAP or not all(layer.ref.is_local for layer in view.shown):
        return []
    try:
        sides, _ = drawn_sides(workspace.cache, view)
    except (AtlasError, OSError):  # the picture stands for it
        return []
    return [PictureMap(stack, map_view(view), PaperGrid(view.grid)) for stack in sides]


def _pictures(plate: Plate, maps: Sequence[PictureMap]) -> tuple[PagePicture, ...]:
    from PIL import Image

    names = [""]
    if plate.view is not None and plate.view.comparison is not None:
        names = [side_title(side, plate.view.layers, plate.view.groups) for side in plate.view.comparison.sides]
    found: list[PagePicture] = []
    for data, name in zip((plate.picture, plate.other), (*names, "")):
        if data:
            with Image.open(BytesIO(data)) as image:
                width, height = (round(side / plate.density) for side in image.size)
                shown = name if plate.other else ""
                drawn = maps[len(found)] if len(found) < len(maps) else None
                found.append(PagePicture(data, Image.MIME[image.format or "WEBP"], width, height, shown, drawn))
    return tuple(found)


def _legends(workspace: Workspace, view: PlateView) -> tuple[tuple[str, LegendLines], ...]:
    found: list[tuple[str, LegendLines]] = []
    difference = _difference(workspace, view)
    if difference is not None:
        lines = lines_of(difference.legend[1])
        found += [(difference.legend[0], lines)] if lines is not None else []
    for layer in view.shown:
        if difference is not None and layer.id in difference.layers:
            continue
        lines = _legend(workspace, layer)
        if lines is not None and len(found) < MOST_LEGENDS and lines not in [each for _, each in found]:
            found.append((layer.name, lines))
    return tuple(found)


def _difference(workspace: Workspace, view: PlateView) -> ShownDifference | None:
    """Return the difference that a map shows, None where it shows none, or one that can't be read any more."""
    if view.comparison is None or view.comparison.way is not Way.CHANGE:
        return None
    try:
        return drawn_sides(workspace.cache, view)[1]
    except (AtlasError, OSError):
        return None


def _legend(workspace: Workspace, layer: Layer) -> LegendLines | None:
    try:
        return lines_of(kind_of(layer.kind).legend(workspace.cache, layer))
    except (AtlasError, OSError):  # its file is gone, as is noted on the figure
        return None


def _features(workspace: Workspace, plate: Plate, seen: PlateView, view: View) -> tuple[PageFeatures, ...]:
    found = []
    for layer in seen.shown:
        if not layer.kind.has_shapes or not view.shows_at(layer.scales):
            continue
        try:
            series = plate.series if plate.series is not None and plate.series.layer == layer.id else None
            each = features_in_view(workspace.cache, layer, view, series.key if series is not None else "")
            if each is not None and series is not None:
                each = replace(each, series=series_for(workspace.cache, seen, series, each))
        except (AtlasError, OSError):
            continue
        if each is not None:
            found.append(each)
    return tuple(found)
