"""In which forms rows of the sheet are copied."""

COPIES = (
    ("cells", "Copy cell"),
    ("rows", "Copy rows with headers"),
    ("csv", "Copy rows as CSV"),
    ("geojson", "Copy rows as GeoJSON"),
    ("wkt", "Copy geometry as WKT"),
)
