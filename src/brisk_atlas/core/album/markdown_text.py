"""Captions and passages: Markdown (CommonMark) as HTML that can't do anything."""

from __future__ import annotations

from functools import cache
from typing import TYPE_CHECKING
from xml.sax.saxutils import escape

from markupsafe import Markup

if TYPE_CHECKING:
    from markdown_it import MarkdownIt
    from markdown_it.token import Token

SAFE_LINKS = ("https://", "http://", "mailto:", "#")


def as_html(text: str) -> Markup:
    """Return Markdown as HTML: tags in it are shown as text, pictures are left out, links lead to the web alone.

    >>> str(as_html("**Lava** <script>"))
    '<p><strong>Lava</strong> &lt;script&gt;</p>\\n'
    """
    return Markup(_parser().render(text))


def paragraphs_of(text: str) -> list[tuple[str, bool]]:
    """Return Markdown as paragraphs with the tags that a page layout knows (b, i, a), and whether each is an item of a
    list.

    >>> paragraphs_of("**Lava** & ash\\n\\n- one")
    [('<b>Lava</b> &amp; ash', False), ('one', True)]
    """
    found, in_item = list[tuple[str, bool]](), 0
    for token in _parser().parse(text):
        in_item += {"list_item_open": 1, "list_item_close": -1}.get(token.type, 0)
        if token.type == "inline":
            found.append(("".join(map(_layout_tag, token.children or ())), in_item > 0))
        elif token.type in ("code_block", "fence"):
            found.append((escape(token.content), False))
    return [each for each in found if each[0].strip()]


def _layout_tag(token: Token) -> str:
    match token.type:
        case "strong_open" | "strong_close":
            return "<b>" if token.nesting > 0 else "</b>"
        case "em_open" | "em_close":
            return "<i>" if token.nesting > 0 else "</i>"
        case "link_open":
            return f'<a href="{escape(str(token.attrGet("href")), {chr(34): "&quot;"})}" color="#B33F28">'
        case "link_close":
            return "</a>"
        case "softbreak":
            return " "
        case "hardbreak":
            return "<br/>"
        case _:
            return escape(token.content)


@cache
def _parser() -> MarkdownIt:
    from markdown_it import MarkdownIt

    parser = MarkdownIt("commonmark", {"html": False}).disable("image")
    parser.validateLink = lambda url: url.strip().lower().startswith(SAFE_LINKS)  # type: ignore[method-assign]
    return parser
