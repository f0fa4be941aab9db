"""A page as SVG 1.1, with its letters' fonts inside."""

from __future__ import annotations

import base64
import io
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from itertools import pairwise
from typing import Any
from xml.sax.saxutils import escape, quoteattr

import numpy as np

from brisk_atlas.core.draw.outlines import Outlined, Outlines, Pen, Stamps
from brisk_atlas.core.model import Blend

from .box import PageBox
from .direction import reads_leftwards
from .font_files import FontFile, face_font
from .font_subset import ALWAYS, script_subset, subset
from .shaping import is_plain, missing_letters, shaped
from .stored_picture import is_photo, jpeg_of, shown_image
from .surface import INK, Halo

GRAIN = 100  # positions are whole numbers of these parts of a millimetre
PACKED = 4  # of 9: a third of the time of the best, and little larger
JOINS, CAPS = {"mitre": "miter"}, {"flat": "butt"}


class SvgSurface:
    """One page."""

    holds_outlines = True

    def __init__(self, width: float, height: float, dots: float, title: str) -> None:
        self.width, self.height, self.dots, self.title = width, height, dots, title
        self._parts: list[str] = []
        self.missing: set[str] = set()
        self._letters: dict[str, set[str]] = {}
        self._scripts: dict[FontFile, set[str]] = {}
        self._ids = 0

    def data(self) -> bytes:
        """Return the file."""
        fonts = "".join(self._font(face, letters) for face, letters in sorted(self._letters.items()))
        fonts += "".join(
            _font_face(f"script{number}", script_subset(font, "".join(sorted(letters))))
            for number, (font, letters) in enumerate(self._scripts.items(), 1)
        )
        return (
            '<?xml version="1.0" encoding="UTF-8"?>\n'
            '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" version="1.1" '
            f'width="{self.width:g}mm" height="{self.height:g}mm" viewBox="0 0 {self.width:g} {self.height:g}">\n'
            f"<title>{_xml(self.title)}</title>\n<defs><style>{fonts}</style></defs>\n"
            f'<rect width="{self.width:g}" height="{self.height:g}" fill="#FFFFFF"/>\n{"".join(self._parts)}</svg>\n'
        ).encode()

    def _font(self, face: str, letters: set[str]) -> str:
        more = "".join(sorted(letters.difference(ALWAYS)))  # so that pages share what was made once
        return _font_face(face, subset(face, more))

    def _id(self) -> str:
        self._ids += 1
        return f"n{self._ids}"

    def draw(self, outlined: Sequence[Outlined], x: float = 0.0, y: float = 0.0, scale: float = 1.0) -> None:
        if not outlined:
            return
        self._parts.append(f'<g transform="translate({x:.4f} {y:.4f}) scale({1 / GRAIN:g})">')
        for each in outlined:
            if len(each.xy) and (each.fill or each.pen):
                self._parts.append(f"<g {_looks(each.fill, each.pen, scale * GRAIN)}>")
                if isinstance(each, Outlines):
                    self._parts += _shapes(each, scale * GRAIN)
                else:
                    self._add_stamps(each, scale * GRAIN)
                self._parts.append("</g>\n")
        self._parts.append("</g>\n")

    def _add_stamps(self, stamps: Stamps, scale: float) -> None:
        name = self._id()
        self._parts.append(f'<defs><path id="{name}" d="{_path(stamps.outline, scale)}z"/></defs>')
        places = np.rint(stamps.xy * scale).astype(np.int64).tolist()
        self._parts += [f'<use xlink:href="#{name}" x="{px}" y="{py}"/>' for px, py in places]

    def picture(self, image: np.ndarray, box: PageBox) -> None:
        shown, kind = shown_image(image), "png"
        if is_photo(image):
            out, kind = jpeg_of(shown), "jpeg"
        else:
            out = io.BytesIO()
            shown.save(out, "PNG", compress_level=PACKED)
        data = base64.b64encode(out.getvalue()).decode()
        self._parts.append(
            f'<image x="{box.x:.4f}" y="{box.y:.4f}" width="{box.width:.4f}" height="{box.height:.4f}" '
            f'preserveAspectRatio="none" xlink:href="data:image/{kind};base64,{data}"/>\n'
        )

    def text(
        self, text: str, x: float, y: float, size: float, *, face: str = "sans", colour: str = INK, angle: float = 0.0,
        halo: Halo | None = None,
    ) -> None:  # fmt: skip
        self.missing.update(missing_letters(text, face))
        family, anchor = self._family(text, face), ""
        if reads_leftwards(text):
            anchor = ' direction="rtl" text-anchor="end"'  # the end of such a line is on the left
        around = ""
        if halo is not None:
            around = (f' stroke="{halo.colour}" stroke-width="{halo.width:.4g}" stroke-linejoin="round"'
                      ' paint-order="stroke"')  # fmt: skip
        turn = f" rotate({angle:.4g})" if angle else ""
        self._parts.append(
            f'<text transform="translate({x:.4f} {y:.4f}){turn}" font-family="{family}" font-size="{size:.4g}"{anchor} '
            f'fill="{colour}"{around} xml:space="preserve">{_xml(text)}</text>\n'
        )

    def _family(self, text: str, face: str) -> str:
        """Return the families of a text: that of the face, and of others for the letters that it lacks."""
        if is_plain(text, face):
            self._letters.setdefault(face, set()).update(text)
            return face
        own, families = face_font(face), [face]
        for run in shaped(text, face).runs:
            if run.font == own:
                self._letters.setdefault(face, set()).update(run.text)
                continue
            self._scripts.setdefault(run.font, set()).update(run.text)
            families.append(f"script{list(self._scripts).index(run.font) + 1}")
        self._letters.setdefault(face, set())
        return ", ".join(dict.fromkeys(families))

    @contextmanager
    def within(self, box: PageBox) -> Iterator[None]:
        name = self._id()
        rect = f'<rect x="{box.x:.4f}" y="{box.y:.4f}" width="{box.width:.4f}" height="{box.height:.4f}"/>'
        self._parts.append(f'<clipPath id="{name}">{rect}</clipPath><g clip-path="url(#{name})">\n')
        yield
        self._parts.append("</g>\n")

    @contextmanager
    def layer(self, name: str, opacity: float, blend: Blend) -> Iterator[None]:
        look = f' opacity="{opacity:.4g}"' if opacity < 1 else ""
        look += ' style="mix-blend-mode:multiply"' if blend == Blend.MULTIPLY else ""
        self._parts.append(f"<g{look}><title>{_xml(name)}</title>\n")
        yield
        self._parts.append("</g>\n")


def _font_face(family: str, data: bytes) -> str:
    address = base64.b64encode(data).decode()
    return f"@font-face{{font-family:{family};src:url(data:font/woff;base64,{address}) format('woff')}}"


def _xml(text: str) -> str:
    """Return a text as XML can hold it."""
    return escape("".join(c if c in "\t\n" or " " <= c <= "\ud7ff" or c >= "\ue000" else " " for c in text))


def _looks(fill: str | None, pen: Pen | None, scale: float) -> str:
    words = [f"fill={quoteattr(fill or 'none')}", 'fill-rule="evenodd"']
    if pen is not None:
        join, cap = JOINS.get(pen.join, pen.join), CAPS.get(pen.cap, pen.cap)
        words += [f"stroke={quoteattr(pen.colour)}", f'stroke-width="{pen.width * scale:.4g}"',
                  f'stroke-linejoin="{join}" stroke-linecap="{cap}" stroke-miterlimit="4"']  # fmt: skip
        if pen.dash:
            words.append(f'stroke-dasharray="{" ".join(f"{each * scale:.4g}" for each in pen.dash)}"')
    return " ".join(words)


def _path(xy: np.ndarray, scale: float) -> str:
    numbers: list[Any] = np.rint(xy * scale).astype(np.int64).ravel().tolist()
    return ("M%d %d" + "L%d %d" * (len(xy) - 1)) % tuple(numbers)


def _shapes(outlines: Outlines, scale: float) -> list[str]:
    """Return shapes, a path each, as the next may lie over it."""
    starts, shapes = np.asarray(outlines.path_starts).tolist(), np.asarray(outlines.shape_starts).tolist()
    close, found = "z" if outlines.closed else "", []
    for first, last in pairwise(shapes):
        paths = [outlines.xy[starts[path] : starts[path + 1]] for path in range(first, last)]
        found.append(f'<path d="{"".join(_path(path, scale) + close for path in paths if len(path))}"/>')
    return found
