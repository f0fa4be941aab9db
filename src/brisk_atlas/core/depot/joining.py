"""The page on which an invitation is taken up."""

from __future__ import annotations

from starlette.requests import Request
from starlette.responses import HTMLResponse, Response
from starlette.routing import Route

from .accounts import form_in
from .answers import document
from .guarding import guarded
from .postings.depot_store import DepotStore
from .postings.people import SHORTEST_PASSWORD, BadAccount, WrongSecret
from .postings.rights import Identity


class JoinPages:
    """Answers about invitations."""

    def __init__(self, store: DepotStore, title: str, provider: str = "") -> None:
        """`provider` is what another place is called where people can sign in, "" for none."""
        self.store, self.title, self.provider = store, title, provider

    def routes(self) -> list[Route]:
        return [
            Route("/join/{secret}", guarded(self.store, self.ask), methods=["GET"]),
            Route("/join/{secret}", guarded(self.store, self.join), methods=["POST"]),
        ]

    def ask(self, request: Request, who: Identity, body: bytes) -> Response:
        """Answer with the page that asks for a name and a password."""
        return self._page(request)

    def join(self, request: Request, who: Identity, body: bytes) -> Response:
        """Make the account that was asked for."""
        given = form_in(request, body)
        name, password = given.get("name", ""), given.get("password", "")
        try:
            joined = self.store.people.join(request.path_params["secret"], name, password)
        except (BadAccount, WrongSecret) as error:
            return self._page(request, str(error), name, 400)
        return self._page(request, joined=joined.account)

    def _page(self, request: Request, fault: str = "", name: str = "", status: int = 200, joined: str = "") -> Response:
        text = document(
            "join.html", title=self.title, fault=fault, account=name, joined=joined, provider=self.provider,
            invitation=request.path_params["secret"], shortest=SHORTEST_PASSWORD,
        )  # fmt: skip
        return HTMLResponse(text, status)
