"""Passwords in the system's keyring, where there is one."""

from __future__ import annotations

import logging

from brisk_atlas.core.model.passwords import remember

log = logging.getLogger(__name__)
SERVICE = "brisk-atlas"


def stored_password(address: str) -> str | None:
    """Return the password that the keyring holds for an address; None without one, or without a keyring."""
    import keyring
    from keyring.errors import KeyringError

    try:
        return keyring.get_password(SERVICE, address)
    except (KeyringError, RuntimeError) as error:
        log.info("no keyring answers (%s)", type(error).__name__)
        return None


def store_password(address: str, password: str) -> bool:
    """Store a password in the keyring and for this run; returns whether the keyring took it."""
    import keyring
    from keyring.errors import KeyringError

    remember(address, password)
    try:
        keyring.set_password(SERVICE, address, password)
    except (KeyringError, RuntimeError) as error:
        log.info("the keyring takes no password (%s)", type(error).__name__)
        return False
    return True
