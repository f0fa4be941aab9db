"""What services answered and is stored on the disk: how much, at most how much, and away with it."""

from __future__ import annotations

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QDialog, QFormLayout, QHBoxLayout, QPushButton, QSpinBox, QWidget

from brisk_atlas.core.connect.stored_answers import ANSWERS
from brisk_atlas.core.model import size_text
from brisk_atlas.core.model.language import tr

from .answer_limit import MAX_MB, MB, MIN_MB, choose_limit
from .plain_text import PlainLabel
from .session import Session


class StoredAnswersForm(QDialog):
    """Shows the size of the store, sets its limit, and clears it."""

    def __init__(self, session: Session, settings: QSettings, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.store = session, ANSWERS
        self.setWindowTitle(tr("Stored answers of services"))
        self.setMinimumWidth(420)
        why = PlainLabel(
            tr(
                "Pictures, features and descriptions that services sent are stored on this machine for as "
                "long as their "
                "servers allow, so that they show at once, and while you work offline."
            )
        )
        why.setWordWrap(True)
        why.setObjectName("quiet")
        self.stored_size = PlainLabel(tr("counting…"))
        self.limit = QSpinBox()
        self.limit.setRange(MIN_MB, MAX_MB)
        self.limit.setSuffix(" MB")
        self.limit.setGroupSeparatorShown(True)
        self.limit.setValue(self.store.limit // MB)
        self.clear, self.close_button = QPushButton(tr("Clear")), QPushButton(tr("Close"))
        self.close_button.setObjectName("main")
        row = QHBoxLayout()
        row.addWidget(self.clear)
        row.addStretch(1)
        row.addWidget(self.close_button)
        form = QFormLayout(self)
        form.addRow(why)
        form.addRow(tr("Stored"), self.stored_size)
        form.addRow(tr("At most"), self.limit)
        form.addRow(row)
        self.clear.clicked.connect(self._clear)
        self.close_button.clicked.connect(self.accept)
        self.limit.valueChanged.connect(lambda megabytes: choose_limit(settings, megabytes))
        self._count()

    def _count(self) -> None:
        self.session.run(
            tr("Counting stored answers"),
            lambda job: self.store.size_bytes,
            lambda size: self.stored_size.setText(size_text(size)),
            shown=False,
        )

    def _clear(self) -> None:
        def work(job: object) -> None:
            from brisk_atlas.core.read.tile_store import TILES

            self.store.clear()
            TILES.forget()

        self.session.run(tr("Clearing stored answers"), work, lambda nothing: self._count(), shown=False)

    def done(self, result: int) -> None:
        """Bring the store within its limit once the form is closed."""
        self.session.run(tr("Tidying stored answers"), lambda job: self.store.prune(), shown=False)
        super().done(result)
