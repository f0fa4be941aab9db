"""Templates of tracks as files."""

from __future__ import annotations

import json
import re
from pathlib import Path

from pydantic import TypeAdapter, ValidationError

from brisk_atlas.core.model import AtlasError, CannotRead
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.atomic_write import written_beside

from .tracks import LogTemplate

ENDING = ".log-template.json"
MARK = "brisk_atlas_log_template"
MOST_BYTES = 1_000_000


def write_template(template: LogTemplate, folder: Path) -> Path:
    """Store a template under its name in a folder; returns the file. Raises CannotWrite."""
    folder.mkdir(parents=True, exist_ok=True)
    name = re.sub(r"[^\w -]+", "_", template.name).strip() or "template"
    path = folder / f"{name}{ENDING}"
    values = TypeAdapter(LogTemplate).dump_python(template, mode="json")
    with written_beside(path) as beside:
        beside.write_text(json.dumps({MARK: 1, **values}, indent=2, ensure_ascii=False) + "\n", encoding="utf-8")
    return path


def read_template(path: Path) -> LogTemplate:
    """Return the template of a file. Raises CannotRead."""
    try:
        if path.stat().st_size > MOST_BYTES:
            raise CannotRead(path, tr("it is too large for a template"), tr("Choose a template of tracks."))
        values = json.loads(path.read_text("utf-8"))
        if not isinstance(values, dict) or values.pop(MARK, None) != 1:
            raise CannotRead(
                path, tr("it is no template of tracks"), tr("Choose one that was stored from a strip log.")
            )
        return TypeAdapter(LogTemplate).validate_python(values)
    except (OSError, ValueError, ValidationError) as error:
        if isinstance(error, AtlasError):
            raise
        why = str(error).splitlines()[0][:120]
        raise CannotRead(
            path, tr("it is no whole template of tracks ({why})", why=why), tr("Store it again from a strip log.")
        ) from error


def templates_in(folder: Path) -> tuple[LogTemplate, ...]:
    """Return the templates that are stored in a folder, by name; those that can't be read are left out."""
    found = []
    for path in sorted(folder.glob(f"*{ENDING}")) if folder.is_dir() else []:
        try:
            found.append(read_template(path))
        except CannotRead:
            continue
    return tuple(found)
