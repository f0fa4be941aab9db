"""The addresses by which people sign in at their own provider and come back."""

from __future__ import annotations

import hmac

from starlette.requests import Request
from starlette.responses import HTMLResponse, RedirectResponse, Response
from starlette.routing import Route

from brisk_atlas.core.model.language import tr

from .accounts import begin_session
from .answers import base_of, document
from .guarding import guarded
from .openid import BEGUN_S, BegunLogin, OpenIdFault, OpenIdLogin
from .postings.depot_store import DepotStore
from .postings.people import BadAccount, WrongSecret
from .postings.rights import Identity

BEGUN = "depot_login"  # the cookie of a login that was begun


class OpenIdPages:
    """Answers about logins by a provider."""

    def __init__(self, store: DepotStore, login: OpenIdLogin, title: str) -> None:
        self.store, self.login, self.title = store, login, title

    def routes(self) -> list[Route]:
        return [Route("/login/openid", guarded(self.store, self.leave)),
                Route("/login/openid/back", guarded(self.store, self.come_back))]  # fmt: skip

    def leave(self, request: Request, who: Identity, body: bytes) -> Response:
        """Send a browser to the provider."""
        begun = BegunLogin.new(request.query_params.get("invitation", "")[:200])
        try:
            answer = RedirectResponse(self.login.address(begun, _back(request)), 303)
        except OpenIdFault as error:
            return self._page(fault=str(error), status=502)
        answer.set_cookie(BEGUN, begun.sealed(self.store.database.key), max_age=int(BEGUN_S), httponly=True,
                          samesite="lax", secure=request.url.scheme == "https", path="/login")  # fmt: skip
        return answer

    def come_back(self, request: Request, who: Identity, body: bytes) -> Response:
        """Begin the session of somebody who has signed in at the provider."""
        given = request.query_params
        try:
            begun = BegunLogin.opened(request.cookies.get(BEGUN, ""), self.store.database.key)
            if not hmac.compare_digest(given.get("state", "").encode(), begun.state.encode()):
                raise OpenIdFault(tr("this is the answer to another login"))
            if "code" not in given:
                without = tr("without a reason")
                raise OpenIdFault(tr("the provider refused ({reason})", reason=given.get("error", without)[:80]))
            person = self.login.person(begun, given["code"], _back(request))
        except OpenIdFault as error:
            return self._page(fault=str(error), status=401)
        people = self.store.people
        try:
            found = people.by_openid(person.issuer, person.subject)
            if begun.invitation and not found.account:
                found = people.join_by_openid(begun.invitation, person.issuer, person.subject, person.name)
        except (BadAccount, WrongSecret) as error:
            return self._page(fault=str(error), status=403)
        if not found.account:
            return self._page(fault=tr("you have no account here; ask for an invitation"), status=403)
        answer = self._page(account=found.account)
        begin_session(self.store.people, answer, found.account, secure=request.url.scheme == "https")
        answer.delete_cookie(BEGUN, path="/login")
        return answer

    def _page(self, *, account: str = "", fault: str = "", status: int = 200) -> Response:
        return HTMLResponse(document("openid.html", title=self.title, who=account, fault=fault), status)


def _back(request: Request) -> str:
    return f"{base_of(request)}/login/openid/back"
