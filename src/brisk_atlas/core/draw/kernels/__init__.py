"""Compiled kernels: flat arrays in, pixels out. They release Python's lock and are stored compiled.

Pixels are uint8 RGBA with premultiplied alpha. A call works on the rows `top` to `bottom` of a
picture, so that several threads can share it.

Kernels make no arrays of their own. So the compiler need not count who holds which array (`_nrt`),
which otherwise costs more than the drawing: the counters are shared by all threads.
"""

JIT = {"nogil": True, "cache": True, "error_model": "numpy", "boundscheck": False, "_nrt": False}
