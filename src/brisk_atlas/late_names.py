"""Names of a package that load when they are first asked for, so that a window can stand before all of them do."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from importlib import import_module
from typing import Any


def late_names(package: str, home_of: Mapping[str, str]) -> Callable[[str], Any]:
    """Return the `__getattr__` of a package (PEP 562): `home_of` says in which of its modules a name is."""

    def load(name: str) -> Any:
        if name not in home_of:
            raise AttributeError(f"module {package!r} has no attribute {name!r}")
        return getattr(import_module(f"{package}.{home_of[name]}"), name)

    return load
