"""Which process made something, and whether it still runs on this machine."""

from __future__ import annotations

import os
import socket
from pathlib import Path


def own_mark() -> str:
    """Return what tells this process from all others, also from a later one with the same number."""
    return f"{socket.gethostname()}-{os.getpid()}-{_begun(os.getpid())}"


def is_running(mark: str) -> bool:
    """Return whether the process with a mark may still run: on another machine it may."""
    host, process, begun = (mark.rsplit("-", 2) + ["", ""])[:3]
    if host != socket.gethostname() or not process.isdigit():
        return True
    return _begun(int(process)) == begun


def _begun(process: int) -> str:
    """Return when a process began, in ticks since the machine did; empty for one that is not there."""
    try:
        return Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[19]
    except (OSError, IndexError):
        return ""
