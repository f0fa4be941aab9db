"""Compiled: which points are the first in the cube that they lie in."""

from __future__ import annotations

import numpy as np

from brisk_atlas.core.read.index_kernels import JIT
from brisk_atlas.core.system.compiled import njit

SLOTS = 1 << 14  # at first; as many again whenever half of them are taken
SIDE_BITS = 2  # a slot is for a block of 4 x 4 x 4 cubes, a bit for each


class SeenCubes:
    """The cubes of a size that points were found in so far.

    A slot holds the number of a block along each axis; `bits` says in which of its cubes points were. Surfaces fill
    few of the cubes of space and many of a block, so that tens of millions of cubes take tens of megabytes.
    """

    def __init__(self, scales: np.ndarray, offsets: np.ndarray, size: float) -> None:
        self._scales, self._offsets, self._size = scales.astype(np.float64), offsets.astype(np.float64), float(size)
        self._blocks, self._bits = np.zeros((SLOTS, 3), np.int64), np.zeros(SLOTS, np.uint64)
        self._taken = 0

    def first_in_cube(self, x: np.ndarray, y: np.ndarray, z: np.ndarray) -> np.ndarray:
        """Return (points,) bool: which points are the first in their cube, of these and of all before.

        x, y, z : (points,) int32 as stored; times the scale and with the offset they are coordinates
        """
        first = np.zeros(len(x), bool)
        at = 0
        while True:
            at, self._taken = _mark(x, y, z, self._scales, self._offsets, self._size, self._blocks, self._bits,
                                    self._taken, at, first)  # fmt: skip
            if at == len(x):
                return first
            self._grow()

    def _grow(self) -> None:
        blocks, bits = np.zeros((2 * len(self._bits), 3), np.int64), np.zeros(2 * len(self._bits), np.uint64)
        _move(self._blocks, self._bits, blocks, bits)
        self._blocks, self._bits = blocks, bits


@njit(**JIT)
def _slot(bx, by, bz, blocks, bits):
    """Return the slot of a block, or the empty one that it may take. Source of the mixing: Steele, Lea and Flood
    (2014), "Fast splittable pseudorandom number generators", OOPSLA."""
    mixed = np.uint64(bx) * np.uint64(0x9E3779B97F4A7C15)
    mixed = (mixed ^ (mixed >> np.uint64(29)) ^ np.uint64(by)) * np.uint64(0xBF58476D1CE4E5B9)
    mixed = (mixed ^ (mixed >> np.uint64(32)) ^ np.uint64(bz)) * np.uint64(0x94D049BB133111EB)
    mixed ^= mixed >> np.uint64(31)
    last = np.uint64(bits.size - 1)
    at = np.int64(mixed & last)
    while bits[at] != 0 and not (blocks[at, 0] == bx and blocks[at, 1] == by and blocks[at, 2] == bz):
        at = (at + 1) & np.int64(last)
    return at


@njit(**JIT)
def _mark(x, y, z, scales, offsets, size, blocks, bits, taken, start, first):
    """Mark points from `start` on until there is no room for a block; returns where, and how many slots are taken."""
    for number in range(start, x.size):
        cx = np.int64(np.floor((x[number] * scales[0] + offsets[0]) / size))
        cy = np.int64(np.floor((y[number] * scales[1] + offsets[1]) / size))
        cz = np.int64(np.floor((z[number] * scales[2] + offsets[2]) / size))
        bx, by, bz = cx >> SIDE_BITS, cy >> SIDE_BITS, cz >> SIDE_BITS
        bit = np.uint64(1) << np.uint64((cx & 3) << 4 | (cy & 3) << 2 | cz & 3)
        at = _slot(bx, by, bz, blocks, bits)
        if bits[at] == 0:
            if 2 * taken >= bits.size:
                return number, taken
            blocks[at, 0], blocks[at, 1], blocks[at, 2] = bx, by, bz
            taken += 1
        if not bits[at] & bit:
            bits[at] |= bit
            first[number] = True
    return x.size, taken


@njit(**JIT)
def _move(blocks, bits, to_blocks, to_bits):
    for number in range(bits.size):
        if bits[number] != 0:
            bx, by, bz = blocks[number]
            at = _slot(bx, by, bz, to_blocks, to_bits)
            to_blocks[at, 0], to_blocks[at, 1], to_blocks[at, 2] = bx, by, bz
            to_bits[at] = bits[number]
