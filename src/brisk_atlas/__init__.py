"""Brisk Atlas: a desktop reader for spatial data that other people made."""

import logging

__version__ = "0.6.0"
logging.getLogger(__name__).addHandler(logging.NullHandler())  # nothing is printed unless a log is begun
