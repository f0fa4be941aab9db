"""How the files of the package stand to each other, read from their syntax trees."""

from __future__ import annotations

import ast
import re
import subprocess
import sys
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

import brisk_atlas

PACKAGE = Path(brisk_atlas.__file__).parent


def module_files():
    """Return the files of the package by the names of their modules."""
    files = {}
    for path in PACKAGE.rglob("*.py"):
        parts = path.relative_to(PACKAGE.parent).with_suffix("").parts
        files[".".join(parts[:-1] if parts[-1] == "__init__" else parts)] = path
    return files


def imports_of(name, path, files):
    """Return the modules of the package that a file imports anywhere: inside functions and for typing too."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            base = name.split(".") if path.name == "__init__.py" else name.split(".")[:-1]
            base = base[: len(base) - node.level + 1] if node.level else []
            module = ".".join([*base, *filter(None, [node.module])])
            whole = [f"{module}.{alias.name}" for alias in node.names]
            found |= {each if each in files else module for each in whole}
    return {each for each in found if each in files and each != name}


def test_no_files_import_each_other_in_a_circle():
    files = module_files()
    assert len(files) > 300
    graph = {name: imports_of(name, path, files) for name, path in files.items()}
    assert "brisk_atlas.core.read.answer" in graph["brisk_atlas.core.table.query"]
    try:
        TopologicalSorter(graph).prepare()
    except CycleError as error:
        raise AssertionError(" imports ".join(reversed(error.args[1]))) from None


def test_each_class_name_stands_for_one_type():
    seen = {}
    for name, path in module_files().items():
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                seen.setdefault(node.name, []).append(name)
    assert {name: homes for name, homes in seen.items() if len(homes) > 1} == {}


HEAVY = (
    "numpy",
    "pyarrow",
    "duckdb",
    "rasterio",
    "httpx",
    "lxml",
    "psycopg",
    "numba",
    "PIL",
    "brisk_atlas.core.read.registry",
)


def test_an_empty_window_loads_no_library_that_it_does_not_need(tmp_path):
    script = f"""
import os, sys
os.environ |= {{"QT_QPA_PLATFORM": "offscreen", "BRISK_ATLAS_HOME": {str(tmp_path)!r}}}
from brisk_atlas.desktop import app
made = app.make_application()
window = app.make_window()
window.show()
print([name for name in {HEAVY!r} if name in sys.modules])
sys.stdout.flush()
os._exit(0)
"""
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, timeout=120)
    assert done.stdout.strip() == "[]", done.stdout + done.stderr


def test_no_table_keeps_who_goes_by_tab():
    tables = re.compile(r"QTable(?:Widget|View)\(.*\)\n|class \w+\(QTable(?:Widget|View)\)")
    for path in (PACKAGE / "desktop").rglob("*.py"):
        text = path.read_text("utf-8")
        assert len(tables.findall(text)) <= text.count("setTabKeyNavigation(False)"), path


def test_a_signal_is_connected_as_it_is():
    """The `emit` of a signal outlives the widget that it belongs to, and ends the program when it is called then."""
    held = re.compile(r"\b(?:connect|Later)\(.*\.emit\b(?!\()")
    assert [path for path in PACKAGE.rglob("*.py") if held.search(path.read_text("utf-8"))] == []
