"""The work: what is open and how it looks. The one place that changes, and says when it does."""

from __future__ import annotations

import itertools
from collections.abc import Collection, Mapping
from typing import TYPE_CHECKING, Any

from brisk_atlas.core.model.language import tr

from .comparison import Comparison, Divide, Way
from .groups import Group, StackRow, as_drawn, layers_in, moved, rows_of
from .named_places import NamedPlace
from .plates import Album, PlateView, restored
from .shared_scale import with_shared_scale
from .undoable_work import UndoableWork

if TYPE_CHECKING:
    from brisk_atlas.core.handover.recipe import Recipe
    from brisk_atlas.core.model import DataRef, Facts, Layer, Style

FREE = {"visible", "locked"}  # what of a locked layer can be changed


class Work(UndoableWork):
    """Layers, groups, sides that are compared and named places, with what can be done to them, each a step of undo."""

    def drawn(self, hidden: tuple[str, ...] = ()) -> list[Layer]:
        """Return the layers in drawing order, bottom first, as their groups show them, without those named."""
        return [as_drawn(layer, self.state.groups) for layer in reversed(self.layers) if layer.id not in hidden]

    @property
    def rows(self) -> list[StackRow]:
        """The lines of the stack, top first: layers, and the heads of groups."""
        return rows_of(self.layers, self.state.groups)

    def group(self, group_id: str | None) -> Group | None:
        """Return a group by its id, None where there is none."""
        return next((group for group in self.state.groups if group.id == group_id), None)

    @property
    def chosen(self) -> tuple[str, ...]:
        """The ids of the layers and groups that commands act on; the subject where no others were chosen."""
        known = {layer.id for layer in self.layers} | {group.id for group in self.state.groups}
        chosen = tuple(each for each in self._chosen if each in known)
        subject = (self.state.subject,) if self.state.subject is not None else ()
        return chosen if chosen else subject

    def choose_rows(self, ids: Collection[str]) -> None:
        """Have commands act on some layers and groups of the stack; no step of undo."""
        self._chosen = tuple(ids)

    @property
    def chosen_layers(self) -> list[Layer]:
        """The layers that commands act on: those chosen, and all of the groups chosen, the topmost first."""
        chosen = set(self.chosen)
        groups = [group.id for group in self.state.groups if group.id in chosen]
        within = {layer.id for each in groups for layer in layers_in(self.layers, self.state.groups, each)}
        return [layer for layer in self.layers if layer.id in within or layer.id in chosen]

    def change_recipes(self, what: str, recipes: tuple[Recipe, ...]) -> None:
        """Have other recipes in the work, a step of undo."""
        self._become(what, self.state._replace(recipes=recipes))

    def change_album(self, what: str, album: Album) -> None:
        """Have another album in the work, a step of undo."""
        self._become(what, self.state._replace(album=album))

    def show_view(self, what: str, view: PlateView) -> None:
        """Have the layers look, be grouped and be compared as a plate has them, a step of undo; layers that it does not
        have stay open, hidden."""
        layers = restored(view, self.layers)
        self._become(what, self.state._replace(layers=layers, groups=view.groups, subject=view.subject, crs=view.crs,
                                               comparison=view.comparison))  # fmt: skip

    def add(self, ref: DataRef, facts: Facts, style: Style | None, name: str | None = None, *, what: str = "") -> Layer:
        """Open a part on top of the stack (grids below all vectors) and make it the subject."""
        from brisk_atlas.core.model import Layer

        free, new_id = self._free_name(name or facts.name), self._free_id()
        layer = Layer(new_id, free, ref.with_part(facts.name), facts.kind, style)
        layers = list(self.layers)
        at = 0
        if facts.kind.has_cells:
            at = next((i for i, other in enumerate(layers) if other.kind.has_cells), len(layers))
        layers.insert(at, layer)
        crs = self.state.crs or facts.crs
        self._become(
            what or tr("open {free}", free=free), self.state._replace(layers=tuple(layers), subject=layer.id, crs=crs)
        )
        return layer

    def _free_name(self, base: str, besides: str | None = None) -> str:
        """Return a name that no other layer has: `base`, or with a number behind it."""
        from brisk_atlas.core.model.words import free_name

        taken = {layer.name for layer in self.layers if layer.id != besides}
        return free_name(base, taken, " ")

    def _free_id(self) -> str:
        known = {layer.id for layer in self.layers}
        return next(i for n in self._ids if (i := f"layer-{n}") not in known)

    def rename(self, layer_id: str, name: str) -> None:
        """Give a layer another name, made different from those of the others; an empty one changes nothing."""
        if name.strip() and self.layer(layer_id) is not None:
            self.change("rename", layer_id, name=self._free_name(name.strip(), layer_id))

    def duplicate(self, layer_id: str) -> Layer | None:
        """Put a copy of a layer above it and make it the subject, as a step of undo; it can get a look of its own."""
        from dataclasses import replace

        layer = self.layer(layer_id)
        if layer is None:
            return None
        copy = replace(layer, id=self._free_id(), name=self._free_name(tr("{name} copy", name=layer.name)))
        at = self.layers.index(layer)
        layers = (*self.layers[:at], copy, *self.layers[at:])
        self._become(tr("duplicate {name}", name=layer.name), self.state._replace(layers=layers, subject=copy.id))
        return copy

    def show_only(self, ids: Collection[str]) -> None:
        """Show some layers and hide all others, as a step of undo; tables, which are not drawn, stay as they are."""
        from dataclasses import replace

        layers = tuple(la if la.style is None else replace(la, visible=la.id in ids) for la in self.layers)
        self._become(
            tr("show all") if len(ids) == len(layers) else tr("show only one"), self.state._replace(layers=layers)
        )

    def use_crs(self, crs: str) -> None:
        """Show the map in another CRS, as a step of undo."""
        self._become(tr("change the map's CRS"), self.state._replace(crs=crs))

    def remove(self, *ids: str) -> None:
        """Close layers, as a step of undo."""
        closing = [layer for layer in self.layers if layer.id in ids]
        if not closing:
            return
        rest = tuple(other for other in self.layers if other.id not in ids)
        at = min(self.layers.index(closing[0]), len(rest) - 1)
        subject = self.state.subject if self.state.subject not in ids else (rest[at].id if rest else None)
        comparison = self.state.comparison.without(ids) if self.state.comparison is not None else None
        crs = self.state.crs if rest else None
        what = tr("close {count} layers", count=len(closing))
        if len(closing) == 1:
            what = tr("close {name}", name=closing[0].name)
        self._become(what, self.state._replace(layers=rest, subject=subject, comparison=comparison, crs=crs))

    def choose(self, layer_id: str | None) -> None:
        """Make a layer the subject. Not a step of undo by itself."""
        if layer_id not in self._chosen:
            self._chosen = ()
        if layer_id != self.state.subject:
            self.state = self.state._replace(subject=layer_id)
            self._announce("subject")

    def change(self, what: str, layer_id: str | Collection[str], **values: object) -> bool:
        """Change values of one layer or of several at once: style, visible, opacity or name. Returns whether that was
        allowed: of a locked layer, only whether it is shown and locked can be changed."""
        from dataclasses import replace

        ids = {layer_id} if isinstance(layer_id, str) else set(layer_id)
        guarded = {layer.id for layer in self.layers if layer.locked} if values.keys() - FREE else set()
        if ids and ids <= guarded:
            self._announce("locked")
            return False
        ids -= guarded
        layers = tuple(replace(layer, **values) if layer.id in ids else layer for layer in self.layers)  # type: ignore[arg-type]
        self._become(what, self.state._replace(layers=with_shared_scale(layers, ids) if "style" in values else layers))
        return True

    def share_scale(self, ids: Collection[str], ramp: str, low: float, high: float) -> None:
        """Have layers share one colour scale from now on, as a step of undo; a later change of one changes all."""
        from dataclasses import replace

        from brisk_atlas.core.model import Stretch

        taken = {layer.scale_group for layer in self.layers}
        group = next(name for n in itertools.count(1) if (name := f"scale-{n}") not in taken)
        scale = {"ramp": ramp, "stretch": Stretch("hand", low, high)}
        layers = tuple(
            replace(la, style=replace(la.style, **scale), scale_group=group)  # type: ignore[arg-type]
            if la.id in ids and la.style is not None else la
            for la in self.layers
        )  # fmt: skip
        self._become(tr("share one colour scale"), self.state._replace(layers=layers))

    def slide(self, what: str, layer_id: str, **values: object) -> bool:
        """Change values of a layer as `change` does, by a hand that is still moving: what follows on each other is one
        step of undo."""
        past = len(self._past)
        goes_on = bool(self._past) and self._past[-1][0] == what and not self._future
        changed = self.change(what, layer_id, **values)
        if goes_on and len(self._past) > past:
            del self._past[past:]
        return changed

    def show_one_of(self, what: str, ids: Collection[str], shown: str) -> None:
        """Show one of several layers, hide the others, and make it the subject, by a hand that is still moving: what
        follows on each other is one step of undo."""
        from dataclasses import replace

        goes_on = bool(self._past) and self._past[-1][0] == what and not self._future
        past = len(self._past)
        layers = tuple(replace(la, visible=la.id == shown) if la.id in ids else la for la in self.layers)
        self._become(what, self.state._replace(layers=layers, subject=shown))
        if goes_on and len(self._past) > past:
            del self._past[past:]

    def relink(self, places: Mapping[DataRef, DataRef]) -> None:
        """Have layers show files that lie at other places now, as a step of undo: old place to new."""
        from dataclasses import replace

        from brisk_atlas.core.model import GridStyle

        def there(ref: DataRef) -> DataRef:
            new = places.get(ref.whole)
            return ref if new is None else replace(ref, kind=new.kind, place=new.place, inner=new.inner)

        def style_there(style: Style | None) -> Style | None:
            if not isinstance(style, GridStyle):
                return style
            others = tuple(other and there(other) for other in style.others)
            return replace(style, others=others, flow=style.flow and there(style.flow))

        def joined_there(layer: Layer) -> Layer:
            joins = tuple(replace(join, ref=there(join.ref)) for join in layer.rows.joins)
            rows = replace(layer.rows, joins=joins) if joins != layer.rows.joins else layer.rows
            intervals, standing = layer.standing.intervals, layer.standing
            if intervals is not None:
                standing = replace(standing, intervals=replace(intervals, ref=there(intervals.ref)))
            if standing.deviation is not None:
                standing = replace(standing, deviation=replace(standing.deviation, ref=there(standing.deviation.ref)))
            holes = replace(layer.holes, tables=tuple(replace(t, ref=there(t.ref)) for t in layer.holes.tables))
            moved = replace(layer, ref=there(layer.ref), style=style_there(layer.style), rows=rows)
            return replace(moved, standing=standing, holes=holes if holes != layer.holes else layer.holes)

        layers = tuple(joined_there(layer) for layer in self.layers)
        self._become(tr("relink moved files"), self.state._replace(layers=layers))

    def put_in_group(self, ids: Collection[str], name: str = "group") -> Group | None:
        """Make a group of layers and groups where the topmost of them stands, as a step of undo."""
        rows = [row for row in self.rows if row.id in ids]
        if not rows:
            return None
        taken = {group.name for group in self.state.groups}
        free = next(n for n in itertools.chain([name], (f"{name} {i}" for i in itertools.count(2))) if n not in taken)
        known = {group.id for group in self.state.groups}
        new_id = next(i for n in self._ids if (i := f"group-{n}") not in known)
        parent = self._group_of(rows[0].id)
        made = Group(new_id, free, parent)
        layers, groups = moved(self.layers, (*self.state.groups, made), [row.id for row in rows], rows[0].id, new_id)
        self._become(tr("group {count} layers", count=len(rows)), self.state._replace(layers=layers, groups=groups))
        return made

    def _group_of(self, row_id: str) -> str | None:
        """Return the id of the group that a layer or group lies in."""
        layer, group = self.layer(row_id), self.group(row_id)
        return layer.group if layer is not None else group.parent if group is not None else None

    def ungroup(self, group_id: str) -> None:
        """Take a group away and leave what lay in it where it is, as a step of undo."""
        from dataclasses import replace

        gone = self.group(group_id)
        if gone is None:
            return
        layers = tuple(replace(la, group=gone.parent) if la.group == group_id else la for la in self.layers)
        groups = tuple(
            g._replace(parent=gone.parent) if g.parent == group_id else g for g in self.state.groups if g != gone
        )
        self._become(tr("ungroup {name}", name=gone.name), self.state._replace(layers=layers, groups=groups))

    def change_group(self, what: str, group_id: str, **values: Any) -> None:
        """Change values of a group: name, visible, opacity or folded."""
        groups = tuple(g._replace(**values) if g.id == group_id else g for g in self.state.groups)
        self._become(what, self.state._replace(groups=groups))

    def show_or_hide(self, ids: Collection[str]) -> None:
        """Turn layers and groups off if the first of them is on, else on, as a step of undo."""
        from dataclasses import replace

        rows = [each for row in self.rows if row.id in ids and (each := self.layer(row.id) or self.group(row.id))]
        if not rows:
            return
        on = not rows[0].visible
        layers = tuple(replace(la, visible=on) if la.id in ids else la for la in self.layers)
        groups = tuple(g._replace(visible=on) if g.id in ids else g for g in self.state.groups)
        self._become(tr("show or hide"), self.state._replace(layers=layers, groups=groups))

    def place_rows(self, ids: Collection[str], above: str | None, into: str | None) -> None:
        """Move layers and groups to stand above another line of the stack, in a group, as a step of undo."""
        layers, groups = moved(self.layers, self.state.groups, ids, above, into)
        self._become(tr("reorder layers"), self.state._replace(layers=layers, groups=groups))

    def reorder(self, ids: list[str]) -> None:
        """Put the layers into the order of `ids`, top first."""
        by_id = {layer.id: layer for layer in self.layers}
        if sorted(ids) == sorted(by_id):
            self._become(tr("reorder layers"), self.state._replace(layers=tuple(by_id[i] for i in ids)))

    def move(self, row_id: str, by: int) -> None:
        """Move a layer or a group up (negative) or down by one line of the stack, into and out of groups."""
        rows = [row for row in self.rows if not row.hidden]
        at = next((i for i, row in enumerate(rows) if row.id == row_id), None)
        if at is None:
            return
        end = next((i for i in range(at + 1, len(rows)) if rows[i].depth <= rows[at].depth), len(rows))
        if by < 0 and at > 0:
            before = rows[at - 1]
            if before.is_group and before.depth < rows[at].depth:  # out of the group, above its head
                self.place_rows([row_id], before.id, self._group_of(before.id))
            elif before.depth > rows[at].depth:  # into the group above, at its end
                self.place_rows([row_id], None, self._group_of(before.id))
            else:
                self.place_rows([row_id], before.id, self._group_of(before.id))
        elif by > 0 and (end < len(rows) or rows[at].depth):
            after = rows[end] if end < len(rows) else None
            if after is None or after.depth < rows[at].depth:  # out of the group, below it
                outer = self.group(self._group_of(row_id))
                self.place_rows([row_id], after.id if after is not None else None, outer.parent if outer else None)
            elif after.is_group and not self._is_folded(after.id):  # into the group below
                self.place_rows([row_id], rows[end + 1].id, after.id)
            else:
                beyond = next((r.id for r in rows[end + 1 :] if r.depth <= after.depth), None)
                same = beyond is not None and self._group_of(beyond) == self._group_of(after.id)
                self.place_rows([row_id], beyond if same else None, self._group_of(after.id))

    def _is_folded(self, group_id: str) -> bool:
        group = self.group(group_id)
        return group is not None and group.folded

    def compare(
        self, side_a: tuple[str, ...], side_b: tuple[str, ...], way: Way | None = None, *further: tuple[str, ...]
    ) -> None:
        """Compare layers of side A with those of side B, the same way as before if none is given, as a step of undo.
        All sides show all other layers; `further` are those of more panes of a twin."""
        before = self.state.comparison or Comparison(((), ()))
        self._look(tr("compare"), before._replace(sides=(side_a, side_b, *further), way=way or before.way))

    def _look(self, what: str, comparison: Comparison) -> None:
        """Take a comparison, with the layers of its sides shown."""
        from dataclasses import replace

        sides = {layer_id for ids in comparison.sides for layer_id in ids}
        shown = tuple(replace(la, visible=True) if la.id in sides else la for la in self.layers)
        self._become(what, self.state._replace(layers=shown, comparison=comparison))

    def put_on_side(self, layer_id: str, number: int | None) -> None:
        """Put a layer on one side of what is compared alone, or on all, as a step of undo."""
        if self.state.comparison is not None:
            self._look(tr("change the sides"), self.state.comparison.with_layer_on(layer_id, number))

    def set_side(self, number: int, ids: tuple[str, ...]) -> None:
        """Give a side other layers; the number after the last one adds a side. A step of undo."""
        if self.state.comparison is not None:
            self._look(tr("change the sides"), self.state.comparison.with_side(number, ids))

    def remove_side(self, number: int) -> None:
        """Take away a side after B, as a step of undo."""
        comparison = self.state.comparison
        if comparison is not None and number > 1:
            sides = comparison.sides[:number] + comparison.sides[number + 1 :]
            self._become(tr("remove a pane"), self.state._replace(comparison=comparison._replace(sides=sides)))

    def swap_sides(self) -> None:
        """Let A be B and B be A, as a step of undo."""
        comparison = self.state.comparison
        if comparison is not None:
            a, b, *further = comparison.sides
            self._become(
                tr("swap the sides"), self.state._replace(comparison=comparison._replace(sides=(b, a, *further)))
            )

    def look_by(self, way: Way, divide: Divide | None = None) -> None:
        """Look at the same sides in another way, as a step of undo."""
        comparison = self.state.comparison
        if comparison is not None:
            after = comparison._replace(way=way, divide=divide or comparison.divide)
            self._become(tr("compare by {way}", way=after.way.words), self.state._replace(comparison=after))

    def compared_grids(self) -> tuple[Layer, Layer] | None:
        """Return the top grid of sides A and B, if both have one."""
        if self.state.comparison is None:
            return None
        a, b = (
            next((la for la in self.layers if la.id in ids and la.kind.has_cells), None)
            for ids in self.state.comparison.sides[:2]
        )
        return (a, b) if a and b else None

    def store_place(self, place: NamedPlace) -> NamedPlace:
        """Store a place under a name and an id of its own, as a step of undo; returns it."""
        taken, ids = {p.name for p in self.state.places}, {p.id for p in self.state.places}
        names = itertools.chain([place.name], (f"{place.name} {i}" for i in itertools.count(2)))
        name = next(n for n in names if n not in taken)
        new_id = next(i for n in itertools.count(1) if (i := f"place-{n}") not in ids)
        stored = place._replace(id=new_id, name=name)
        self._become(tr("store the place {name}", name=name), self.state._replace(places=(*self.state.places, stored)))
        return stored

    def rename_place(self, place_id: str, name: str) -> None:
        """Give a place another name; an empty one changes nothing."""
        if name.strip():
            places = tuple(p._replace(name=name.strip()) if p.id == place_id else p for p in self.state.places)
            self._become(tr("rename a place"), self.state._replace(places=places))

    def remove_place(self, place_id: str) -> None:
        """Remove a named place, as a step of undo."""
        places = tuple(p for p in self.state.places if p.id != place_id)
        self._become(tr("remove a place"), self.state._replace(places=places))

    def stop_comparing(self) -> None:
        """Compare nothing any more, as a step of undo."""
        self._become(tr("stop comparing"), self.state._replace(comparison=None))
