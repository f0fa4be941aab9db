"""The metadata records of what is offered, as they lie beside its data."""

from __future__ import annotations

from starlette.requests import Request
from starlette.responses import PlainTextResponse, Response
from starlette.routing import Route

from . import answers
from .offers import Depot


class RecordAnswers:
    """Answers with the record of an offer."""

    def __init__(self, depot: Depot) -> None:
        self.depot = depot

    def routes(self) -> list[Route]:
        return [Route("/records/{id}.xml", self.answer)]

    def answer(self, request: Request) -> Response:
        path = self.depot.record_of(request.path_params["id"])
        return answers.xml(path.read_bytes()) if path is not None else PlainTextResponse("not there", 404)
