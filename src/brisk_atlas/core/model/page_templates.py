"""Templates of pages that are written for people: texts are escaped, and words are those of the language in use."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import TYPE_CHECKING, Any

from .digit_groups import grouped, regrouped
from .language import language_in_use, tr, trn
from .vocabulary import shown

if TYPE_CHECKING:
    from jinja2 import Environment, Undefined
    from markupsafe import Markup

SCRIPT_TEXT = re.compile(r'\bsay\("((?:[^"\\]|\\.)*)"')  # texts of scripts


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


def in_script(value: Any) -> Markup:
    """Return a value as JSON that can stand in a script element: no text in it ends the element."""
    from markupsafe import Markup

    text = json.dumps(value, ensure_ascii=False, allow_nan=False, separators=(",", ":"))
    return Markup(text.replace("&", "\\u0026").replace("<", "\\u003c").replace(">", "\\u003e"))


def script_words(script: str) -> dict[str, str]:
    """Return what the texts of a script are called in the language of its page; none where that is English."""
    texts = [json.loads(f'"{each}"') for each in SCRIPT_TEXT.findall(script)]
    return {text: tr(text) for text in texts if tr(text) != text}


def script_texts(script: str) -> Markup:
    """Return what a script needs to write in the language of its page: its words, and what parts groups of digits."""
    return in_script({"words": script_words(script), "digits": regrouped(",")})
