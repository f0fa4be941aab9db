"""Ways to damage a file."""

from __future__ import annotations

import random
from pathlib import Path

EDGES = (0, 1, 2, 127, 128, 255, 0x7FFF, 0x8000, 0xFFFF, 0x7FFFFFFF, 0x80000000, 0xFFFFFFFF, 0x7FFFFFFFFFFFFFFF)
HEAD = 2048  # bytes; half of all damage is done there
TEXTS = (
    b"NaN",
    b"-1",
    b"1e999",
    b"99999999999999999999",
    b"\0",
    b"\xff\xfe",
    b"<!---->" * 30 + b"!",
    b"\xe9\xdf",
    b"(" * 400,
)


def damaged(data: bytes, rng: random.Random) -> bytes:
    """Return a file's bytes after one to four accidents."""
    out = bytearray(data)
    for _ in range(rng.choice((1, 1, 1, 2, 4))):
        rng.choice((_cut, _flip, _edge, _zero, _splice, _double, _text))(out, rng)
    return bytes(out)


def _at(out: bytearray, rng: random.Random) -> int:
    return rng.randrange(max(1, min(len(out), HEAD if rng.random() < 0.5 else len(out))))


def _cut(out: bytearray, rng: random.Random) -> None:
    del out[max(1, rng.choice((_at(out, rng), len(out) - rng.randrange(1, 200)))) :]


def _flip(out: bytearray, rng: random.Random) -> None:
    for _ in range(rng.choice((1, 2, 8, 64))):
        if out:
            out[_at(out, rng)] ^= 1 << rng.randrange(8)


def _edge(out: bytearray, rng: random.Random) -> None:
    at, width, order = _at(out, rng), rng.choice((1, 2, 4, 8)), rng.choice(("little", "big"))
    out[at : at + width] = (rng.choice(EDGES) & (1 << 8 * width) - 1).to_bytes(width, order)


def _zero(out: bytearray, rng: random.Random) -> None:
    at, count = _at(out, rng), rng.choice((4, 64, 1024))
    out[at : at + count] = bytes(min(count, max(0, len(out) - at)))


def _splice(out: bytearray, rng: random.Random) -> None:
    at, other, count = _at(out, rng), _at(out, rng), rng.choice((8, 128, 4096))
    out[at : at + count] = out[other : other + count]


def _double(out: bytearray, rng: random.Random) -> None:
    at, count = _at(out, rng), rng.choice((16, 512))
    out[at:at] = out[at : at + count] * rng.choice((1, 3))


def _text(out: bytearray, rng: random.Random) -> None:
    at = _at(out, rng)
    text = rng.choice(TEXTS)
    out[at : at + (len(text) if rng.random() < 0.5 else 0)] = text


def damage(main: Path, rng: random.Random) -> Path:
    """Damage a dataset in place: mostly its main file, else one of those beside it; returns which."""
    beside = [p for p in sorted(main.parent.iterdir()) if p.is_file() and p != main]
    victim = rng.choice(beside) if beside and rng.random() < 0.3 else main
    victim.write_bytes(damaged(victim.read_bytes(), rng))
    return victim
