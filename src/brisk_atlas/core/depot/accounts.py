"""The pages on which people sign in with a browser, and make tokens for their scripts."""

from __future__ import annotations

import hmac
from datetime import UTC, datetime, timedelta
from urllib.parse import parse_qs, urlsplit

from starlette.requests import Request
from starlette.responses import HTMLResponse, RedirectResponse, Response
from starlette.routing import Route

from brisk_atlas.core.model.language import tr

from .answers import Refused, document
from .guarding import guarded
from .postings.depot_store import DepotStore
from .postings.people import BadAccount, People, WrongSecret
from .postings.rights import Identity, Right, right_words
from .who_asks import COOKIE

SESSION_S = 12 * 3600
LONGEST_DAYS = 366
FORM = "application/x-www-form-urlencoded"


class AccountPages:
    """Answers about one's own account. What is sent comes from a page of this Depot, with a mark that no other has."""

    def __init__(self, store: DepotStore, title: str, provider: str = "") -> None:
        """`provider` is what another place is called where people can sign in, "" for none."""
        self.store, self.title, self.provider = store, title, provider

    def routes(self) -> list[Route]:
        answers = [("GET", "/login", self.ask), ("POST", "/login", self.sign_in), ("POST", "/logout", self.sign_out),
                   ("GET", "/account", self.account), ("POST", "/account", self.make_token),
                   ("POST", "/account/drop", self.drop_token)]  # fmt: skip
        return [Route(path, guarded(self.store, answer), methods=[method]) for method, path, answer in answers]

    def ask(self, request: Request, who: Identity, body: bytes) -> Response:
        """Answer with the page that asks for a name and a password."""
        return self._login_page()

    def _login_page(self, fault: str = "", name: str = "", status: int = 200) -> Response:
        text = document("login.html", title=self.title, who="", fault=fault, account=name, provider=self.provider)
        return HTMLResponse(text, status)

    def sign_in(self, request: Request, who: Identity, body: bytes) -> Response:
        """Begin a session of a browser."""
        given = form_in(request, body)
        try:
            found = self.store.people.by_password(given.get("name", ""), given.get("password", ""))
        except WrongSecret as error:
            return self._login_page(str(error), given.get("name", ""), 401)
        answer = RedirectResponse("pages", 303)
        begin_session(self.store.people, answer, found.account, secure=request.url.scheme == "https")
        return answer

    def sign_out(self, request: Request, who: Identity, body: bytes) -> Response:
        """End the session of a browser."""
        self._checked(request, body)
        self.store.people.end_session(request.cookies.get(COOKIE, ""))
        answer = RedirectResponse("pages", 303)
        answer.delete_cookie(COOKIE)
        return answer

    def account(self, request: Request, who: Identity, body: bytes) -> Response:
        """Answer with what an account is, and its tokens."""
        return self._account_page(request, who) if who.account else RedirectResponse("login", 303)

    def _account_page(self, request: Request, who: Identity, made: str = "", fault: str = "") -> Response:
        text = document(
            "account.html", title=self.title, who=who.account, circles=sorted(who.circles), owner=who.is_owner,
            tokens=[(each.label, [right_words(right) for right in Right if right in each.scope], each.until[:10])
                    for each in self.store.people.tokens(who.account)],
            rights=[(each.value, right_words(each)) for each in Right], made=made, fault=fault,
            mark=mark_of(request),
        )  # fmt: skip
        return HTMLResponse(text, 400 if fault else 200)

    def make_token(self, request: Request, who: Identity, body: bytes) -> Response:
        """Make a token, which is shown once."""
        given = self._checked(request, body)
        wanted = parse_qs(body.decode("utf-8", "replace")).get("right", [])
        label, days = given.get("label", "").strip()[:80], given.get("days", "")
        if not label or not days.isdecimal() or not 1 <= int(days) <= LONGEST_DAYS:
            return self._account_page(
                request, who, fault=tr("a token has a name, and is good for 1 to {days} days", days=LONGEST_DAYS)
            )
        scope = frozenset(each for each in Right if each.value in wanted) | {Right.READ}
        try:
            until = datetime.now(UTC) + timedelta(days=int(days))
            return self._account_page(request, who, self.store.people.make_token(who.account, label, scope, until))
        except BadAccount as error:
            return self._account_page(request, who, fault=str(error))

    def drop_token(self, request: Request, who: Identity, body: bytes) -> Response:
        """Make the tokens of a name worth nothing."""
        given = self._checked(request, body)
        self.store.people.drop_tokens(who.account, given.get("label", ""))
        return RedirectResponse("../account", 303)

    def _checked(self, request: Request, body: bytes) -> dict[str, str]:
        """Return what a form of a signed-in browser has. Raises Refused for one that is not of this Depot."""
        given = form_in(request, body)
        session = request.cookies.get(COOKIE, "")
        if not session or not hmac.compare_digest(given.get("mark", ""), mark_of(request)):
            raise Refused("NotAllowed", tr("this was not sent by a page of this Depot"), 403)
        return given


def begin_session(people: People, answer: Response, account: str, *, secure: bool) -> None:
    """Have an answer begin the session of a browser."""
    secret = people.begin_session(account)
    answer.set_cookie(COOKIE, secret, max_age=SESSION_S, httponly=True, samesite="strict", secure=secure)


def mark_of(request: Request) -> str:
    """Return what the forms of a session carry, which no page elsewhere knows."""
    return hmac.digest(request.cookies.get(COOKIE, "").encode(), b"form", "sha256").hex()


def form_in(request: Request, body: bytes) -> dict[str, str]:
    """Return what a form has. Raises Refused for one that another site sent."""
    origin, site = request.headers.get("origin", ""), request.headers.get("sec-fetch-site", "")
    is_ours = site in ("same-origin", "none")
    if origin == "null":  # as browsers send it from pages that do not say where they lie, ours too
        is_here = is_ours
    else:
        is_here = (not origin or urlsplit(origin).netloc == request.headers.get("host", "")) and (not site or is_ours)
    if not is_here:
        raise Refused("NotAllowed", tr("this was sent by a page elsewhere"), 403)
    if request.headers.get("content-type", "").partition(";")[0].strip().lower() != FORM:
        raise Refused("InvalidParameterValue", tr("a form is wanted"), 415)
    return {name: values[0] for name, values in parse_qs(body.decode("utf-8", "replace")).items()}
