"""Asking for a file to write, in one of several forms."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget


def ask_save_path(parent: QWidget, title: str, name: str, forms: Mapping[str, str]) -> Path | None:
    """Return the file that is chosen, None for none; `forms` are words by their ending, the first one offered. A name
    without one of the endings gets that of the form."""
    kinds = ";;".join(f"{word} (*{suffix})" for suffix, word in forms.items())
    first = next(iter(forms))
    chosen, kind = QFileDialog.getSaveFileName(parent, title, str(Path.home() / f"{name}{first}"), kinds)
    if not chosen:
        return None
    path = Path(chosen)
    suffix = next((each for each in forms if f"*{each}" in kind), first)
    return path if path.suffix.lower() in forms else path.with_name(path.name + suffix)
