"""Damaged files against the way the window opens them."""

from __future__ import annotations

import json
import os
import random
import select
import shutil
import subprocess
import sys
import time
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path

from .mutate import damage
from .samples import samples

PATIENCE_S = 20.0
MOST_MB = 2_500.0
A_CHILD = 150  # files, after which a new one takes over, so that what grows without end is seen


@dataclass
class Report:
    """What came of an attack. `faults` are sentences that say what must not be."""

    tried: int = 0
    outcomes: Counter[str] = field(default_factory=Counter)
    faults: list[str] = field(default_factory=list)


class _Victim:
    def __init__(self) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-m", "attack.victim"], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL, env={**os.environ, "PYTHONPATH": os.pathsep.join([str(Path(__file__).parents[1]), os.environ.get("PYTHONPATH", "")])},
        )  # fmt: skip
        self.done = 0

    def attempt(self, path: Path) -> tuple[str, str, float]:
        assert self.process.stdin is not None and self.process.stdout is not None
        self.process.stdin.write(json.dumps(str(path)).encode() + b"\n")
        self.process.stdin.flush()
        self.done += 1
        begun, answer = time.monotonic(), b""
        while not answer.endswith(b"\n"):
            patience = PATIENCE_S + (20.0 if self.done == 1 else 0.0) - (time.monotonic() - begun)
            if patience < 0 or not select.select([self.process.stdout], [], [], patience)[0]:
                return "hung", f"longer than {PATIENCE_S:g} s", 0.0
            block = os.read(self.process.stdout.fileno(), 1 << 16)
            if not block:
                return "died", f"code {self.process.wait()}", 0.0
            answer += block
        outcome, text, peak = json.loads(answer)
        return (
            ("grew", f"{peak:,.0f} MB", peak) if outcome != "unforeseen" and peak > MOST_MB else (outcome, text, peak)
        )

    def end(self) -> None:
        self.process.kill()
        self.process.wait()


def attack_files(folder: Path, seed: int, seconds: float, keep: Path | None = None) -> Report:
    """Damage datasets of every format for a while. What goes wrong is copied to `keep`."""
    report = Report()
    sources = samples(folder / "whole")
    end, number, victim = time.monotonic() + seconds, 0, _Victim()
    while time.monotonic() < end:
        rng = random.Random(f"{seed} {number}")
        source = sources[number % len(sources)] if number < 2 * len(sources) else rng.choice(sources)
        room = folder / "damaged"
        shutil.rmtree(room, ignore_errors=True)
        shutil.copytree(source.parent, room)
        main = room / source.name
        which = damage(main, rng)
        outcome, text, _ = victim.attempt(main)
        report.tried += 1
        report.outcomes[outcome] += 1
        if outcome not in ("ok", "refused"):
            last = text.strip().splitlines()[-1][:200] if text else ""
            report.faults.append(f"{number}: {source.parent.name}/{which.name}: {outcome}: {last}")
            if keep is not None:
                shutil.copytree(room, keep / str(number), dirs_exist_ok=True)
                (keep / f"{number}.txt").write_text(f"{main}\n{text}")
        if outcome in ("died", "hung", "grew") or victim.done >= A_CHILD:
            victim.end()
            victim = _Victim()
        number += 1
    victim.end()
    return report
