"""What stands on standard output and error is meant for the user, and the ground may be taken from under the process."""

from __future__ import annotations

import json
import os
import subprocess
import sys

import pytest

from brisk_atlas import demo

SUM = """
import os, sys
os.chdir(sys.argv[1]); os.rmdir(sys.argv[1])
import pyarrow as pa
from brisk_atlas.core.table import mask_of, prepare
prepare("a > 1", ["a"])
print(mask_of(pa.table({"a": [1, 2, 3]}), "a > 1").sum())
"""
NO_FILES = """
import resource, pyarrow as pa
from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.table.asking import connect
table = pa.table({"a": [1]})
resource.setrlimit(resource.RLIMIT_NOFILE, (24, 24))
held = []
try:
    while True:
        held.append(open("/dev/null"))
except OSError:
    pass
try:
    connect(table)
except AtlasError as error:
    print(error)
"""


def ran(*words):
    done = subprocess.run([sys.executable, *words], capture_output=True, text=True, timeout=120, check=False)
    assert done.returncode == 0, done.stderr
    return done


def test_a_working_folder_that_is_gone_does_not_end_the_process(tmp_path):
    gone = tmp_path / "gone"
    gone.mkdir()
    assert ran("-c", SUM, str(gone)).stdout.strip() == "2"


def test_no_more_files_to_open_is_a_sentence():
    assert "too many files are open" in ran("-c", NO_FILES).stdout


@pytest.mark.parametrize("name", ["gas_readings.parquet", "tolvane_survey.gpkg", "elevation_2031.tif"])
def test_facts_say_nothing_on_standard_error(name):
    done = ran("-m", "brisk_atlas", "facts", str(demo.DATA / name), "--json")
    assert done.stderr == "" and json.loads(done.stdout)


def test_a_picture_with_a_sheet_says_nothing_at_all(tmp_path):
    out = tmp_path / "sheet.png"
    words = ["-m", "brisk_atlas", str(demo.DATA / "gas_readings.parquet"), "--picture", str(out), "--do", "sheet"]
    done = ran(*words)
    assert done.stdout == done.stderr == "" and out.stat().st_size > 10_000
    assert os.access(out, os.R_OK)
