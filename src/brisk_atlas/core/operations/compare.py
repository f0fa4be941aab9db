"""What changed from one delivery to the next."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from brisk_atlas.core.compare.datasets import DatasetChange, PartChange, PartState, dataset_change
from brisk_atlas.core.compare.delivery import DeliveryChange, RowState, matched_words
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.vocabulary import shown

from .operation import Operation, Progress, Source, argument, layer_of, silent

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace


@dataclass(frozen=True)
class CompareResult:
    """What changed, and the files that were written of it."""

    change: DatasetChange
    paths: tuple[Path, ...] = ()

    @property
    def differs(self) -> bool:
        """Whether anything differs."""
        return self.change.differs

    def lines(self) -> list[str]:
        parts = self.change.parts
        same = [part.name for part in parts if part.state is PartState.SAME]
        lines = [line for part in parts if part.state is not PartState.SAME for line in part_lines(part)]
        if same:
            lines.append(tr("unchanged: {parts}", parts=", ".join(same)))
        if self.change.record:
            labels = sorted({row.label for row in self.change.record})
            lines.append(
                tr(
                    "record: {count:,} values differ ({labels})",
                    count=len(self.change.record),
                    labels=", ".join(labels[:6]),
                )
            )
        return lines + [tr("Written: {path}", path=path) for path in self.paths]

    def as_json(self) -> dict[str, Any]:
        return {
            "differs": self.differs,
            "parts": [_part_json(part) for part in self.change.parts],
            "record": [{"element": row.label, "state": row.state} for row in self.change.record],
            "paths": [str(path) for path in self.paths],
        }


def part_lines(part: PartChange) -> list[str]:
    """Return what became of a part, a line each."""
    lines = [f"{part.name}: {shown(part.state)}"]
    if part.state in (PartState.ADDED, PartState.REMOVED):
        return lines
    lines += [f"  {label}: {a} -> {b}" for label, a, b in part.facts]
    lines += [f"  {line}" for line in row_lines(part.rows)] if part.rows is not None else []
    lines += [
        tr(
            "  {band}: {changed:,} cells differ, by up to {largest:g}; {gained:,} have data in B alone, "
            "{lost:,} in A alone",
            band=each.band,
            changed=each.changed,
            largest=each.largest,
            gained=each.gained,
            lost=each.lost,
        )
        for each in part.cells
    ]
    return lines + ([f"  {part.remark}"] if part.remark else [])


def row_lines(change: DeliveryChange) -> Iterator[str]:
    """Yield what became of rows and fields, a line each."""
    counts = change.counts
    words = [
        f"{grouped(count)} {_LABELS[kind]}" for kind, count in counts.items() if count or kind is RowState.UNCHANGED
    ]
    yield f"{', '.join(words)} ({matched_words(change)})"
    if any(change.match.repeated):
        a, b = change.match.repeated
        yield tr(
            "rows whose key another row has too: {a:,} in A, {b:,} in B; they are matched in their order", a=a, b=b
        )
    fields = change.fields
    if fields.added:
        yield tr("fields added: {names}", names=", ".join(fields.added))
    if fields.dropped:
        yield tr("fields dropped: {names}", names=", ".join(fields.dropped))
    for old, new in fields.renamed:
        yield tr("field renamed, as their values agree: {old} -> {new}", old=old, new=new)
    for name, old, new in fields.retyped:
        yield tr("field of another type: {name}, {old} -> {new}", name=name, old=old, new=new)
    for name, count in sorted(change.by_field.items(), key=lambda each: -each[1]):
        yield tr("values of {name}: {count:,} differ", name=name, count=count)
    if change.distance is not None and change.shape is not None and change.shape.any():
        import numpy as np

        yield tr("shapes differ by up to {nanmax:,.3f} m", nanmax=np.nanmax(change.distance, initial=0.0))


_LABELS = {
    RowState.ADDED: tr("added"),
    RowState.REMOVED: tr("removed"),
    RowState.SHAPE: tr("changed in shape"),
    RowState.VALUES: tr("changed in values"),
    RowState.BOTH: tr("changed in shape and values"),
    RowState.UNCHANGED: tr("unchanged"),
}


def _part_json(part: PartChange) -> dict[str, Any]:
    found: dict[str, Any] = {"name": part.name, "state": str(part.state)}
    if part.facts:
        found["facts"] = [{"fact": label, "a": a, "b": b} for label, a, b in part.facts]
    if part.rows is not None:
        rows, fields = part.rows, part.rows.fields
        found |= {
            "key": list(rows.match.key),
            "matched_by": str(rows.match.by),
            "repeated_keys": list(rows.match.repeated),
            "rows": {"a": rows.rows[0], "b": rows.rows[1]},
            "counts": {str(kind).replace(" ", "_"): count for kind, count in rows.counts.items()},
            "values": rows.by_field,
            "fields": {
                "added": list(fields.added), "dropped": list(fields.dropped),
                "renamed": [list(each) for each in fields.renamed], "retyped": [list(each) for each in fields.retyped],
            },
        }  # fmt: skip
    if part.cells:
        found["cells"] = [
            {"band": c.band, "changed": c.changed, "gained": c.gained, "lost": c.lost, "largest": c.largest}
            for c in part.cells
        ]
    if part.remark:
        found["remark"] = part.remark
    return found


@dataclass(frozen=True)
class Compare(Operation):
    """What changed from one delivery to the next: layers, rows, shapes, values, fields, cells and records.

    Rows are matched by a key, which is guessed if none is given, or by geometry where no field identifies them.
    """

    before: Source = argument(tr("side A, the earlier delivery"))
    after: Source = argument(tr("side B, the later one"))
    key: tuple[str, ...] | None = argument(tr("the fields that identify rows; guessed if not given"), None)
    tolerance: float = argument(tr("up to which numbers count as equal"), 0.0)
    tolerance_m: float = argument(tr("metres up to which shapes count as equal"), 0.0)
    report: Path | None = argument(tr("a page to write of it (.html)"), None)
    patch: Path | None = argument(tr("a GeoPackage to write of the changes"), None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> CompareResult:
        before, after = (_ref_of(workspace, source) for source in (self.before, self.after))
        change = dataset_change(
            workspace.cache, before, after, key=self.key, tolerance=self.tolerance, tolerance_m=self.tolerance_m,
            check=lambda share, step: progress(0.9 * share, step),
        )  # fmt: skip
        paths = []
        for path in (self.report, self.patch):
            if path is not None:
                self.check_is_no_source(workspace, path)
        if self.report is not None:
            from brisk_atlas.core.compare.report import write_report

            progress(0.92, tr("writing the report"))
            write_report(workspace.cache, change, self.report)
            paths.append(self.report)
        if self.patch is not None:
            from brisk_atlas.core.compare.patch import write_patch

            progress(0.95, tr("writing the changes"))
            if write_patch(workspace.cache, change, self.patch):
                paths.append(self.patch)
        return CompareResult(change, tuple(paths))


def _ref_of(workspace: Workspace, source: str | DataRef) -> DataRef:
    return layer_of(workspace, source).ref if isinstance(source, str) else source
