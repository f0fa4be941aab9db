"""The drop-down of tables: the subject's own, other open ones, related ones, and those of the same files."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox

from brisk_atlas.core.model.language import tr

from ..session import Session

OPEN, IN_FILE = "open", tr("in file")


class ChoiceOfTable(QComboBox):
    """Choosing an open table makes it the subject; choosing one that lies in a file opens it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setObjectName("tables")
        self.setAccessibleName(tr("Which rows are shown"))
        self.setMaximumWidth(170)
        self.setMinimumWidth(110)
        self.setToolTip(tr("Which rows are shown"))
        self.activated.connect(self._chosen)

    def refresh(self) -> None:
        """List what can be shown now."""
        work = self.session.work
        subject = work.subject
        self.clear()
        related = {join.ref for join in subject.rows.joins} if subject else set()
        for layer in work.layers:
            if layer.kind.has_rows:
                note = tr(", related") if layer.ref in related else ""
                self.addItem(f"{layer.name}{note}", (OPEN, layer.id))
        opened = {layer.ref for layer in work.layers}
        for place in dict.fromkeys(layer.ref.whole for layer in work.layers):
            dataset = self.session.cache.peek(place)
            for part in dataset.parts if dataset else ():
                source = place.with_part(part.facts.name)
                if part.facts.kind.has_rows and not part.facts.kind.has_place and source not in opened:
                    self.addItem(
                        tr("{name}, in {place_name}", name=part.facts.name, place_name=place.name), (IN_FILE, source)
                    )
        for join in subject.rows.joins if subject else ():
            if join.ref not in opened:
                self.addItem(tr("{part}, related", part=join.ref.part), (IN_FILE, join.ref))
        at = next((i for i in range(self.count()) if subject and self.itemData(i)[1] == subject.id), -1)
        self.setCurrentIndex(at)

    def _chosen(self, index: int) -> None:
        kind, what = self.itemData(index)
        if kind == OPEN:
            self.session.work.choose(what)
        else:
            self.session.open_refs([what])
