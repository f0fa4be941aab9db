"""Folders of boat surveys, which are one dataset."""

from __future__ import annotations

from pathlib import Path

EXCHANGE, TABULAR, TABULAR_HEADER = (".mgd77",), (".m77t",), (".h77t",)
BESIDE = (*TABULAR_HEADER, ".txt", ".xml", ".md")  # what may lie beside surveys


def survey_files(folder: Path) -> list[Path]:
    """Return the surveys of a folder, by name."""
    return sorted(path for path in folder.iterdir() if path.suffix.lower() in EXCHANGE + TABULAR and path.is_file())


def is_survey_folder(path: Path) -> bool:
    """Return whether a folder holds surveys and no other data: it is opened as one dataset."""
    try:
        names = [each for each in path.iterdir() if not each.name.startswith(".")]
    except OSError:
        return False
    endings = [each.suffix.lower() for each in names]
    return any(e in EXCHANGE + TABULAR for e in endings) and all(e in EXCHANGE + TABULAR + BESIDE for e in endings)
