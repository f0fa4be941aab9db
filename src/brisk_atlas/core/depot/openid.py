"""Signing in by the account that somebody has at an office's own provider: OpenID Connect Core 1.0 by the code flow,
with PKCE (RFC 7636)."""

from __future__ import annotations

import hmac
import json
import secrets
import time
from base64 import urlsafe_b64decode, urlsafe_b64encode
from dataclasses import asdict, dataclass
from typing import Any, cast
from urllib.parse import urlsplit

import httpx
from authlib.oauth2.rfc6749.parameters import prepare_grant_uri
from authlib.oauth2.rfc7636 import create_s256_code_challenge
from authlib.oidc.core import CodeIDToken
from authlib.oidc.discovery import get_well_known_url
from joserfc import jwt
from joserfc.errors import InvalidKeyIdError, JoseError
from joserfc.jwk import KeySet
from joserfc.jws import JWSRegistry

from brisk_atlas.core.model.language import tr

SIGNATURES = ("RS256", "RS384", "RS512", "PS256", "PS384", "PS512", "ES256", "ES384", "ES512", "EdDSA", "Ed25519")
ANSWER_S, KNOWN_S, BEGUN_S, LEEWAY_S = 10.0, 3600.0, 600.0, 120
LOOPBACK = ("127.0.0.1", "::1", "localhost")
SECRET_BYTES = 32


class OpenIdFault(RuntimeError):
    """A provider that can't be reached, or what it answered can't be trusted, with the reason."""


@dataclass(frozen=True)
class OpenIdProvider:
    """Where people have accounts: its address, which it states as the issuer; how this Depot is known there; and what
    it is called on pages."""

    issuer: str
    client: str
    secret: str
    name: str


@dataclass(frozen=True)
class OpenIdPerson:
    """Somebody as a provider knows them; `name` is what they may be called."""

    issuer: str
    subject: str
    name: str


@dataclass(frozen=True)
class BegunLogin:
    """What is remembered of a login while somebody is at the provider. `invitation` is the one that they take up."""

    state: str
    nonce: str
    verifier: str
    invitation: str
    at: float

    @classmethod
    def new(cls, invitation: str) -> BegunLogin:
        state, nonce, verifier = (secrets.token_urlsafe(SECRET_BYTES) for _ in range(3))
        return cls(state, nonce, verifier, invitation, time.time())

    def sealed(self, key: bytes) -> str:
        """Return it as a browser may hold it."""
        body = urlsafe_b64encode(json.dumps(asdict(self)).encode()).decode()
        return f"{body}.{_seal(key, body)}"

    @classmethod
    def opened(cls, text: str, key: bytes) -> BegunLogin:
        """Return what a browser held. Raises OpenIdFault for what was not made here, or long ago."""
        body, _, seal = text.partition(".")
        if not hmac.compare_digest(seal.encode(), _seal(key, body).encode()):
            raise OpenIdFault(tr("this login was not begun here, or the browser takes no cookies"))
        found = cls(**json.loads(urlsafe_b64decode(body)))
        if not 0 <= time.time() - found.at <= BEGUN_S:
            raise OpenIdFault(tr("this login took too long; begin again"))
        return found


def _seal(key: bytes, body: str) -> str:
    return hmac.digest(key, b"login" + body.encode(), "sha256").hex()


class OpenIdLogin:
    """Logins by one provider. Safe for threads."""

    def __init__(self, provider: OpenIdProvider) -> None:
        self.provider = provider
        self._web = httpx.Client(timeout=ANSWER_S, follow_redirects=False)
        self._about: tuple[float, dict[str, Any]] | None = None

    def address(self, begun: BegunLogin, back: str) -> str:
        """Return where a browser is sent to sign in; it comes back to `back`. Raises OpenIdFault."""
        found = prepare_grant_uri(
            self._known()["authorization_endpoint"], self.provider.client, "code", back, "openid profile email",
            begun.state, nonce=begun.nonce, code_challenge=create_s256_code_challenge(begun.verifier),
            code_challenge_method="S256",
        )  # fmt: skip
        return str(found)

    def person(self, begun: BegunLogin, code: str, back: str) -> OpenIdPerson:
        """Return who has signed in, by the code that a browser came back with. Raises OpenIdFault."""
        sent = {"grant_type": "authorization_code", "code": code, "redirect_uri": back, "code_verifier": begun.verifier}
        stated = self._asked("POST", self._known()["token_endpoint"], data=sent,
                             auth=(self.provider.client, self.provider.secret))  # fmt: skip
        if not isinstance(stated.get("id_token"), str):
            raise OpenIdFault(tr("the provider answered without saying who it is"))
        try:
            token = self._checked(stated["id_token"])
            claims = CodeIDToken(
                token.claims, token.header, {"iss": {"values": [self.provider.issuer]}},
                {"nonce": begun.nonce, "client_id": self.provider.client, "access_token": stated.get("access_token")},
            )  # fmt: skip
            claims.validate(leeway=LEEWAY_S)
            if not _is_for(self.provider.client, claims["aud"]):
                raise OpenIdFault(tr("what the provider answered is for somebody else"))
        except (JoseError, ValueError, KeyError, TypeError) as error:
            raise OpenIdFault(
                tr("what the provider answered can't be trusted ({reason})", reason=type(error).__name__)
            ) from error
        name = claims.get("preferred_username") or str(claims.get("email", "")).partition("@")[0] or claims.get("name")
        return OpenIdPerson(self.provider.issuer, str(claims["sub"]), str(name or "colleague"))

    def _checked(self, token: str) -> jwt.Token:
        """Return a token whose signature is right. Raises JoseError."""
        stated = self._known().get("id_token_signing_alg_values_supported") or ["RS256"]
        registry = JWSRegistry(algorithms=[each for each in stated if each in SIGNATURES], strict_check_header=False)
        try:
            return jwt.decode(token, self._keys(), registry=registry)
        except InvalidKeyIdError:  # keys are changed from time to time
            return jwt.decode(token, self._keys(anew=True), registry=registry)

    def _keys(self, *, anew: bool = False) -> KeySet:
        about = self._known()
        if anew or "keys" not in about:
            about["keys"] = self._asked("GET", about["jwks_uri"])
        return KeySet.import_key_set(cast(Any, about["keys"]))

    def _known(self) -> dict[str, Any]:
        """Return what the provider states of itself."""
        if self._about is None or time.monotonic() - self._about[0] > KNOWN_S:
            found = self._asked("GET", get_well_known_url(self.provider.issuer, external=True))
            if found.get("issuer") != self.provider.issuer:
                raise OpenIdFault(tr("the provider states another address than its own"))
            missing = {"authorization_endpoint", "token_endpoint", "jwks_uri"} - found.keys()
            if missing:
                raise OpenIdFault(tr("the provider does not state {name}", name=min(missing)))
            self._about = time.monotonic(), found
        return self._about[1]

    def _asked(self, method: str, address: str, **more: Any) -> dict[str, Any]:
        parts = urlsplit(address)
        if parts.scheme != "https" and parts.hostname not in LOOPBACK:
            raise OpenIdFault(tr("the provider has an address without TLS"))
        try:
            answer = self._web.request(method, address, **more)
            answer.raise_for_status()
            found = answer.json()
        except (httpx.HTTPError, httpx.InvalidURL, ValueError) as error:
            raise OpenIdFault(tr("the provider can't be asked now ({reason})", reason=type(error).__name__)) from error
        if not isinstance(found, dict):
            raise OpenIdFault(tr("the provider answered something else than was asked"))
        return found


def _is_for(client: str, audience: object) -> bool:
    return audience == client or (isinstance(audience, list) and client in audience)
