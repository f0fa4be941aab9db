"""Who asks a question of a Depot: by a password, a token, a browser that signed in, or nobody in particular."""

from __future__ import annotations

import base64
import binascii

from starlette.requests import Request

from brisk_atlas.core.model.language import tr

from .answers import Refused
from .postings.people import People, WrongSecret
from .postings.rights import ANYONE, Identity

LOGIN = "NotAuthorized"
COOKIE = "depot_session"


def who_asks(people: People, request: Request) -> Identity:
    """Return who asks. Raises Refused where the login is wrong; without a login it is anyone."""
    stated = request.headers.get("authorization", "")
    if not stated:
        session = request.cookies.get(COOKIE, "")
        return people.by_session(session) if session else ANYONE
    scheme, _, secret = stated.partition(" ")
    try:
        match scheme.lower():
            case "bearer":
                return people.by_token(secret.strip())
            case "basic":
                account, _, password = base64.b64decode(secret, validate=True).decode("utf-8").partition(":")
                return people.by_password(account, password)
    except WrongSecret as error:
        raise Refused(LOGIN, str(error), 401) from None
    except (binascii.Error, UnicodeDecodeError):
        pass
    raise Refused(LOGIN, tr("the login can't be read"), 401)
