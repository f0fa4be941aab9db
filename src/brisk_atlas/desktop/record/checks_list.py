"""What is wrong with a record, worst first; a click goes to the field."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QHBoxLayout, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel
from ..theme import LIGHT, Theme
from ..wrapped_list import WrappedList

if TYPE_CHECKING:
    from brisk_atlas.core.record import Finding

SIGNS = {"fault": "✕", "caution": "!", "note": "·"}
WORDS = {"fault": "faults", "caution": "cautions", "note": "notes"}
SOURCES = {"data": tr(" (against the data)"), "schema": " (schema)", "unread": tr(" (not read)")}
FINDING = Qt.ItemDataRole.UserRole


class ChecksList(QWidget):
    """Findings under the chosen standard.

    Signals:
        chosen(object): the finding to go to.
        schema_wanted(): check against the schema too.
    """

    chosen = pyqtSignal(object)
    schema_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self._findings: Sequence[Finding] = ()
        self._schema = ""
        self.heading = PlainLabel(tr("Checks"))
        self.heading.setObjectName("heading")
        self.message = PlainLabel("")
        self.message.setObjectName("quiet")
        self.message.setWordWrap(True)
        self.list = WrappedList()
        self.list.setObjectName("record checks")
        self.list.setAccessibleName(tr("What is wrong with the record"))
        self.schema = QPushButton(tr("Check against the schema"))
        self.schema.setObjectName("check schema")
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 10, 10, 10)
        head = QHBoxLayout()
        head.addWidget(self.heading)
        head.addStretch(1)
        column.addLayout(head)
        column.addWidget(self.message)
        column.addWidget(self.list, 1)
        column.addWidget(self.schema)
        column.addStretch(0)  # the room of the list, where there is nothing to list
        self.list.itemClicked.connect(self._clicked)
        self.list.itemActivated.connect(self._clicked)
        self.schema.clicked.connect(self.schema_wanted)

    @property
    def findings(self) -> Sequence[Finding]:
        return self._findings

    def show_findings(
        self, findings: Sequence[Finding], standard: str, share: str, schema: str, has_schema: bool
    ) -> None:
        """Show findings; `share` is how much is filled in, `schema` what the schema reports, "" if it was not asked."""
        from brisk_atlas.core.record.elements import label_of

        self._findings, self._schema = findings, schema
        counts = {s: sum(f.severity == s for f in findings) for s in SIGNS}
        found = ", ".join(f"{n} {WORDS[s] if n != 1 else s}" for s, n in counts.items() if n) or tr("nothing is wrong")
        self.heading.setText(tr("Checks: {standard}", standard=standard) if standard else tr("Checks"))
        self.message.setText(f"{share}; {found}. {schema}".strip() if standard else share)
        self.schema.setVisible(has_schema)
        self.list.clear()
        t = self.theme
        colours = {"fault": t.fault, "caution": t.caution, "note": t.quiet}
        for finding in findings:
            where = label_of(finding.place) if finding.place else tr("the record")
            source = {"data": tr(" (against the data)"), "schema": " (schema)", "unread": tr(" (not read)")}.get(
                finding.source, ""
            )
            item = QListWidgetItem(f"{SIGNS[finding.severity]}  {where}{source}\n{finding.reason}")
            item.setForeground(QColor(colours[finding.severity]))
            item.setData(FINDING, finding)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{finding.severity}: {where}: {finding.reason}")
            self.list.addItem(item)
        self.list.setVisible(bool(findings))
        self.list.fit()

    def _clicked(self, item: QListWidgetItem) -> None:
        self.chosen.emit(item.data(FINDING))

    def repaint_theme(self, theme: Theme) -> None:
        self.theme = theme
