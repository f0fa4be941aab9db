"""Slides as an OpenDocument presentation (ISO/IEC 26300)."""

from __future__ import annotations

import io
from collections.abc import Callable
from typing import Any

from odf.dc import Title as DocumentTitle
from odf.draw import Frame, Image, Page, Rect, TextBox
from odf.opendocument import OpenDocumentPresentation
from odf.style import (
    DrawingPageProperties,
    GraphicProperties,
    MasterPage,
    PageLayout,
    PageLayoutProperties,
    ParagraphProperties,
    Style,
    TableCellProperties,
    TextProperties,
)
from odf.svg import Desc
from odf.table import Table, TableCell, TableColumn, TableRow
from odf.text import A, LineBreak, P, Span

from .page_parts import PageContent
from .slides import (
    HEIGHT,
    PAPER,
    RULE,
    WIDTH,
    SlideBox,
    SlideItem,
    SlideParagraph,
    SlidePicture,
    SlideRun,
    SlideTable,
    SlideText,
    TextLook,
    plain,
    slides_of,
)


def album_odp(content: PageContent, *, check: Callable[[], None] = lambda: None) -> bytes:
    """Return the file. `check` may raise to stop."""
    document = OpenDocumentPresentation()
    document.meta.addElement(DocumentTitle(text=plain(content.title)))
    writer = _Writer(document)
    for slide in slides_of(content):
        check()
        writer.begin(slide.name)
        for item in slide.items:
            writer.add(item)
    out = io.BytesIO()
    document.write(out)
    return out.getvalue()


class _Writer:
    """The slides of a document, as they are added."""

    def __init__(self, document: Any) -> None:
        self.document, self.count = document, 0
        layout = PageLayout(name="page")
        layout.addElement(PageLayoutProperties(pagewidth=f"{WIDTH}cm", pageheight=f"{HEIGHT}cm", margin="0cm",
                                               printorientation="landscape"))  # fmt: skip
        document.automaticstyles.addElement(layout)
        paper = DrawingPageProperties(fill="solid", fillcolor=PAPER, backgroundvisible="true")
        self.paper = self._style("paper", "drawing-page", paper)
        self.master = MasterPage(name="album", pagelayoutname=layout, stylename=self.paper)
        document.masterstyles.addElement(self.master)
        self.bare = self._style("bare", "graphic", GraphicProperties(stroke="none", fill="none", padding="0cm"))
        self.cell = self._style("cell", "table-cell",
                                TableCellProperties(padding="0.06cm", borderbottom=f"0.02cm solid {RULE}"))  # fmt: skip
        self.looks = {look: self._paragraph(look.name.lower(), look) for look in TextLook}
        self.heads = {right: self._paragraph(f"head-{right}", TextLook.SMALL, right) for right in (False, True)}
        self.cells = {right: self._paragraph(f"cell-{right}", TextLook.LABEL, right) for right in (False, True)}
        self.runs: dict[tuple[bool, bool], Any] = {}
        self.fills: dict[str, Any] = {}

    def _style(self, name: str, family: str, *properties: Any) -> Any:
        style = Style(name=name, family=family)
        for each in properties:
            style.addElement(each)
        self.document.automaticstyles.addElement(style)
        return style

    def _paragraph(self, name: str, look: TextLook, right: bool = False) -> Any:
        size, colour, bold = look.value
        return self._style(
            name, "paragraph",
            ParagraphProperties(marginbottom="0cm" if size < 16 else "0.15cm", textalign="end" if right else "start"),
            TextProperties(fontsize=f"{size}pt", color=colour, fontweight="bold" if bold else "normal",
                           fontfamily="Source Sans 3"),
        )  # fmt: skip

    def begin(self, name: str) -> None:
        """Begin a slide."""
        self.count += 1
        self.page = Page(name=name, stylename=self.paper, masterpagename=self.master)
        self.document.presentation.addElement(self.page)

    def add(self, item: SlideItem) -> None:
        """Add what is on the slide."""
        place = {"x": f"{item.left:.3f}cm", "y": f"{item.top:.3f}cm", "width": f"{item.width:.3f}cm",
                 "height": f"{item.height:.3f}cm"}  # fmt: skip
        match item:
            case SlideBox():
                self.page.addElement(Rect(stylename=self._fill(item.colour), **place))
            case SlidePicture():
                frame = Frame(stylename=self.bare, **place)
                ending = item.media_type.rpartition("/")[2].replace("jpeg", "jpg")
                name = f"Pictures/{self.count}-{len(self.page.childNodes)}.{ending}"
                name = self.document.addPicture(name, item.media_type, item.data)
                frame.addElement(Image(href=name, type="simple", show="embed", actuate="onLoad"))
                if item.words:
                    frame.addElement(Desc(text=item.words))
                self.page.addElement(frame)
            case SlideText():
                frame, box = Frame(stylename=self.bare, **place), TextBox()
                for each in item.paragraphs:
                    box.addElement(self._filled(P(stylename=self.looks[each.look]), each))
                frame.addElement(box)
                self.page.addElement(frame)
            case SlideTable():
                frame = Frame(stylename=self.bare, **place)
                frame.addElement(self._table(item))
                self.page.addElement(frame)

    def _fill(self, colour: str) -> Any:
        if colour not in self.fills:
            self.fills[colour] = self._style(
                f"fill-{len(self.fills)}", "graphic", GraphicProperties(stroke="none", fill="solid", fillcolor=colour)
            )
        return self.fills[colour]

    def _filled(self, paragraph: Any, words: SlideParagraph) -> Any:
        for run in words.runs:
            *lines, last = run.text.split("\n")
            for line in lines:
                self._add_run(paragraph, run._replace(text=line))
                paragraph.addElement(LineBreak())
            self._add_run(paragraph, run._replace(text=last))
        return paragraph

    def _add_run(self, paragraph: Any, run: SlideRun) -> None:
        if not run.text:
            return
        made = paragraph
        if run.link:
            made = A(href=run.link, type="simple")
            paragraph.addElement(made)
        if run.bold or run.italic:
            span = Span(stylename=self._run_style(run.bold, run.italic))
            made.addElement(span)
            made = span
        made.addText(run.text)

    def _run_style(self, bold: bool, italic: bool) -> Any:
        if (bold, italic) not in self.runs:
            how = {"fontweight": "bold"} if bold else {}
            how |= {"fontstyle": "italic"} if italic else {}
            self.runs[bold, italic] = self._style(f"run-{len(self.runs)}", "text", TextProperties(**how))
        return self.runs[bold, italic]

    def _table(self, table: SlideTable) -> Any:
        made = Table()
        for _ in table.heads:
            made.addElement(TableColumn())
        for number, row in enumerate((table.heads, *table.rows)):
            line = TableRow()
            styles = self.cells if number else self.heads
            for text, right in zip(row, table.numbers):
                cell = TableCell(stylename=self.cell)
                cell.addElement(P(stylename=styles[right], text=text))
                line.addElement(cell)
            made.addElement(line)
        return made
