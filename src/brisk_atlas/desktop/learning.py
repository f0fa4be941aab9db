"""Learning the window: the tour, the guide, the keys, and what Do… finds besides commands."""

from __future__ import annotations

from typing import TYPE_CHECKING

from brisk_atlas.core.model.language import tr

from .welcome.tasks import PAGE_TASKS

if TYPE_CHECKING:
    from .welcome.help_window import HelpWindow
    from .welcome.keys_window import KeysWindow
    from .welcome.tour import Stop, Tour
    from .window import AtlasWindow


class Learning:
    """Opens what explains a window; each is made at the first call."""

    def __init__(self, window: AtlasWindow) -> None:
        self.window = window
        self._tour: Tour | None = None
        self._help: HelpWindow | None = None
        self._keys: KeysWindow | None = None

    def begin_tour(self) -> None:
        """Walk through the window, on the demo where nothing is open."""
        window = self.window
        if self._tour is None:
            from .welcome.tour import Tour

            self._tour = Tour(window, stops_of(window), window.show_page, lambda: window.theme.accent)
        if window.session.work.layers:
            self._tour.begin()
        else:
            window.project.open_demo(self._tour.begin)

    def open_help(self, title: str = "") -> None:
        """Open the guide at a task, by its title; at that of the page in sight if none is given."""
        if self._help is None:
            from .welcome.help_window import HelpWindow

            self._help = HelpWindow(self.window)
        self._help.open_at(title or PAGE_TASKS[self.window.page])

    def show_keys(self) -> None:
        """Show all keys."""
        if self._keys is None:
            from .welcome.keys_window import KeysWindow

            self._keys = KeysWindow(self.window.commands, self.window)
            self._keys.chosen.connect(self._use_keys)
        self._keys.show()
        self._keys.raise_()
        self._keys.line.setFocus()

    def _use_keys(self, keys_of: dict[str, str]) -> None:
        """Give keys to commands, by id, in this run and those to come."""
        from .settings.own_keys import own_keys, store_own_keys

        commands, settings = self.window.commands, self.window.settings
        stored = own_keys(settings) | keys_of
        store_own_keys(settings, {each: keys for each, keys in stored.items() if keys != commands.first_keys.get(each)})
        for command_id, keys in keys_of.items():
            commands.rekey(command_id, keys)
        self.window.bar.hint_pages()


def stops_of(window: AtlasWindow) -> tuple[Stop, ...]:
    """Return the stops of the tour through a window."""
    from brisk_atlas import demo

    from .welcome.tour import Stop

    return (
        Stop(
            "find", tr("Find: seen before it is opened"),
            tr("The list shows datasets, not files. Choose one: its picture, facts, rows, record and "
               "files stand at the "
            "right, and nothing is opened or changed."),
            lambda: window.find_page.glance,
            lambda: window.find_page.go_to(demo.DATA, choose="elevation_2031.tif"),
        ),
        Stop(
            "desk", tr("The stack: what is open"),
            tr("One tile a layer, the top one first. Drag to order, click the dot to hide, unfold for the legend. The "
            "chosen one is the subject: all drawers and pages speak of it."),
            lambda: window.desk.spine,
        ),
        Stop(
            "desk", tr("The map"),
            tr("Drag and wheel move it; a click says what lies there. C divides before and after by a curtain, V draws "
            "the difference, R shows the relief, M measures."),
            lambda: window.desk.map.canvas,
        ),
        Stop(
            "desk", tr("The subject bar"),
            tr("What is spoken of, in a line: kind, count, CRS, and a warning where something is not right."),
            lambda: window.subject,
        ),
        Stop(
            "record", tr("Record: what its makers state"),
            tr("The metadata record in words, in full or as text, checked against its standard and "
               "against the data. It "
            "can be mended and saved."),
            lambda: window.record.views,
        ),
        Stop(
            "handover", tr("Hand over"),
            tr("A recipe writes a clean piece, for one file or ten thousand. Depot shares it, Album shows it in "
            "pictures, Catalogue makes a site of a folder."),
            lambda: window.handover.halves,
        ),
        Stop(
            "desk", tr("Do… finds the rest"),
            tr("Ctrl+K, then words of what you want: commands, layers, fields, places, help. F1 opens the guide, ? all "
            "keys."),
            lambda: window.bar.do_button,
        ),
    )  # fmt: skip
