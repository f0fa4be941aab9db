"""The tables that the subject's own place states to be related, such as by the foreign keys of a database."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QMenu

from brisk_atlas.core.model import Join, Layer, Relation, RowsPart
from brisk_atlas.core.model.language import tr

from ..session import Session

if TYPE_CHECKING:
    from collections.abc import Sequence

    from brisk_atlas.core.model import DataRef, Dataset


class RelatedTables(QObject):
    """Joins them, or relates those that have several rows to one.

    Signals:
        look_changed(str, object): what was changed, in words, and the new TableView.
    """

    look_changed = pyqtSignal(str, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session

    def offer(self, menu: QMenu, layer: Layer) -> None:
        """Add a line to a menu for each table that a layer's is related to."""
        dataset = self.session.dataset_of(layer)
        part = dataset.part_of(layer.ref) if dataset else None
        if not isinstance(part, RowsPart):
            return
        relations = part.relations
        joined = {(_place(join.ref, relations), join.key) for join in layer.rows.joins}
        for relation in relations:
            words = f"{(tr('Relate') if relation.many else tr('Join'))} {_name(relation)} by {relation.key}"
            action = menu.addAction(words, lambda relation=relation: self.join(layer, relation))
            if action is not None:
                action.setEnabled((relation.ref, relation.key) not in joined)

    def join(self, layer: Layer, relation: Relation) -> None:
        """Join a related table to a layer."""

        def done(dataset: Dataset) -> None:
            name = relation.ref.part or dataset.parts[0].facts.name
            join = Join(name, relation.ref.with_part(name), relation.key, relation.other_key, relation.many)
            self.look_changed.emit(f"join {name}", replace(layer.rows, joins=(*layer.rows.joins, join)))

        self.session.run(
            tr("Reading {name}", name=_name(relation)), lambda job: self.session.cache.dataset(relation.ref), done
        )


def _name(relation: Relation) -> str:
    """Return what a related table is called: its own name, or that of the place that is nothing else."""
    return relation.ref.part or relation.ref.name


def _place(ref: DataRef, relations: Sequence[Relation]) -> DataRef:
    """Return a joined table as relations name it: as a part of a file, or as a place of its own."""
    return ref if any(relation.ref == ref for relation in relations) else ref.whole
