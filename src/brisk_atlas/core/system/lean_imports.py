"""What a process of ours does not load before it is needed."""

from __future__ import annotations

import sys
from importlib.machinery import ModuleSpec


class _Spared:
    """Says of some libraries that they are not installed."""

    def __init__(self, *names: str) -> None:
        self.names = set(names)

    def find_spec(self, name: str, path: object = None, target: object = None) -> ModuleSpec | None:
        if name in self.names:
            raise ModuleNotFoundError(f"{name} is not loaded here", name=name)
        return None


# Other libraries load these wherever they are there, for ways that are not used here: up to 0.6 s and 90 MB a process.
_SPARED = _Spared("boto3", "geopandas", "pandas")


def load_lean() -> None:
    """Treat libraries that hardly anything here uses as if they were not installed. For programs of ours alone: code
    that is not ours may want them."""
    if _SPARED not in sys.meta_path:
        sys.meta_path.insert(0, _SPARED)


def allow(name: str) -> None:
    """Let a library be loaded from now on that was spared."""
    _SPARED.names.discard(name)
