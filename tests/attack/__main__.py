"""`python -m attack --minutes 30 [--seed N] [--keep FOLDER] [--only files|writes|batches|edits|clients|window]`."""

from __future__ import annotations

import argparse
import sys
import tempfile
from pathlib import Path

from .batches import attack_batches
from .clients import attack_clients
from .edits import attack_edits
from .files import Report, attack_files
from .hands import attack_window
from .kills import attack_writes

SHARES = {"files": 0.3, "writes": 0.2, "batches": 0.15, "edits": 0.1, "clients": 0.05, "window": 0.2}


def attack(folder: Path, seed: int, minutes: float, keep: Path | None, only: str | None = None) -> dict[str, Report]:
    """Attack the program in each way for its share of the time."""
    shares = {only: 1.0} if only else SHARES
    ways = {"files": lambda s: attack_files(folder, seed, s, keep), "writes": lambda s: attack_writes(folder, seed, s),
            "batches": lambda s: attack_batches(folder, seed, s), "edits": lambda s: attack_edits(folder, seed, s),
            "clients": lambda s: attack_clients(folder, seed, s), "window": lambda s: attack_window(folder, seed, s)}  # fmt: skip
    return {name: ways[name](60 * minutes * share) for name, share in shares.items()}


def main() -> int:
    parser = argparse.ArgumentParser(prog="attack", description="Damage files, kill writes and press keys at random.")
    parser.add_argument("--minutes", type=float, default=5.0)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--keep", type=Path, help="where to copy the files that went wrong")
    parser.add_argument("--only", choices=SHARES)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        reports = attack(Path(folder), asked.seed, asked.minutes, asked.keep, asked.only)
    for name, report in reports.items():
        print(f"{name}: {report.tried} tries, {dict(report.outcomes)}")
        for fault in report.faults:
            print(" ", fault)
    return int(any(report.faults for report in reports.values()))


if __name__ == "__main__":
    sys.exit(main())
