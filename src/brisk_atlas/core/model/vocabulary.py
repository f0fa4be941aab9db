"""What the words that are stored, such as kinds of data and types of geometry, are called on the screen."""

from __future__ import annotations

from .digit_groups import regrouped
from .kinds import DataKind
from .language import tr, trn, untranslated

_PLAIN = (
    untranslated("vector"), untranslated("raster"), untranslated("table"), untranslated("scene"),
    untranslated("record"), untranslated("project"), untranslated("document"), untranslated("archive"),
    untranslated("packed"), untranslated("picture"), untranslated("profile"), untranslated("borehole"),
    untranslated("sketch"), untranslated("point"), untranslated("polygon"), untranslated("multipoint"),
    untranslated("multilinestring"), untranslated("multipolygon"), untranslated("points"), untranslated("line"),
    untranslated("mixed"), untranslated("grid"), untranslated("folder"), untranslated("several"),
    untranslated("classes"), untranslated("feature"), untranslated("features"), untranslated("row"),
    untranslated("rows"), untranslated("parts"), untranslated("layers"), untranslated("band groups"),
    untranslated("datasets"), untranslated("bands"), untranslated("band"), untranslated("removable"),
    untranslated("network"), untranslated("none"), untranslated("mean"), untranslated("straight line"),
    untranslated("another quantity"), untranslated("vertical"), untranslated("the collar"),
    untranslated("sea level"), untranslated("new"), untranslated("changed"), untranslated("as it is"),
    untranslated("left out"), untranslated("circle"), untranslated("square"), untranslated("triangle"),
    untranslated("cross"), untranslated("pin"), untranslated("round"), untranslated("mitre"), untranslated("bevel"),
    untranslated("flat"), untranslated("waiting"), untranslated("running"), untranslated("done"),
    untranslated("failed"), untranslated("added"), untranslated("removed"), untranslated("unchanged"),
    untranslated("shape"), untranslated("values"), untranslated("shape and values"),
    untranslated("not compared in full"), untranslated("done before"), untranslated("yes"), untranslated("no"),
)  # fmt: skip
_SHOWN = {word: word for word in _PLAIN} | {
    "pointcloud": untranslated("point cloud"), "linestring": untranslated("line"),
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
        return f"{tr(_SHOWN[geometry.lower()])} {more}".rstrip()
    return tr(_SHOWN[stored]) if stored in _SHOWN else stored


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
