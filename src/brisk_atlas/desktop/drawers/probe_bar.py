"""The bar of the Probe drawer: tools for the map, and which layers are asked."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QToolButton, QWidget

from brisk_atlas.core.model.language import tr

from ..icons import icon
from ..theme import LIGHT, Theme

TOOL_PAD_PX, SCOPE_PAD_PX, TOOL_PX = 20, 14, 18  # beside the word on a tool and on the choice; of its picture
TOOLS = (
    ("box", tr("Box"), "selection-plus", tr("Pick what a box meets")),
    ("lasso", tr("Lasso"), "path", tr("Pick what lies in a shape drawn by hand")),
    ("line", tr("Line"), "line-segment", tr("Pick what a line meets")),
    ("distance", tr("Measure"), "ruler", tr("Distance, bearing and the surface along a line")),
    ("area", tr("Area"), "polygon", tr("Measure an area")),
)


class ProbeBar(QWidget):
    """Buttons.

    Signals:
        tool_wanted(str): a tool for the map: box, lasso, line, distance, area.
        scope_chosen(str): "all" layers or the "subject" are to be asked.
    """

    tool_wanted = pyqtSignal(str)
    scope_chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 6, 6, 2)
        row.setSpacing(2)
        self.tools = {kind: self._tool(kind, text, tip) for kind, text, _, tip in TOOLS}
        for button in self.tools.values():
            row.addWidget(button)
        row.addStretch(1)
        self.scope = QToolButton()
        self.scope.setObjectName("probe scope")
        self.scope.setText(tr("all layers"))
        self.scope.setCheckable(True)
        self.scope.setMinimumWidth(self.scope.fontMetrics().horizontalAdvance(tr("all layers")) + SCOPE_PAD_PX)
        self.scope.setToolTip(tr("Ask all visible layers, or the subject alone"))
        self.scope.clicked.connect(lambda on: self.scope_chosen.emit("subject" if on else "all"))
        row.addWidget(self.scope)
        self.use_theme(LIGHT)

    def _tool(self, kind: str, text: str, tip: str) -> QToolButton:
        button = QToolButton()
        button.setObjectName(f"tool {kind}")
        button.setText(text)
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        button.setIconSize(QSize(TOOL_PX, TOOL_PX))
        button.setToolTip(tip)
        button.setCheckable(True)
        button.setMinimumWidth(button.fontMetrics().horizontalAdvance(text) + TOOL_PAD_PX)
        button.clicked.connect(lambda checked=False: self.tool_wanted.emit(kind))
        return button

    def use_theme(self, theme: Theme) -> None:
        """Draw the tools in the colours of a theme."""
        for kind, _, mark, _ in TOOLS:
            self.tools[kind].setIcon(icon(mark, theme.ink, TOOL_PX))

    def show_tool(self, kind: str | None) -> None:
        """Show which tool is in the hand, None for none of these."""
        for each, button in self.tools.items():
            button.setChecked(each == kind)

    def show_scope(self, scope: str) -> None:
        """Show which layers are asked."""
        self.scope.setChecked(scope == "subject")
        self.scope.setText(tr("subject") if scope == "subject" else tr("all layers"))
