"""A plate of the album on paper, as files."""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.model import AtlasError, CannotWrite
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.paper.layout import PaperSize, scale_text

from .operation import Operation, Progress, Written, argument, silent

if TYPE_CHECKING:
    from brisk_atlas.core.paper.layout import Paper
    from brisk_atlas.core.paper.paper_page import PaperContent
    from brisk_atlas.core.workspace.plates import Plate
    from brisk_atlas.core.workspace.workspace import Workspace

MOST_PIXELS = 500_000_000  # of a page
DOTS = (36, 1200)


@dataclass(frozen=True)
class WritePaper(Operation):
    """Lay a plate of the album out on paper at a true scale: as PDF whose maps state where they lie, as SVG, or as PNG.
    Without settings it is laid out as the project has it."""

    needs_work = True

    path: Path = argument(tr("a PDF (.pdf), or a file for each page (.svg, .png)"))
    plate: str = argument(tr("its title or id; the first one of the album if not given"), "")
    sheet: PaperSize | None = argument(tr("the size of the paper; lays the page out anew"), None)
    upright: bool = argument(tr("lay the page out anew on its short side"), False)
    scale: float | None = argument(tr("the number below one of the scale of the map"), None)
    dots: int | None = argument(tr("in an inch, of what is drawn of pixels; 300 if not given"), None)
    pages_by: str = argument(tr("the name of a layer: a page for each of its features"), "")
    page_name: str = argument(tr("the field that names those pages; the first one if not given"), "")

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from .paper_content import paper_content

        suffix = self.path.suffix.lower()
        if suffix not in (".pdf", ".svg", ".png"):
            raise CannotWrite(
                self.path,
                tr("pages are not written as {suffix}", suffix=suffix or "that"),
                tr("Choose .pdf, .svg or .png."),
            )
        self.check_is_no_source(workspace, self.path)
        plate = self._plate(workspace)
        paper = self._paper(workspace, plate)
        content = paper_content(workspace, plate._replace(paper=paper), lambda: progress(0.0, tr("layers")))
        paths, faults = self._write(workspace, content, suffix, progress)
        pages = len(content.pages)
        what = trn("{count} page, {sheet}", "{count} pages, {sheet}", pages, sheet=paper.sheet)
        scales = {each.scale for each in content.pages}
        if content.sides and len(scales) == 1:
            what += f", 1 : {scale_text(scales.pop())}"
        return Written(tuple(paths), what, tuple(faults))

    def _plate(self, workspace: Workspace) -> Plate:
        plates = workspace.work.state.album.plates
        if not plates:
            raise CannotWrite(self.path, tr("the album has no plates"), tr("Capture a view first."))
        named = [each for each in plates if self.plate in (each.id, each.title)] if self.plate else list(plates)
        if not named:
            raise CannotWrite(
                self.path, tr("the album has no plate '{plate}'", plate=self.plate), tr("Name one by its title.")
            )
        return named[0]

    def _paper(self, workspace: Workspace, plate: Plate) -> Paper:
        from brisk_atlas.core.paper.layout import PagesByFeature
        from brisk_atlas.core.workspace.plate_paper import first_paper

        paper = plate.paper or first_paper(plate)
        if self.sheet is not None or self.upright:
            anew = first_paper(plate, self.sheet or paper.sheet, False if self.upright else None)
            paper = anew._replace(grid=paper.grid, dots=paper.dots).by_feature(paper.pages)
        if self.scale is not None:
            if not self.scale > 0:
                raise AtlasError(
                    "write-paper", tr("a scale is a number above 0"), tr("Give the number below one, say 25000.")
                )
            paper = paper._replace(scale=self.scale)
        if self.dots is not None:
            if not DOTS[0] <= self.dots <= DOTS[1]:
                raise AtlasError(
                    "write-paper",
                    tr("{dots} dots are not {dots2} to {dots3}", dots=self.dots, dots2=DOTS[0], dots3=DOTS[1]),
                    tr("Choose 300, say."),
                )
            paper = paper._replace(dots=self.dots)
        if self.pages_by:
            layers = plate.view.layers if plate.view is not None else ()
            layer = next((each for each in layers if self.pages_by in (each.name, each.id)), None)
            if layer is None:
                raise AtlasError(
                    "write-paper",
                    tr("the plate has no layer '{pages_by}'", pages_by=self.pages_by),
                    tr("Name one by its title."),
                )
            name = self.page_name or workspace.cache.part(layer.ref).facts.fields[0].name
            paper = paper.by_feature(PagesByFeature(layer.id, name, fits=self.scale is None))
        return paper

    def _write(
        self, workspace: Workspace, content: PaperContent, suffix: str, progress: Progress
    ) -> tuple[list[Path], list[str]]:
        """Write the pages; returns the files and what could not be drawn."""
        from brisk_atlas.core.system.atomic_write import write_whole

        faults: dict[str, None] = {}
        if suffix == ".pdf":
            write_whole(self.path, pdf_of(workspace, content, faults, progress))
            return [self.path], list(faults)
        paths, count = [], len(content.pages)
        digits = len(str(count))
        for number in range(count):
            path = self.path if count == 1 else self.path.with_stem(f"{self.path.stem}-{number + 1:0{digits}}")
            progress(number / count, tr("page {number}", number=number + 1))
            one = svg_of if suffix == ".svg" else png_of
            write_whole(path, one(workspace, content, number, faults, progress))
            paths.append(path)
        return paths, list(faults)


def pdf_of(workspace: Workspace, content: PaperContent, faults: dict[str, None], progress: Progress = silent) -> bytes:
    """Return all pages as PDF; what can't be drawn is added to `faults`."""
    from brisk_atlas.core.paper.paper_page import draw_page, map_frames
    from brisk_atlas.core.paper.pdf_places import PlacedFrame, placed_frame, with_places
    from brisk_atlas.core.paper.pdf_surface import PdfSurface, pdf_canvas

    width, height = content.paper.size
    out = io.BytesIO()
    canvas = pdf_canvas(out, width, height, content.words["title"], content.credits)
    surface = PdfSurface(canvas, width, height, content.paper.dots)
    surface.begin()
    placed: list[PlacedFrame] = []
    count = len(content.pages)
    for number, page in enumerate(content.pages):
        if number:
            surface.next_page()
        if count > 1:
            surface.bookmark(page.name or f"Page {number + 1}", f"page-{number + 1}")
        check = _checking(progress, number / count, f"page {number + 1} of {count}")
        faults.update(dict.fromkeys(draw_page(surface, workspace.painter, content, number, check)))
        frames = map_frames(content, number) if content.sides else []
        found = (placed_frame(number, block.id, height, frame) for block, frame in frames)
        placed += [each for each in found if each is not None]
    canvas.save()
    return with_places(out.getvalue(), placed, surface.layers)


def svg_of(
    workspace: Workspace, content: PaperContent, number: int, faults: dict[str, None], progress: Progress = silent
) -> bytes:
    """Return a page as SVG."""
    from brisk_atlas.core.paper.paper_page import draw_page
    from brisk_atlas.core.paper.svg_surface import SvgSurface

    surface = SvgSurface(*content.paper.size, content.paper.dots, content.words["title"])
    check = _checking(progress, number / len(content.pages), f"page {number + 1}")
    faults.update(dict.fromkeys(draw_page(surface, workspace.painter, content, number, check)))
    return surface.data()


def png_of(
    workspace: Workspace, content: PaperContent, number: int, faults: dict[str, None], progress: Progress = silent
) -> bytes:
    """Return a page as PNG. Raises AtlasError for one of too many pixels."""
    from brisk_atlas.core.paper.box import INCH_MM
    from brisk_atlas.core.paper.paper_page import draw_page
    from brisk_atlas.core.paper.pixel_surface import PixelSurface

    width, height = (side / INCH_MM * content.paper.dots for side in content.paper.size)
    if width * height > MOST_PIXELS:
        raise AtlasError(
            "write-paper",
            tr("{width:,.0f} x {height:,.0f} pixels are too many", width=width, height=height),
            tr("Choose fewer dots in an inch, or PDF."),
        )
    surface = PixelSurface(*content.paper.size, content.paper.dots)
    check = _checking(progress, number / len(content.pages), f"page {number + 1}")
    faults.update(dict.fromkeys(draw_page(surface, workspace.painter, content, number, check)))
    return surface.png(0)


def _checking(progress: Progress, share: float, step: str) -> Callable[[], None]:
    """Return what reports a share that is done, and may raise to stop."""
    return lambda: progress(share, step)
