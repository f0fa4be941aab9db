"""Folders on web servers, as their pages of links list them."""

from __future__ import annotations

from html.parser import HTMLParser
from urllib.parse import unquote, urljoin, urlsplit, urlunsplit

from brisk_atlas.core.model import CannotRead, DataRef, PlaceKind
from brisk_atlas.core.model.language import tr

from .connector import Item
from .fetching import fetch

PAGE_BYTES = 20_000_000
MAX_LINKS = 20_000


class _Links(HTMLParser):
    """Gathers where the links of a page lead."""

    def __init__(self) -> None:
        super().__init__()
        self.found: list[str] = []

    def handle_starttag(self, tag: str, attributes: list[tuple[str, str | None]]) -> None:
        address = dict(attributes).get("href")
        if tag == "a" and address and len(self.found) < MAX_LINKS:
            self.found.append(address)


def links_below(address: str, page: str) -> list[str]:
    """Return the addresses that lie right below a folder's, among those that its page links to.

    >>> links_below("http://a.example/2031/", '<a href="zones.gpkg">z</a> <a href="../">up</a> <a href="?C=N">sort</a>')
    ['http://a.example/2031/zones.gpkg']
    """
    links = _Links()
    links.feed(page)
    base = urlsplit(address)
    found: dict[str, None] = {}
    for link in links.found:
        parts = urlsplit(urljoin(address, link))
        below = parts.path.removeprefix(base.path)
        if (parts.scheme, parts.netloc) != (base.scheme, base.netloc.rpartition("@")[2]) or below == parts.path:
            continue
        if below.rstrip("/") and "/" not in below.rstrip("/") and not parts.query:
            found[urlunsplit((base.scheme, base.netloc, parts.path, "", ""))] = None
    return list(found)


def list_web_folder(ref: DataRef) -> list[Item]:
    """Return what a folder on a web server holds. Raises CannotRead where its page lists nothing."""
    answer = fetch(ref, ref.place, accept="text/html", limit=PAGE_BYTES)
    page = answer.body.decode("utf-8", "replace")
    if "<a " not in page.lower():
        raise CannotRead(
            ref, tr("the web server does not list its files"), tr("Ask for the address of the file itself.")
        )
    items = []
    for address in links_below(ref.place, page):
        is_folder = address.endswith("/")
        name = unquote(urlsplit(address).path.rstrip("/").rpartition("/")[2])
        items.append(Item(DataRef(PlaceKind.ADDRESS, address), name, is_folder, 0, 0.0, answer.etag))
    return items
