"""A record under the pen: what was changed, undone, done again; the file is touched only when it is saved."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from .document import Document
from .elements import Place, element_of, label_of, value_at, with_value, without
from .model import Record
from .values import typed
from .words import Words


@dataclass
class Draft:
    """A document and its edits. `document` is as it would be saved now, `opened` as it was read."""

    opened: Document
    saved_data: bytes = b""
    _steps: list[tuple[str, Document]] = field(default_factory=list)
    _undone: list[tuple[str, Document]] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.saved_data = self.saved_data or self.opened.data

    @property
    def document(self) -> Document:
        """The document as it is edited now."""
        return self._steps[-1][1] if self._steps else self.opened

    @property
    def record(self) -> Record:
        """The record as it is edited now."""
        return self.document.record

    @property
    def changed(self) -> bool:
        """Whether it differs from what was saved."""
        return self.document.data != self.saved_data

    @property
    def undo_name(self) -> str:
        """Return what would be undone, "" if nothing can be."""
        return self._steps[-1][0] if self._steps else ""

    @property
    def redo_name(self) -> str:
        """What redo would do again, "" for nothing."""
        return self._undone[-1][0] if self._undone else ""

    def put(self, record: Record, name: str) -> bool:
        """Take a changed record over as one step; returns whether anything changed."""
        document = self.document.edited(record)
        if document.data == self.document.data:
            return False
        self._steps.append((name, document))
        self._undone.clear()
        return True

    def write(self, place: Place, text: str) -> bool:
        """Put a typed text at a place. Raises ValueError with what is wrong with it in words."""
        return self.set(place, typed(element_of(place), text))

    def set(self, place: Place, value: Any) -> bool:
        """Put a value at a place, as a step of undo."""
        if value in ("", None) and isinstance(place[-1], int):
            return self.remove(place)
        room = with_room(self.record, place)
        try:
            before = value_at(room, place)
        except (IndexError, AttributeError):
            before = None
        if isinstance(before, Words) and isinstance(value, str) and value and not isinstance(value, Words):
            value = Words(value, before.also)  # the other languages are not what was typed over
        return self.put(with_value(room, place, value), f"Change {label_of(place)}")

    def remove(self, place: Place) -> bool:
        """Remove what stands at a place, as a step of undo."""
        return self.put(without(self.record, place), f"Remove {label_of(place)}")

    def undo(self) -> str:
        """Take the last step back."""
        name, document = self._steps.pop()
        self._undone.append((name, document))
        return name

    def redo(self) -> str:
        """Do the step again that was taken back last."""
        name, document = self._undone.pop()
        self._steps.append((name, document))
        return name

    def mark_saved(self) -> None:
        """Say that the file is now as the document; what was done before can still be undone."""
        self.saved_data = self.document.data


def with_room(record: Record, place: Place) -> Record:
    """Return a record with an empty item wherever a place leads one past the end of a list."""
    for i, step in enumerate(place):
        before = place[:i]
        if isinstance(step, int) and i + 1 < len(place):
            items = value_at(record, before)
            if step == len(items):
                item = element_of(before).item
                assert item is not None
                record = with_value(record, before, (*items, item()))
    return record
