"""The parts of a dataset as a catalogue site shows them: pictures, features that the page draws itself, and rows."""

from __future__ import annotations

import logging
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import lru_cache
from io import BytesIO
from math import ceil, log2
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
from PIL import Image

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw.frame import extent_of
from brisk_atlas.core.draw.kernels.pixels import NORMAL, blend
from brisk_atlas.core.draw.legend_lines import LegendLines, lines_of
from brisk_atlas.core.draw.png import PAPER
from brisk_atlas.core.draw.view import View
from brisk_atlas.core.draw.whole_frame import whole_frame
from brisk_atlas.core.find.summary import amount_text
from brisk_atlas.core.handover.feature_looks import looks_of
from brisk_atlas.core.handover.flows import GEOMETRY
from brisk_atlas.core.kinds import first_style, kind_of, painter_for
from brisk_atlas.core.model import (
    AtlasError,
    DataKind,
    DataRef,
    Dataset,
    Extent,
    Facts,
    FeatureQuery,
    Layer,
    RowsPart,
    VectorPart,
    VectorStyle,
)  # fmt: skip
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.vocabulary import shown_all
from brisk_atlas.core.place import crs_label, ground_metres, is_geographic
from brisk_atlas.core.place.map_crs import TILES
from brisk_atlas.core.record.model import FieldDefinition, Record
from brisk_atlas.core.site.part_data import MOST_FEATURES, MOST_ROWS, DrawnLook, PartRows, is_light, part_script
from brisk_atlas.core.site.site_pages import PICTURE, PagePart
from brisk_atlas.core.workspace.style_inside import style_inside

log = logging.getLogger(__name__)
WIDE, TALL = 840, 480  # pixels of a picture
QUALITY = 88  # of pictures as JPEG
MOST_PARTS = 24
SAMPLED_ROWS = 20_000  # of a large part, that are looked through for keys
FINEST = 2  # levels of finer pictures beyond the whole, each of four times as many pieces
MERCATOR_DEGREES = 84.0  # latitudes that a map in the CRS of map tiles shows


@dataclass(frozen=True)
class BuiltPart:
    """A part as its page shows it, and its rows, None where it has none."""

    page: PagePart
    rows: pa.Table | None


def built_parts(cache: DataCache, dataset: Dataset, record: Record, folder: Path) -> Iterator[BuiltPart]:
    """Yield the parts of a dataset, with their pictures and scripts written to a folder."""
    painter = painter_for(cache)
    shown = [part.facts for part in dataset.parts if part.facts.kind.has_rows or part.facts.kind.has_place]
    shown = shown[:1] if dataset.kind is DataKind.SCENE else shown[:MOST_PARTS]
    name = PICTURE
    for number, facts in enumerate(shown, start=1):
        part = PartBuilder(cache, dataset.ref.with_part(facts.name), facts, number)
        rows = None
        try:
            view = part.draw(painter, name, folder)
            rows = part.rows(record, view.extent if view is not None else None, folder)
            if part.page.picture and not part.has_features:
                part.put_finer(painter, folder)
        except Exception as error:  # the other parts, the record and the files are shown all the same
            if isinstance(error, OSError) and error.errno is not None:
                raise  # the site can't be written; what libraries raise of data has no number
            log.warning("%s of %s is not shown", facts.name, dataset.ref, exc_info=True)
            reason = error.reason if isinstance(error, AtlasError) else f"{type(error).__name__}: {error}"
            part.page = replace(part.page, note=tr("It can’t be shown ({reason}).", reason=reason[:200]))
        name = f"part-{number + 1}.jpg" if part.page.picture else name
        yield BuiltPart(part.page, rows)


class PartBuilder:
    """One part on its way to a page."""

    def __init__(self, cache: DataCache, ref: DataRef, facts: Facts, number: int) -> None:
        self.cache, self.ref, self.facts, self.number = cache, ref, facts, number
        style = style_inside(ref, facts) or first_style(facts, number - 1)
        self.layer = Layer(f"part-{number}", facts.name, ref, facts.kind, style) if style is not None else None
        self.has_features = False
        self.page = PagePart(facts.name, shown_all(amount_text(facts)), crs_label(facts.crs) if facts.crs else "")

    def view(self) -> View | None:
        """Return what its map shows, None where it has no place. Data in degrees is shown as on map tiles, where shapes
        are true."""
        if self.layer is None or self.facts.extent is None:
            return None
        crs = self.facts.crs
        south, north = self.facts.extent.ymin, self.facts.extent.ymax
        if crs and is_geographic(crs) and south >= -MERCATOR_DEGREES and north <= MERCATOR_DEGREES:
            crs = TILES
        extent = extent_of(self.cache, [self.layer], crs)
        return View.fitting(extent, WIDE, TALL) if extent is not None else None

    def draw(self, painter: Any, name: str, folder: Path) -> View | None:
        """Draw what its map shows into a file; returns that view, None where there is nothing to draw."""
        view = self.view()
        if view is not None and self.layer is not None:
            (folder / name).write_bytes(jpeg(whole_frame(painter, [self.layer], view).image))
            self.put_picture(name, view)
        return view

    def put_picture(self, name: str, view: View) -> None:
        """Put the picture of a view on the page."""
        known = bool(view.crs)
        try:
            legend = self._legend()
        except AtlasError:
            legend = None
        self.page = replace(
            self.page, picture=name, size=(view.width, view.height), extent=view.extent.bounds, legend=legend,
            metres=ground_metres(view.crs, view.x, view.y) if known else None,
        )  # fmt: skip

    def _legend(self) -> LegendLines | None:
        assert self.layer is not None
        return lines_of(kind_of(self.layer.kind).legend(self.cache, self.layer))

    def put_finer(self, painter: Any, folder: Path) -> None:
        """Draw finer pictures, piece by piece, as far as the data is finer than the whole picture."""
        levels = self._levels()
        if not levels:
            return
        assert self.page.extent is not None and self.layer is not None
        view = self.view()
        assert view is not None
        pictures = f"part-{self.number}"
        for level in range(1, levels + 1):
            (folder / pictures / str(level)).mkdir(parents=True, exist_ok=True)
            finer = replace(view, resolution=view.resolution / 2**level, width=WIDE * 2**level, height=TALL * 2**level)
            for row in range(2**level):
                for column in range(2**level):
                    piece = finer.piece(column * WIDE, row * TALL, WIDE, TALL)
                    image = whole_frame(painter, [self.layer], piece).image
                    (folder / pictures / str(level) / f"{column}-{row}.jpg").write_bytes(jpeg(image))
        self.page = replace(self.page, levels=levels, pictures=pictures)

    def _levels(self) -> int:
        grid = self.facts.grid
        if grid is None or grid.drawn_by_service:
            return FINEST
        pixels = max(grid.width / WIDE, grid.height / TALL)
        return max(0, min(FINEST, ceil(log2(pixels) - 0.1))) if pixels > 0 else 0

    def rows(self, record: Record, extent: Extent | None, folder: Path) -> pa.Table | None:
        """Write the script with the rows of the part, and return them, None where it has none."""
        if not self.facts.kind.has_rows:
            return None
        count = self.facts.count
        shapes = look = None
        looks: tuple[DrawnLook, ...] = ()
        light = self.facts.kind.has_shapes and extent is not None and self._are_few(count)
        if light:
            features = self.cache.features(self.ref)
            light = is_light(len(features), len(features.shapes.xy))
        if light:
            table, count = features.table.select(features.table.column_names), len(features)
            shapes = (
                self.cache.shapes_in(self.ref, extent.crs) if extent is not None and extent.crs else features.shapes
            )
            looks, look = self._looks(table, features.wkb)
            self.has_features = True
        else:
            table, count = self._first_rows()
            if self.facts.kind.has_shapes and extent is not None:
                self.page = replace(self.page, note=tr("Drawn as pictures, as they are many."))
        fields = {each.name: each for each in self.facts.fields}
        stated = _definitions(record, self.facts.name)
        rows = PartRows(
            table if light else table.slice(0, MOST_ROWS), count,
            tuple(fields[name].unit if name in fields else "" for name in table.column_names),
            tuple(_meaning(stated.get(name.casefold())) for name in table.column_names),
            shapes, looks, look,
        )  # fmt: skip
        script = f"part-{self.number}.js"
        (folder / script).write_bytes(part_script(self.facts.name, rows, extent))
        self.page = replace(self.page, script=script)
        return table

    def _are_few(self, count: int | None) -> bool:
        """Return whether features are few enough to be drawn by the page; where it is not known how many there are, as
        many are read as may be."""
        if count is not None:
            return count <= MOST_FEATURES
        part = self.cache.part(self.ref)
        return isinstance(part, VectorPart) and len(part.read(FeatureQuery(limit=MOST_FEATURES + 1))) <= MOST_FEATURES

    def _first_rows(self) -> tuple[pa.Table, int]:
        part = self.cache.part(self.ref)
        query = FeatureQuery(limit=SAMPLED_ROWS)
        if isinstance(part, VectorPart):
            table = part.read(query).table
        else:
            assert isinstance(part, RowsPart)
            table = part.rows(query)
        table = table.select(table.column_names).slice(0, SAMPLED_ROWS)
        return table, self.facts.count if self.facts.count is not None else table.num_rows

    def _looks(self, table: pa.Table, wkb: pa.Array) -> tuple[tuple[DrawnLook, ...], np.ndarray]:
        assert self.layer is not None and isinstance(self.layer.style, VectorStyle)
        looks, look = looks_of(table.append_column(GEOMETRY, wkb.cast(pa.binary())), self.layer.style)
        return tuple(DrawnLook(*each) for each in looks), look


def _definitions(record: Record, part: str) -> dict[str, FieldDefinition]:
    """Return what a record says of the fields of a part, by their names in lower case."""
    named = [each for each in record.entities if each.name.casefold() == part.casefold()]
    return {field.name.casefold(): field for each in (named or record.entities[:1]) for field in each.fields}


def _meaning(field: FieldDefinition | None) -> str:
    return " ".join((field.definition or field.alias).split()) if field is not None else ""


@lru_cache(4)
def _paper(shape: tuple[int, ...]) -> np.ndarray:
    return np.full(shape, (*PAPER, 255), np.uint8)


def jpeg(image: np.ndarray) -> bytes:
    """Return (rows, cols, 4) uint8 premultiplied RGBA on paper as JPEG."""
    paper = _paper(image.shape).copy()
    blend(paper, image, 1.0, NORMAL, 0, len(image))
    out = BytesIO()
    Image.frombuffer("RGBX", (image.shape[1], image.shape[0]), paper, "raw", "RGBX", 0, 1).save(
        out, "JPEG", quality=QUALITY, subsampling=0
    )
    return out.getvalue()
