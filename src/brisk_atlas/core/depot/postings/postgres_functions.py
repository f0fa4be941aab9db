"""What the SQL of a store in PostgreSQL calls beside PostGIS; see `shape_functions` for what each means."""

from __future__ import annotations

_SHAPES = {"s_contains": "ST_Contains", "s_crosses": "ST_Crosses", "s_disjoint": "ST_Disjoint", "s_equals": "ST_Equals",
           "s_intersects": "ST_Intersects", "s_overlaps": "ST_Overlaps", "s_touches": "ST_Touches",
           "s_within": "ST_Within"}  # fmt: skip
_BODIES = {
    "lies_in(bytea, float8, float8, float8, float8) RETURNS boolean":
        "coalesce(ST_Covers(ST_MakeEnvelope($2, $3, $4, $5), ST_GeomFromWKB($1)), false)",
    "meets(bytea, float8, float8, float8, float8) RETURNS boolean":
        "coalesce(ST_Intersects(ST_GeomFromWKB($1), ST_MakeEnvelope($2, $3, $4, $5)), false)",
    # Positions are rounded as a text of whole steps, which leaves out none, and a zero gets no sign.
    "on_grid(bytea, float8) RETURNS bytea":
        "ST_AsBinary(ST_Affine(ST_GeomFromText(ST_AsText(ST_Scale(ST_Force2D(ST_GeomFromWKB($1)), 1 / $2, 1 / $2), 0)),"
        " $2, 0, 0, $2, 0, 0), 'NDR')",
    "casei(text) RETURNS text": """lower($1 COLLATE "und-x-icu")""",
    "accenti(text) RETURNS text":
        r"normalize(regexp_replace(normalize($1, NFD), '[\u0300-\u036F]', '', 'g'), NFC)",
    "raised(float8, float8) RETURNS float8":
        "CASE WHEN ($1 < 0 AND $2 <> floor($2)) OR ($1 = 0 AND $2 < 0) OR abs($2 * ln(abs(nullif($1, 0)))) > 700 "
        "THEN NULL ELSE power($1, $2) END",
    **{f"{name}(bytea, bytea) RETURNS boolean": f"{function}(ST_GeomFromWKB($1), ST_GeomFromWKB($2))"
       for name, function in _SHAPES.items()},
}  # fmt: skip


def function_statements(schema: str) -> list[str]:
    """Return the statements that make the functions in a schema."""
    return [
        f"CREATE OR REPLACE FUNCTION {schema}.{head} LANGUAGE sql IMMUTABLE AS $f$ SELECT {body} $f$"
        for head, body in _BODIES.items()
    ]
