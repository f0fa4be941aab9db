"""A short attack of each kind; `tools/attack --minutes 30` is the long one."""

from __future__ import annotations

import pytest

from attack.__main__ import attack

SEED, MINUTES = 12, {"files": 0.1, "writes": 0.2, "batches": 0.1, "edits": 0.05, "clients": 0.1, "window": 0.1}


@pytest.mark.parametrize("way", MINUTES)
def test_nothing_dies_hangs_or_is_lost(tmp_path, way):
    report = attack(tmp_path, SEED, MINUTES[way], None, way)[way]
    assert report.tried >= 1  # few on a busy machine
    assert not report.faults, "\n".join(map(str, report.faults))
