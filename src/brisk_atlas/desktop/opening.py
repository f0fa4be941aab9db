"""Looking at a file before it is opened: whether it is safe to, and what must be asked first."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from brisk_atlas.core.model import AtlasError, CannotRead

if TYPE_CHECKING:
    from brisk_atlas.core.find import Neighbour, Question
    from brisk_atlas.core.jobs import Job

    from .session import Session

MOST_NEIGHBOURS = 60
BROKE_DOWN = "broke down"


class Looked(NamedTuple):
    """A path, and the error or the question that stands in the way of opening it, if any."""

    path: Path
    error: BaseException | None = None
    question: Question | None = None


def look_before(session: Session, path: Path, *, anew: bool, part: str | None, job: Job) -> Looked:
    """Look at a path. Runs in the background.

    Files that nobody has looked at yet are looked at by a child process first, so that one that brings a
    library down does not take the window along.
    """
    from brisk_atlas.core.find import question_about
    from brisk_atlas.core.read.reach import settled

    path = settled(path)
    try:
        check_safe(session, path, job)
        said = session.holdings.readings.get(path) or session.answers.get(path)
        if said is not None:
            session.holdings.say(path, said)
        session.holdings.forget(path)  # it may have changed on disk since it was last looked at
        try:
            dataset = session.holdings.dataset(path)
        except AtlasError:
            if said is None:
                raise
            session.holdings.readings.pop(path, None)  # what was said no longer fits the file: ask again
            session.holdings.forget(path)
            said, dataset = None, session.holdings.dataset(path)
        if part is not None or (said is not None and not anew):
            return Looked(path)
        if anew and said is not None:
            session.holdings.readings.pop(path, None)
            session.holdings.forget(path)
            dataset = session.holdings.dataset(path)
        question = question_about(dataset, neighbours(session, path))
        return Looked(path, question=question if question is not None and (question.needed or anew) else None)
    except AtlasError as error:
        return Looked(path, error)


def check_safe(session: Session, path: Path, job: Job) -> None:
    """Raise CannotRead where the library that reads a file breaks down on it."""
    from brisk_atlas.core.find.looking import known_now

    row = known_now(path, session.catalogue, session.lookers, job.check)
    if BROKE_DOWN in row.fault:
        raise CannotRead(path, row.fault, row.remedy)


def neighbours(session: Session, path: Path) -> list[Neighbour]:
    """Return what has a place nearby: the open layers, then the other datasets of the folder."""
    from brisk_atlas.core.find import Neighbour
    from brisk_atlas.core.find.summary import degrees_of, from_text

    found = []
    for layer in session.work.layers:
        facts = session.facts_of(layer)
        box = degrees_of([facts]) if facts is not None and layer.path != path else None
        if facts is not None and facts.crs and box:
            found.append(Neighbour(layer.name, facts.crs, box))
    for _, text in list(session.catalogue.rows_in(path.parent).values())[:MOST_NEIGHBOURS]:
        row = from_text(text)
        if row.box and row.crs.startswith("EPSG:") and row.path != str(path):
            found.append(Neighbour(Path(row.path).name, row.crs, row.box))
    return found
