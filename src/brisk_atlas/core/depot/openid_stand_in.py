"""A stand-in for the provider of an office's accounts (OpenID Connect): anybody may say who they are.

It is for trying out and for tests alone, on the loopback.
"""

from __future__ import annotations

import base64
import html
import secrets
import time
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import parse_qs, urlencode

import uvicorn
from authlib.oauth2.rfc7636 import create_s256_code_challenge
from joserfc import jwt
from joserfc.jwk import KeySet, RSAKey
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from starlette.routing import Route

from .answers import base_of

PEOPLE = ("ada", "ben", "mara")
CLIENT, SECRET = "depot", "not a secret"
GOOD_S = 300


@dataclass
class OpenIdStandIn:
    """The provider. `spoilt` says what is wrong with the next tokens: "nonce", "audience", "issuer", "expired",
    "signature", "unsigned" or "silent"; "" for nothing."""

    spoilt: str = ""
    key: RSAKey = field(default_factory=lambda: RSAKey.generate_key(2048, {"kid": secrets.token_hex(4)}))
    _codes: dict[str, dict[str, str]] = field(default_factory=dict)

    def app(self) -> Starlette:
        return Starlette(
            routes=[
                Route("/.well-known/openid-configuration", self.about),
                Route("/authorize", self.authorize),
                Route("/token", self.token, methods=["POST"]),
                Route("/keys", self.keys),
            ]
        )

    def change_key(self) -> None:
        """Sign by another key from now on."""
        self.key = RSAKey.generate_key(2048, {"kid": secrets.token_hex(4)})

    def about(self, request: Request) -> Response:
        base = base_of(request)
        return JSONResponse({
            "issuer": base, "authorization_endpoint": f"{base}/authorize", "token_endpoint": f"{base}/token",
            "jwks_uri": f"{base}/keys", "id_token_signing_alg_values_supported": ["RS256", "none"],
            "response_types_supported": ["code"], "subject_types_supported": ["public"],
        })  # fmt: skip

    def keys(self, request: Request) -> Response:
        return JSONResponse(KeySet([self.key]).as_dict(private=False))

    def authorize(self, request: Request) -> Response:
        """Ask who it is, or send the browser back with a code for the person that was chosen."""
        given = dict(request.query_params)
        person = given.pop("person", "")
        if given.get("client_id") != CLIENT or given.get("response_type") != "code":
            return HTMLResponse("<p>Unknown client.</p>", 400)
        if person not in PEOPLE:
            links = "".join(f'<li><a href="?{html.escape(urlencode({**given, "person": each}))}">{each}</a></li>'
                            for each in PEOPLE)  # fmt: skip
            return HTMLResponse(f"<title>Who are you?</title><h1>Who are you?</h1><ul>{links}</ul>")
        code = secrets.token_urlsafe(16)
        self._codes[code] = {**given, "person": person}
        back = urlencode({"code": code, "state": given.get("state", "")})
        return RedirectResponse(f"{given['redirect_uri']}?{back}", 303)

    async def token(self, request: Request) -> Response:
        """Say who it was, for a code, once."""
        given = {name: values[0] for name, values in parse_qs((await request.body()).decode()).items()}
        login = base64.b64encode(f"{CLIENT}:{SECRET}".encode()).decode()
        asked = self._codes.pop(given.get("code", ""), None)
        is_right = (
            asked is not None and request.headers.get("authorization") == f"Basic {login}"
            and given.get("redirect_uri") == asked["redirect_uri"]
            and create_s256_code_challenge(given.get("code_verifier", "")) == asked["code_challenge"]
        )  # fmt: skip
        if not is_right or asked is None:
            return JSONResponse({"error": "invalid_grant"}, 400)
        if self.spoilt == "silent":
            return JSONResponse({"access_token": "x", "token_type": "Bearer"})
        return JSONResponse({"access_token": secrets.token_urlsafe(8), "token_type": "Bearer",
                             "id_token": self._id_token(base_of(request), asked)})  # fmt: skip

    def _id_token(self, base: str, asked: dict[str, str]) -> str:
        now = int(time.time())
        claims: dict[str, Any] = {
            "iss": base, "aud": CLIENT, "sub": f"person-{asked['person']}", "iat": now, "exp": now + GOOD_S,
            "nonce": asked.get("nonce"), "preferred_username": asked["person"],
        }  # fmt: skip
        wrong: dict[str, dict[str, Any]] = {
            "nonce": {"nonce": "other"}, "audience": {"aud": "other"}, "issuer": {"iss": "https://other.example"},
            "expired": {"iat": now - 2 * GOOD_S, "exp": now - GOOD_S},
        }  # fmt: skip
        claims |= wrong.get(self.spoilt, {})
        if self.spoilt == "unsigned":
            head, body = (jwt.encode({"alg": "RS256"}, claims, self.key).split(".")[n] for n in (0, 1))
            head = base64.urlsafe_b64encode(b'{"alg":"none"}').decode().rstrip("=")
            return f"{head}.{body}."
        key = self.key if self.spoilt != "signature" else RSAKey.generate_key(2048, {"kid": str(self.key.kid)})
        return jwt.encode({"alg": "RS256", "kid": self.key.kid}, claims, key)

    def server(self, host: str, port: int) -> uvicorn.Server:
        """Return a server of it."""
        return uvicorn.Server(uvicorn.Config(self.app(), host, port, log_level="warning", lifespan="off"))
