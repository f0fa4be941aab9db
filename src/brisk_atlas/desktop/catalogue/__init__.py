"""The Catalogue half of Hand over."""
