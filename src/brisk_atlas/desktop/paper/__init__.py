"""A plate on paper: its page with blocks that are moved by hand, and their settings."""
