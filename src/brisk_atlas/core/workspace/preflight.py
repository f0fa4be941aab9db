"""Looking at a file before it is opened: whether it is safe to, and what must be asked first."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.find.catalogue import Catalogue
from brisk_atlas.core.find.index import known_now
from brisk_atlas.core.find.questions import Neighbour, Question, question_about
from brisk_atlas.core.find.scan_pool import ScanPool
from brisk_atlas.core.find.summary import degrees_of, from_text
from brisk_atlas.core.model import AtlasError, CannotRead, DataRef, Facts, NeedsPermission
from brisk_atlas.core.read.permissions import allowed_places

from .answers import Answers

MOST_NEIGHBOURS = 60


class PreflightResult(NamedTuple):
    """A place, and the error or the question that stands in the way of opening it, if any."""

    ref: DataRef
    error: AtlasError | None = None
    question: Question | None = None


class OpenPreflight:
    """Looks at files, with all that is known of them: what is held, answered and stored."""

    def __init__(self, cache: DataCache, answers: Answers, catalogue: Catalogue, scan_pool: ScanPool) -> None:
        self.cache, self.answers, self.catalogue, self.scan_pool = cache, answers, catalogue, scan_pool

    def look(
        self,
        ref: DataRef,
        nearby: Sequence[Neighbour] = (),
        *,
        anew: bool = False,
        check: Callable[[], None] = lambda: None,
    ) -> PreflightResult:
        """Return whether what lies at a place can be opened at once. `anew` asks whatever was answered before; a
        part that is named needs no question. `nearby` is what is open; the other datasets of the folder are
        added."""
        asked, ref = ref, ref.whole
        try:
            row = known_now(ref, self.catalogue, self.scan_pool, check)
            stated = self.cache.options.get(ref) or self.answers.get(ref)
            if row.asks:
                if not allowed_places().issuperset(row.asks):
                    raise NeedsPermission(ref, row.fault, row.remedy, row.asks)
                row = self.scan_pool.scan(ref, check)
            if row.danger or (row.fault and stated is None):
                raise CannotRead(ref, row.fault, row.remedy)
            answered = self._take_answer(ref)
            if asked.part is not None or (answered and not anew):
                return PreflightResult(asked)
            if answered:
                self._ask_again(ref)
            around = [*nearby, *neighbours_of(ref, self.catalogue)]
            question = question_about(self.cache.dataset(ref), around)
            wanted = question is not None and (question.needed or anew)
            return PreflightResult(asked, question=question if wanted else None)
        except AtlasError as error:
            return PreflightResult(asked, error)

    def _take_answer(self, ref: DataRef) -> bool:
        """Read a file as it was answered before; returns False where nothing was, or it no longer fits."""
        stated = self.cache.options.get(ref) or self.answers.get(ref)
        if stated is not None:
            self.cache.set_options(ref, stated)
        self.cache.forget(ref)  # it may have changed on disk since it was last looked at
        try:
            self.cache.dataset(ref)
        except AtlasError:
            if stated is None:
                raise
            self._ask_again(ref)
            return False
        return stated is not None

    def _ask_again(self, ref: DataRef) -> None:
        self.cache.options.pop(ref, None)
        self.cache.forget(ref)


def check_safe(
    ref: DataRef, catalogue: Catalogue, scan_pool: ScanPool, check: Callable[[], None] = lambda: None
) -> None:
    """Raise CannotRead for a file that must not be opened in this process.

    A file that nobody has looked at yet is looked at by a child process first, so that it can't take the
    window along.
    """
    row = known_now(ref, catalogue, scan_pool, check)
    if row.danger:
        raise CannotRead(ref, row.fault, row.remedy)


def neighbour(name: str, facts: Facts) -> Neighbour | None:
    """Return a part as a neighbour of others, if it has a place."""
    box = degrees_of([facts]) if facts.crs else None
    return Neighbour(name, facts.crs, box) if facts.crs and box else None


def neighbours_of(ref: DataRef, catalogue: Catalogue) -> list[Neighbour]:
    """Return the other datasets of a path's folder that have a place, as far as they are known."""
    if not ref.is_local:
        return []
    rows = [from_text(text) for _, text in list(catalogue.rows_in(ref.path.parent).values())[:MOST_NEIGHBOURS]]
    return [
        Neighbour(row.path.rpartition("/")[2], row.crs, row.box)
        for row in rows
        if row.box and row.crs.startswith("EPSG:") and row.path != str(ref)
    ]
