"""The errors that people see. Each says what failed, on which file, why, and what can be done."""

from __future__ import annotations

import logging
from collections.abc import Iterator
from contextlib import contextmanager

from brisk_atlas.core.model.language import tr

from .passwords import masked

log = logging.getLogger(__name__)
ASK_AGAIN = tr("The copy may be damaged or cut short; ask for the file again.")
PANICS = ("PanicException", "LazrsError")  # what libraries in other languages raise, which are no Exceptions


class AtlasError(Exception):
    """Base of all errors whose text is meant for the analyst.

    `place` is the file or thing concerned, `reason` why it failed, `remedy` what can be done.
    """

    def __init__(self, place: object, reason: str, remedy: str = "") -> None:
        self.place, self.reason, self.remedy = place_text(place), masked(reason.rstrip(".")), remedy
        super().__init__(f"{self.place}: {self.reason}." + (f" {remedy}" if remedy else ""))

    def __reduce__(self) -> tuple:
        return _restored, (type(self), self.args, self.__dict__)  # between processes too


def place_text(place: object) -> str:
    """Return what names the thing concerned: of a reference that carries its data, the name of that."""
    text = str(place)
    return getattr(place, "name", text) if text.startswith("data:") else text


def _restored(kind: type[AtlasError], arguments: tuple, state: dict) -> AtlasError:
    error = kind.__new__(kind, *arguments)
    error.__dict__.update(state)
    return error


class CannotRead(AtlasError):
    """A dataset, or a part of one, can't be read."""


class NotThere(CannotRead):
    """A server has nothing at an address."""


class NotReached(CannotRead):
    """A server does not answer now; it may later."""


class NeedsPassword(CannotRead):
    """A database wants a password that is not known, or another than the one that is."""


class NeedsPermission(CannotRead):
    """A file points beyond its own folder; `places` are the folders and hosts that would have to be allowed."""

    def __init__(self, place: object, reason: str, remedy: str = "", places: tuple[str, ...] = ()) -> None:
        super().__init__(place, reason, remedy)
        self.places = places


@contextmanager
def refusing(path: object) -> Iterator[None]:
    """Turn whatever a reader did not foresee about the content of a file into CannotRead; the log has its trace."""
    try:
        yield
    except AtlasError:
        raise
    except MemoryError as error:
        log.warning("out of memory on %s", path, exc_info=True)
        remedy = tr("It may be damaged, or far larger than it seems.")
        raise CannotRead(path, tr("it needs more memory than there is"), remedy) from error
    except Exception as error:
        log.warning("not foreseen on %s", path, exc_info=True)
        raise CannotRead(
            path, tr("its content can't be understood ({words_of})", words_of=_words_of(error)), ASK_AGAIN
        ) from error
    except BaseException as error:
        if type(error).__name__ not in PANICS:
            raise
        raise CannotRead(
            path, tr("its content is damaged ({words_of})", words_of=_words_of(error)), ASK_AGAIN
        ) from error


def _words_of(error: BaseException) -> str:
    words = " ".join(str(error).split())[:200]
    return words or type(error).__name__


class CannotWrite(AtlasError):
    """A file can't be written; what stood there before is intact."""


class CannotPlace(AtlasError):
    """A coordinate reference system is missing or not understood."""


class BadExpression(AtlasError):
    """An expression typed by the analyst can't be used. `at` is the first and last character concerned."""

    def __init__(self, place: object, reason: str, remedy: str = "", at: tuple[int, int] | None = None) -> None:
        super().__init__(place, reason, remedy)
        self.at = at
