"""The rows of Find as Qt asks for them: datasets, their parts, and themes when grouped."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QAbstractItemModel, QMimeData, QModelIndex, Qt, QUrl
from PyQt6.QtGui import QColor, QFont

from brisk_atlas.core.find import sieve

from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.find import Summary
    from brisk_atlas.core.find.sieve import Row, Sieve
    from brisk_atlas.core.find.summary import PartLine

PART_TEXTS = ("name", "kind", "shape", "amount", "crs")


class Node:
    """One line of the tree: a theme, a dataset or folder, or a part."""

    __slots__ = ("children", "filled", "number", "parent", "part", "row", "theme")

    def __init__(self, parent: Node | None, number: int, row: Row | None = None) -> None:
        self.parent, self.number, self.row = parent, number, row
        self.part: PartLine | None = None
        self.theme = ""
        self.children: list[Node] = []
        self.filled = False


class FindModel(QAbstractItemModel):
    """All rows of a folder or of a search; `shown` are those that the sieve keeps, in order."""

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.columns: tuple[str, ...] = sieve.SHOWN_FIRST
        self.sieve: Sieve = sieve.Sieve()
        self.sorted_by, self.down = "name", False
        self.grouped = False
        self.as_found = False  # in the order in which a search found them, the best first
        self.rows: list[Row] = []
        self._place: dict[Path, int] = {}
        self._top: list[Node] = []
        self._nodes: dict[Path, list[Node]] = {}

    # What is shown

    def show(self, rows: Iterable[Row]) -> None:
        self.rows = list(rows)
        self._place = {row.entry.path: number for number, row in enumerate(self.rows)}
        self.arrange()

    def arrange(self) -> None:
        """Sieve, sort and group anew."""
        self.beginResetModel()
        kept = [row for row in self.rows if self.sieve.keeps(row)]
        if not self.as_found:
            kept = sieve.in_order(kept, self.sorted_by, down=self.down)
        self._nodes = {}
        if self.grouped:
            self._top = []
            for theme, rows in sieve.by_theme(kept).items():
                group = Node(None, len(self._top))
                group.theme, group.filled = theme, True
                group.children = [self._node(group, i, row) for i, row in enumerate(rows)]
                self._top.append(group)
        else:
            self._top = [self._node(None, i, row) for i, row in enumerate(kept)]
        self.endResetModel()

    def _node(self, parent: Node | None, number: int, row: Row) -> Node:
        node = Node(parent, number, row)
        self._nodes.setdefault(row.entry.path, []).append(node)
        return node

    def learn(self, found: dict[Path, Summary]) -> bool:
        """Take in what was found out about datasets; returns whether the rows should be arranged anew."""
        for path, summary in found.items():
            number = self._place.get(path)
            if number is None:
                continue
            row = self.rows[number] = self.rows[number]._replace(summary=summary)
            for node in self._nodes.get(path, ()):
                node.row = row
                index = self.createIndex(node.number, 0, node)
                if summary.parts and not node.filled:
                    node.filled = True  # or the view would fill it when it is told of the rows
                    self.beginInsertRows(index, 0, len(summary.parts) - 1)
                    self._unfold(node)
                    self.endInsertRows()
                self.dataChanged.emit(index, self.createIndex(node.number, len(self.columns) - 1, node))
        return self.sieve.by_facts or self.grouped or self.sorted_by not in ("name", "size", "modified", "folder")

    def _unfold(self, node: Node) -> None:
        if node.row is None or node.row.summary is None:
            return  # what it holds is not known yet
        node.filled = True
        parts = () if node.children else node.row.summary.parts
        for number, part in enumerate(parts):
            child = Node(node, number, node.row)
            child.part, child.filled = part, True
            node.children.append(child)

    @property
    def shown(self) -> list[Row]:
        """Return the rows on show, in order."""
        if self.grouped:
            return [child.row for group in self._top for child in group.children if child.row is not None]
        return [node.row for node in self._top if node.row is not None]

    def node(self, index: QModelIndex) -> Node | None:
        return index.internalPointer() if index.isValid() else None

    def row_at(self, index: QModelIndex) -> Row | None:
        node = self.node(index)
        return node.row if node is not None else None

    def part_at(self, index: QModelIndex) -> str | None:
        node = self.node(index)
        return node.part.name if node is not None and node.part is not None else None

    def index_of(self, path: Path) -> QModelIndex:
        nodes = self._nodes.get(path)
        return self.createIndex(nodes[0].number, 0, nodes[0]) if nodes else QModelIndex()

    def first_dataset(self) -> QModelIndex:
        """Return the first row that is no folder, or the first of all."""
        for path, nodes in self._nodes.items():
            row = nodes[0].row
            if row is not None and not row.entry.is_folder:
                return self.index_of(path)
        return self.index(0, 0)

    # What Qt asks

    def index(self, row: int, column: int, parent: QModelIndex = QModelIndex()) -> QModelIndex:  # noqa: B008
        nodes = self._children(parent)
        if 0 <= row < len(nodes) and 0 <= column < len(self.columns):
            return self.createIndex(row, column, nodes[row])
        return QModelIndex()

    def parent(self, index: QModelIndex) -> QModelIndex:  # type: ignore[override]
        node = self.node(index)
        if node is None or node.parent is None:
            return QModelIndex()
        return self.createIndex(node.parent.number, 0, node.parent)

    def _children(self, parent: QModelIndex) -> list[Node]:
        node = self.node(parent)
        if node is None:
            return self._top
        if not node.filled:
            self._unfold(node)
        return node.children if parent.column() == 0 else []

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return len(self._children(parent))

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return len(self.columns)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        node = self.node(index)
        if node is None:
            return None
        name = self.columns[index.column()]
        column = sieve.COLUMNS[name]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            text = self._text(node, name)
            if role == Qt.ItemDataRole.ToolTipRole and name == "name" and node.row is not None and node.part is None:
                return str(node.row.entry.path)
            return text if text or role == Qt.ItemDataRole.DisplayRole else None
        if role == Qt.ItemDataRole.TextAlignmentRole and column.right:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.ForegroundRole:
            return self._colour(node, name)
        if role == Qt.ItemDataRole.FontRole and node.theme:
            font = QFont()
            font.setBold(True)
            return font
        return None

    def _text(self, node: Node, name: str) -> str:
        if node.theme:
            count = len(node.children)
            return f"{node.theme} ({count:,})" if name == "name" else ""
        if node.part is not None:
            return getattr(node.part, name) if name in PART_TEXTS else ""
        assert node.row is not None
        return sieve.COLUMNS[name].text(node.row)

    def _colour(self, node: Node, name: str) -> QColor | None:
        known = node.row.summary if node.row is not None else None
        if known is None or node.part is not None:
            return None
        if known.fault and name in ("kind", "remarks"):
            return QColor(self.theme.fault)
        if known.warnings and name == "remarks":
            return QColor(self.theme.caution)
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return sieve.COLUMNS[self.columns[section]].title
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
        node = self.node(index)
        return flags | Qt.ItemFlag.ItemIsDragEnabled if node is not None and node.row is not None else flags

    def mimeTypes(self) -> list[str]:
        return ["text/uri-list"]

    def mimeData(self, indexes: Iterable[QModelIndex]) -> QMimeData:
        paths = dict.fromkeys(row.entry.path for index in indexes if (row := self.row_at(index)) is not None)
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
        return mime

    def supportedDragActions(self) -> Qt.DropAction:
        return Qt.DropAction.CopyAction
