"""Kernels that are compiled when they are first called, by several threads at once."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor

from brisk_atlas.core.system.compiled import CompiledLater, njit

THREADS = 8


@njit(nogil=True)
def twice(x):
    return 2 * x


@njit(nogil=True)
def once_more(x):
    return twice(x) + 1


def test_threads_that_call_a_kernel_while_it_is_made_all_get_its_answer(monkeypatch):
    import numba

    original = CompiledLater.dispatcher
    inner = twice

    def slow(kernel):
        if kernel is inner:
            time.sleep(0.3)  # the others call meanwhile
        return original(kernel)

    monkeypatch.setattr(CompiledLater, "dispatcher", slow)

    def call(number):
        time.sleep(0.05 * number)  # some while what it calls is not ready
        return once_more(number)

    with ThreadPoolExecutor(THREADS) as threads:
        assert list(threads.map(call, range(THREADS))) == [2 * n + 1 for n in range(THREADS)]
    assert isinstance(globals()["twice"], numba.core.registry.CPUDispatcher)


def test_the_compiler_is_not_loaded_before_a_kernel_is_called():
    words = "import brisk_atlas.core.handover.run_recipe, sys; print('numba' in sys.modules)"
    assert subprocess.run([sys.executable, "-c", words], capture_output=True, text=True).stdout.strip() == "False"


def test_what_was_compiled_beside_the_sources_serves_where_they_can_not_be_written_to(tmp_path):
    (tmp_path / "kernels_here.py").write_text(
        "from brisk_atlas.core.system.compiled import njit\n"
        "@njit(cache=True)\ndef inner(x):\n    return x + 1\n"
        "@njit(cache=True)\ndef outer(x):\n    return inner(x) * 2\n"
    )
    ask = (
        "import kernels_here as k\nfrom brisk_atlas.core.system.compiled import is_stored\n"
        "outer = k.outer\nstored = is_stored(outer)\nassert outer(3) == 8\n"
        "print(stored, *outer.dispatcher().stats.cache_hits.values())"
    )

    def run(**more):
        surroundings = {**os.environ, "PYTHONPATH": str(tmp_path), **more}
        done = subprocess.run([sys.executable, "-c", ask], env=surroundings, capture_output=True, text=True, check=True)
        return done.stdout.split()

    elsewhere = str(tmp_path / "cache")
    assert run() == ["False"]
    assert run() == ["True", "1"]
    assert run(NUMBA_CACHE_DIR=elsewhere) == ["True", "1"]  # as where the folder of the sources is not ours
    (tmp_path / "kernels_here.py").write_text((tmp_path / "kernels_here.py").read_text().replace("* 2", "+ 4"))
    assert run(NUMBA_CACHE_DIR=elsewhere) == ["True"]  # another source is compiled anew
