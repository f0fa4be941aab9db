"""One application for one user: a second start gives what it was asked to open to the one that runs.

They talk over a socket in a folder that only the user may enter. `socket` loads late: a first start does without.
"""

from __future__ import annotations

import os
import tempfile
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

from .folders import PRIVATE, state_folder

if TYPE_CHECKING:
    from collections.abc import Sequence

PATIENCE_S = 2.0  # for an answer: a window that gives none in that time is taken to be stuck
LARGEST = 1_000_000  # bytes of a message
LONGEST = 104  # characters of the path of a socket, on any system
TOKEN = "XDG_ACTIVATION_TOKEN"  # with which a desktop lets another window come to the front
_TAKEN = b"taken\n"


def socket_path() -> Path:
    """Return where the running application of this user and of these folders listens."""
    from hashlib import sha256

    runtime = os.environ.get("XDG_RUNTIME_DIR", "")
    name = sha256(str(state_folder("")).encode("utf-8", "surrogatepass")).hexdigest()[:16]
    below = f"brisk-atlas-{os.getuid()}/{name}.socket"
    fits = len(runtime) + len(below) + 1 < LONGEST
    return Path(runtime if fits and os.path.isdir(runtime) else tempfile.gettempdir()) / below  # noqa: PTH112


def hand_to_running(places: Sequence[str]) -> bool:
    """Give files and addresses to the application that runs. Returns whether it took them; False if none runs."""
    path = socket_path()
    if not path.exists() or not _is_private(path.parent):
        return False
    import json
    import socket

    message = {"places": [whole_place(place) for place in places], "token": os.environ.get(TOKEN, "")}
    with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as line, suppress(OSError):
        line.settimeout(PATIENCE_S)
        line.connect(str(path))
        line.sendall(json.dumps(message).encode() + b"\n")
        return line.recv(len(_TAKEN)) == _TAKEN
    return False


def whole_place(place: str) -> str:
    """Return a path as it is understood in another folder; addresses stay as they are."""
    path = Path(place).expanduser()
    return str(Path.cwd() / path) if path.exists() else place


class InstanceListener:
    """Listens for other starts, until `close`. Raises OSError where it can't."""

    def __init__(self) -> None:
        from socket import AF_UNIX, SOCK_STREAM, socket

        self.path = socket_path()
        self.path.parent.mkdir(mode=PRIVATE, exist_ok=True)
        if not _is_private(self.path.parent):
            raise PermissionError(f"{self.path.parent} is open to others")
        self._line = socket(AF_UNIX, SOCK_STREAM)
        if _is_left_behind(self.path):
            self.path.unlink()
        self._line.bind(str(self.path))
        self._line.listen(8)
        self._line.setblocking(False)

    def fileno(self) -> int:
        return self._line.fileno()

    def take(self) -> tuple[list[str], str] | None:
        """Return what another start asks for, and its token of the desktop; None for what is not understood."""
        import json

        try:
            line, _ = self._line.accept()
        except OSError:
            return None
        with line, suppress(OSError, ValueError, TypeError, KeyError):
            line.settimeout(PATIENCE_S)
            message = b""
            while not message.endswith(b"\n") and len(message) < LARGEST:
                part = line.recv(65_536)
                if not part:
                    return None
                message += part
            asked = json.loads(message)
            places, token = [str(place) for place in asked["places"]], str(asked["token"])
            line.sendall(_TAKEN)
            return places, token
        return None

    def close(self) -> None:
        self._line.close()
        self.path.unlink(missing_ok=True)


def _is_private(folder: Path) -> bool:
    """Return whether a folder is the user's, and nobody else may enter: in a shared one another may have made it."""
    found = folder.stat()
    return found.st_uid == os.getuid() and not found.st_mode & 0o077


def _is_left_behind(path: Path) -> bool:
    """Return whether a socket stands there to which nobody listens, as after a crash."""
    from socket import AF_UNIX, SOCK_STREAM, socket

    with socket(AF_UNIX, SOCK_STREAM) as line:
        line.settimeout(PATIENCE_S)
        try:
            line.connect(str(path))
        except ConnectionRefusedError:
            return True
        except OSError:
            return False
    return False
