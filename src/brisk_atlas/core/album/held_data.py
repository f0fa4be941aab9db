"""Large data in a page: a short mark stands for it while the page is made, and it is put there at the end."""

from __future__ import annotations

from base64 import b64encode
from secrets import token_hex

from markupsafe import Markup


class HeldData:
    """Data that a page holds, in base64."""

    def __init__(self) -> None:
        self._mark = token_hex(16)  # which no text of others has
        self._held: list[bytes] = []

    def address(self, media_type: str, data: bytes) -> Markup:
        """Return the address of data in the page that it is put into; nothing in it needs to be escaped."""
        self._held.append(data)
        return Markup(f"data:{media_type};base64,{self._mark}{len(self._held) - 1:08}")

    def put_into(self, page: str) -> bytes:
        """Return a page in UTF-8 with the data in the places of its addresses."""
        first, *others = page.encode("utf-8", "replace").split(self._mark.encode())
        parts = [first]
        for each in others:
            parts += (b64encode(self._held[int(each[:8])]), each[8:])
        return b"".join(parts)
