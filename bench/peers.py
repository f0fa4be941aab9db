"""The same pictures by general libraries, each drawn as well as it can be."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

WIDTH, HEIGHT = 1280, 800
FILL, LINE, LINE_WIDTH = "#1C7C7D", "#1D2A35", 1.5
CHUNKS = (1, 20, 200)  # polygons a Qt path; more only makes it slower


def qt_polygons(rings: np.ndarray, chunk: int) -> Callable[[], np.ndarray]:
    """Return a call that paints (n, vertices, 2) closed rings with Qt, `chunk` of them a path."""
    from PyQt6.QtCore import QPointF, Qt
    from PyQt6.QtGui import QBrush, QColor, QImage, QPainter, QPainterPath, QPen, QPolygonF

    figures = [QPolygonF([QPointF(x, y) for x, y in ring[:-1]]) for ring in rings.tolist()]
    paths = []
    if chunk > 1:
        for first in range(0, len(figures), chunk):
            path = QPainterPath()
            for figure in figures[first : first + chunk]:
                path.addPolygon(figure)
                path.closeSubpath()
            paths.append(path)
    image = QImage(WIDTH, HEIGHT, QImage.Format.Format_ARGB32_Premultiplied)
    join, cap = Qt.PenJoinStyle.RoundJoin, Qt.PenCapStyle.RoundCap

    def paint() -> np.ndarray:
        image.fill(0)
        painter = QPainter(image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(QBrush(QColor(FILL)))
        painter.setPen(QPen(QColor(LINE), LINE_WIDTH, Qt.PenStyle.SolidLine, cap, join))
        if chunk > 1:
            for path in paths:
                painter.drawPath(path)
        else:
            for figure in figures:
                painter.drawPolygon(figure)
        painter.end()
        bits = image.constBits()
        assert bits is not None
        pixels = np.frombuffer(bits.asarray(WIDTH * HEIGHT * 4), np.uint8).reshape(HEIGHT, WIDTH, 4)
        return pixels[..., [2, 1, 0, 3]]

    return paint


def agg_polygons(rings: np.ndarray) -> Callable[[], object]:
    """Return a call that draws the same with a collection of Matplotlib's Agg."""
    import matplotlib

    matplotlib.use("Agg")
    import matplotlib.pyplot as plt
    from matplotlib.collections import PolyCollection

    figure = plt.figure(figsize=(WIDTH / 100, HEIGHT / 100), dpi=100)
    axes = figure.add_axes((0, 0, 1, 1))
    axes.set_xlim(0, WIDTH)
    axes.set_ylim(HEIGHT, 0)
    axes.axis("off")
    points = LINE_WIDTH * 72 / 100
    drawn = PolyCollection(list(rings), facecolor=FILL, edgecolor=LINE, linewidth=points, joinstyle="round")
    axes.add_collection(drawn, autolim=False)
    return figure.canvas.draw
