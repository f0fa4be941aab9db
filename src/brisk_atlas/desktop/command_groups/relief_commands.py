"""The commands of the relief, as Do... lists them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from brisk_atlas.core.model.language import tr

from ..commands import Command

if TYPE_CHECKING:
    from ..panes.relief_pane import ReliefPane

VIEWS = (
    ("whole", tr("All of the ground in the relief")), ("north", tr("Relief from the north")), ("east", tr("Relief from the east")),
    ("south", tr("Relief from the south")), ("west", tr("Relief from the west")), ("above", tr("Relief from above")),
    ("back", tr("Relief back to the view before")),
)  # fmt: skip
PANELS = (
    ("relief_numbers", tr("Type from where the relief is seen…"), "cube", lambda pane: pane.type_numbers()),
    ("relief_surface", tr("Surface of the relief: slope, contour lines, water, opacity…"), "stack",
     lambda pane: pane.surface.click()),
    ("relief_light", tr("Light and haze of the relief…"), "sun", lambda pane: pane.light.click()),
)  # fmt: skip
DEEDS = (
    ("relief_distance", "distance", tr("Measure along the ground of the relief"), "ruler"),
    ("relief_sight", "sight", tr("Line of sight in the relief"), "eye"),
    ("relief_viewshed", "viewshed", tr("What can be seen from the middle of the relief"), "eye"),
    ("relief_box", "box", tr("Pick points in a box in the relief"), "selection-plus"),
    ("relief_lasso", "lasso", tr("Pick points with a lasso in the relief"), "path"),
    ("relief_picture", "picture", tr("Write a picture of the relief…"), "image"),
    ("relief_film", "film", tr("Write a film of the relief…"), "film-strip"),
    ("relief_model", "model", tr("Write a model of the relief…"), "cube"),
)


def relief_commands(
    at_relief: Callable[[Callable[[ReliefPane], object]], Callable[[], None]], there: Callable[[], ReliefPane | None]
) -> list[Command]:
    """Return the commands that work on a relief. `at_relief` makes a command's work of what is done to the pane;
    `there` returns the pane while it shows something."""

    def enabled() -> bool:
        return there() is not None

    def is_tethered() -> bool:
        pane = there()
        return pane is not None and pane.tethered.isChecked()

    def show(name: str, pane: ReliefPane) -> None:
        pane.show_view(name)

    def do(deed: str, pane: ReliefPane) -> None:
        pane.do(deed)

    return [
        *(Command(f"relief_{name}", words, at_relief(partial(show, name)), icon="cube", enabled=enabled)
          for name, words in VIEWS),
        *(Command(name, words, at_relief(run), icon=icon, enabled=enabled) for name, words, icon, run in PANELS),
        *(Command(name, words, at_relief(partial(do, deed)), icon=icon, enabled=enabled)
          for name, deed, words, icon in DEEDS),
        Command("relief_tether", tr("Tether the relief to the map"), at_relief(lambda pane: pane.tethered.click()),
                icon="link", enabled=enabled, checked=is_tethered),
        Command("focus_relief", tr("To the relief"), at_relief(lambda pane: pane.canvas.setFocus()), "F8",
                tr("Put the keyboard on the relief"), enabled=enabled),
    ]  # fmt: skip
