"""Links to views of the map: `brisk-atlas:view?crs=EPSG:32727&x=510380&y=5769700&...&layer=...`.

A link names layers by their references, and where the map was. It carries no data, no style and no password.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from math import isfinite
from urllib.parse import parse_qs, urlencode

from pyproj.exceptions import CRSError

from brisk_atlas.core.model import AtlasError, DataRef, PlaceKind
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import proj_crs

from .named_places import NamedPlace

SCHEME = "brisk-atlas:"
VIEW = f"{SCHEME}view?"
MOST_LAYERS = 50
MOST_TEXT = 32_000  # characters of a link
MOST_PIXELS = 20_000
CODE = re.compile(r"[A-Z]{2,8}:\w{1,16}|[A-Z]{3,20}\[.*", re.DOTALL)  # of an authority, or WKT


@dataclass(frozen=True)
class ViewLink:
    """A view of the map and its layers, the topmost first."""

    place: NamedPlace
    layers: tuple[DataRef, ...]

    @classmethod
    def of(cls, place: NamedPlace, layers: Iterable[DataRef]) -> ViewLink:
        """Return the link to a place and layers; what is drawn by hand lies nowhere that a link could lead to."""
        refs = dict.fromkeys(ref for ref in layers if ref.kind is not PlaceKind.INLINE)
        bare = place._replace(id="", name="", picture=b"", eye=None)
        return cls(bare, tuple(refs)[:MOST_LAYERS])

    def __str__(self) -> str:
        place = self.place
        settings: list[tuple[str, str]] = [("crs", place.crs)] if place.crs else []
        settings += [(name, repr(float(getattr(place, name)))) for name in ("x", "y", "resolution")]
        settings += [("turn", repr(float(place.turn)))] if place.turn else []
        settings += [("width", str(place.width)), ("height", str(place.height))]
        return VIEW + urlencode([*settings, *(("layer", str(ref)) for ref in self.layers)])

    @classmethod
    def parse(cls, text: str) -> ViewLink:
        """Return what a link says. Raises AtlasError for one that says no view."""
        if not text.startswith(VIEW) or len(text) > MOST_TEXT:
            raise AtlasError(text[:80], tr("it is no link to a view"), tr("A link begins with {view}", view=VIEW))
        try:
            settings = parse_qs(text.removeprefix(VIEW), strict_parsing=True, max_num_fields=MOST_LAYERS + 10)
            x, y, resolution, turn = (float(settings.get(name, ["0"])[0]) for name in ("x", "y", "resolution", "turn"))
            width, height = (int(settings[name][0]) for name in ("width", "height"))
        except (ValueError, KeyError) as error:
            raise AtlasError(
                text[:80], tr("the link is damaged ({error})", error=error), tr("Ask for it again.")
            ) from None
        crs = settings.get("crs", [None])[0]
        is_sound = all(map(isfinite, (x, y, resolution, turn))) and resolution > 0
        if not is_sound or not (0 < width <= MOST_PIXELS and 0 < height <= MOST_PIXELS):
            raise AtlasError(text[:80], tr("the link names no place"), tr("Ask for it again."))
        if crs is not None and not _is_known(crs):
            raise AtlasError(text[:80], tr("its CRS “{crs}” is not known", crs=crs[:60]), tr("Ask for it again."))
        layers = tuple(DataRef.parse(each) for each in settings.get("layer", ()))
        if any(ref.kind is PlaceKind.INLINE for ref in layers):
            raise AtlasError(text[:80], tr("a link carries no data"), tr("Ask for the file itself."))
        return cls(NamedPlace("", "", x, y, resolution, width, height, crs, turn), layers)


def _is_known(crs: str) -> bool:
    """Return whether a text is a CRS by its code or as WKT, and one that is known."""
    if not CODE.fullmatch(crs):
        return False
    try:
        proj_crs(crs)
    except CRSError:
        return False
    return True
