"""What a Depot offers: postings, and below each its outlets with who may do what."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHeaderView, QTreeWidget, QTreeWidgetItem

from brisk_atlas.core.depot.postings.rights import Right, circle_words, right_words
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

if TYPE_CHECKING:
    from brisk_atlas.core.depot.postings.outlet import Outlet
    from brisk_atlas.core.depot.postings.posting import Posting

ID = Qt.ItemDataRole.UserRole


class ListedPosting(NamedTuple):
    """A posting with its outlets, when it was last edited, in words, and how many questions a minute came about each
    outlet, by its id."""

    posting: Posting
    outlets: Sequence[Outlet]
    last_edit: str
    load: Mapping[str, float] = MappingProxyType({})


class PostingsTree(QTreeWidget):
    """A line a posting, and one for each of its outlets.

    Signals:
        chosen(): another line is the current one.
    """

    chosen = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("postings")
        self.setAccessibleName(tr("Postings and outlets"))
        self.setHeaderLabels([tr("Offered"), tr("Who may"), tr("Asked")])
        self.setIndentation(14)
        self.setUniformRowHeights(True)
        head = self.header()
        assert head is not None
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for column in (1, 2):
            head.setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
        self.currentItemChanged.connect(lambda now, before: self.chosen.emit())
        self._wanted = ""  # the title that is to be chosen once it is shown

    def want(self, title: str) -> None:
        """Choose a posting by its title, now or once it is shown."""
        self._wanted = title
        self._choose(self.current)

    def show_postings(self, listed: Sequence[ListedPosting]) -> None:
        """Show what there is; the current line stays, where it is still there."""
        before = self.current
        self.blockSignals(True)
        self.clear()
        for each in listed:
            top = QTreeWidgetItem([each.posting.title, each.last_edit])
            top.setData(0, ID, (each.posting.id, ""))
            font = top.font(0)
            font.setBold(True)
            top.setFont(0, font)
            self.addTopLevelItem(top)
            for outlet in each.outlets:
                line = QTreeWidgetItem(
                    [outlet.title, rights_in_words(outlet), load_in_words(each.load.get(outlet.id, 0.0))]
                )
                line.setToolTip(2, tr("Questions a minute, over the last ten minutes"))
                line.setToolTip(1, rights_in_words(outlet))
                line.setData(0, ID, (each.posting.id, outlet.id))
                top.addChild(line)
            top.setExpanded(True)
        self.blockSignals(False)
        self._choose(before)

    def _choose(self, wanted: tuple[str, str]) -> None:
        titled = self.findItems(self._wanted, Qt.MatchFlag.MatchExactly) if self._wanted else []
        if titled:
            self._wanted, wanted = "", titled[0].data(0, ID)
        for number in range(self.topLevelItemCount()):
            top = self.topLevelItem(number)
            for line in [top, *(top.child(n) for n in range(top.childCount()))] if top is not None else []:
                if line is not None and line.data(0, ID) == wanted:
                    self.setCurrentItem(line)
                    return
        self.chosen.emit()

    @property
    def current(self) -> tuple[str, str]:
        """The ids of the current posting and of its outlet, "" for none."""
        item = self.currentItem()
        return item.data(0, ID) if item is not None else ("", "")


def load_in_words(a_minute: float) -> str:
    """Return how much an outlet is asked, "" for not at all."""
    if not a_minute:
        return ""
    return f"{grouped(a_minute, ',.0f')}/min" if a_minute >= 10 else f"{a_minute:.1f}/min"


def rights_in_words(outlet: Outlet) -> str:
    """Return who may do what with an outlet."""
    found = []
    for circle, rights in outlet.rights:
        changes = "".join(f", {right_words(each)}" for each in Right if each in rights and each is not Right.READ)
        found.append(tr("{circle}: read{value}", circle=circle_words(circle), value=changes))
    own = tr(", own rows") if outlet.own_rows else ""
    until = tr(", until {date}", date=outlet.until.date()) if outlet.until is not None else ""
    return "; ".join(found) + own + until
