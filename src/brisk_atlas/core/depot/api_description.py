"""What the interface of the outlets takes and answers, as OpenAPI 3.0 describes it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from starlette.routing import Route

from .api_links import GEOJSON
from .api_schemas import SCHEMAS, TEXT, answer_of

NUMBER: dict[str, Any] = {"type": "integer", "minimum": 0}
PAGE: dict[str, dict[str, Any]] = {
    "limit": {"type": "integer", "minimum": 1, "default": 100}, "offset": NUMBER | {"maximum": 100_000}, "after": TEXT,
    "bbox": TEXT, "bbox-crs": TEXT, "crs": TEXT, "filter": TEXT | {"maxLength": 4000},
    "filter-lang": {"type": "string", "enum": ["cql2-text", "cql2-json"]}, "filter-crs": TEXT, "sortby": TEXT,
    "datetime": TEXT,
}  # fmt: skip
SETTINGS: dict[str, dict[str, dict[str, Any]]] = {  # by the end of a path
    "/items": PAGE, "/items/{row}": {"crs": TEXT}, "/changes": {"since": TEXT, "crs": TEXT},
    "{id}/history": {"at": {"type": "string", "format": "date-time"}, "crs": TEXT},
    "{row}/history": {"crs": TEXT}, "/record": {"f": {"type": "string", "enum": ["iso", "dcat"]}},
}  # fmt: skip
WORDS = {
    "200": "The answer.", "201": "It was added; Location says where it is.", "204": "It was done.",
    "304": "It is as it was.", "400": "The question is not understood.", "401": "The login is wrong.",
    "403": "It is not allowed.", "404": "There is none, or none for you.", "409": "It was changed since.",
    "408": "The body did not come.", "410": "All is to be read anew.", "412": "It was changed; this is how it is now.",
    "413": "The body is too large.", "415": "The body is of another type.", "422": "The row can't be held.",
    "428": "If-Match has to name the state that was seen.", "503": "The store can't be used now.",
}  # fmt: skip
OF_METHOD = {
    "get": ("200", "304", "400", "401", "404", "422", "503"),
    "post": ("201", "400", "401", "403", "404", "408", "413", "415", "422", "503"),
    "put": ("200", "400", "401", "403", "404", "408", "412", "413", "415", "422", "428", "503"),
    "patch": ("200", "400", "401", "403", "404", "408", "412", "413", "415", "422", "428", "503"),
    "delete": ("204", "400", "401", "403", "404", "412", "428", "503"),
}
MORE = {
    "/changes": ("410",), "{id}/history": ("403",), "{row}/history": ("403",),
    "/undo": ("200", "204", "409", "410"),
}  # fmt: skip
FEATURE = {
    "type": "object",
    "properties": {"type": {"type": "string", "enum": ["Feature"]}, "properties": {"type": "object", "nullable": True},
                   "geometry": {"type": "object", "nullable": True}},
    "required": ["type"],
}  # fmt: skip
UNDO = {"type": "object", "properties": {"edit": TEXT}, "required": ["edit"]}


def described(title: str, routes: Iterable[Route]) -> dict[str, Any]:
    """Return the description of an interface."""
    paths: dict[str, Any] = {}
    for route in routes:
        for method in sorted((route.methods or set()) - {"HEAD", "OPTIONS"}):
            paths.setdefault(route.path, {})[method.lower()] = _operation(route.path, method.lower())
    schemes = {"password": {"type": "http", "scheme": "basic"}, "token": {"type": "http", "scheme": "bearer"}}
    return {
        "openapi": "3.0.3", "info": {"title": title, "version": "1"}, "paths": paths,
        "components": {"securitySchemes": schemes, "schemas": SCHEMAS},
        "security": [{}, {"password": []}, {"token": []}],
    }  # fmt: skip


def _operation(path: str, method: str) -> dict[str, Any]:
    names = [each.strip("{}") for each in path.split("/") if each.startswith("{")]
    parameters: list[dict[str, Any]] = [{"name": n, "in": "path", "required": True, "schema": TEXT} for n in names]
    if method == "get":
        settings = next((found for end, found in SETTINGS.items() if path.endswith(end)), {})
        parameters += [{"name": name, "in": "query", "schema": schema} for name, schema in settings.items()]
    if method in ("put", "patch", "delete"):
        parameters.append({"name": "If-Match", "in": "header", "schema": TEXT})
    more = next((codes for end, codes in MORE.items() if path.endswith(end)), ())
    codes = sorted({*OF_METHOD[method], *more})
    found: dict[str, Any] = {
        "parameters": parameters,
        "responses": {code: _answer(path, method, code) for code in codes},
    }
    if method in ("post", "put", "patch"):
        undo = path.endswith("/undo")
        kind = "application/json" if undo else GEOJSON
        found["requestBody"] = {"required": True, "content": {kind: {"schema": UNDO if undo else FEATURE}}}
    return found


def _answer(path: str, method: str, code: str) -> dict[str, Any]:
    content = answer_of(path, method, code)
    return {"description": WORDS[code], **({"content": content} if content is not None else {})}
