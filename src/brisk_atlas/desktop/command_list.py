"""Every command of the window, in the order in which Do... lists them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from brisk_atlas.core.model.language import tr

from .command_groups.drawer_commands import drawer_commands
from .command_groups.file_commands import file_commands
from .command_groups.layer_commands import layer_commands
from .command_groups.map_commands import map_commands
from .command_groups.page_commands import page_commands

if TYPE_CHECKING:
    from .commands import Command
    from .window import AtlasWindow

GROUPS = {
    tr("Files and help"): file_commands,
    tr("Pages"): page_commands,
    tr("The map"): map_commands,
    tr("Drawers and tools"): drawer_commands,
    tr("Layers"): layer_commands,
}


def commands_of(window: AtlasWindow) -> list[Command]:
    """Return what a window can do."""
    return [each._replace(group=name) for name, made in GROUPS.items() for each in made(window)]
