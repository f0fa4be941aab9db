"""What goes wrong on the way to data, in sentences."""

from __future__ import annotations

import gzip
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager

from brisk_atlas.core.model import CannotRead, DataRef
from brisk_atlas.core.model.language import tr


@contextmanager
def explained(ref: DataRef) -> Iterator[None]:
    """Turn what a disk or an archive does not give into CannotRead."""
    try:
        yield
    except (zipfile.BadZipFile, gzip.BadGzipFile, zlib.error, EOFError, RuntimeError, NotImplementedError) as error:
        raise CannotRead(
            ref, tr("it is packed and can't be unpacked ({error})", error=error), tr("Ask for it again.")
        ) from error
    except FileNotFoundError as error:
        raise CannotRead(ref, tr("there is no such file"), tr("Check the path; it may have been moved.")) from error
    except PermissionError as error:
        raise CannotRead(ref, tr("you may not read it"), tr("Ask its owner for read permission.")) from error
    except OSError as error:
        raise CannotRead(ref, error.strerror or str(error), tr("See whether the disk is full or broken.")) from error
