"""Expressions that are tried on the subject's rows before they are taken; what is wrong is marked at the line."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QLineEdit

from brisk_atlas.core.model import AtlasError, Layer
from brisk_atlas.core.model.language import tr

from ..plain_text import plain_tip
from ..session import Session

TRIED_ROWS = 1000


def try_expression(session: Session, layer: Layer, text: str, line: QLineEdit, take: Callable[[], None]) -> None:
    """Take an SQL expression if it makes a value a row."""

    def work(job: object) -> None:
        from brisk_atlas.core.table import all_seen_rows, column_of

        column_of(all_seen_rows(session.cache, layer).slice(0, TRIED_ROWS), text)

    _try(session, work, line, take)


def try_condition(session: Session, layer: Layer, text: str, line: QLineEdit, take: Callable[[], None]) -> None:
    """Take an SQL condition if it can be asked of each row; "" holds for all."""

    def work(job: object) -> None:
        from brisk_atlas.core.table import all_seen_rows, mask_of

        if text:
            mask_of(all_seen_rows(session.cache, layer).slice(0, TRIED_ROWS), text)

    _try(session, work, line, take)


def _try(session: Session, work: Callable[[object], None], line: QLineEdit, take: Callable[[], None]) -> None:
    def mark(wrong: str) -> None:
        line.setProperty("wrong", bool(wrong))
        line.setToolTip(plain_tip(wrong))
        style = line.style()
        if style is not None:
            style.polish(line)

    def done(nothing: object) -> None:
        mark("")
        take()

    def failed(error: BaseException) -> None:
        mark(str(error))
        if not isinstance(error, AtlasError):
            session.fault(error)

    session.run(tr("Trying the expression"), work, done, shown=False, failed=failed)
