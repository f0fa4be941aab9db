"""An album on paper: PDF pages with letters as letters, scale bars that are true, and pictures as sharp as they are."""

from __future__ import annotations

import io
from typing import Any
from xml.sax.saxutils import escape

from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import (
    BaseDocTemplate,
    CondPageBreak,
    Flowable,
    Frame,
    KeepTogether,
    PageTemplate,
    Spacer,
    Table,
)

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.paper.layout import PaperSize
from brisk_atlas.core.paper.pdf_fonts import register_fonts
from brisk_atlas.core.paper.pdf_letters import write_at
from brisk_atlas.core.paper.pdf_places import with_places
from brisk_atlas.core.paper.whole_text import whole_text

from .markdown_text import paragraphs_of
from .page_parts import PageContent, PageFigure, PagePassage
from .paper_maps import PaperMaps
from .paper_parts import QUIET, RULE, OutlineEntry, PaperLegend, PaperPicture, paper_style
from .paper_text import paragraph

PT_MM = 72 / 25.4
MARGIN_MM, FOOT_MM = 18.0, 10.0
TALLEST = 0.62  # of a page's height, of a picture
MOST_ROWS, MOST_OF_CELL = 200, 300  # rows of a table, characters of a value


def album_pdf(
    content: PageContent, *, paper: PaperSize = PaperSize.A4, wide: bool = False, maps: PaperMaps | None = None
) -> bytes:
    """Return an album as PDF. `wide` lays the pages on their long side; `maps` draws those that are shapes, without it
    all are pictures."""
    register_fonts()
    width, height = (side * PT_MM for side in (reversed(paper.millimetres) if wide else paper.millimetres))
    margin = MARGIN_MM * PT_MM
    room = width - 2 * margin, height - 2 * margin - FOOT_MM * PT_MM
    frame = Frame(margin, margin + FOOT_MM * PT_MM, *room, leftPadding=0, rightPadding=0, topPadding=0, bottomPadding=0)
    out = io.BytesIO()
    title, subject = whole_text(content.title), whole_text(content.summary)
    document = BaseDocTemplate(out, pagesize=(width, height), title=title, author="", subject=subject,
                               creator="Brisk Atlas", lang="en", initialFontName="sans")  # fmt: skip
    document.addPageTemplates(PageTemplate("page", [frame], onPage=lambda canvas, doc: _foot(canvas, content, width)))
    story: list[Flowable] = [
        paragraph(_words(content.title), paper_style(26, bold=True, after=6)),
        *_texts(content.summary),
    ]
    for part in content.parts:
        if maps is not None:
            maps.check()
        story.append(Spacer(1, 14))
        if isinstance(part, PagePassage):
            story += [*_heading(part.title, part.id), *_texts(part.text)]
        else:
            story += _figure(part, *room, maps)
    document.build(story)
    return out.getvalue() if maps is None else with_places(out.getvalue(), maps.placed, maps.layers)


def _words(text: str) -> str:
    """Return a text as a paragraph has it."""
    return escape(whole_text(text))


def _foot(canvas: Canvas, content: PageContent, width: float) -> None:
    canvas.saveState()
    canvas.setFillColor(QUIET)
    write_at(canvas, MARGIN_MM * PT_MM, FOOT_MM * PT_MM, content.title[:120], "sans", 8)
    canvas.setFont("sans", 8)
    canvas.drawRightString(width - MARGIN_MM * PT_MM, FOOT_MM * PT_MM, str(canvas.getPageNumber()))
    canvas.restoreState()


def _heading(title: str, name: str) -> list[Flowable]:
    if not title:
        return []
    return [
        OutlineEntry(whole_text(title), name),
        paragraph(_words(title), paper_style(15, bold=True, before=4, after=4)),
    ]


def _texts(markdown: str) -> list[Flowable]:
    return [paragraph(text, paper_style(10.5, after=4), "•" if in_list else None)
            for text, in_list in paragraphs_of(whole_text(markdown))]  # fmt: skip


def _figure(figure: PageFigure, width: float, height: float, drawer: PaperMaps | None) -> list[Flowable]:
    """Return a figure: what belongs together stays on one page."""
    parts: list[Flowable] = [*_heading(figure.title, figure.id)]
    if figure.note:
        parts.append(paragraph(_words(figure.note), paper_style(9, after=3)))
    if figure.pictures:
        share = (width - 8) / 2 if len(figure.pictures) > 1 else width
        maps = [PaperPicture(each, figure, share, height * TALLEST, drawer) for each in figure.pictures]
        if len(maps) == 1:
            parts.append(maps[0])
        for first in range(0, len(maps) if len(maps) > 1 else 0, 2):
            signs = "AB" if len(maps) == 2 else range(first + 1, len(maps) + 1)
            row = list(zip(maps[first : first + 2], figure.pictures[first : first + 2], signs))
            names = [paragraph(f"{sign}: {_words(picture.name)}", paper_style(9)) for _, picture, sign in row]
            shown = [each for each, _, _ in row]
            parts.append(Table([shown, names], colWidths=[share + 4] * len(row), style=_BARE, hAlign="LEFT"))
    parts += _texts(figure.caption)
    parts += [PaperLegend(title, lines, width) for title, lines in figure.legends]
    stated = [*figure.facts, *figure.sources]
    if stated:
        parts.append(paragraph(_words(" · ".join(stated)), paper_style(8, quiet=True, before=3)))
    if figure.table is None:
        return [KeepTogether(parts)]
    return [CondPageBreak(height / 4), *parts, *_rows(figure, width)]


def _rows(figure: PageFigure, width: float) -> list[Flowable]:
    assert figure.table is not None
    table, count = figure.table, min(len(figure.table.rows), MOST_ROWS)
    heads, cells = ([paper_style(8, bold=bold, right=number) for number in table.numbers] for bold in (True, False))
    lines = [[paragraph(_words(name[:MOST_OF_CELL]), head) for name, head in zip(table.fields, heads)]]
    lines += [
        [paragraph(_words(text[:MOST_OF_CELL]), cell) for text, cell in zip(row, cells)] for row in table.rows[:count]
    ]
    if not table.fields:
        return []
    made = Table(lines, colWidths=[width / len(table.fields)] * len(table.fields), repeatRows=1, style=_RULED)
    of_all = (
        f"{grouped(count)} of {grouped(table.total)} rows" if count < table.total else f"{grouped(table.total)} rows"
    )
    return [made, paragraph(of_all, paper_style(8, quiet=True, before=2))]


def _padded(across: float, below: float) -> list[tuple[Any, ...]]:
    """Return how cells of a table are set."""
    all_cells = (0, 0), (-1, -1)
    padding = {"LEFTPADDING": across, "RIGHTPADDING": across, "TOPPADDING": below / 2, "BOTTOMPADDING": below}
    return [("FONT", *all_cells, "sans", 8), *((name, *all_cells, size) for name, size in padding.items())]


_BARE = _padded(0, 2)
_RULED = [*_padded(2, 2), ("LINEBELOW", (0, 0), (-1, -1), 0.4, RULE), ("VALIGN", (0, 0), (-1, -1), "TOP")]
