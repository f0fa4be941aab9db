"""One measured case, how it is measured, and how it is printed."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any


@dataclass(frozen=True)
class Measured:
    """Median seconds and peak memory of one side."""

    seconds: float
    peak_mb: float


@dataclass(frozen=True)
class Case:
    """Ours against a peer. `ratio` is theirs over ours, so more is better; `target` is its least."""

    bench: str
    case: str
    peer: str
    ours: Measured
    theirs: Measured
    target: float
    note: str = ""

    @property
    def ratio(self) -> float:
        return self.theirs.seconds / self.ours.seconds if self.ours.seconds else float("inf")

    @property
    def holds(self) -> bool:
        return self.ratio >= self.target

    def as_json(self) -> dict[str, Any]:
        return {**asdict(self), "ratio": round(self.ratio, 3), "holds": self.holds}

    def __str__(self) -> str:
        verdict = "holds" if self.holds else "DOES NOT HOLD"
        return (
            f"{self.bench}: {self.case}\n    ours {self.ours.seconds * 1000:9.1f} ms {self.ours.peak_mb:7.0f} MB"
            f"\n    peer {self.theirs.seconds * 1000:9.1f} ms {self.theirs.peak_mb:7.0f} MB   {self.peer}"
            f"\n    ratio {self.ratio:.2f}, at least {self.target:.2f}: {verdict}"
            + (f"\n    {self.note}" if self.note else "")
        )


@dataclass(frozen=True)
class MemoryCase(Case):
    """A case of memory alone: what matters is the megabytes of both sides, not their time."""

    @property
    def ratio(self) -> float:
        return self.theirs.peak_mb / self.ours.peak_mb if self.ours.peak_mb else float("inf")


def peak_mb() -> float:
    """Return the most memory that this process has held so far, in MB; not that of its parent, which
    `getrusage` counts in."""
    line = next(line for line in Path("/proc/self/status").read_text().splitlines() if line.startswith("VmHWM:"))
    return int(line.split()[1]) / 1024


def timed(act: Callable[[], object]) -> float:
    begun = time.perf_counter()
    act()
    return time.perf_counter() - begun


def in_turn(
    ours: Callable[[], object], theirs: Callable[[], object], runs: int, *, ours_each: int = 1
) -> tuple[Measured, Measured]:
    """Time both in turn, so that a slow spell of the machine meets both; return their medians.

    A first run of each is not counted. Memory is the process's peak after the first run of each:
    of the second it is at least that of the first.
    """
    timed(ours)
    ours_peak = peak_mb()
    timed(theirs)
    theirs_peak = peak_mb()
    mine, yours = [], []
    for _ in range(runs):
        mine += [timed(ours) for _ in range(ours_each)]
        yours.append(timed(theirs))
    return Measured(statistics.median(mine), ours_peak), Measured(statistics.median(yours), theirs_peak)
