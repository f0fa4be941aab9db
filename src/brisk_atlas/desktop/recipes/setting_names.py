"""What the settings of steps and formats are called in forms; recipes and the command line name them as in code."""

from __future__ import annotations

from brisk_atlas.core.model.language import tr

SETTING_NAMES = {
    "abstract": tr("Abstract"), "add": tr("Add"), "altitude": tr("Altitude"), "append": tr("Append"),
    "azimuth": tr("Azimuth"), "band": tr("Band"), "bands": tr("Bands"), "base": tr("Base"), "breaks": tr("Breaks"),
    "by": tr("By"), "classes": tr("Classes"), "compression": tr("Compression"), "corners": tr("Corners"),
    "count": tr("Count"), "crs": tr("CRS"), "cut": tr("Cut"), "decimals": tr("Decimals"), "distance": tr("Distance"),
    "effort": tr("Effort"), "elements": tr("Elements"), "empty": tr("Empty"), "every": tr("Every"),
    "exaggeration": tr("Exaggeration"), "expression": tr("Expression"), "extent": tr("Extent"), "field": tr("Field"),
    "fields": tr("Fields"), "flat": tr("Flat"), "format": tr("Format"), "geometry": tr("Geometry"),
    "grid_source": tr("Grid source"), "ground": tr("Ground"), "high": tr("High"), "high_percent": tr("High percent"),
    "how": tr("How"), "interval": tr("Interval"), "key": tr("Key"), "keywords": tr("Keywords"), "last": tr("Last"),
    "layer": tr("Layer"), "layer_field": tr("Layer field"), "licence": tr("Licence"), "like": tr("Like"),
    "low": tr("Low"), "low_percent": tr("Low percent"), "measures": tr("Measures"), "name": tr("Name"),
    "only_matched": tr("Only matched"), "options": tr("Options"), "other": tr("Other"), "other_key": tr("Other key"),
    "others": tr("Others"), "outside": tr("Outside"), "over": tr("Over"), "path": tr("Path"),
    "polygons": tr("Polygons"), "prefix": tr("Prefix"), "priority": tr("Priority"), "ranges": tr("Ranges"),
    "record": tr("Record"), "replace": tr("Replace"), "replace_heights": tr("Replace heights"),
    "resolution": tr("Resolution"), "rows_wanted": tr("Rows wanted"), "scene": tr("Scene"),
    "segments": tr("Segments"), "shared_borders": tr("Shared borders"), "size": tr("Size"), "smooth": tr("Smooth"),
    "smoothing": tr("Smoothing"), "source_field": tr("Source field"), "standard": tr("Standard"),
    "strict": tr("Strict"), "template": tr("Template"), "title": tr("Title"), "tolerance": tr("Tolerance"),
    "touching": tr("Touching"), "transformation": tr("Transformation"), "type": tr("Type"), "unit": tr("Unit"),
    "values": tr("Values"), "version": tr("Version"), "what": tr("What"), "where": tr("Where"),
    "within": tr("Within"), "x": "X", "y": "Y", "z": "Z",
}  # fmt: skip


def setting_name(name: str) -> str:
    """Return what a setting is called."""
    return SETTING_NAMES.get(name) or name.replace("_", " ").capitalize()
