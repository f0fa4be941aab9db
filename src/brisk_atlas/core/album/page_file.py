"""An album as one file of HTML: pictures, fonts, features and scripts are in it, and nothing is fetched."""

from __future__ import annotations

import base64
import hashlib
import re
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any

from jinja2 import Environment, StrictUndefined
from markupsafe import Markup

from brisk_atlas.core.model.page_templates import in_script, page_templates, script_words
from brisk_atlas.core.paper.font_subset import script_subset, shipped_scripts, subset

from .held_data import HeldData
from .markdown_text import as_html
from .page_parts import PageContent, PageFeatures, PageFigure, PagePassage, PagePicture, PageSeries
from .picture_tiles import SIDE_PX, tiled

Address = Callable[[str, bytes], str]  # where data of a media type is had from
HERE = Path(__file__).parent
PICTURES = "pictures"
PICTURE = re.compile(r"base64,[A-Za-z0-9+/=]*")  # which is most of a page, and shows no letters
FONTS = (("Sans", 400, "sans"), ("Sans", 600, "sans-bold"), ("Mono", 400, "mono"))


def album_page(content: PageContent, version: str = "") -> bytes:
    """Return the file, in UTF-8. `version` is that of the application which writes it."""
    held = HeldData()
    return held.put_into(_page(content, version, held.address, "data:"))


def album_folder(content: PageContent, version: str = "") -> dict[str, bytes]:
    """Return the files of a folder for a web server, by their paths in it: the page, and pictures beside it, which are
    fetched when they come in sight."""
    pictures: dict[str, bytes] = {}

    def beside(media_type: str, data: bytes) -> str:
        name = f"{hashlib.sha256(data).hexdigest()[:16]}.{media_type.partition('/')[2]}"
        pictures[f"{PICTURES}/{name}"] = data
        return f"{PICTURES}/{name}"

    page = _page(content, version, beside, "'self' file: data:")  # a page of the disk is of no origin
    return {"index.html": page.encode("utf-8", "replace"), **pictures}


def _page(content: PageContent, version: str, address: Address, image_sources: str) -> str:
    data = {each.id: [_as_json(layer) for layer in each.features]
            for each in content.parts if isinstance(each, PageFigure) and each.features}  # fmt: skip
    shown = ShownPictures(address)
    body = _environment().get_template("parts.html").render(content=content, shown=shown.shown)
    reliefs = [each for each in content.parts if isinstance(each, PageFigure) and each.relief is not None]
    script = _asset("album.js") + (_asset("relief.js") if reliefs else "")
    words = script_words(script)
    style = _asset("album.css") + _font_faces(_characters(body, data, words))
    return _environment().get_template("album.html").render(
        content=content, body=Markup(body), version=version, image_sources=image_sources,
        script=Markup(script), script_hash=_hash(script),
        style=Markup(style), style_hash=_hash(style),
        models={each.id: base64.b64encode(each.relief.model).decode() for each in reliefs if each.relief is not None},
        data=in_script({"words": words, "parts": data}),
        tiles={name: in_script(levels) for name, levels in shown.tiles.items()},
    )  # fmt: skip


class ShownPictures:
    """The pictures of a page as it names them; of large ones the tiles, by their name."""

    def __init__(self, address: Address) -> None:
        self._address = address
        self.tiles: dict[str, dict[str, Any]] = {}

    def shown(self, picture: PagePicture) -> dict[str, Any]:
        """Return what stands on the page for a picture: `address`, and for a large one `tiles`, their name, and `full`,
        its width in pixels."""
        parts = tiled(picture.data)
        if parts is None:
            return {"address": self._address(picture.media_type, picture.data)}
        name = f"tiles-{len(self.tiles) + 1}"
        self.tiles[name] = {"side": SIDE_PX, "levels": [
            {"width": level.width, "height": level.height,
             "tiles": [self._address(parts.media_type, each) for each in level.tiles]} for level in parts.levels
        ]}  # fmt: skip
        overview = self._address(parts.media_type, parts.overview)
        return {"address": overview, "tiles": name, "full": parts.levels[-1].width}


def _as_json(features: PageFeatures) -> dict[str, Any]:
    paths = [[path.ravel().tolist() for path in each] for each in features.paths]
    return {"layer": features.layer, "fields": features.fields, "rows": features.rows, "kinds": features.kinds,
            "paths": paths, "series": _series_json(features.series)}  # fmt: skip


def _series_json(series: PageSeries | None) -> dict[str, Any] | None:
    if series is None:
        return None
    return {"title": series.title, "source": series.source, "lines": series.lines, "rows": series.of_rows,
            "thinned": series.is_thinned}  # fmt: skip


def _characters(*texts: Any) -> str:
    """Return the characters of texts, in order; what no font of ours has is left to those of the reader's machine."""
    found = {character for text in texts for character in PICTURE.sub("", str(text))}
    return "".join(sorted(each for each in found if ord(each) >= 32 and not 0xD800 <= ord(each) < 0xE000))


def _font_faces(characters: str) -> str:
    faces = [_font_face(family, str(weight), subset(face, characters)) for family, weight, face in FONTS]
    for font, letters in shipped_scripts(characters).items():
        data, range_of = script_subset(font, letters), ", ".join(f"U+{ord(each):X}" for each in letters)
        faces += [_font_face(family, "400 600", data, f" unicode-range: {range_of};") for family in ("Sans", "Mono")]
    return "".join(faces)


def _font_face(family: str, weight: str, data: bytes, more: str = "") -> str:
    address = f"data:font/woff;base64,{base64.b64encode(data).decode()}"
    return f"\n@font-face {{ font-family: {family}; font-weight: {weight}; src: url({address});{more} }}"


def _hash(text: str) -> str:
    """Return what a content security policy calls a script or a style by."""
    return f"sha256-{base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()}"


@cache
def _asset(name: str) -> str:
    return (HERE / "assets" / name).read_text("utf-8")


@cache
def _environment() -> Environment:
    made = page_templates(HERE / "templates", StrictUndefined)
    made.filters["markdown"] = as_html
    made.tests["passage"] = lambda part: isinstance(part, PagePassage)
    return made
