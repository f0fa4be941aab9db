"""What came of a step: on a small map and as a table, with the rows that it left out."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QSplitter, QToolButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.vocabulary import amount_words

from ..arrow_view import ArrowView
from ..pages.glance_picture import GlancePicture
from ..plain_text import PlainLabel
from ..session import Session

if TYPE_CHECKING:
    from pathlib import Path

    import pyarrow as pa

    from brisk_atlas.core.handover.checkpoints import Checkpoint
    from brisk_atlas.core.model import Layer

SHOWN_ROWS = 1_000
SHORT_S = 0.01  # a time that is not worth stating
NOTHING = tr("Choose a step to see what comes of it.")


class CheckpointView(QWidget):
    """A picture and rows of the checkpoint that is chosen.

    Signals:
        whole_wanted(): the steps are to be run on all of the data, not on a sample.
        open_wanted(object): the file of what is shown is to be opened on the Desk, a Path.
    """

    whole_wanted = pyqtSignal()
    open_wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.checkpoint: Checkpoint | None = None
        self.path: Path | None = None  # of what is shown
        self._note: str | None = None
        self.title, self.facts = PlainLabel(), PlainLabel(NOTHING)
        self.title.setObjectName("title")
        self.facts.setObjectName("quiet")
        self.facts.setWordWrap(True)
        self.result, self.left_out = QToolButton(), QToolButton()
        self.result.setText(tr("Result"))
        self.left_out.setText(tr("Left out"))
        self.which = QButtonGroup(self)
        for number, button in enumerate((self.result, self.left_out)):
            button.setCheckable(True)
            self.which.addButton(button, number)
        self.result.setChecked(True)
        self.result.setToolTip(tr("What comes out of this step"))
        self.left_out.setToolTip(tr("The rows that this step leaves out, and why"))
        self.whole, self.open = QPushButton(tr("Look at all of it")), QPushButton(tr("Open on the Desk"))
        self.whole.setToolTip(tr("Run the steps on all of the data, not on a sample"))
        self.open.setToolTip(tr("Open what is shown here as a layer"))
        self.picture = GlancePicture(session)
        self.picture.setAccessibleName(tr("Map of what comes of the step"))
        self.table = ArrowView("checkpoint rows", tr("Rows of what comes of the step"))
        head = QHBoxLayout()
        head.setSpacing(8)
        head.addWidget(self.title, 1)
        for widget in (self.result, self.left_out, self.whole, self.open):
            head.addWidget(widget)
        self.split = QSplitter(Qt.Orientation.Vertical)
        self.split.addWidget(self.picture)
        self.split.addWidget(self.table)
        self.split.setStretchFactor(0, 3)
        self.split.setStretchFactor(1, 2)
        self.split.setChildrenCollapsible(False)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 12, 10)
        column.setSpacing(6)
        column.addLayout(head)
        column.addWidget(self.facts)
        column.addWidget(self.split, 1)
        self.which.idClicked.connect(lambda at: self._show())
        self.whole.clicked.connect(self.whole_wanted)
        self.open.clicked.connect(lambda checked=False: self.open_wanted.emit(self.path) if self.path else None)
        self.show_checkpoint(None, "", None)

    @property
    def busy(self) -> bool:
        """Whether a picture is being drawn."""
        return self.picture.busy

    def show_checkpoint(self, checkpoint: Checkpoint | None, label: str, note: str | None) -> None:
        """Show what came of a step. `note` stands in its place while it is computed or where it failed; with a
        checkpoint, that is what comes to the step."""
        self.checkpoint, self._note = checkpoint, note
        self.title.setText(label)
        has_rejects = checkpoint is not None and checkpoint.rejected is not None and note is None
        self.left_out.setVisible(has_rejects)
        self.result.setVisible(has_rejects)
        if not has_rejects:
            self.result.setChecked(True)
        if checkpoint is None or checkpoint.flow is None:
            self.path = None
            self.facts.setText(note if note is not None else NOTHING)
            self.picture.show_words("")
            self.table.show_table(None)
            for widget in (self.whole, self.open):
                widget.hide()
            return
        self._show()

    def _show(self) -> None:
        checkpoint = self.checkpoint
        if checkpoint is None or checkpoint.flow is None:
            return
        rejected = self.left_out.isChecked() and checkpoint.rejected is not None
        flow = checkpoint.rejected if rejected else checkpoint.flow
        self.path = checkpoint.rejected_path if rejected else checkpoint.path
        self.facts.setText(self._note or self._words(checkpoint, rejected))
        self.whole.setVisible(checkpoint.flow.sampled)
        self.open.setVisible(self.path is not None)
        self.picture.setVisible(flow is not None and flow.kind.has_place)
        self.table.setVisible(flow is not None and flow.kind.has_rows)
        path = self.path
        self.picture.show_words("")

        def work(job: object) -> tuple[Layer | None, pa.Table | None]:
            return _layer_of(self.session, path), _first_rows(flow)

        def done(found: tuple[Layer | None, pa.Table | None]) -> None:
            if self.path != path:
                return
            layer, table = found
            self.table.show_table(table)
            facts = self.session.facts_of(layer) if layer is not None else None
            if layer is not None and facts is not None and facts.extent is not None:
                self.picture.show_layers((layer,), facts.extent)
            else:
                self.picture.show_words(tr("nothing to draw"))

        self.session.run(tr("Reading a checkpoint"), work, done, shown=False)

    @staticmethod
    def _words(checkpoint: Checkpoint, rejected: bool) -> str:
        account, flow = checkpoint.account, checkpoint.flow
        assert flow is not None
        if rejected:
            return " · ".join(
                tr("{count:,} left out: {reason}", count=count, reason=reason)
                for reason, count in account.rejected.items()
            )
        counts = amount_words(flow.kind, account.count_out) if account.count_out is not None else ""
        if account.count_in is not None and account.count_in != account.count_out:
            counts = f"{grouped(account.count_in)} → {counts}"
        spent = f"{account.seconds:.2f} s" if account.seconds >= SHORT_S else ""
        parts = [counts, spent, *account.warnings]
        if flow.sampled:
            what = tr("larger cells") if flow.kind.has_cells else tr("some of the points")
            parts.insert(0, tr("a sample: {what}", what=tr("the first rows") if flow.kind.has_rows else what))
        return " · ".join(part for part in parts if part)


def _layer_of(session: Session, path: Path | None) -> Layer | None:
    """Return a layer of the file of a checkpoint as it looks first; None for what is not drawn."""
    from brisk_atlas.core.kinds import first_style
    from brisk_atlas.core.model import DataRef, Layer

    if path is None:
        return None
    ref = DataRef.file(path)
    part = session.cache.dataset(ref).parts[0]
    if not part.facts.kind.has_place or part.facts.extent is None:
        return None
    return Layer(f"checkpoint {path}", path.stem, ref.with_part(part.facts.name), part.facts.kind,
                 first_style(part.facts, 0))  # fmt: skip


def _first_rows(flow: object) -> pa.Table | None:
    """Return the first rows of a flow without geometry, None where it has none."""
    from brisk_atlas.core.handover.flows import GEOMETRY, RowFlow

    if not isinstance(flow, RowFlow):
        return None
    table = next(iter(flow.batches()), flow.schema.empty_table()).slice(0, SHOWN_ROWS)
    return table.drop_columns([GEOMETRY]) if GEOMETRY in table.column_names else table
