"""A task of a batch that is done in pieces."""

from __future__ import annotations

import shutil
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import replace
from typing import Any

from brisk_atlas.core.model.language import tr

from .batch_task import DONE, FAILED, BatchTask, TaskOutcome
from .tiled_input import Piece, TiledInput


class TiledTask:
    """A task that is done in pieces: what came of them so far."""

    def __init__(self, whole: BatchTask, tiled: TiledInput) -> None:
        self.whole, self.tiled = whole, tiled
        self._wanted, self._done, self._seconds = 0, 0, 0.0
        self._failed: TaskOutcome | None = None
        self._branches: dict[str, dict[str, Any]] = {}

    def begin(self, *, first: bool) -> Sequence[Piece]:
        """Return the pieces that come first, or those that come then; none once one failed."""
        pieces: Sequence[Piece] = () if self._failed else self.tiled.first if first else self.tiled.then()
        self._wanted += len(pieces)
        return pieces

    def add(self, outcome: TaskOutcome) -> None:
        """Take the outcome of a piece."""
        self._done += 1
        self._seconds += outcome.seconds
        if outcome.state == FAILED:
            self._failed = self._failed or outcome
        for branch in outcome.branches:
            known = self._branches.setdefault(branch["branch"], {**branch, "steps": [], "written": []})
            known["steps"] = _added(known["steps"], branch["steps"])
            known["written"] += branch["written"]

    @property
    def progress(self) -> str:
        """How far it is, in words."""
        return tr("{done:,} of {wanted:,} tiles", done=self._done, wanted=self._wanted)

    def outcome(self) -> TaskOutcome:
        """Return what came of it; the results of its pieces are removed where all is done."""
        if self._failed is not None:
            return replace(self._failed, source=self.whole.source, seconds=self._seconds)
        shutil.rmtree(self.tiled.folder, ignore_errors=True)
        with suppress(OSError):
            self.tiled.folder.parent.rmdir()
        return TaskOutcome(self.whole.source, DONE, self._seconds, "", list(self._branches.values()))


def _added(steps: list[dict[str, Any]], more: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Return the accounts of steps, as JSON holds them, those of one more piece added."""
    if not steps:
        return more
    return [
        {**a, **{name: _sum(a[name], b[name]) for name in ("in", "out", "seconds")},
         "warnings": list(dict.fromkeys([*a["warnings"], *b["warnings"]])),
         "rejected": {word: a["rejected"].get(word, 0) + b["rejected"].get(word, 0)
                      for word in {**a["rejected"], **b["rejected"]}}}
        for a, b in zip(steps, more)
    ]  # fmt: skip


def _sum(a: float | None, b: float | None) -> float | None:
    return None if a is None or b is None else a + b
