"""Slides as an Office Open XML presentation (ISO/IEC 29500)."""

from __future__ import annotations

import io
from collections.abc import Callable
from typing import Any

from pptx import Presentation
from pptx.dml.color import RGBColor
from pptx.enum.shapes import MSO_SHAPE
from pptx.enum.text import MSO_AUTO_SIZE, PP_ALIGN
from pptx.util import Cm, Pt

from .page_parts import PageContent
from .slides import (
    HEIGHT,
    PAPER,
    WIDTH,
    SlideBox,
    SlideItem,
    SlideParagraph,
    SlidePicture,
    SlideTable,
    SlideText,
    TextLook,
    plain,
    slides_of,
)

FONT = "Source Sans 3"
BLANK = 6  # the layout without places for titles, of those that the library begins with
BARE_TABLE = "{2D5ABB26-0587-4C30-8999-92F81FD0307C}"  # the style of a table without fills and rules
MOST_OF_PROPERTY = 255  # characters of a property of the document


def album_pptx(content: PageContent, *, check: Callable[[], None] = lambda: None) -> bytes:
    """Return the file. `check` may raise to stop."""
    document = Presentation()
    document.slide_width, document.slide_height = Cm(WIDTH), Cm(HEIGHT)
    document.core_properties.title = plain(content.title)[:MOST_OF_PROPERTY]
    document.core_properties.author = ""
    document.core_properties.subject = plain(content.summary)[:MOST_OF_PROPERTY]
    for slide in slides_of(content):
        check()
        page = document.slides.add_slide(document.slide_layouts[BLANK])
        page.name = slide.name
        page.background.fill.solid()
        page.background.fill.fore_color.rgb = _colour(PAPER)
        for item in slide.items:
            _add(page.shapes, item)
    out = io.BytesIO()
    document.save(out)
    return out.getvalue()


def _add(shapes: Any, item: SlideItem) -> None:
    place = tuple(Cm(each) for each in (item.left, item.top, item.width, item.height))
    match item:
        case SlideBox():
            box = shapes.add_shape(MSO_SHAPE.RECTANGLE, *place)
            box.fill.solid()
            box.fill.fore_color.rgb = _colour(item.colour)
            box.line.fill.background()
            box.shadow.inherit = False
        case SlidePicture():
            picture = shapes.add_picture(io.BytesIO(item.data), *place)
            picture._element.nvPicPr.cNvPr.set("descr", item.words)
        case SlideText():
            frame = shapes.add_textbox(*place).text_frame
            frame.word_wrap, frame.auto_size = True, MSO_AUTO_SIZE.NONE
            frame.margin_left = frame.margin_right = frame.margin_top = frame.margin_bottom = 0
            for number, each in enumerate(item.paragraphs):
                _fill(frame.add_paragraph() if number else frame.paragraphs[0], each)
        case SlideTable():
            _add_table(shapes, item, place)


def _fill(paragraph: Any, words: SlideParagraph) -> None:
    size = words.look.value[0]
    paragraph.space_after = Pt(0 if size < 16 else 4)
    for run in words.runs:
        for number, line in enumerate(run.text.split("\n")):
            if number:
                paragraph.add_line_break()
            if line:
                _add_run(paragraph, line, words.look, bold=run.bold, italic=run.italic, link=run.link)


def _add_run(
    paragraph: Any, text: str, look: TextLook, *, bold: bool = False, italic: bool = False, link: str = ""
) -> None:
    size, colour, heavy = look.value
    made = paragraph.add_run()
    made.text = text
    made.font.name, made.font.size = FONT, Pt(size)
    made.font.bold, made.font.italic = heavy or bold, italic
    if link:
        made.hyperlink.address = link
    else:
        made.font.color.rgb = _colour(colour)


def _add_table(shapes: Any, item: SlideTable, place: tuple[Any, ...]) -> None:
    frame = shapes.add_table(1 + len(item.rows), len(item.heads), *place)
    table = frame.table
    table.horz_banding = False
    frame._element.graphic.graphicData.tbl.tblPr.find("{*}tableStyleId").text = BARE_TABLE
    for number, row in enumerate((item.heads, *item.rows)):
        for column, (text, right) in enumerate(zip(row, item.numbers)):
            cell = table.cell(number, column)
            cell.margin_left = cell.margin_right = Cm(0.1)
            cell.margin_top = cell.margin_bottom = Cm(0.04)
            paragraph = cell.text_frame.paragraphs[0]
            paragraph.alignment = PP_ALIGN.RIGHT if right else PP_ALIGN.LEFT
            _add_run(paragraph, text, TextLook.LABEL if number else TextLook.SMALL, bold=not number)


def _colour(text: str) -> Any:
    return RGBColor.from_string(text.lstrip("#")[:6].upper())
