"""The files of a dataset that a catalogue site hands out: as it lies, and in the formats that most can use."""

from __future__ import annotations

import hashlib
import shutil
import zipfile
from collections.abc import Iterator
from pathlib import Path

from brisk_atlas.core.handover.formats import format_for
from brisk_atlas.core.handover.sources import flow_of_part
from brisk_atlas.core.handover.step import StepContext
from brisk_atlas.core.model import AtlasError, DataKind, Dataset, Part, size_text
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.record.detect import is_record_name
from brisk_atlas.core.site.site_entry import SiteDownload, entry_id
from brisk_atlas.core.system.atomic_write import reason_of
from brisk_atlas.core.system.scratch import ScratchFolder

FILES = "files"
BLOCK = 1 << 20
FORMS = {  # by the kind of a part: name of the format, ending, media type
    DataKind.VECTOR: (
        ("GeoPackage", ".gpkg", "application/geopackage+sqlite3"), ("GeoJSON", ".geojson", "application/geo+json"),
        ("CSV", ".csv", "text/csv"),
    ),
    DataKind.TABLE: (("CSV", ".csv", "text/csv"), ("Parquet", ".parquet", "application/vnd.apache.parquet")),
    DataKind.RASTER: (("COG", ".tif", "image/tiff"),),
}  # fmt: skip
MEDIA_TYPES = {".gpkg": "application/geopackage+sqlite3", ".tif": "image/tiff", ".csv": "text/csv",
               ".geojson": "application/geo+json", ".zip": "application/zip",
               ".laz": "application/vnd.laszip"}  # fmt: skip
OTHER = "application/octet-stream"
SMALL_GRID = 1024  # cells a side, of which no overviews are needed


class FilesWriter:
    """Writes the files of a dataset into its folder of the site; `remarks` say what is left out and why."""

    def __init__(self, dataset: Dataset, folder: Path, largest: int, scratch: ScratchFolder) -> None:
        self.dataset, self.folder, self.largest, self.scratch = dataset, folder / FILES, largest, scratch
        self.remarks: list[str] = []

    def written(self) -> tuple[SiteDownload, ...]:
        """Write the files; returns what they are."""
        self.folder.mkdir(parents=True, exist_ok=True)
        found = [*self._original(), *(each for part in self.dataset.parts for each in self._forms(part))]
        if not found:
            self.folder.rmdir()
        return tuple(found)

    def _original(self) -> Iterator[SiteDownload]:
        """Copy the data as it lies: a file by itself, several together in a zip. Records are handed out apart."""
        if not self.dataset.ref.is_local:
            return
        members = [each for each in self.dataset.members if each.is_file() and not is_record_name(each.name)]
        size = sum(each.stat().st_size for each in members)
        if not members:
            return
        if size > self.largest:
            self.remarks.append(tr("Its files have {size} and are not handed out here.", size=size_text(size)))
            return
        if len(members) == 1:
            path = self.folder / members[0].name
            shutil.copyfile(members[0], path)
        else:
            path = self.folder / f"{self.dataset.ref.name}.zip"
            base = self.dataset.ref.path if self.dataset.ref.path.is_dir() else self.dataset.ref.path.parent
            with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as packed:
                for each in members:
                    packed.write(each, each.relative_to(base) if each.is_relative_to(base) else each.name)
        yield self._download(tr("{format}, as it lies", format=self.dataset.format), path, "")

    def _forms(self, part: Part) -> Iterator[SiteDownload]:
        """Write a part in the formats that most can use, but for the one that it lies in."""
        kind = part.facts.kind
        several = len(self.dataset.parts) > 1
        for name, ending, _ in FORMS.get(kind, ()):
            if self.dataset.ref.suffix == ending and self.dataset.ref.is_local and (kind is not DataKind.RASTER):
                continue
            stem = entry_id(part.facts.name, ()) if several else Path(self.dataset.ref.name).stem or "data"
            path = self.folder / f"{stem}{ending}"
            if path.exists():
                path = path.with_name(f"{stem}.{name.lower()}{ending}")
            if kind is DataKind.RASTER and not self._wants_cog(part):
                continue
            try:
                self._write(part, name, path)
            except Exception as error:  # each library has its own errors
                reason = error.reason if isinstance(error, AtlasError) else reason_of(error, path).reason
                self.remarks.append(
                    tr("There is no {name} of {part}: {reason}.", name=name, part=part.facts.name, reason=reason)
                )
                path.unlink(missing_ok=True)
                continue
            if path.stat().st_size > self.largest:
                path.unlink()
                continue
            yield self._download(name, path, part.facts.name if several else "")

    def _wants_cog(self, part: Part) -> bool:
        """Return whether a grid is handed out as a COG too: a GeoTIFF that is small, or has overviews, is as good."""
        grid = part.facts.grid
        if grid is None or grid.drawn_by_service or self.dataset.ref.protocol or self.dataset.size_bytes > self.largest:
            return False
        is_good = bool(grid.overviews) or max(grid.width, grid.height) <= SMALL_GRID
        return not (self.dataset.format == "GeoTIFF" and is_good)

    def _write(self, part: Part, name: str, path: Path) -> None:
        flow = flow_of_part(part, part.facts.name)
        format_ = format_for(flow.kind, path, name)
        context = StepContext(lambda other: flow, self.scratch.path)
        try:
            format_.write(flow, path, format_.chosen({}), context, lambda share, step: None)
        finally:
            self.scratch.empty()

    def _download(self, name: str, path: Path, of: str) -> SiteDownload:
        digest = hashlib.sha256()
        with path.open("rb") as file:
            while block := file.read(BLOCK):
                digest.update(block)
        media_type = MEDIA_TYPES.get(path.suffix.lower(), OTHER)
        return SiteDownload(name, f"{FILES}/{path.name}", path.stat().st_size, digest.hexdigest(), media_type, of)
