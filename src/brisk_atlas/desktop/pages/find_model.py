"""The lines of Find as Qt asks for them: datasets, parts of those unfolded, and themes when grouped."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING, Any, NamedTuple

from PyQt6.QtCore import QAbstractTableModel, QMimeData, QModelIndex, Qt, QUrl
from PyQt6.QtGui import QColor, QFont

from brisk_atlas.core.find import entry_filter
from brisk_atlas.core.find.entry_filter import EntryRow
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.vocabulary import shown_all

from ..plain_text import plain_tip
from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.find import DatasetSummary
    from brisk_atlas.core.find.entry_filter import EntryFilter
    from brisk_atlas.core.find.summary import PartLine
    from brisk_atlas.core.model import DataRef

SHOWN = ("kind", "shape", "amount")  # what is found out is stored in English
PART_TEXTS = ("name", "kind", "shape", "amount", "crs")
DEPTH, UNFOLDS = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1  # how deep; True, False, or None for no parts


class PartOf(NamedTuple):
    """The line of one part, under its dataset."""

    row: EntryRow
    part: PartLine


class ThemeLine(NamedTuple):
    """The line of a theme, over its datasets."""

    name: str
    many: int


Line = EntryRow | PartOf | ThemeLine


class FindModel(QAbstractTableModel):
    """All rows of a folder or of a search. `lines` are those on show, in order; the rows themselves stand in
    it as they are, so that twenty thousand of them cost no more than their order."""

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.columns: tuple[str, ...] = entry_filter.SHOWN_FIRST
        self.filter: EntryFilter = entry_filter.EntryFilter()
        self.sorted_by, self.down = "name", False
        self.grouped = False
        self.as_found = False  # in the order in which a search found them, the best first
        self.rows: list[EntryRow] = []
        self.lines: list[Line] = []
        self._unfolded: set[DataRef] = set()
        self._places: dict[str, int] | None = None
        self._line_of: dict[str, list[int]] | None = None

    # What is shown

    def show(self, rows: Iterable[EntryRow]) -> None:
        self.rows = list(rows)
        self._places = None
        self.arrange()

    def arrange(self) -> None:
        """Filter, sort and group anew."""
        self.beginResetModel()
        chosen = (
            self.rows
            if self.filter == entry_filter.EntryFilter()
            else [row for row in self.rows if self.filter.keeps(row)]
        )
        if not self.as_found:
            chosen = entry_filter.in_order(chosen, self.sorted_by, down=self.down)
        lines: list[Line] = []
        if self.grouped:
            for theme, rows in entry_filter.by_theme(chosen).items():
                lines += [ThemeLine(theme, len(rows)), *rows]
        else:
            lines += chosen
        self.lines = self._with_parts(lines) if self._unfolded else lines
        self._line_of = None
        self.endResetModel()

    def _with_parts(self, lines: list[Line]) -> list[Line]:
        out: list[Line] = []
        for line in lines:
            out.append(line)
            if isinstance(line, EntryRow) and line.summary is not None and line.entry.ref in self._unfolded:
                out += [PartOf(line, part) for part in line.summary.parts]
        return out

    def learn(self, found: dict[DataRef, DatasetSummary]) -> bool:
        """Take in what was found out about datasets; returns whether the rows should be arranged anew."""
        if self._places is None:
            self._places = {str(row.entry.ref): number for number, row in enumerate(self.rows)}
        lines, changed = self._lines_by_path(), list[int]()
        for ref, summary in found.items():
            number = self._places.get(str(ref))
            if number is None:
                continue
            row = self.rows[number] = self.rows[number]._replace(summary=summary)
            for at in lines.get(str(ref), ()):
                self.lines[at] = row
                changed.append(at)
        if changed:
            self.dataChanged.emit(self.index(min(changed), 0), self.index(max(changed), len(self.columns) - 1))
        return self.filter.by_facts or self.grouped or self.sorted_by not in ("name", "size", "modified", "folder")

    def _lines_by_path(self) -> dict[str, list[int]]:
        if self._line_of is None:
            self._line_of = {}
            for at, line in enumerate(self.lines):
                if isinstance(line, EntryRow):
                    self._line_of.setdefault(str(line.entry.ref), []).append(at)
        return self._line_of

    def unfold(self, index: QModelIndex, on: bool) -> None:
        """Show or hide the parts of a dataset below it."""
        at = index.row()
        line = self.lines[at] if index.isValid() else None
        if not isinstance(line, EntryRow) or line.summary is None or not line.summary.parts:
            return
        ref, count = line.entry.ref, len(line.summary.parts)
        if on == (ref in self._unfolded):
            return
        if self.grouped:  # it may stand under several themes
            (self._unfolded.add if on else self._unfolded.discard)(ref)
            self.arrange()
            return
        if on:
            self._unfolded.add(ref)
            self.beginInsertRows(QModelIndex(), at + 1, at + count)
            self.lines[at + 1 : at + 1] = [PartOf(line, part) for part in line.summary.parts]
            self.endInsertRows()
        else:
            self._unfolded.discard(ref)
            self.beginRemoveRows(QModelIndex(), at + 1, at + count)
            del self.lines[at + 1 : at + 1 + count]
            self.endRemoveRows()
        self._line_of = None

    @property
    def shown(self) -> list[EntryRow]:
        """Return the rows on show, in order."""
        return [line for line in self.lines if isinstance(line, EntryRow)]

    def row_at(self, index: QModelIndex) -> EntryRow | None:
        line = self.lines[index.row()] if index.isValid() else None
        return line if isinstance(line, EntryRow) else line.row if isinstance(line, PartOf) else None

    def part_at(self, index: QModelIndex) -> str | None:
        line = self.lines[index.row()] if index.isValid() else None
        return line.part.name if isinstance(line, PartOf) else None

    def index_of(self, ref: DataRef, part: str | None = None) -> QModelIndex:
        """Return where a dataset stands, or one of its parts if it is unfolded."""
        for at in self._lines_by_path().get(str(ref), ()):
            if part is None:
                return self.index(at, 0)
            for below in range(at + 1, len(self.lines)):
                line = self.lines[below]
                if not isinstance(line, PartOf):
                    break
                if line.part.name == part:
                    return self.index(below, 0)
        return QModelIndex()

    def first_dataset(self) -> QModelIndex:
        """Return the first line of a dataset, or the first of all."""
        found = next(
            (at for at, line in enumerate(self.lines) if isinstance(line, EntryRow) and not line.entry.is_folder), 0
        )
        return self.index(found, 0)

    # What Qt asks

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.lines)

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.columns)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        line, name = self.lines[index.row()], self.columns[index.column()]
        if role == Qt.ItemDataRole.DisplayRole:
            return self._text(line, name)
        if role == Qt.ItemDataRole.ToolTipRole:
            if isinstance(line, EntryRow) and name in ("name", "folder"):
                return plain_tip(str(line.entry.ref))
            return plain_tip(self._text(line, name) or "") or None
        if role == Qt.ItemDataRole.TextAlignmentRole and entry_filter.COLUMNS[name].right:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.ForegroundRole:
            return self._colour(line, name)
        if role == Qt.ItemDataRole.FontRole and isinstance(line, ThemeLine):
            font = QFont()
            font.setBold(True)
            return font
        if role == DEPTH:
            return int(isinstance(line, PartOf)) + int(self.grouped and not isinstance(line, ThemeLine))
        if role == UNFOLDS and isinstance(line, EntryRow) and line.summary is not None and line.summary.parts:
            return line.entry.ref in self._unfolded
        return None

    @staticmethod
    def _text(line: Line, name: str) -> str:
        if isinstance(line, ThemeLine):
            return f"{line.name} ({grouped(line.many)})" if name == "name" else ""
        if isinstance(line, PartOf):
            text = getattr(line.part, name) if name in PART_TEXTS else ""
        else:
            text = entry_filter.COLUMNS[name].text(line)
        return shown_all(text) if name in SHOWN else text

    def _colour(self, line: Line, name: str) -> QColor | None:
        known = line.summary if isinstance(line, EntryRow) else None
        if known is not None and known.fault and name in ("kind", "remarks"):
            return QColor(self.theme.fault)
        return QColor(self.theme.caution) if known is not None and known.warnings and name == "remarks" else None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return entry_filter.COLUMNS[self.columns[section]].title
        return None

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        if 0 <= column < len(self.columns):
            wanted = self.columns[column], order == Qt.SortOrder.DescendingOrder
            if wanted != (self.sorted_by, self.down) or self.as_found:
                self.sorted_by, self.down = wanted
                self.as_found = False
                self.arrange()

    # Dragging

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        flags = super().flags(index)
        return flags | Qt.ItemFlag.ItemIsDragEnabled if self.row_at(index) is not None else flags

    def mimeTypes(self) -> list[str]:
        return ["text/uri-list"]

    def mimeData(self, indexes: Iterable[QModelIndex]) -> QMimeData:
        refs = dict.fromkeys(row.entry.ref for index in indexes if (row := self.row_at(index)) is not None)
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(ref)) for ref in refs if ref.is_local])
        return mime

    def supportedDragActions(self) -> Qt.DropAction:
        return Qt.DropAction.CopyAction
