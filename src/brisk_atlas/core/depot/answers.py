"""Answers of the Depot, and the documents that they are made from."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Any

from jinja2 import Environment, StrictUndefined
from starlette.requests import Request
from starlette.responses import Response

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.page_templates import page_templates

FRESH_S = 60  # that an answer may be used again


class Refused(Exception):
    """A question that can't be answered. `code` is the word that the standard has for why."""

    def __init__(self, code: str, reason: str, status: int = 400) -> None:
        super().__init__(reason)
        self.code, self.reason, self.status = code, reason, status


@cache
def _environment() -> Environment:
    folder = Path(__file__).parent / "templates"
    return page_templates(folder, StrictUndefined)


def document(name: str, **values: Any) -> bytes:
    """Return an XML document from its template; texts are escaped."""
    return _environment().get_template(name).render(**values).encode()


def xml(body: bytes, status: int = 200, media_type: str = "text/xml") -> Response:
    """Return an answer of XML."""
    return Response(body, status, media_type=media_type, headers=_term())


def picture(body: bytes, media_type: str = "image/png") -> Response:
    """Return an answer that is a picture."""
    return Response(body, media_type=media_type, headers=_term())


def _term() -> dict[str, str]:
    return {"Cache-Control": f"max-age={FRESH_S}"}


def settings_of(request: Request) -> dict[str, str]:
    """Return the settings of a question by their names in lower case."""
    return {name.lower(): value for name, value in request.query_params.items()}


def base_of(request: Request) -> str:
    """Return the address of the Depot as it was asked."""
    return str(request.base_url).rstrip("/")


def number_in(settings: dict[str, str], name: str, low: int, high: int, usual: int | None = None) -> int:
    """Return a whole number among settings. Raises Refused."""
    text = settings.get(name, "" if usual is None else str(usual))
    try:
        number = int(text)
    except ValueError:
        raise Refused(
            "InvalidParameterValue", tr("{name} is '{text}', which is no whole number", name=name, text=text)
        ) from None
    if not low <= number <= high:
        raise Refused(
            "InvalidParameterValue",
            tr(
                "{name} is {number}; it must lie between {low} and {high}", name=name, number=number, low=low, high=high
            ),
        )
    return number


def numbers_in(settings: dict[str, str], name: str, count: int) -> list[float]:
    """Return numbers separated by commas among settings. Raises Refused."""
    text = settings.get(name, "")
    try:
        numbers = [float(each) for each in text.split(",")]
    except ValueError:
        numbers = []
    if len(numbers) != count or not all(abs(n) < float("inf") for n in numbers):
        raise Refused(
            "InvalidParameterValue",
            tr("{name} is '{text}', not {count} numbers separated by commas", name=name, text=text, count=count),
        )
    return numbers
