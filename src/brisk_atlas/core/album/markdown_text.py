"""Captions and passages: Markdown (CommonMark) as HTML that can't do anything."""

from __future__ import annotations

from functools import cache
from typing import TYPE_CHECKING

from markupsafe import Markup

if TYPE_CHECKING:
    from markdown_it import MarkdownIt

SAFE_LINKS = ("https://", "http://", "mailto:", "#")


def as_html(text: str) -> Markup:
    """Return Markdown as HTML: tags in it are shown as text, pictures are left out, links lead to the web alone.

    >>> str(as_html("**Lava** <script>"))
    '<p><strong>Lava</strong> &lt;script&gt;</p>\\n'
    """
    return Markup(_parser().render(text))


@cache
def _parser() -> MarkdownIt:
    from markdown_it import MarkdownIt

    parser = MarkdownIt("commonmark", {"html": False}).disable("image")
    parser.validateLink = lambda url: url.strip().lower().startswith(SAFE_LINKS)  # type: ignore[method-assign]
    return parser
