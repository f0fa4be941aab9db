"""What the words that are stored, such as kinds of data and types of geometry, are called on the screen."""

from __future__ import annotations

from .digit_groups import regrouped
from .kinds import DataKind
from .language import tr, trn

_SHOWN = {
    "vector": tr("vector"), "raster": tr("raster"), "pointcloud": tr("point cloud"), "table": tr("table"),
    "scene": tr("scene"), "record": tr("record"), "project": tr("project"), "document": tr("document"),
    "archive": tr("archive"), "packed": tr("packed"), "picture": tr("picture"), "profile": tr("profile"),
    "borehole": tr("borehole"), "sketch": tr("sketch"),
    "point": tr("point"), "linestring": tr("line"), "polygon": tr("polygon"), "multipoint": tr("multipoint"),
    "multilinestring": tr("multilinestring"), "multipolygon": tr("multipolygon"), "points": tr("points"),
    "line": tr("line"), "mixed": tr("mixed"), "grid": tr("grid"), "folder": tr("folder"), "several": tr("several"),
    "classes": tr("classes"), "feature": tr("feature"), "features": tr("features"), "row": tr("row"),
    "rows": tr("rows"), "parts": tr("parts"), "layers": tr("layers"), "band groups": tr("band groups"),
    "datasets": tr("datasets"), "bands": tr("bands"), "band": tr("band"), "removable": tr("removable"),
    "network": tr("network"),
    "none": tr("none"), "mean": tr("mean"), "straight line": tr("straight line"),
    "another quantity": tr("another quantity"), "vertical": tr("vertical"), "the collar": tr("the collar"),
    "sea level": tr("sea level"), "new": tr("new"),
    "changed": tr("changed"), "as it is": tr("as it is"), "left out": tr("left out"),
    "circle": tr("circle"), "square": tr("square"), "triangle": tr("triangle"), "cross": tr("cross"),
    "pin": tr("pin"), "round": tr("round"), "mitre": tr("mitre"), "bevel": tr("bevel"), "flat": tr("flat"),
    "waiting": tr("waiting"), "running": tr("running"), "done": tr("done"), "failed": tr("failed"),
    "added": tr("added"), "removed": tr("removed"), "unchanged": tr("unchanged"), "shape": tr("shape"),
    "values": tr("values"), "shape and values": tr("shape and values"),
    "not compared in full": tr("not compared in full"),
    "done before": tr("done before"), "yes": tr("yes"), "no": tr("no"),
}  # fmt: skip
_GEOMETRIES = ("Point", "LineString", "Polygon", "MultiPoint", "MultiLineString", "MultiPolygon")
_DIMENSIONS = ("", "Z", "M", "ZM")


def shown_all(stored: str) -> str:
    """Return the words of a stored text, such as "line, polygon" or "74 features", in the language of the application.

    >>> shown_all("74 features"), shown_all("line, pointcloud")
    ('74 features', 'line, point cloud')
    """
    number, _, noun = stored.partition(" ")
    if number[:1].isdigit() and noun:
        return f"{regrouped(number)} {shown(noun)}"
    return ", ".join(shown(each) for each in stored.split(", "))


def shown(stored: str) -> str:
    """Return what a stored word is called in the language of the application; one that is not known as it is.

    >>> shown("pointcloud"), shown("MultiPolygon Z"), shown("lava_2031")
    ('point cloud', 'multipolygon Z', 'lava_2031')
    """
    geometry, _, more = stored.partition(" ")
    if geometry in _GEOMETRIES and more in _DIMENSIONS:
        return f"{_SHOWN[geometry.lower()]} {more}".rstrip()
    return _SHOWN.get(stored, stored)


def amount_words(kind: DataKind | None, count: int) -> str:
    """Return how much there is of data of a kind: cells, points, or rows.

    >>> amount_words(DataKind.POINTCLOUD, 1), amount_words(DataKind.TABLE, 2400)
    ('1 point', '2,400 rows')
    """
    if kind is not None and kind.has_cells:
        return trn("{count:,} cell", "{count:,} cells", count)
    if kind is not None and kind.has_points:
        return trn("{count:,} point", "{count:,} points", count)
    return trn("{count:,} row", "{count:,} rows", count)
