"""The work with its steps: what is open, what undo brings back, and who is notified of changes.

Its values are named tuples and layers load late: the window stands before either would be ready
as a dataclass.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING, NamedTuple

from .comparison import Comparison
from .groups import Group, gathered
from .named_places import NamedPlace
from .plates import Album

if TYPE_CHECKING:
    from pathlib import Path

    from brisk_atlas.core.handover.recipe import Recipe
    from brisk_atlas.core.model import Layer

UNDO_STEPS = 200


class Place(NamedTuple):
    """What a map pane looked at: centre, units a pixel, and how far the map is turned, degrees clockwise."""

    x: float
    y: float
    resolution: float
    turn: float = 0.0


class WorkState(NamedTuple):
    """All that undo brings back. `layers` top first, those of a group side by side."""

    layers: tuple[Layer, ...] = ()
    subject: str | None = None
    crs: str | None = None
    comparison: Comparison | None = None
    groups: tuple[Group, ...] = ()
    places: tuple[NamedPlace, ...] = ()
    recipes: tuple[Recipe, ...] = ()
    album: Album = Album()


class Picks(NamedTuple):
    """The picked rows of one layer."""

    layer_id: str
    rows: tuple[int, ...]


class UndoableWork:
    """Holds the state, the steps back and forth, and what is picked. Used from one thread.

    Listeners are called with what changed: `layers`, `subject`, `picks`, `comparison`, `places`, `recipes`, `album`,
    `file`, and with `locked` when a change was refused as the layer is locked.
    """

    def __init__(self) -> None:
        self.state = self._saved = WorkState()
        self.file: Path | None = None
        self.file_state: tuple[int, int] | None = None  # of the file when it was last read or written here
        self.place: Place | None = None
        self.picks: Picks | None = None
        self._chosen: tuple[str, ...] = ()
        self._by_id: tuple[tuple[Layer, ...], dict[str, Layer]] = ((), {})
        self._past: list[tuple[str, WorkState]] = []
        self._future: list[tuple[str, WorkState]] = []
        self._listeners: list[Callable[[str], None]] = []
        self._held_back: dict[str, None] | None = None  # what is to be announced once, in its order
        self._ids = itertools.count(1)

    def listen(self, listener: Callable[[str], None]) -> None:
        """Have a function called with what changed, after each change."""
        self._listeners.append(listener)

    @contextmanager
    def together(self) -> Iterator[None]:
        """Tell of the changes inside once, at their end. Each stays a step of undo of its own."""
        self._held_back = {}
        try:
            yield
        finally:
            held, self._held_back = self._held_back, None
            for what in held:
                self._announce(what)

    def _announce(self, what: str) -> None:
        if self._held_back is not None:
            self._held_back[what] = None
            return
        for listener in self._listeners:
            listener(what)

    @property
    def layers(self) -> tuple[Layer, ...]:
        """The open layers, the topmost first."""
        return self.state.layers

    @property
    def subject(self) -> Layer | None:
        """The layer under discussion, None without layers."""
        return self.layer(self.state.subject)

    @property
    def changed(self) -> bool:
        """Return whether there is something to save."""
        return self.state._replace(subject=None) != self._saved._replace(subject=None)

    def layer(self, layer_id: str | None) -> Layer | None:
        """Return a layer by its id, None where it is not open."""
        layers = self.state.layers
        if self._by_id[0] is not layers:
            self._by_id = layers, {layer.id: layer for layer in layers}
        return self._by_id[1].get(layer_id) if layer_id is not None else None

    def _become(self, what: str, state: WorkState) -> None:
        layers, groups = gathered(state.layers, state.groups)
        state = state._replace(layers=layers, groups=groups)
        if state == self.state:
            return
        self._past = [*self._past[-UNDO_STEPS:], (what, self.state)]
        self._future.clear()
        self._swap(state)

    def _swap(self, state: WorkState) -> None:
        old, self.state = self.state, state
        if self.picks and self.layer(self.picks.layer_id) is None:
            self.picks = None
            self._announce("picks")
        if (old.layers, old.groups, old.crs) != (state.layers, state.groups, state.crs):
            self._announce("layers")
        if old.places != state.places:
            self._announce("places")
        if old.recipes != state.recipes:
            self._announce("recipes")
        if old.album != state.album:
            self._announce("album")
        if old.subject != state.subject:
            self._announce("subject")
        if old.comparison != state.comparison:
            self._announce("comparison")

    @property
    def undo_text(self) -> str:
        """What undo would take back, "" for nothing."""
        return self._past[-1][0] if self._past else ""

    @property
    def redo_text(self) -> str:
        """What redo would do again, "" for nothing."""
        return self._future[-1][0] if self._future else ""

    @property
    def past(self) -> tuple[tuple[str, WorkState], ...]:
        """The steps that undo would take back, the oldest first: what was done, and the work before it."""
        return tuple(self._past)

    def undo(self) -> None:
        """Take the last step back."""
        if self._past:
            what, state = self._past.pop()
            self._future.append((what, self.state))
            self._swap(state)

    def redo(self) -> None:
        """Do the step again that was taken back last."""
        if self._future:
            what, state = self._future.pop()
            self._past.append((what, self.state))
            self._swap(state)

    def pick(self, picks: Picks | None) -> None:
        """Pick features, or none; no step of undo."""
        if picks != self.picks:
            self.picks = picks
            self._announce("picks")

    def load(
        self,
        state: WorkState,
        file: Path | None,
        place: Place | None,
        file_state: tuple[int, int] | None = None,
        *,
        unsaved: bool = False,
        past: Sequence[tuple[str, WorkState]] = (),
    ) -> None:
        """Begin anew with an opened project; `unsaved` says that its file does not hold it, `past` are the steps that
        undo takes back."""
        self._past, self._future, self.picks = list(past), [], None
        self.file, self.place, self.file_state = file, place, file_state
        self._saved = WorkState() if unsaved else state
        self.state = WorkState()
        self._swap(state)
        self._announce("file")

    def saved(self, file: Path, file_state: tuple[int, int] | None = None) -> None:
        """Note that the work was saved in a file."""
        self.file, self._saved, self.file_state = file, self.state, file_state
        self._announce("file")
