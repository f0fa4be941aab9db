"""The lines by which a Depot that is served states its addresses: printed by the command, read by the window."""

from __future__ import annotations

from brisk_atlas.core.model.language import tr

API, JOIN = "OGC API", "/join/"


def address_lines(base: str, secret: str) -> list[str]:
    """Return the lines; `secret` is what the first owner joins by, "" once there is one.

    >>> address_lines("http://127.0.0.1:8720", "")
    ['OGC API: http://127.0.0.1:8720/']
    """
    address = f"{base}{JOIN}{secret}"
    joining = [tr("For the owner, once: {address}", address=address)] if secret else []
    return [*joining, f"{API}: {base}/"]


def address_in(line: str) -> tuple[str, bool]:
    """Return the address that a line states, and whether it is that for the owner; "" for another line.

    >>> address_in("OGC API: http://127.0.0.1:8720/"), address_in("https://a/join/b")
    (('http://127.0.0.1:8720/', False), ('https://a/join/b', True))
    """
    words, _, address = line.strip().rpartition(": ")
    if JOIN in address:
        return address, True
    return (address, False) if words == API else ("", False)
