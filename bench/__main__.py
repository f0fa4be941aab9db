"""Run the benchmarks by name, or all; print medians and ratios."""

from __future__ import annotations

import argparse
import json
from importlib import import_module
from pathlib import Path

NAMES = (
    "start",
    "draw",
    "coast",
    "raster",
    "points",
    "stall",
    "find",
    "sheet",
    "probe",
    "record",
    "read",
    "memory",
    "lanes",
    "connect",
    "compare",
    "relief",
    "strip",
    "handover",
    "depot",
    "album",
    "catalogue",
)


def main() -> None:
    parser = argparse.ArgumentParser(prog="./run bench")
    parser.add_argument(
        "names",
        nargs="*",
        choices=[*NAMES, []],
        metavar="NAME",
        help=f"any of {', '.join(NAMES)}; all if none is given",
    )
    parser.add_argument("--json", type=Path, metavar="OUT")
    asked = parser.parse_args()
    cases = []
    for name in asked.names or NAMES:
        for case in import_module(f"bench.{name}").run():
            print(case, flush=True)
            cases.append(case)
    if asked.json:
        asked.json.write_text(json.dumps([case.as_json() for case in cases], indent=2) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
