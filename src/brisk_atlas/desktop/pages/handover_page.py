"""The Hand over page: recipes, the Depot, the album and the catalogue, one beside another."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QSettings, pyqtSignal
from PyQt6.QtWidgets import QAbstractButton, QFrame, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from brisk_atlas.core.model import DataRef, Extent
from brisk_atlas.core.model.language import tr

from ..panes.bar_buttons import bar_button
from ..recipes.recipe_view import RecipeView
from ..session import Session

if TYPE_CHECKING:
    from ..album.album_view import AlbumView
    from ..catalogue.catalogue_view import CatalogueView
    from ..depot.depot_view import DepotView
    from ..theme import Theme


class HandoverPage(QWidget):
    """Shows one of its halves; all but the recipes are made at the first need.

    Signals:
        open_wanted(list): paths of files to open.
        plate_wanted(object): a plate whose view the Desk is to show.
    """

    open_wanted = pyqtSignal(list)
    plate_wanted = pyqtSignal(object)

    def __init__(self, session: Session, settings: QSettings) -> None:
        super().__init__()
        self.session, self._settings = session, settings
        self.to_recipe = bar_button(tr("Recipe"), "recipe half", tr("Steps, checkpoints and writing"), checkable=True)
        self.to_depot = bar_button(
            tr("Depot"), "depot half", tr("Offer layers to colleagues and to everybody"), checkable=True
        )
        self.to_album = bar_button(tr("Album"), "album half", tr("Plates with captions, as a page"), checkable=True)
        self.to_catalogue = bar_button(
            tr("Catalogue"), "catalogue half", tr("A site of all datasets of a folder"), checkable=True
        )
        self.recipes = RecipeView(session)
        self.recipes.open_wanted.connect(self.open_wanted)
        self.depot: DepotView | None = None
        self.catalogue: CatalogueView | None = None
        self.album: AlbumView | None = None
        self._lay_out()

    def _lay_out(self) -> None:
        self.halves = QStackedWidget()
        self.halves.addWidget(self.recipes)
        half = QFrame()
        half.setObjectName("paneBar")
        half_row = QHBoxLayout(half)
        half_row.setContentsMargins(12, 2, 12, 2)
        half_row.setSpacing(2)
        for name, button in self._buttons.items():
            half_row.addWidget(button)
            button.clicked.connect(lambda checked=False, name=name: self.show_half(name))
        half_row.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(half)
        column.addWidget(self.halves, 1)
        self.to_recipe.setChecked(True)
        self.recipes.posting_wanted.connect(self._show_posting)

    @property
    def _buttons(self) -> dict[str, QAbstractButton]:
        return {
            "recipe": self.to_recipe,
            "depot": self.to_depot,
            "album": self.to_album,
            "catalogue": self.to_catalogue,
        }

    def show_half(self, name: str) -> None:
        """Show the recipes ("recipe"), the Depot ("depot"), the album ("album") or the catalogue ("catalogue")."""
        shown = {"recipe": lambda: self.recipes, "depot": self._depot, "album": self._album,
                 "catalogue": self._catalogue}[name]()  # fmt: skip
        self.halves.setCurrentWidget(shown)
        if name == "album" and self.album is not None:
            self.album.list.setFocus()
        if name == "catalogue" and self.catalogue is not None:
            self.catalogue.source.setFocus()
        for half, button in self._buttons.items():
            button.setChecked(half == name)

    def _depot(self) -> DepotView:
        from ..depot.depot_view import DepotView

        if self.depot is None:
            self.depot = DepotView(self.session)
            self.depot.form.view_extent = lambda: self.recipes.view_extent
            self.halves.addWidget(self.depot)
        return self.depot

    def _show_posting(self, posted: DataRef) -> None:
        self.show_half("depot")
        self._depot().show_posting(posted)

    def _album(self) -> AlbumView:
        from ..album.album_view import AlbumView

        if self.album is None:
            self.album = AlbumView(self.session, self._settings)
            self.album.show_wanted.connect(self.plate_wanted)
            self.album.use_theme(self.recipes.batch.theme)
            self.halves.addWidget(self.album)
        return self.album

    def _catalogue(self) -> CatalogueView:
        from ..catalogue.catalogue_view import CatalogueView

        if self.catalogue is None:
            self.catalogue = CatalogueView(self.session)
            self.halves.addWidget(self.catalogue)
        return self.catalogue

    def take_view(self, extent: Extent | None) -> None:
        """Take what the map shows, as the extent that steps and offers may begin with."""
        self.recipes.view_extent = extent

    def choose_recipe(self) -> None:
        """Ask for a recipe of a file, and show it."""
        self.show_half("recipe")
        self.recipes.choose_recipe()

    def flush(self) -> None:
        """Have what is being typed in the work at once."""
        if self.album is not None:
            self.album.flush()

    def shut(self) -> None:
        """End what goes on beside the window."""
        if self.depot is not None:
            self.depot.shut()

    @property
    def busy(self) -> bool:
        """Whether steps are looked at, something is written, or a picture is drawn."""
        halves = (self.recipes, self.depot, self.album, self.catalogue)
        return any(half is not None and half.busy for half in halves)

    def use_theme(self, theme: Theme) -> None:
        """Take over the colours of a theme."""
        self.recipes.use_theme(theme)
        if self.album is not None:
            self.album.use_theme(theme)
