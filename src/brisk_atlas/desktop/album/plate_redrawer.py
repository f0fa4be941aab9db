"""Plates whose data changed: which they are, and their maps drawn again as the data is now."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job
from brisk_atlas.core.workspace.plates import Plate, PlateKind, PlateSource, PlateView

from ..reading_again import read_again
from ..session import Session
from .plate_pictures import DENSITY, pictures_of_maps

Run = Callable[[str, Callable[[Job], Any], Callable[[Any], None], bool], None]


class PlateRedrawer:
    """Draws maps of plates again, in the background. `run` is given a title, the work, what is done with its result,
    and whether its progress is shown."""

    def __init__(self, session: Session, run: Run) -> None:
        self.session, self._run = session, run

    def find_changed(self, plates: Sequence[Plate], done: Callable[[dict[str, list[PlateSource]]], None]) -> None:
        """Look which files changed since plates were captured, by the id of each plate that has such."""

        def work(job: Job) -> dict[str, list[PlateSource]]:
            from brisk_atlas.core.workspace.plate_sources import changed_sources

            found = {plate.id: changed_sources(plate) for plate in plates}
            return {name: changed for name, changed in found.items() if changed}

        self._run(tr("Sources"), work, done, False)

    def draw_again(self, plates: Sequence[Plate]) -> None:
        """Draw the maps of plates as their data is now: files that changed are read again. One undo takes it back."""
        maps = [(plate, plate.view) for plate in plates if plate.view is not None and plate.kind is PlateKind.MAP]

        def read_and_draw(changed: dict[str, list[PlateSource]]) -> None:
            stale = {
                layer.ref: layer
                for plate, view in maps
                for layer in view.layers
                if any(each.layer == layer.id for each in changed.get(plate.id, ()))
            }
            read_again(self.session, list(stale.values()))
            self._draw(maps)

        if maps:
            self.find_changed([plate for plate, _ in maps], read_and_draw)

    def _draw(self, maps: Sequence[tuple[Plate, PlateView]]) -> None:
        def work(job: Job) -> list[Plate]:
            from brisk_atlas.core.workspace.plate_sources import sources_of_each

            views = [view for _, view in maps]
            sources = sources_of_each([view.shown for view in views])
            pictures = pictures_of_maps(self.session, views, job.check)
            made = []
            for (plate, _), (picture, other), lying in zip(maps, pictures, sources):
                made.append(plate._replace(picture=picture, other=other, density=DENSITY, sources=lying))
                job.report(len(made) / len(maps), plate.title)
            return made

        def done(made: list[Plate]) -> None:
            album = self.session.work.state.album
            for plate in made:
                now = album.item(plate.id)
                if isinstance(now, Plate):
                    album = album.changed(now._replace(picture=plate.picture, other=plate.other,
                                                       density=plate.density, sources=plate.sources))  # fmt: skip
            what = tr("draw a plate again") if len(made) == 1 else tr("draw plates again")
            self.session.work.change_album(what, album)

        self._run(
            tr("Drawing {title}", title=maps[0][0].title)
            if len(maps) == 1
            else tr("Drawing {count:,} plates", count=len(maps)),
            work,
            done,
            True,
        )
