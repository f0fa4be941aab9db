"""What Do… finds besides commands: layers, fields, places, datasets that were opened lately, and help."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING

from brisk_atlas.core.model.language import tr

from .do_palette import Choice

if TYPE_CHECKING:
    from .window import AtlasWindow

MOST_OF_A_KIND = 8


def choices_with(window: AtlasWindow, words: str, open_help: Callable[[str], object]) -> list[Choice]:
    """Return what has all words in its name, the first few of each kind; none without words. `open_help` is given the
    title of a task of the guide."""
    wanted = words.casefold().split()
    if not wanted:
        return []
    found: list[Choice] = []
    for kind in (_layers, _fields, _places, _datasets):
        fitting = (each for each in kind(window) if all(word in each.title.casefold() for word in wanted))
        found += [each for each, _ in zip(fitting, range(MOST_OF_A_KIND))]
    return [*found, *_help(words, open_help)]


def _layers(window: AtlasWindow) -> Iterator[Choice]:
    work = window.session.work

    def go(layer_id: str) -> None:
        window.show_page("desk")
        work.choose(layer_id)
        window.desk.map.fit_subject()

    for layer in work.layers:
        yield Choice(layer.name, "layer", "stack", lambda layer_id=layer.id: go(layer_id))  # type: ignore[misc]


def _fields(window: AtlasWindow) -> Iterator[Choice]:
    """Yield the fields of layers that are read already: nothing is read for a list."""
    work = window.session.work

    def go(layer_id: str, name: str) -> None:
        window.show_page("desk")
        work.choose(layer_id)
        window.desk.show_field(name)

    for layer in work.layers:
        if not layer.kind.has_rows or window.session.dataset_of(layer) is None:
            continue
        for field in window.session.fields_of(layer):
            yield Choice(field.name, tr("field of {name}", name=layer.name), "columns",
                         lambda layer_id=layer.id, name=field.name: go(layer_id, name))  # type: ignore[misc]  # fmt: skip


def _places(window: AtlasWindow) -> Iterator[Choice]:
    def go(place: object) -> None:
        window.show_page("desk")
        window.desk.spots.go_to_place(place)  # type: ignore[arg-type]

    for place in window.session.work.state.places:
        yield Choice(place.name, "place", "map-pin", lambda place=place: go(place))  # type: ignore[misc]


def _datasets(window: AtlasWindow) -> Iterator[Choice]:
    shelves = window.session.shelves
    for ref in shelves.recent:
        yield Choice(ref.name, tr("dataset, opened lately"), "database",
                     lambda ref=ref: window.session.open_refs([ref]))  # type: ignore[misc]  # fmt: skip
    for path in shelves.projects:
        yield Choice(path.name, tr("project"), "folder-notch-open", lambda path=path: window.project.open(path))  # type: ignore[misc]


def _help(words: str, open_help: Callable[[str], object]) -> Iterator[Choice]:
    from brisk_atlas.help import sections_with

    for section in sections_with(words)[:MOST_OF_A_KIND]:
        yield Choice(section.title, tr("help"), "question", lambda title=section.title: open_help(title))  # type: ignore[misc]
