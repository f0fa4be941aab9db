"""One measured case and how it is printed."""

from __future__ import annotations

from dataclasses import asdict, dataclass
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
        )
