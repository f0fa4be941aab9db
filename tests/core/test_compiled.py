"""Kernels that are compiled when they are first called, by several threads at once."""

from __future__ import annotations

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
