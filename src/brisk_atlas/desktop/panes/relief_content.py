"""What the relief shows of the open work: its ground, what is draped over it, and what stands on it."""

from __future__ import annotations

from dataclasses import dataclass

from brisk_atlas.core.model import DataRef, Layer
from brisk_atlas.core.model.style import shown_band
from brisk_atlas.core.relief.surface_drape import DrapeKind
from brisk_atlas.core.workspace.comparison import Way
from brisk_atlas.core.workspace.stacks import stacks_of, subtracted

from ..session import Session


@dataclass(frozen=True)
class ReliefContent:
    """What a relief shows: its grids, the first above the others, none for a plane or for clouds alone; the layers
    draped over them, bottom first, those of A and those of B while two sides are compared; the clouds and the layers
    that stand in it; `change` two grids whose difference lies between the two drapes; `surface` what of the ground
    itself is draped instead of the map. `around` are layers around which a plane is laid."""

    grids: tuple[Layer, ...]
    drapes: tuple[tuple[Layer, ...], ...]
    clouds: tuple[Layer, ...] = ()
    standing: tuple[Layer, ...] = ()
    change: tuple[Layer, Layer] | None = None
    surface: DrapeKind = DrapeKind.MAP
    around: tuple[Layer, ...] = ()

    @property
    def ground(self) -> tuple[tuple[DataRef, int], ...]:
        """What its heights depend on; without grids, the clouds or layers around which it stands."""
        return tuple((layer.ref, shown_band(layer.style)) for layer in self.grids or self.around or self.clouds)

    @property
    def draped(self) -> tuple[object, ...]:
        """What its drapes depend on."""
        return self.drapes, self.change, self.surface


class ReliefChoice:
    """Which of the open layers are the ground: those chosen by hand, else the subject, else the first that is shown.
    Without a grid, clouds stand by themselves, and other layers on a plane at the height 0, which can be chosen too."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.surface = DrapeKind.MAP
        self.plane = False  # chosen by hand
        self._chosen: tuple[str, ...] | None = None  # ids of grids that were chosen by hand
        self._before: tuple[Layer, ...] = ()

    def grids(self) -> list[Layer]:
        """Return the grids that can be the ground, the upper first: of one band, or the subject's shown one."""
        found = []
        for layer in self.session.work.layers:
            facts = self.session.facts_of(layer)
            if layer.kind.has_cells and facts and facts.grid and len(facts.grid.bands) == 1:
                found.append(layer)
        return found

    def chosen_grids(self) -> list[Layer]:
        """Return the grids of the ground."""
        grids = self.grids()
        by_hand = [layer for layer in grids if layer.id in (self._chosen or ())]
        subject = self.session.work.subject
        if subject in grids and subject not in by_hand:
            self._chosen, by_hand = None, []
        if self.plane:
            return []
        if by_hand:
            return by_hand
        if subject is not None and subject in grids:
            return [subject]
        before = [each.id for each in self._before]
        stays = [layer for layer in grids if layer.id in before]
        if subject is not None and subject.kind.has_points and not stays:
            shown = [layer for layer in grids if layer.visible]
            return shown[:1]
        return stays or [layer for layer in grids if layer.visible][:1] or grids[:1]

    def choose(self, ids: tuple[str, ...]) -> None:
        """Have other grids as the ground; none for what is proposed."""
        self._chosen, self.plane = ids or None, False

    def clouds(self, *, alone: bool) -> list[Layer]:
        """Return the clouds that stand in the relief: those that are shown; `alone`, the subject too."""
        subject = self.session.work.subject
        return [
            layer for layer in self.session.work.layers
            if layer.kind.has_points and layer.style is not None and (layer.visible or (alone and layer is subject))
        ]  # fmt: skip

    def content(self) -> ReliefContent | None:
        """Return what is to be shown now, None for nothing."""
        work, grids = self.session.work, self.chosen_grids()
        self._before = tuple(grids)
        clouds = self.clouds(alone=not grids)
        standing = tuple(layer for layer in work.drawn() if layer.stands)
        around: tuple[Layer, ...] = ()
        if not grids and (self.plane or not clouds):
            around = tuple(layer for layer in work.drawn() if self._has_place(layer))
        if not grids and not clouds and not around:
            return None
        comparison, pair = work.state.comparison, subtracted(work)
        stacks = stacks_of(work)
        if comparison is not None and comparison.way is Way.TWIN:
            stacks = tuple(tuple(work.drawn(hidden=comparison.hidden_on(side))) for side in (0, 1))
        elif comparison is not None and comparison.way is Way.CHANGE and pair is None:
            stacks = (tuple(work.drawn()),)
        drapes = tuple(
            tuple(la for la in stack if la.visible and not la.kind.has_points and not la.stands) for stack in stacks
        )
        if pair is None:
            drapes = tuple(each or tuple(grids[:1]) for each in drapes)
        return ReliefContent(tuple(grids), drapes, tuple(clouds), standing, pair, self.surface, around)

    def _has_place(self, layer: Layer) -> bool:
        facts = self.session.facts_of(layer)
        return layer.visible and layer.style is not None and facts is not None and facts.extent is not None
