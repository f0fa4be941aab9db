"""Where commands go before they do their work."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ..pages.desk_page import DeskPage
    from ..window import AtlasWindow


def on_desk(window: AtlasWindow, run: Callable[[DeskPage], object]) -> Callable[[], None]:
    """Return a command's work that first goes to the Desk."""

    def go() -> None:
        window.show_page("desk")
        run(window.desk)

    return go


def on_subject(window: AtlasWindow, run: Callable[[str], object]) -> Callable[[], None]:
    """Return a command's work that is given the id of the subject."""

    def go() -> None:
        if window.session.work.subject is not None:
            run(window.session.work.subject.id)

    return go
