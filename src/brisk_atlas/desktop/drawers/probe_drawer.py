"""The Probe drawer: what lies at the probed position, the subject first."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QBrush, QColor, QFont, QGuiApplication, QKeySequence, QShortcut
from PyQt6.QtWidgets import QHeaderView, QLabel, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from brisk_atlas.core.jobs import Job
from brisk_atlas.core.project import Picks

from ..session import Session
from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.inspect import Finding
    from brisk_atlas.core.inspect.difference import PointChange
    from brisk_atlas.core.place import Position

EMPTY = "Click the map to ask what is there.\nWith the keyboard: F6 to the map, arrows, then Space."


class ProbeDrawer(QWidget):
    """Shows findings, and picks the feature that was hit."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.theme: Theme = LIGHT
        self.where = QLabel(EMPTY)
        self.where.setObjectName("place")
        self.where.setWordWrap(True)
        self.where.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.tree = QTreeWidget()
        self.tree.setObjectName("probe readings")
        self.tree.setHeaderHidden(True)
        self.tree.setColumnCount(2)
        self.tree.setRootIsDecorated(False)
        self.tree.setIndentation(8)
        header = self.tree.header()
        assert header is not None
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        header.resizeSection(0, 132)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 6, 6)
        column.addWidget(self.where)
        column.addWidget(self.tree, 1)
        copy = QShortcut(QKeySequence.StandardKey.Copy, self.tree)
        copy.setContext(Qt.ShortcutContext.WidgetShortcut)
        copy.activated.connect(self._copy)
        self.findings: list[Finding] = []
        self._job: Job | None = None

    def probe(self, x: float, y: float, reach: float) -> None:
        """Ask all visible layers what is at a position of the map."""
        work = self.session.work
        crs, subject = work.state.crs, work.subject
        layers = [layer for layer in work.layers if layer.visible and layer.style is not None]
        if subject in layers:
            layers.remove(subject)
            layers.insert(0, subject)
        sides = work.curtain_grids()

        def ask(job: Job) -> tuple:
            from brisk_atlas.core.inspect import probe
            from brisk_atlas.core.inspect.difference import difference_at
            from brisk_atlas.core.model import AtlasError
            from brisk_atlas.core.place import position

            findings = []
            for layer in layers:
                job.check()
                try:
                    found = probe(self.session.holdings, layer, x, y, crs, reach)
                except AtlasError:
                    continue  # the map says which layer can't be read, and why
                if found:
                    findings.append(found)
            change = difference_at(self.session.holdings, *sides, x, y, crs) if sides else None
            return position(x, y, crs), findings, change

        if self._job:
            self._job.cancel()
        self._job = self.session.run("Probing", ask, lambda found: self._show(*found), shown=False)

    def _show(self, place: Position, findings: list[Finding], change: PointChange | None) -> None:
        self.findings = findings
        self.where.setText(f"{place.own}\n{place.degrees}\n{place.mgrs}")
        self.tree.clear()
        if change is not None:
            self._add(
                "Across the curtain",
                [
                    ("A", self._side(change.a, change.unit)),
                    ("B", self._side(change.b, change.unit)),
                    ("change, B − A", self._side(change.change, change.unit, signed=True)),
                ],
                strong=True,
            )
        for finding in findings:
            self._add(finding.title, [(r.label, f"{r.text} {r.unit}".strip()) for r in finding.readings])
        if not findings and change is None:
            self._add("Nothing here", [("", "No visible layer has anything at this place.")])
        self._pick(findings)

    @staticmethod
    def _side(value: float | None, unit: str, *, signed: bool = False) -> str:
        return "no data" if value is None else f"{value:{'+' if signed else ''},.2f} {unit}".strip()

    def _add(self, title: str, lines: list[tuple[str, str]], *, strong: bool = False) -> None:
        top = QTreeWidgetItem([title])
        font = QFont(self.tree.font())
        font.setWeight(QFont.Weight.DemiBold)
        top.setFont(0, font)
        self.tree.addTopLevelItem(top)
        top.setFirstColumnSpanned(True)
        for label, text in lines:
            item = QTreeWidgetItem([label, text])
            item.setForeground(0, QBrush(QColor(self.theme.quiet)))
            if strong and label.startswith("change"):
                item.setForeground(1, QBrush(QColor(self.theme.accent)))
                item.setFont(1, font)
            item.setToolTip(0, label)
            item.setToolTip(1, text)
            top.addChild(item)
        top.setExpanded(True)

    def _pick(self, findings: list[Finding]) -> None:
        """Pick the feature that was hit: the subject's if there is one, else the topmost."""
        work = self.session.work
        hit = next((f for f in findings if f.row is not None), None)
        if hit is None or hit.row is None:
            work.pick(None)
            return
        if work.state.subject != hit.layer_id and (
            work.subject is None or work.subject.kind == "vector" or not work.state.curtain
        ):
            work.choose(hit.layer_id)
        work.pick(Picks(hit.layer_id, (hit.row,)))

    def _copy(self) -> None:
        """Copy the chosen readings, or all, as tab-separated lines."""
        lines = []
        for i in range(self.tree.topLevelItemCount()):
            top = self.tree.topLevelItem(i)
            assert top is not None
            lines.append(top.text(0))
            for k in range(top.childCount()):
                child = top.child(k)
                assert child is not None
                lines.append(f"{child.text(0)}\t{child.text(1)}")
        clipboard = QGuiApplication.clipboard()
        assert clipboard is not None
        clipboard.setText("\n".join(lines))
