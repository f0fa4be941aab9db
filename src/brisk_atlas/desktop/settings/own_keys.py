"""The keys that the analyst gave to commands, as they are stored; what is not understood counts as not given."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from PyQt6.QtCore import QSettings

OWN_KEYS = "own_keys"


def own_keys(settings: QSettings) -> dict[str, str]:
    """Return the keys by id of the command, "" for a command that is to have none."""
    stored = settings.value(OWN_KEYS, "")
    if not stored:
        return {}
    import json

    try:
        found = json.loads(str(stored))
    except ValueError:
        return {}
    return {str(name): str(keys) for name, keys in found.items()} if isinstance(found, dict) else {}


def store_own_keys(settings: QSettings, keys_of: dict[str, str]) -> None:
    """Store the keys for the runs to come."""
    import json

    settings.setValue(OWN_KEYS, json.dumps(keys_of, sort_keys=True))
