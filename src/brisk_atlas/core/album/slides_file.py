"""An album as slides: an OpenDocument presentation (ISO/IEC 26300), a slide for each figure and passage."""

from __future__ import annotations

import io
from collections.abc import Callable
from typing import Any

from lxml import html
from odf.dc import Title as DocumentTitle
from odf.draw import Frame, Image, Page, TextBox
from odf.opendocument import OpenDocumentPresentation
from odf.style import (
    DrawingPageProperties,
    GraphicProperties,
    MasterPage,
    PageLayout,
    PageLayoutProperties,
    ParagraphProperties,
    Style,
    TextProperties,
)
from odf.svg import Desc
from odf.text import A, P, Span

from .markdown_text import paragraphs_of
from .page_parts import PageContent, PageFigure, PagePassage, PagePicture

WIDTH_CM, HEIGHT_CM, EDGE_CM = 28.0, 15.75, 1.2
HEAD_CM, FOOT_CM, GAP_CM = 1.6, 0.9, 0.5
CAPTION_CM = 2.6
MOST_TEXT = 2_000  # characters of a slide's text
INK, QUIET, PAPER = "#1D2A35", "#5F6B73", "#FFFDF8"
TEXTS = {"head": ("26pt", INK, "bold"), "title": ("40pt", INK, "bold"), "text": ("16pt", INK, "normal"),
         "small": ("11pt", QUIET, "normal")}  # fmt: skip


def album_slides(content: PageContent, *, check: Callable[[], None] = lambda: None) -> bytes:
    """Return the file. `check` may raise to stop."""
    document = OpenDocumentPresentation()
    document.meta.addElement(DocumentTitle(text=_plain(content.title)))
    maker = _Slides(document)
    maker.title(content)
    for part in content.parts:
        check()
        if isinstance(part, PagePassage):
            maker.passage(part)
        else:
            maker.figure(part)
    out = io.BytesIO()
    document.write(out)
    return out.getvalue()


class _Slides:
    """The slides of a document, as they are added."""

    def __init__(self, document: Any) -> None:
        self.document, self.count = document, 0
        layout = PageLayout(name="page")
        layout.addElement(PageLayoutProperties(pagewidth=f"{WIDTH_CM}cm", pageheight=f"{HEIGHT_CM}cm", margin="0cm",
                                               printorientation="landscape"))  # fmt: skip
        document.automaticstyles.addElement(layout)
        paper = Style(name="paper", family="drawing-page")
        paper.addElement(DrawingPageProperties(fill="solid", fillcolor=PAPER, backgroundvisible="true"))
        document.automaticstyles.addElement(paper)
        self.paper = paper
        self.master = MasterPage(name="album", pagelayoutname=layout, stylename=paper)
        document.masterstyles.addElement(self.master)
        self.bare = Style(name="bare", family="graphic")
        self.bare.addElement(GraphicProperties(stroke="none", fill="none", padding="0cm"))
        document.automaticstyles.addElement(self.bare)
        self.texts: dict[str, Any] = {}
        for name, (size, colour, weight) in TEXTS.items():
            style = Style(name=name, family="paragraph")
            style.addElement(ParagraphProperties(marginbottom="0.15cm"))
            style.addElement(TextProperties(fontsize=size, color=colour, fontweight=weight, fontfamily="Source Sans 3"))
            document.automaticstyles.addElement(style)
            self.texts[name] = style
        self.spans: dict[str, Any] = {}
        for tag, how in (("b", {"fontweight": "bold"}), ("i", {"fontstyle": "italic"})):
            style = Style(name=f"span-{tag}", family="text")
            style.addElement(TextProperties(**how))
            document.automaticstyles.addElement(style)
            self.spans[tag] = style

    def _page(self, name: str) -> Any:
        self.count += 1
        page = Page(name=f"{self.count} {_plain(name)[:60]}".strip(), stylename=self.paper, masterpagename=self.master)
        self.document.presentation.addElement(page)
        return page

    def title(self, content: PageContent) -> None:
        page = self._page(content.title)
        self._box(page, 5.0, 5.0, [self._words(content.title, "title"), *self._texts(content.summary, "text")])

    def passage(self, passage: PagePassage) -> None:
        page = self._page(passage.title)
        top = EDGE_CM + HEAD_CM if passage.title else EDGE_CM
        if passage.title:
            self._box(page, EDGE_CM, HEAD_CM, [self._words(passage.title, "head")])
        self._box(page, top, HEIGHT_CM - top - EDGE_CM, self._texts(passage.text, "text"))

    def figure(self, figure: PageFigure) -> None:
        page = self._page(figure.title)
        top = EDGE_CM
        if figure.title:
            self._box(page, top, HEAD_CM, [self._words(figure.title, "head")])
            top += HEAD_CM
        caption = CAPTION_CM if figure.caption else 0.0
        high = HEIGHT_CM - top - caption - FOOT_CM - EDGE_CM
        share = (WIDTH_CM - 2 * EDGE_CM - GAP_CM * (len(figure.pictures) - 1)) / max(1, len(figure.pictures))
        for number, picture in enumerate(figure.pictures):
            words = f"{figure.alt or figure.title}{f': {picture.name}' if picture.name else ''}"
            self._picture(page, picture, EDGE_CM + number * (share + GAP_CM), top, share, high, words)
        self._box(page, top + high + 0.1, caption, self._texts(figure.caption, "text"))
        names = (each.name for each in figure.pictures if each.name)
        line = " · ".join(filter(None, (*names, *figure.facts, *figure.sources, figure.note)))
        self._box(page, HEIGHT_CM - FOOT_CM - 0.3, FOOT_CM, [self._words(line, "small")])

    def _picture(
        self, page: Any, picture: PagePicture, left: float, top: float, most_wide: float, most_high: float, words: str
    ) -> None:
        scale = min(most_wide / picture.width, most_high / picture.height)
        wide, high = picture.width * scale, picture.height * scale
        data, media_type = as_jpeg(picture)
        name = self.document.addPicture(f"Pictures/{self.count}-{left:.0f}.jpg", media_type, data)
        frame = Frame(width=f"{wide:.3f}cm", height=f"{high:.3f}cm", x=f"{left + (most_wide - wide) / 2:.3f}cm",
                      y=f"{top:.3f}cm", stylename=self.bare)  # fmt: skip
        frame.addElement(Image(href=name, type="simple", show="embed", actuate="onLoad"))
        frame.addElement(Desc(text=_plain(words)))
        page.addElement(frame)

    def _box(self, page: Any, top: float, high: float, paragraphs: list[Any]) -> None:
        if high <= 0 or not paragraphs:
            return
        frame = Frame(width=f"{WIDTH_CM - 2 * EDGE_CM}cm", height=f"{high:.3f}cm", x=f"{EDGE_CM}cm", y=f"{top:.3f}cm",
                      stylename=self.bare)  # fmt: skip
        box = TextBox()
        for each in paragraphs:
            box.addElement(each)
        frame.addElement(box)
        page.addElement(frame)

    def _words(self, text: str, style: str) -> Any:
        return P(stylename=self.texts[style], text=_plain(text)[:MOST_TEXT])

    def _texts(self, markdown: str, style: str) -> list[Any]:
        found = []
        for text, in_list in paragraphs_of(_plain(markdown)[:MOST_TEXT]):
            paragraph = P(stylename=self.texts[style], text="• " if in_list else "")
            self._add_spans(paragraph, html.fragment_fromstring(text, create_parent="p"))
            found.append(paragraph)
        return found

    def _add_spans(self, parent: Any, element: Any) -> None:
        """Add what an element of a page layout has to a paragraph: text, strong, emphasis and links."""
        parent.addText(_plain(element.text or ""))
        for each in element:
            made = (
                A(href=each.get("href"), type="simple") if each.tag == "a" else Span(stylename=self.spans.get(each.tag))
            )
            self._add_spans(made, each)
            parent.addElement(made)
            parent.addText(_plain(each.tail or ""))


def as_jpeg(picture: PagePicture) -> tuple[bytes, str]:
    """Return a picture in a format that every program reads, and its media type."""
    from PIL import Image as PilImage

    if picture.media_type == "image/jpeg":
        return picture.data, picture.media_type
    out = io.BytesIO()
    with PilImage.open(io.BytesIO(picture.data)) as found:
        found.convert("RGB").save(out, "JPEG", quality=95, subsampling=0)
    return out.getvalue(), "image/jpeg"


def _plain(text: str) -> str:
    """Return a text without characters that XML does not have."""
    return "".join(each for each in text if each in "\t\n" or 0x20 <= ord(each) < 0xD800 or 0xE000 <= ord(each) < 0xFFFE
                   or ord(each) > 0xFFFF)  # fmt: skip
