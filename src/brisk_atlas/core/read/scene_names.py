"""Which files in a folder look like one satellite scene, by their names alone."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path

META_ENDINGS = ("_META.txt", "_MTL.txt")
STAC_ENDING = ".stac.json"
BAND_ENDINGS = (".tif", ".tiff", ".jp2", ".xml")


def bands_named_like(name: str, present: Collection[str]) -> list[str]:
    """Return the files that a scene's metadata file called `name` stands for: those with its stem."""
    ending = next((e for e in (*META_ENDINGS, STAC_ENDING) if name.endswith(e)), "")
    if not ending:
        return []
    stem = name.removesuffix(ending)
    found = [n for n in present if n.startswith(stem + "_") and n.lower().endswith(BAND_ENDINGS)]
    found += [n for n in (stem + STAC_ENDING,) if n in present and n != name]
    return sorted(found)


def metadata_in(folder: Path) -> list[Path]:
    """Return the files in a folder that are the metadata of a scene by name."""
    return sorted(file for ending in META_ENDINGS for file in folder.glob(f"*{ending}"))
