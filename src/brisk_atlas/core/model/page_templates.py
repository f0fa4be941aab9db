"""Templates of pages that are written for people: texts are escaped, and words are those of the language in use."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from .digit_groups import grouped
from .language import language_in_use, tr, trn
from .vocabulary import shown

if TYPE_CHECKING:
    from jinja2 import Environment, Undefined


def page_templates(folder: Path, undefined: type[Undefined] | None = None) -> Environment:
    """Return the templates of a folder. They have `tr` and `trn` for texts, `shown` for stored words, and `language()`;
    `grouped` parts the digits of a number. `undefined` is what a name is that has no value."""
    from jinja2 import Environment, FileSystemLoader, Undefined

    found = Environment(
        loader=FileSystemLoader(folder), autoescape=True, undefined=undefined or Undefined, trim_blocks=True,
        lstrip_blocks=True,
    )  # fmt: skip
    found.filters["grouped"] = grouped
    found.globals |= {"tr": tr, "trn": trn, "shown": shown, "language": language_in_use}
    return found
