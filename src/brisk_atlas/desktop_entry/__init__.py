"""How a desktop knows the application: its entry, icon, kinds of files and description.

The files follow the standards of the desktop (entries, shared MIME information, icon themes, AppStream) and go to where
these say, below a prefix such as ~/.local/share.
"""

from __future__ import annotations

import os
import shlex
import shutil
import subprocess
import sys
from collections.abc import Iterable, Mapping
from pathlib import Path

from brisk_atlas.core.model import CannotWrite
from brisk_atlas.core.system.atomic_write import write_whole

HERE = Path(__file__).parent
ENTRY = "brisk-atlas.desktop"
ICON = HERE.parent / "desktop" / "marks" / "brisk-atlas.svg"
REFRESH_S = 20  # that a tool of the desktop may take


def data_home() -> Path:
    """Return where the user's own shared files lie, by the XDG base directories."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")


def entry_text() -> str:
    """Return the entry of the application, which starts it as it runs now."""
    run = " ".join(shlex.quote(each) for each in (sys.executable, "-m", "brisk_atlas"))
    return (HERE / ENTRY).read_text("utf-8").replace("Exec=brisk-atlas ", f"Exec={run} ")


def files() -> dict[str, bytes]:
    """Return the files, by their paths below a prefix."""
    return {
        f"applications/{ENTRY}": entry_text().encode(),
        "icons/hicolor/scalable/apps/brisk-atlas.svg": ICON.read_bytes(),
        "mime/packages/brisk-atlas.xml": (HERE / "brisk-atlas.mime.xml").read_bytes(),
        "metainfo/org.brisk_atlas.BriskAtlas.metainfo.xml": (HERE / "brisk-atlas.metainfo.xml").read_bytes(),
    }


def install(prefix: Path, more: Mapping[str, bytes]) -> list[Path]:
    """Write the files, and `more` by their paths, below a prefix and have the desktop read them; returns where they
    lie. Raises CannotWrite."""
    made = []
    for name, data in {**files(), **more}.items():
        path = prefix / name
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise CannotWrite(
                path.parent, f"it can't be made ({error.strerror})", "Choose another --prefix."
            ) from error
        write_whole(path, data)
        made.append(path)
    _refresh(prefix)
    return made


def remove(prefix: Path, more: Iterable[str]) -> list[Path]:
    """Remove what `install` wrote; returns what was there."""
    there = [prefix / name for name in (*files(), *more) if (prefix / name).is_file()]
    for path in there:
        path.unlink()
    _refresh(prefix)
    return there


def _refresh(prefix: Path) -> None:
    """Have the desktop read kinds of files and entries again, where it has the tools for it."""
    for tool, folder in (("update-mime-database", "mime"), ("update-desktop-database", "applications")):
        found = shutil.which(tool)
        if found is not None and (prefix / folder).is_dir():
            subprocess.run([found, str(prefix / folder)], capture_output=True, timeout=REFRESH_S, check=False)
