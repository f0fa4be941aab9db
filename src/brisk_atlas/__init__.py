"""Brisk Atlas: a desktop reader for spatial data that other people made."""

__version__ = "0.3.0"
