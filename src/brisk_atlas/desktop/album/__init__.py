"""Plates and the album on Hand over."""
