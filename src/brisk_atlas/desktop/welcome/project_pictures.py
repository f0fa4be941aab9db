"""Small pictures of projects, as they looked when they were saved; stored where they can be made again."""

from __future__ import annotations

import logging
from pathlib import Path

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QPixmap

log = logging.getLogger(__name__)
SIZE = QSize(240, 150)
MOST = 60  # pictures; the oldest go


def store_picture(project: Path, shown: QPixmap) -> None:
    """Store how a project looks, its middle cut to the size of the pictures; nothing depends on it."""
    small = shown.scaled(
        SIZE, Qt.AspectRatioMode.KeepAspectRatioByExpanding, Qt.TransformationMode.SmoothTransformation
    )
    left, top = (small.width() - SIZE.width()) // 2, (small.height() - SIZE.height()) // 2
    from brisk_atlas.core.system.folders import make_private

    file = _file(project)
    try:
        make_private(file.parent)
        if not small.copy(left, top, SIZE.width(), SIZE.height()).save(str(file), "PNG"):
            log.info("the picture of %s can't be stored", project.name)
        for old in sorted(file.parent.glob("*.png"), key=lambda each: each.stat().st_mtime)[:-MOST]:
            old.unlink(missing_ok=True)
    except OSError as error:
        log.info("the picture of %s can't be stored: %s", project.name, error)


def picture_of(project: Path) -> QPixmap:
    """Return the picture of a project, an empty one where there is none."""
    return QPixmap(str(_file(project)))


def forget_pictures() -> None:
    """Remove all pictures."""
    from brisk_atlas.core.system.folders import cache_folder

    for file in cache_folder("projects").glob("*.png"):
        file.unlink(missing_ok=True)


def _file(project: Path) -> Path:
    import hashlib

    from brisk_atlas.core.system.folders import cache_folder

    name = hashlib.sha256(str(project.absolute()).encode("utf-8", "surrogateescape")).hexdigest()[:24]
    return cache_folder("projects") / f"{name}.png"
