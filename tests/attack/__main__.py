"""`python -m attack --minutes 30 [--seed N] [--keep FOLDER]`."""

from __future__ import annotations

import argparse
import sys
import tempfile
from pathlib import Path

from .files import attack_files


def main() -> int:
    parser = argparse.ArgumentParser(prog="attack", description="Damage files and open them as the window does.")
    parser.add_argument("--minutes", type=float, default=5.0)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--keep", type=Path, help="where to copy what went wrong")
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        report = attack_files(Path(folder), asked.seed, asked.minutes * 60, asked.keep)
    print(f"{report.tried} damaged datasets: {dict(report.outcomes)}")
    for fault in report.faults:
        print(" ", fault)
    return int(bool(report.faults))


if __name__ == "__main__":
    sys.exit(main())
