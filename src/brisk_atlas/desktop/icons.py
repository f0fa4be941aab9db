"""Icons from one open icon font (Phosphor, regular weight), which QtAwesome carries."""

from __future__ import annotations

import json
from functools import cache
from importlib.util import find_spec
from pathlib import Path

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPixmap, QPixmapCache

SIDE_PX = 18


@cache
def _face() -> tuple[str, dict[str, str]]:
    """Return the font's family and its characters by name; the package itself is not imported."""
    spec = find_spec("qtawesome")
    assert spec is not None and spec.submodule_search_locations
    fonts = Path(spec.submodule_search_locations[0]) / "fonts"
    file = next(fonts.glob("phosphor-[0-9]*.ttf"))
    chars = next(fonts.glob("phosphor-charmap-*.json"))
    families = QFontDatabase.applicationFontFamilies(QFontDatabase.addApplicationFont(str(file)))
    return families[0], json.loads(chars.read_text("utf-8"))


def _pixmap(name: str, colour: str, side: int, density: float) -> QPixmap:
    key = f"icon {name} {colour} {side} {density:g}"
    found = QPixmapCache.find(key)
    if found is not None:
        return found
    family, chars = _face()
    pixmap = QPixmap(QSize(side, side) * density)
    pixmap.setDevicePixelRatio(density)
    pixmap.fill(Qt.GlobalColor.transparent)
    font = QFont(family)
    font.setPixelSize(side)
    painter = QPainter(pixmap)
    painter.setFont(font)
    painter.setPen(QColor(colour))
    painter.drawText(QRectF(0, 0, side, side), Qt.AlignmentFlag.AlignCenter, chr(int(chars[name], 16)))
    painter.end()
    QPixmapCache.insert(key, pixmap)
    return pixmap


def icon(name: str, colour: str, side: int = SIDE_PX) -> QIcon:
    """Return an icon of the font, such as `stack`, in one colour. Raises KeyError."""
    made = QIcon()
    for density in (1.0, 2.0):
        made.addPixmap(_pixmap(name, colour, side, density))
    return made
