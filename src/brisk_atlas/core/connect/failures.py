"""What goes wrong on the way to data, in sentences."""

from __future__ import annotations

import gzip
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager

from brisk_atlas.core.model import CannotRead, DataRef


@contextmanager
def explained(ref: DataRef) -> Iterator[None]:
    """Turn what a disk or an archive does not give into CannotRead."""
    try:
        yield
    except (zipfile.BadZipFile, gzip.BadGzipFile, zlib.error, EOFError, RuntimeError, NotImplementedError) as error:
        raise CannotRead(ref, f"it is packed and can't be unpacked ({error})", "Ask for it again.") from error
    except FileNotFoundError as error:
        raise CannotRead(ref, "there is no such file", "Check the path; it may have been moved.") from error
    except PermissionError as error:
        raise CannotRead(ref, "you may not read it", "Ask its owner for read permission.") from error
    except OSError as error:
        raise CannotRead(ref, error.strerror or str(error), "See whether the disk is full or broken.") from error
