"""The shipped fonts, for PDF."""

from __future__ import annotations

from functools import cache

from .font_files import FACES, FOLDER, OTHER_SCRIPTS, FontFile


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


def shipped_font(font: FontFile) -> str:
    """Return the name under which what writes PDF knows a font that ships with the application, or nothing."""
    if font.path.parent != FOLDER:
        return ""
    name = next((face for face, file in FACES.items() if file == font.path.name), font.path.stem)
    if font.path.name in OTHER_SCRIPTS:
        _register(name, font)
    return name


@cache
def _register(name: str, font: FontFile) -> None:
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    pdfmetrics.registerFont(TTFont(name, str(font.path)))
