"""Unsaved work, stored from time to time, so that a crash does not take it along."""

from __future__ import annotations

import json
import logging
import shutil
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from brisk_atlas.core.model import CannotRead, CannotWrite, DataRef, OpenOptions
from brisk_atlas.core.system.atomic_write import write_whole
from brisk_atlas.core.system.folders import make_private, state_folder
from brisk_atlas.core.system.processes import is_running, own_mark

from .project_file import SUFFIX, project_bytes, read
from .undoable_work import Place, WorkState

log = logging.getLogger(__name__)
Step = tuple[str, WorkState]  # what was done, and the work before it
STEPS, LARGEST_PAST, NAMES = 20, 4_000_000, "steps.json"  # that are stored, and how many bytes they may take


class Unsaved(NamedTuple):
    """Work that a process left when it ended: the stored project, and the file that it was of, if any."""

    stored: Path
    file: Path | None


def autosave_folder() -> Path:
    """Return the folder for work that was not saved."""
    return state_folder("unsaved")


def own_autosave() -> Path:
    """Return where this process stores its unsaved work."""
    return autosave_folder() / f"{own_mark()}{SUFFIX}"


def store(
    state: WorkState,
    place: Place | None,
    readings: Mapping[DataRef, OpenOptions],
    file: Path | None,
    past: Sequence[Step] = (),
) -> None:
    """Store unsaved work, and the latest steps of it for undo; where that can't be written, the log says so."""
    try:
        folder = make_private(autosave_folder())
        write_whole(_origin(own_autosave()), json.dumps(str(file) if file else None).encode())
        _store_past(own_autosave(), past, readings)
        write_whole(own_autosave(), project_bytes(state, place, readings, folder))
    except (OSError, CannotWrite):
        log.warning("unsaved work can't be stored", exc_info=True)


def _store_past(stored: Path, past: Sequence[Step], readings: Mapping[DataRef, OpenOptions]) -> None:
    """Store steps beside the work, the latest as 00; as many as there is room for."""
    folder = make_private(_past_folder(stored))
    names, size = list[str](), 0
    for number, (what, state) in enumerate(reversed(past[-STEPS:])):
        data = project_bytes(state, None, readings, folder)
        size += len(data)
        if size > LARGEST_PAST:
            break
        write_whole(_step_file(folder, number), data)
        names.append(what)
    write_whole(folder / NAMES, json.dumps(names).encode())


def past_of(stored: Path) -> list[Step]:
    """Return the steps that were stored beside unsaved work, the oldest first; what can't be read ends them."""
    folder = _past_folder(stored)
    if not folder.is_dir():
        return []
    found: list[Step] = []
    try:
        for number, what in enumerate(json.loads((folder / NAMES).read_text("utf-8"))):
            found.insert(0, (str(what), read(_step_file(folder, number))[0]))
    except (OSError, ValueError, TypeError, CannotRead):
        log.warning("not all steps of %s can be read", stored, exc_info=True)
    return found


def discard(stored: Path) -> None:
    """Delete unsaved work that nobody needs any more."""
    shutil.rmtree(_past_folder(stored), ignore_errors=True)
    for file in (stored, _origin(stored)):
        try:
            file.unlink(missing_ok=True)
        except OSError:
            log.warning("%s can't be deleted", file, exc_info=True)


def left_behind() -> list[Unsaved]:
    """Return the unsaved work of processes that ended without saving or discarding it, the latest first."""
    try:
        found = [f for f in autosave_folder().iterdir() if f.name.endswith(SUFFIX)]
    except OSError:
        return []
    left = [file for file in found if not is_running(file.name.removesuffix(SUFFIX))]
    return [Unsaved(file, _file_of(file)) for file in sorted(left, key=_age)]


def _age(file: Path) -> float:
    try:
        return -file.stat().st_mtime
    except OSError:
        return 0.0


def _past_folder(stored: Path) -> Path:
    return stored.with_name(stored.name + ".undo")


def _step_file(folder: Path, number: int) -> Path:
    return folder / f"{number:02}{SUFFIX}"


def _origin(stored: Path) -> Path:
    return stored.with_name(stored.name + ".of")


def _file_of(stored: Path) -> Path | None:
    try:
        content = json.loads(_origin(stored).read_text("utf-8"))
    except (OSError, ValueError):
        return None
    return Path(content) if isinstance(content, str) else None
