"""What stands on paper pages of an album: pictures with a scale bar, legends, and entries of the outline."""

from __future__ import annotations

import io
from base64 import b64decode
from dataclasses import replace
from math import floor, log10

from reportlab.lib.colors import HexColor
from reportlab.lib.enums import TA_LEFT, TA_RIGHT
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase import pdfmetrics
from reportlab.platypus import Flowable

from brisk_atlas.core.draw.legend_lines import LegendLines
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.paper.lettering import text_width
from brisk_atlas.core.paper.pdf_letters import write_at
from brisk_atlas.core.paper.whole_text import whole_text

from .page_parts import PageFigure, PagePicture
from .paper_maps import PaperMaps

INK, QUIET, RULE, PAPER = HexColor("#1D2A35"), HexColor("#5F6B73"), HexColor("#D9D1C3"), HexColor("#FFFDF8")
BAR_PT = 110.0  # the longest scale bar


class OutlineEntry(Flowable):
    """An entry of the outline."""

    def __init__(self, title: str, name: str) -> None:
        super().__init__()
        self.title, self.name, self.width, self.height = title, name, 0, 0

    def draw(self) -> None:
        self.canv.bookmarkPage(self.name)
        self.canv.addOutlineEntry(self.title, self.name, 0)


class PaperPicture(Flowable):
    """A picture with its scale bar and north, as large as there is room."""

    def __init__(
        self, picture: PagePicture, figure: PageFigure, most_wide: float, most_high: float, drawer: PaperMaps | None
    ) -> None:
        super().__init__()
        self.picture, self.figure, self.drawer = picture, figure, drawer
        self.width = min(most_wide, most_high * picture.width / picture.height)
        self.height = self.width * picture.height / picture.width + 6

    def draw(self) -> None:
        canvas = self.canv
        if self.picture.map is not None and self.drawer is not None:
            name = self.picture.name or self.figure.title or self.figure.id
            self.drawer.draw(canvas, self.picture.map, whole_text(name), 6.0, self.width, self.height - 6)
        else:
            canvas.drawImage(_reader(self.picture), 0, 6, self.width, self.height - 6)
        canvas.setStrokeColor(RULE)
        canvas.rect(0, 6, self.width, self.height - 6)
        if self.figure.metres:
            self._draw_bar(self.figure.metres * self.picture.width / self.width)
        if self.figure.north is not None:
            self._draw_north(self.figure.north)

    def _draw_bar(self, metres_a_point: float) -> None:
        """Draw a bar of a round length, with the scale of the picture on this paper."""
        most = metres_a_point * min(BAR_PT, self.width / 3)
        power = 10.0 ** floor(log10(most))
        length = next(n * power for n in (5, 2, 1) if n * power <= most)
        across = length / metres_a_point
        label = f"{grouped(length, ',.0f')} m" if length < 1000 else f"{grouped(length / 1000, ',.0f')} km"
        ratio = metres_a_point * 72 / 0.0254
        label += f"   1 : {grouped(float(f'{ratio:.4g}'), ',.0f')}"
        canvas = self.canv
        canvas.setFont("mono", 7)
        text = pdfmetrics.stringWidth(label, "mono", 7)
        canvas.setFillColor(PAPER)
        canvas.rect(6, 12, max(across, text) + 8, 17, stroke=0, fill=1)
        canvas.setFillColor(INK)
        for x, wide, high in ((10, across, 1), (10, 1, 4), (9 + across, 1, 4)):  # as long as stated from edge to edge
            canvas.rect(x, 14.5, wide, high, stroke=0, fill=1)
        canvas.drawString(10, 20, label)

    def _draw_north(self, north: float) -> None:
        canvas = self.canv
        canvas.saveState()
        canvas.translate(self.width - 16, self.height - 16)
        canvas.setFillColor(PAPER)
        canvas.setStrokeColor(RULE)
        canvas.circle(0, 0, 10, fill=1)
        canvas.rotate(-north)
        canvas.setFillColor(INK)
        path = canvas.beginPath()
        path.moveTo(0, 8)
        path.lineTo(3, 2)
        path.lineTo(-3, 2)
        path.close()
        canvas.drawPath(path, stroke=0, fill=1)
        canvas.setFont("sans-bold", 7)
        canvas.drawCentredString(0, -5, "N")
        canvas.restoreState()


class PaperLegend(Flowable):
    """A legend on one line, or on as many as it takes."""

    def __init__(self, title: str, lines: LegendLines, width: float) -> None:
        super().__init__()
        entries = tuple((picture, colour, whole_text(text)) for picture, colour, text in lines.entries)
        lines = replace(lines, entries=entries, title=whole_text(lines.title))
        self.title, self.lines, self.width = whole_text(title), lines, width
        self.spots: list[tuple[float, float, int]] = []
        if len(lines.entries) == 1 and lines.entries[0][2] == title:
            self.title = ""  # which the entry says
        x, y = text_width(self.title, 8, "sans-bold") + (10 if self.title else 0), 0.0
        for number, (_, _, text) in enumerate(lines.entries):
            step = text_width(text, 8) + 30
            if x + step > width and x > 20:
                x, y = 20.0, y + 12
            self.spots.append((x, y, number))
            x += step
        self.height = y + 13

    def draw(self) -> None:
        canvas, top = self.canv, self.height - 9
        canvas.setFillColor(INK)
        write_at(canvas, 0, top, self.title[:80], "sans-bold", 8)
        after = text_width(self.title[:80], 8, "sans-bold") + 10
        if self.lines.ramp:
            canvas.drawImage(_data_reader(self.lines.ramp), after + 40, top - 1, 120, 8)
            canvas.setFont("mono", 7)
            canvas.drawRightString(after + 36, top, self.lines.low)
            write_at(canvas, after + 164, top, f"{self.lines.high}   {self.lines.title}", "mono", 7)
        for x, y, number in self.spots:
            swatch, colour, text = self.lines.entries[number]
            if swatch:
                canvas.drawImage(_data_reader(swatch), x, top - y - 2, 15, 10, mask="auto")
            elif colour:
                canvas.setFillColor(HexColor(colour))
                canvas.rect(x, top - y - 1, 14, 8, stroke=0, fill=1)
            canvas.setFillColor(INK)
            write_at(canvas, x + 19, top - y, text, "sans", 8)


def _reader(picture: PagePicture) -> ImageReader:
    return ImageReader(io.BytesIO(picture.data))


def _data_reader(address: str) -> ImageReader:
    """Return the picture that an address holds."""
    return ImageReader(io.BytesIO(b64decode(address.partition(",")[2])))


def paper_style(
    size: float, *, bold: bool = False, quiet: bool = False, right: bool = False, before: float = 0, after: float = 0
) -> ParagraphStyle:
    return ParagraphStyle(
        "text", fontName="sans-bold" if bold else "sans", fontSize=size, leading=size * 1.35, spaceBefore=before,
        spaceAfter=after, textColor=QUIET if quiet else INK, leftIndent=0, bulletIndent=0, splitLongWords=1,
        alignment=TA_RIGHT if right else TA_LEFT, bulletFontName="sans",
    )  # fmt: skip
