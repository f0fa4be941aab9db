"""A catalogue of scenes by the STAC API 1.0 (collections, items, search with the query extension)."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any
from urllib.parse import quote

from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Route

from . import answers
from .answers import Refused, number_in, numbers_in, settings_of

COLLECTION = "scenes"
GEOJSON = "application/geo+json"
CONFORMS = (
    "https://api.stacspec.org/v1.0.0/core", "https://api.stacspec.org/v1.0.0/collections",
    "https://api.stacspec.org/v1.0.0/item-search", "https://api.stacspec.org/v1.0.0/item-search#query",
    "https://api.stacspec.org/v1.0.0/ogcapi-features", "http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/core",
    "http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/geojson",
)  # fmt: skip
MAX_ITEMS, USUAL_ITEMS = 200, 10


@dataclass(frozen=True)
class Scene:
    """An item of the catalogue, and what gives its assets from the address of the server."""

    item: dict[str, Any]
    assets: Callable[[str], dict[str, Any]]

    @property
    def time(self) -> str:
        return str(self.item["properties"].get("datetime"))


def folder_scenes(folder: Path | None) -> list[Scene]:
    """Return the items that lie in a folder, None for none; their files are handed out by `folders`."""
    found = []
    for path in sorted(folder.rglob("*.stac.json")) if folder is not None else ():
        item = json.loads(path.read_text("utf-8"))
        if item.get("type") == "Feature":
            assert folder is not None
            here = quote(path.parent.relative_to(folder).as_posix())
            found.append(Scene(item, partial(_files, here, item["assets"])))
    return found


def _files(here: str, assets: dict[str, Any], base: str) -> dict[str, Any]:
    return {
        key: {**asset, "href": f"{base}/files/{here}/{quote(asset['href'].removeprefix('./'))}"}
        for key, asset in assets.items()
    }


def _served(scene: Scene, base: str) -> dict[str, Any]:
    """Return an item with the addresses of its files."""
    collection = f"{base}/stac/collections/{COLLECTION}"
    links = [
        _link(f"{collection}/items/{quote(scene.item['id'])}", "self", GEOJSON), _link(collection, "collection"),
        _link(collection, "parent"), _link(f"{base}/stac", "root"),
    ]  # fmt: skip
    return {**scene.item, "collection": COLLECTION, "assets": scene.assets(base), "links": links}


class SceneAnswers:
    """Answers about scenes, the latest first."""

    def __init__(self, title: str, scenes: Iterable[Scene]) -> None:
        self.title = title
        self.scenes = sorted(scenes, key=lambda each: each.time, reverse=True)

    def routes(self) -> list[Route]:
        paths = {
            "/stac": self.landing,
            "/stac/collections": self.collections,
            "/stac/collections/{id}": self.collection,
            "/stac/collections/{id}/items": self.search,
            "/stac/collections/{id}/items/{item}": self.item,
            "/stac/search": self.search,
        }
        return [Route(path, _refusing(answer)) for path, answer in paths.items()] if self.scenes else []

    def landing(self, request: Request) -> Response:
        base = f"{answers.base_of(request)}/stac"
        return JSONResponse(
            {
                "type": "Catalog", "id": "depot", "title": self.title, "description": f"Scenes of {self.title}.",
                "stac_version": "1.0.0", "conformsTo": CONFORMS,
                "links": [
                    _link(base, "self"), _link(base, "root"), _link(f"{base}/collections", "data"),
                    _link(f"{base}/collections/{COLLECTION}", "child"), _link(f"{base}/search", "search", GEOJSON),
                ],
            }
        )  # fmt: skip

    def _about(self, base: str) -> dict[str, Any]:
        boxes = [each.item["bbox"] for each in self.scenes]
        whole = [min(b[0] for b in boxes), min(b[1] for b in boxes), max(b[2] for b in boxes), max(b[3] for b in boxes)]
        times = sorted(each.time for each in self.scenes)
        here = f"{base}/collections/{COLLECTION}"
        return {
            "type": "Collection", "id": COLLECTION, "title": "Scenes",
            "stac_version": "1.0.0", "description": f"Scenes of {self.title}.", "license": "proprietary",
            "extent": {"spatial": {"bbox": [whole]}, "temporal": {"interval": [[times[0], times[-1]]]}},
            "links": [
                _link(here, "self"), _link(base, "root"), _link(base, "parent"),
                _link(f"{here}/items", "items", GEOJSON),
            ],
        }  # fmt: skip

    def collections(self, request: Request) -> Response:
        base = f"{answers.base_of(request)}/stac"
        return JSONResponse({"collections": [self._about(base)], "links": [_link(f"{base}/collections", "self")]})

    def collection(self, request: Request) -> Response:
        self._check_collection(request.path_params["id"])
        return JSONResponse(self._about(f"{answers.base_of(request)}/stac"))

    @staticmethod
    def _check_collection(name: str) -> None:
        if name != COLLECTION:
            raise Refused("NotFound", f"there is no collection '{name}'", 404)

    def item(self, request: Request) -> Response:
        self._check_collection(request.path_params["id"])
        for scene in self.scenes:
            if scene.item["id"] == request.path_params["item"]:
                return JSONResponse(_served(scene, answers.base_of(request)), media_type=GEOJSON)
        raise Refused("NotFound", "there is no such item", 404)

    def search(self, request: Request) -> Response:
        settings = settings_of(request)
        names = (
            [request.path_params["id"]]
            if "id" in request.path_params
            else settings.get("collections", COLLECTION).split(",")
        )
        for name in names:
            self._check_collection(name)
        found = [each for each in self.scenes if self._meets(each.item, settings)]
        start = number_in(settings, "token", 0, 10**6, 0)
        limit = min(number_in(settings, "limit", 1, 10**6, USUAL_ITEMS), MAX_ITEMS)
        page, base = found[start : start + limit], answers.base_of(request)
        links = [_link(str(request.url), "self", GEOJSON), _link(f"{base}/stac", "root")]
        if start + limit < len(found):
            links.append(_link(str(request.url.include_query_params(token=start + limit)), "next", GEOJSON))
        features = [_served(scene, base) for scene in page]
        answer = {"type": "FeatureCollection", "features": features, "links": links}
        return JSONResponse(answer | {"numberMatched": len(found), "numberReturned": len(page)}, media_type=GEOJSON)

    @staticmethod
    def _meets(item: dict[str, Any], settings: dict[str, str]) -> bool:
        if "bbox" in settings:
            west, south, east, north = numbers_in(settings, "bbox", 4)
            box = item["bbox"]
            if box[2] < west or box[0] > east or box[3] < south or box[1] > north:
                return False
        if settings.get("datetime"):
            first, _, last = settings["datetime"].partition("/")
            at = _time(item["properties"]["datetime"])
            last = last or first
            if (first != ".." and at < _time(first)) or (last != ".." and at > _time(last)):
                return False
        try:
            asked = json.loads(settings.get("query", "{}"))
            for name, tests in asked.items():
                value = item["properties"].get(name)
                for sign, limit in tests.items():
                    fine = {"lte": lambda v, m: v <= m, "lt": lambda v, m: v < m, "gte": lambda v, m: v >= m,
                            "gt": lambda v, m: v > m, "eq": lambda v, m: v == m}[sign]  # fmt: skip
                    if value is None or not fine(value, limit):
                        return False
        except (ValueError, AttributeError, KeyError, TypeError):
            raise Refused("InvalidParameterValue", "the query can't be followed") from None
        return True


def _time(text: str) -> datetime:
    try:
        found = datetime.fromisoformat(text.replace("Z", "+00:00"))
    except ValueError:
        raise Refused("InvalidParameterValue", f"'{text}' is no time") from None
    return found if found.tzinfo else found.replace(tzinfo=UTC)


def _link(address: str, rel: str, type_: str = "application/json") -> dict[str, str]:
    return {"href": address, "rel": rel, "type": type_}


def _refusing(answer: Any) -> Any:
    def guarded(request: Request) -> Response:
        try:
            return answer(request)
        except Refused as error:
            return JSONResponse({"code": error.code, "description": error.reason}, error.status)

    return guarded
