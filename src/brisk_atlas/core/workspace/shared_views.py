"""Views that others can open: links of plates, and the links that the page of an album has."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from typing import NamedTuple

from lxml import etree, html

from brisk_atlas.core.connect.fetching import fetch, without_secrets
from brisk_atlas.core.model import AtlasError, DataRef, PlaceKind

from .named_places import NamedPlace
from .plates import PlateView
from .view_link import VIEW, ViewLink

REACHED = (PlaceKind.ADDRESS, PlaceKind.SERVICE)  # from another machine, unlike files, and without a login of its own
PAGE = re.compile(r"https?://.+(/pages/[\w-]+(/album)?/?|\.html?)")
MOST_BYTES = 200_000_000
MOST_VIEWS = 500
TITLE = 200  # characters


class SharedView(NamedTuple):
    """A view that a page links to, under a title."""

    title: str
    link: ViewLink


def link_for_others(view: PlateView) -> ViewLink | None:
    """Return the link to what a plate shows, None where some of it lies where only this machine reaches it, or behind a
    key that stands in its address."""
    refs = [layer.ref for layer in view.shown]
    if not refs or any(ref.kind not in REACHED or without_secrets(ref.place) != ref.place for ref in refs):
        return None
    place = NamedPlace("", "", view.x, view.y, view.resolution, view.width, view.height, view.crs, view.turn)
    return ViewLink.of(place, refs)


def may_have_views(ref: DataRef) -> bool:
    """Return whether an address may be that of an album's page: of a Depot, or a page of a web server."""
    return ref.kind is PlaceKind.ADDRESS and not ref.inner and bool(PAGE.fullmatch(ref.place))


def views_of_page(ref: DataRef, check: Callable[[], None] = lambda: None) -> tuple[SharedView, ...]:
    """Return the views that the page of an album links to, in its order; none where it is no such page. A Depot's page
    about an album leads to the album. Raises CannotRead, NeedsPassword."""
    at_album = "/pages/" in ref.place and not ref.place.rstrip("/").endswith(("/album", ".html", ".htm"))
    place = f"{ref.place.rstrip('/')}/album" if at_album else ref.place
    body = fetch(replace(ref, place=place), place, accept="text/html", limit=MOST_BYTES, check=check).body
    try:
        root = html.document_fromstring(body)
    except (etree.ParserError, ValueError):
        return ()
    found: list[SharedView] = []
    for each in root.iter("a"):
        if each.get("href", "").startswith(VIEW) and len(found) < MOST_VIEWS:
            try:
                link = ViewLink.parse(each.get("href"))
            except AtlasError:
                continue  # others may be sound
            if not any(ref.is_local for ref in link.layers):  # a page from elsewhere opens no files of this machine
                found.append(SharedView(each.get("title", "")[:TITLE], link))
    return tuple(found)
