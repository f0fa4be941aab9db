"""No pattern over what files say takes ever longer: its time grows with the text by a small power at most."""

from __future__ import annotations

import ast
import importlib
import pkgutil
import re
import signal
import time
from pathlib import Path

import pytest

from brisk_atlas import core
from brisk_atlas.core.read.content import content_of, root_of

PUMPED = [
    "a",
    "1",
    "1 ",
    "1,",
    "1.",
    " ",
    "-a",
    "a.",
    "@a.",
    "N1 ",
    "(",
    '"',
    "\\a",
    "<!---->",
    "<a ",
    "=",
    "1:",
    "A:",
    "-1+1",
    "a1",
]
ENDS = ["", "!", "\n!"]
SHORT, LONG = 100, 400
MOST_GROWTH = 4**3.3  # a cube of the length, and some noise
BELOW_NOISE_S = 0.05


def patterns():
    """Return every pattern of the core: those of its modules, and those that stand in its calls."""
    found = {}
    for module in pkgutil.walk_packages(core.__path__, "brisk_atlas.core."):
        if ".kernels" in module.name:
            continue
        made = importlib.import_module(module.name)
        found |= {(p.pattern, p.flags): p for p in vars(made).values() if isinstance(p, re.Pattern)}
        for node in ast.walk(ast.parse(Path(made.__file__).read_text())):
            call = ast.unparse(node.func) if isinstance(node, ast.Call) else ""
            if call.startswith("re.") and node.args and (call != "re.compile" or len(node.args) == 1):  # with no flags
                pattern = getattr(node.args[0], "value", None)
                if isinstance(pattern, str | bytes):
                    found[pattern, 0] = re.compile(pattern)
    return list(found.values())


def seconds(pattern, text):
    began = time.thread_time()
    pattern.search(text)
    pattern.match(text)
    return time.thread_time() - began


@pytest.fixture
def stopped_if_endless():
    def stop(*_):
        raise AssertionError("it does not end")

    before = signal.signal(signal.SIGALRM, stop)
    signal.alarm(300)
    yield
    signal.alarm(0)
    signal.signal(signal.SIGALRM, before)


def test_the_time_of_a_pattern_grows_slowly(stopped_if_endless):
    every = patterns()
    assert len(every) > 60
    for pattern in every:
        for pump in PUMPED:
            for end in ENDS:
                short, long = (pump * (n // len(pump)) + end for n in (SHORT, LONG))
                if isinstance(pattern.pattern, bytes):
                    short, long = short.encode(), long.encode()
                took = seconds(pattern, long)
                if took > BELOW_NOISE_S:
                    least = min(seconds(pattern, short) for _ in range(3))
                    assert min(took, seconds(pattern, long)) < MOST_GROWTH * max(least, 1e-6), (pattern.pattern, pump)


def test_the_first_tag_is_found_behind_any_number_of_comments(stopped_if_endless):
    assert root_of(b"<!---->" * 20_000 + b"<gml:Feature>") in ("Feature", "")
    assert root_of(b"<!---->" * 40 + b"!") == ""
    assert content_of(b"<?xml?>" + b"<!-- - -->" * 30 + b"<kml>") == "XML"
