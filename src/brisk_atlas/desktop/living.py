"""Whether those who wait for a result are still there."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from types import FunctionType, MethodType
from typing import Any

from PyQt6 import sip


def is_living(callback: Callable[..., Any], depth: int = 4) -> bool:
    """Return whether no widget that a callback speaks to has been deleted: the owner of a method, and what a
    function or a partial brings along."""
    if depth == 0:
        return True
    if isinstance(callback, MethodType):
        held: tuple[Any, ...] = (callback.__self__,)
    elif isinstance(callback, partial):
        held = (callback.func, *callback.args, *callback.keywords.values())
    elif isinstance(callback, FunctionType):
        held = (*_cells(callback), *(callback.__defaults__ or ()))
    else:
        return True
    for each in held:
        if isinstance(each, sip.wrapper) and sip.isdeleted(each):
            return False
        if isinstance(each, FunctionType | MethodType | partial) and not is_living(each, depth - 1):
            return False
    return True


def _cells(function: FunctionType) -> list[Any]:
    found = []
    for cell in function.__closure__ or ():
        try:
            found.append(cell.cell_contents)
        except ValueError:  # not assigned yet
            continue
    return found
