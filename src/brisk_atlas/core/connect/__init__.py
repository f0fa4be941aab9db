"""Where data lies: one connector a kind of place. Above this room nobody knows how a place is reached."""

from .connector import Connector, Item, connector_for, fingerprint, head_of, is_asked, is_listed, localise

__all__ = ["Connector", "Item", "connector_for", "fingerprint", "head_of", "is_asked", "is_listed", "localise"]
