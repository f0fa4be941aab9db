"""The shipped fonts, for PDF."""

from __future__ import annotations

from functools import cache

from .lettering import FACES, FOLDER


@cache
def register_fonts() -> None:
    """Make the fonts known to what writes PDF, each under the name of its face; and have streams as bytes, not as
    letters that take a quarter more room."""
    from reportlab import rl_config
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    rl_config.useA85 = 0
    for name, file in FACES.items():
        pdfmetrics.registerFont(TTFont(name, str(FOLDER / file)))
    pdfmetrics.registerFontFamily("sans", "sans", "sans-bold", "sans-italic", "sans-bold")
