"""Layers whose data is read again: their files changed, or are to be read in another way."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from brisk_atlas.core.model import Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job

from .session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.model import OpenOptions


def read_with(session: Session, layer: Layer, options: OpenOptions) -> None:
    """Read the dataset of a layer with other options from now on; its file stays as it is."""
    place = layer.ref.whole
    session.answers.store(place, options)
    session.cache.set_options(place, options)
    read_again(session, [each for each in session.work.layers if each.ref.whole == place])


def read_again(session: Session, layers: Sequence[Layer]) -> None:
    """Read the files of layers as they are now."""
    for layer in layers:
        session.watch.read_again(layer.ref)
        session.workspace.forget(layer)
    session.show_anew(layers)
    session.check_sources()


def read_in_place(session: Session, layers: Sequence[Layer], done: Callable[[], object] = lambda: None) -> None:
    """Read layers of servers and copies again in the background; what was read before is shown until then."""

    def work(job: Job) -> None:
        from brisk_atlas.core.read import open as open_dataset

        for ref in {each.ref.whole for each in layers}:
            dataset = open_dataset(ref)
            session.cache.forget(ref)
            session.cache.hold(dataset)

    def show(nothing: object) -> None:
        session.painter.forget({each.ref.whole for each in layers})
        session.show_anew(layers)
        done()

    session.run(tr("Reading changes"), work, show, shown=False)


def go_on_saved(session: Session, layer: Layer) -> None:
    """Go on with a layer whose edits have been written into its file, once that was read again."""
    session.watch.read_again(layer.ref)
    session.run(
        tr("Reading {name}", name=layer.name),
        lambda job: session.cache.part(layer.ref),
        lambda part: session.workspace.drop_edits(layer),
    )
