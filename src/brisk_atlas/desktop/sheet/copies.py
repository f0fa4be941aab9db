"""In which forms rows of the sheet are copied."""

from brisk_atlas.core.model.language import tr

COPIES = (
    ("cells", tr("Copy cell")),
    ("rows", tr("Copy rows with headers")),
    ("csv", tr("Copy rows as CSV")),
    ("geojson", tr("Copy rows as GeoJSON")),
    ("wkt", tr("Copy geometry as WKT")),
)
