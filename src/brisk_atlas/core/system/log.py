"""The log: a file that is cut into pieces as it grows, in the user's state folder."""

from __future__ import annotations

import logging
import os
from logging.handlers import RotatingFileHandler
from pathlib import Path

from brisk_atlas.core.model.passwords import masked

from .folders import make_private, state_folder

MOST_BYTES, OLD_FILES = 2_000_000, 3
FORM = "%(asctime)s %(levelname)s %(process)d %(name)s: %(message)s"


def log_file() -> Path:
    """Return the file of the log in the user's state folder."""
    return state_folder("log") / "brisk-atlas.log"


class MaskedForm(logging.Formatter):
    """The form of a line, in which no known password stands, not even in a trace."""

    def format(self, record: logging.LogRecord) -> str:
        return masked(super().format(record))


def start_log(level: str = "INFO") -> Path | None:
    """Write what the application notes into its log file from now on; returns the file, or None where it can't."""
    root = logging.getLogger("brisk_atlas")
    root.setLevel(level)
    root.propagate = False
    try:
        make_private(log_file().parent)
        handler = RotatingFileHandler(log_file(), maxBytes=MOST_BYTES, backupCount=OLD_FILES, delay=True)
        os.close(os.open(log_file(), os.O_APPEND | os.O_CREAT | os.O_WRONLY, 0o600))
    except OSError:
        root.addHandler(logging.NullHandler())
        return None
    handler.setFormatter(MaskedForm(FORM))
    for old in list(root.handlers):
        root.removeHandler(old)
    root.addHandler(handler)
    logging.captureWarnings(True)
    remarks = logging.getLogger("py.warnings")
    remarks.propagate = False
    remarks.addHandler(handler)
    return log_file()
