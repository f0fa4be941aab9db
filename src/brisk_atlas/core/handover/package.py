"""A package to hand over: what was written with its record, a licence, a page to read first and checksums, as zip."""

from __future__ import annotations

import hashlib
import zipfile
from collections.abc import Callable, Sequence
from pathlib import Path

from brisk_atlas.core.model import CannotWrite
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.words import size_text
from brisk_atlas.core.system.atomic_write import reason_of

LICENCE, READ_ME, SUMS = "LICENCE.txt", "README.txt", "SHA256SUMS"
PIECE = 1 << 20


def write_package(
    folder: Path, path: Path, title: str, licence: str, made_by: Sequence[str], check: Callable[[], None]
) -> None:
    """Write a zip of all files of a folder, with a page that says what they are, a list of checksums as `sha256sum -c`
    takes it, and the text of a licence if there is one. Raises CannotWrite."""
    files = sorted(each for each in folder.rglob("*") if each.is_file())
    if licence:
        (folder / LICENCE).write_text(licence.strip() + "\n", "utf-8")
    (folder / READ_ME).write_text(_read_me(folder, files, title, licence, made_by), "utf-8")
    files = sorted(each for each in folder.rglob("*") if each.is_file())
    sums = [f"{_sha256(each, check)}  {each.relative_to(folder).as_posix()}" for each in files]
    (folder / SUMS).write_text("\n".join(sums) + "\n", "utf-8")
    try:
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as out:
            for each in [folder / READ_ME, *(f for f in files if f.name != READ_ME), folder / SUMS]:
                check()
                packed = each.suffix.lower() in (".laz", ".parquet", ".jpg", ".kmz", ".xlsx", ".ods")
                out.write(each, each.relative_to(folder).as_posix(), zipfile.ZIP_STORED if packed else None)
    except (OSError, zipfile.LargeZipFile) as error:
        raise reason_of(error, path) from error
    _check(path, len(files) + 1)


def _check(path: Path, count: int) -> None:
    with zipfile.ZipFile(path) as made:
        if made.testzip() is not None or len(made.namelist()) != count:
            raise CannotWrite(
                path, tr("what was written can't be read back"), tr("Try again, or write to another disk.")
            )


def _sha256(path: Path, check: Callable[[], None]) -> str:
    digest = hashlib.sha256()
    with path.open("rb") as file:
        while piece := file.read(PIECE):
            check()
            digest.update(piece)
    return digest.hexdigest()


def _read_me(folder: Path, files: Sequence[Path], title: str, licence: str, made_by: Sequence[str]) -> str:
    lines = [title, "=" * len(title), "", "Files"]
    lines += [f"  {each.relative_to(folder).as_posix()}  ({size_text(each.stat().st_size)})" for each in files]
    lines += ["", "How it was made", *(f"  {number}. {text}" for number, text in enumerate(made_by, 1))]
    lines += ["", f"Licence: see {LICENCE}" if licence else "Licence: not stated"]
    lines += ["", f"Check the files with: sha256sum -c {SUMS}", ""]
    return "\n".join(lines)
