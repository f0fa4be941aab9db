"""What files may point at beyond their own folder: folders and hosts that the analyst allowed, remembered."""

from __future__ import annotations

import json
import logging
from collections.abc import Iterable
from pathlib import Path
from urllib.parse import urlsplit

from brisk_atlas.core.model import CannotWrite, DataRef, NeedsPermission
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.atomic_write import write_whole
from brisk_atlas.core.system.folders import config_folder, make_private

log = logging.getLogger(__name__)


def permissions_file() -> Path:
    """Return the file in which the analyst's permissions are stored."""
    return config_folder() / "allowed_places.json"


def allowed_places() -> frozenset[str]:
    """Return the folders and hosts that were allowed; a damaged file allows none."""
    try:
        content = json.loads(permissions_file().read_text("utf-8"))
    except (OSError, ValueError):
        return frozenset()
    return frozenset(str(place) for place in content) if isinstance(content, list) else frozenset()


def allow(places: tuple[str, ...]) -> None:
    """Allow files to point at folders or hosts from now on."""
    _store(allowed_places() | set(places))


def disallow(places: Iterable[str]) -> None:
    """Ask for folders or hosts again, when a file points at them next."""
    _store(allowed_places() - set(places))


def _store(places: Iterable[str]) -> None:
    lines = sorted(places)
    try:
        make_private(permissions_file().parent)
        write_whole(permissions_file(), json.dumps(lines, indent=1).encode())
    except (OSError, CannotWrite):
        log.warning("the allowed places can't be stored", exc_info=True)


def place_of(target: str) -> str:
    """Return what is to be allowed for a target: its host, or its folder."""
    host = urlsplit(target).hostname if "://" in target else None
    return host or str(Path(target).parent)


def check_host(ref: DataRef) -> None:
    """Raise NeedsPermission for an address, such as of a layer of a project, whose host was not allowed."""
    host = place_of(ref.place)
    if host not in allowed_places():
        raise NeedsPermission(
            ref,
            tr("it lies on {host}, which nothing was asked for yet", host=host),
            tr("Allow {host} if you trust it.", host=host),
            (host,),
        )


def is_allowed(target: str, allowed: frozenset[str]) -> bool:
    """Return whether the analyst allowed a place to be reached."""
    if "://" in target:
        return place_of(target) in allowed
    return any(str(folder) in allowed for folder in Path(target).parents)
