"""Where the columns of a sheet stand: the pinned ones first, then the others, which scroll."""

from __future__ import annotations

from typing import NamedTuple

from brisk_atlas.core.model import ColumnView

NUMBER_PX, TEXT_PX = 104, 148
NARROWEST, WIDEST = 36, 640


class SheetColumn(NamedTuple):
    """One column on show: its field, its look, and its left edge and width in pixels."""

    field: str
    look: ColumnView
    number: bool
    left: int
    width: int


class SheetColumns:
    """All columns on show. `pinned_width` is taken by those that do not scroll; `width` by all."""

    def __init__(self, looks: list[ColumnView], numbers: dict[str, bool]) -> None:
        self.all: list[SheetColumn] = []
        left = 0
        self.pinned_width = 0
        for look in looks:
            if not look.shown:
                continue
            number = numbers.get(look.name, False)
            width = look.width or (NUMBER_PX if number else TEXT_PX)
            self.all.append(SheetColumn(look.name, look, number, left, width))
            left += width
            if look.pinned:
                self.pinned_width = left
        self.width = left

    def __len__(self) -> int:
        return len(self.all)

    def place(self, number: int, scrolled: int) -> int:
        """Return where a column stands when the others are scrolled by so many pixels."""
        column = self.all[number]
        return column.left if column.look.pinned else column.left - scrolled

    def at(self, x: int, scrolled: int) -> int | None:
        """Return the number of the column at a position, or None beside them."""
        for number, column in enumerate(self.all):
            left = self.place(number, scrolled)
            hidden = not column.look.pinned and x < self.pinned_width
            if not hidden and left <= x < left + column.width:
                return number
        return None

    def in_view(self, scrolled: int, width: int) -> list[int]:
        """Return the numbers of the columns that can be seen."""
        return [
            n
            for n, c in enumerate(self.all)
            if c.look.pinned
            or (self.place(n, scrolled) < width and self.place(n, scrolled) + c.width > self.pinned_width)
        ]

    def number_of(self, field: str) -> int | None:
        return next((n for n, c in enumerate(self.all) if c.field == field), None)
