"""Programs of ours load no library that they do not use, and those that they need after all."""

from __future__ import annotations

import subprocess
import sys

from brisk_atlas import demo

FACTS = f"""
import sys
sys.argv = ["brisk-atlas", "facts", {str(demo.DATA / "tolvane_survey.gpkg")!r}]
from brisk_atlas.cli import main
assert main() == 0
loaded = [name for name in ("pandas", "geopandas", "boto3") if name in sys.modules]
assert not loaded, loaded
import numpy
from brisk_atlas.core.draw import classes
print(classes.breaks(numpy.array([1.0, 1.1, 1.2, 5.0, 5.1, 9.0, 9.2]), "natural", 3).tolist())
"""


def test_a_program_spares_what_it_does_not_use_and_classes_still_have_natural_breaks():
    done = subprocess.run([sys.executable, "-c", FACTS], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    assert done.stdout.splitlines()[-1] == "[1.0, 3.1, 7.05, 9.2]"
