"""The Depot: what it offers, by the open standards, one file a protocol. Here stands its read side."""
