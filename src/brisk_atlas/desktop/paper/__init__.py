"""A plate on paper: its page with blocks that are moved by hand, and what is said of them."""
