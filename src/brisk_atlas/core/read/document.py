"""Plain text that comes with the data: descriptions, notes."""

from __future__ import annotations

from dataclasses import dataclass

from brisk_atlas.core.model import DataKind, DataRef, Dataset, Facts, Part

from .on_disk import on_disk

TEXT_LIMIT = 2_000_000  # bytes shown at most


@dataclass(frozen=True)
class TextFile(Part):
    """A text to read."""

    def text(self) -> str:
        """Return the beginning of the text, as UTF-8; what is none is replaced."""
        with self.ref.path.open("rb") as file:
            return file.read(TEXT_LIMIT).decode("utf-8", "replace")


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a text file."""
    path = ref.path
    with path.open("rb") as file:
        lines = sum(block.count(b"\n") for block in iter(lambda: file.read(1 << 20), b""))
    facts = Facts(ref.stem, DataKind.DOCUMENT, lines)
    return Dataset(format="Text", kind=DataKind.DOCUMENT, parts=(TextFile(ref, facts),), **on_disk(ref))
