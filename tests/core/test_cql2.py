"""Conditions in CQL2: read as the standard writes them, and asked of both stores as worked out here row by row."""

from __future__ import annotations

import random
import unicodedata
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from starlette.testclient import TestClient
from test_postings import ADA, QUICK, outlet

from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.depot.postings.outlet import OutletField
from brisk_atlas.core.depot.postings.outlet_filter import OutletFilter
from brisk_atlas.core.depot.postings.outlet_rows import RowsAsked
from brisk_atlas.core.depot.postings.people import People
from brisk_atlas.core.depot.postings.postgres_store import PostgresStore
from brisk_atlas.core.depot.postings.posting import FieldType, PostedField
from brisk_atlas.core.depot.postings.rights import EVERYBODY, Right
from brisk_atlas.core.depot.postings.store_database import UnfitValue
from brisk_atlas.core.depot.serving import postings_application
from brisk_atlas.core.model import BadExpression
from brisk_atlas.core.place import transform
from brisk_atlas.core.table.cql2_text import BadCql2, parse

CRS = "EPSG:32727"
TYPES = {"n": FieldType.INTEGER, "m": FieldType.INTEGER, "x": FieldType.NUMBER, "word": FieldType.TEXT, "other": FieldType.TEXT,
         "open": FieldType.BOOLEAN, "day": FieldType.DATE, "seen": FieldType.TIME}  # fmt: skip
WORDS = ("Ash", "ash", "Äsche", "asche", "a%b", "a_b", "a\\b", "it's", "", "50% off", "Éa")
SHAPES = (
    "POINT (5 5)", "POINT (0 0)", "LINESTRING (0 0, 10 10)", "POLYGON ((0 0, 10 0, 10 10, 0 10, 0 0))",
    "POLYGON ((5 5, 15 5, 15 15, 5 15, 5 5))", "POLYGON ((10 0, 20 0, 20 10, 10 10, 10 0))", "MULTIPOINT ((5 5), (50 50))",
    "LINESTRING (0 10, 10 0)", "POLYGON ((2 2, 4 2, 4 4, 2 4, 2 2))",
)  # fmt: skip


def moment(hours):
    return datetime(2031, 6, 24, tzinfo=UTC) + timedelta(hours=hours)


def random_rows(draw, count=60):
    for _ in range(count):
        values = {"n": draw.choice([None, 0, 1, 2, -3, 7, 2**53 + 1]), "m": draw.randint(-2, 3), "x": draw.choice([None, 0.5, 2.0, -1.25, 1e6]),
                  "word": draw.choice([None, *WORDS]), "other": draw.choice(WORDS), "open": draw.choice([None, True, False]),
                  "day": (moment(24 * draw.randint(-2, 2))).date().isoformat() if draw.random() < 0.8 else None,
                  "seen": moment(draw.randint(-48, 48)).isoformat() if draw.random() < 0.8 else None}  # fmt: skip
        yield values, shapely.from_wkt(draw.choice(SHAPES)).wkb if draw.random() < 0.9 else None


@pytest.fixture(scope="module")
def shown(tmp_path_factory, new_database):
    """The same rows through outlets of both kinds of store, by the number of each row."""
    found = []
    for place in (tmp_path_factory.mktemp("depot"), PostgresStore(new_database(), None)):
        store = DepotStore(place, lambda database: People(database, QUICK))
        fields = tuple(PostedField(*each) for each in TYPES.items())
        posting = store.post(
            "It", fields, random_rows(random.Random(7)), owner="olga", crs=CRS, geometry_type="Unknown"
        )
        own = store.offer(outlet(posting, id="it", fields=tuple(OutletField(name, name) for name in TYPES)), by="olga")
        found.append((store.through(own.id, ADA), list(store.rows(posting.id).all_rows())))
    yield found
    for rows, _ in found:
        rows.rows.store.close()


def asked_of(shown, condition):
    """Return the numbers of the rows that both stores find."""
    found = []
    for rows, stored in shown:
        number = {row.name: n for n, row in enumerate(stored)}
        found.append({number[row.name] for row in rows.page(RowsAsked(filter=OutletFilter(condition, CRS)), 1000)})
    assert found[0] == found[1]
    return found[0]


def expected(shown, condition):
    return {n for n, row in enumerate(shown[0][1]) if worked_out(condition, row) is True}


# Worked out row by row, None for what is not known


def plain(text):
    return unicodedata.normalize(
        "NFC", "".join(c for c in unicodedata.normalize("NFD", text) if not 0x300 <= ord(c) < 0x370)
    )


def like(text, pattern):
    if not pattern:
        return not text
    if pattern[0] == "%":
        return any(like(text[at:], pattern[1:]) for at in range(len(text) + 1))
    if pattern[0] == "\\" and len(pattern) > 1:
        return text[:1] == pattern[1] and like(text[1:], pattern[2:])
    return bool(text) and pattern[0] in ("_", text[0]) and like(text[1:], pattern[1:])


COMPARE = {"=": lambda a, b: a == b, "<>": lambda a, b: a != b, "<": lambda a, b: a < b, ">": lambda a, b: a > b,
           "<=": lambda a, b: a <= b, ">=": lambda a, b: a >= b}  # fmt: skip
WORK = {"+": lambda a, b: float(a) + b, "-": lambda a, b: float(a) - b, "*": lambda a, b: float(a) * b,
        "/": lambda a, b: float(a) / b if b else None, "^": lambda a, b: float(a) ** b, "%": lambda a, b: abs(a) % abs(b) * (1 if a >= 0 else -1) if b else None,
        "div": lambda a, b: abs(a) // abs(b) * (1 if (a >= 0) == (b >= 0) else -1) if b else None,
        "casei": str.lower, "accenti": plain, "like": like}  # fmt: skip


def span(node, row):
    """Return the first and the last moment of something in time."""
    if isinstance(node, dict) and "interval" in node:
        ends = [(each if each != ".." else None) for each in node["interval"]]
        begin, end = (span({"date": e} if isinstance(e, str) and len(e) == 10 else {"timestamp": e} if isinstance(e, str) else e, row)
                      if e is not None else None for e in ends)  # fmt: skip
        return (begin[0] if begin else datetime.min.replace(tzinfo=UTC)), (
            end[1] if end else datetime.max.replace(tzinfo=UTC)
        )
    value = worked_out(node, row)
    if value is None:
        return None
    if len(value) == 10:
        begin = datetime.fromisoformat(value).replace(tzinfo=UTC)
        return begin, begin + timedelta(days=1, microseconds=-1)
    return (datetime.fromisoformat(value),) * 2


ALLEN = {
    "t_after": lambda a, b, c, d: a > d, "t_before": lambda a, b, c, d: b < c, "t_contains": lambda a, b, c, d: a < c and b > d,
    "t_disjoint": lambda a, b, c, d: b < c or a > d, "t_during": lambda a, b, c, d: a > c and b < d,
    "t_equals": lambda a, b, c, d: a == c and b == d, "t_finishedBy": lambda a, b, c, d: a < c and b == d,
    "t_finishes": lambda a, b, c, d: a > c and b == d, "t_intersects": lambda a, b, c, d: not (b < c or a > d),
    "t_meets": lambda a, b, c, d: b == c, "t_metBy": lambda a, b, c, d: a == d,
    "t_overlappedBy": lambda a, b, c, d: c < a < d < b, "t_overlaps": lambda a, b, c, d: a < c < b < d,
    "t_startedBy": lambda a, b, c, d: a == c and b > d, "t_starts": lambda a, b, c, d: a == c and b < d,
}  # fmt: skip


def worked_out(node, row):
    match node:
        case {"property": "geometry"}:
            return shapely.from_wkb(row.wkb)
        case {"property": name}:
            return row.values[name]
        case {"date": text}:
            return text
        case {"timestamp": text}:
            return (
                datetime.fromisoformat(text).astimezone(UTC).isoformat(timespec="microseconds").replace("+00:00", "Z")
            )
        case {"bbox": numbers}:
            return shapely.box(*numbers)
        case {"type": _}:
            return shapely.from_geojson(str(node).replace("'", '"'))
        case {"op": "and" | "or" as op, "args": args}:
            found = [worked_out(each, row) for each in args]
            ends = op == "or"
            return ends if ends in found else None if None in found else not ends
        case {"op": "not", "args": [one]}:
            found = worked_out(one, row)
            return None if found is None else not found
        case {"op": "isNull", "args": [one]}:
            return worked_out(one, row) is None
        case {"op": "in", "args": [one, many]}:
            return worked_out({"op": "or", "args": [{"op": "=", "args": [one, each]} for each in many]}, row)
        case {"op": "between", "args": [one, low, high]}:
            return worked_out(
                {"op": "and", "args": [{"op": ">=", "args": [one, low]}, {"op": "<=", "args": [one, high]}]}, row
            )
        case {"op": str(op), "args": args} if op.startswith("t_"):
            spans = [span(each, row) for each in args]
            return None if None in spans else ALLEN[op](*spans[0], *spans[1])
        case {"op": op, "args": args}:
            values = [worked_out(each, row) for each in args]
            if None in values:
                return None
            if op in COMPARE and any(isinstance(each, float) for each in values):
                values = [float(each) for each in values]
            if op.startswith("s_"):
                return bool(getattr(shapely, op[2:])(*values))
            return (COMPARE | WORK)[op](*values)
    return node


@pytest.mark.parametrize(
    "text",
    [
        "n = 9007199254740993", "n >= -3 AND x < 1.0", "NOT (n = 1 OR x IS NULL)", "n IN (1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11)",
        "x NOT BETWEEN 0 AND 1", "n <> m", "m + 2 * 3 - 1 = 8 / 2 ^ 1", "n % 2 = 1", "n div 2 = -1", "x / m > 0.4", "-m = 2", "m / 0 = 1",
        "open", "NOT open AND day IS NOT NULL", "open = TRUE OR m = 3", "word LIKE 'a%'", "word LIKE 'a\\%b'", "word LIKE '_sh'",
        "word NOT LIKE '%a%'", "CASEI(word) LIKE casei('A%')", "CASEI(word) = CASEI('ÄSCHE')", "ACCENTI(CASEI(word)) = 'asche'",
        "ACCENTI(word) = accenti('Éa')", "word = 'it''s'", "word = other", "word > 'a'", "word = ''", "day > DATE('2031-06-24')",
        "seen <= TIMESTAMP('2031-06-24T02:00:00+02:00')", "day = '2031-06-24'", "geometry IS NULL",
        "S_INTERSECTS(geometry, BBOX(0, 0, 3, 3))", "S_WITHIN(geometry, POLYGON((0 0, 10 0, 10 10, 0 10, 0 0)))",
        "NOT S_INTERSECTS(geometry, POINT(5 5)) AND m > 0", "s_touches(POLYGON((10 0, 20 0, 20 10, 10 10, 10 0)), geometry)",
        "S_INTERSECTS(geometry, POINT Z (5 5 9)) OR S_DISJOINT(geometry, POINT(5 5))", "m = 1 OR S_EQUALS(geometry, POINT(5 5))",
        "S_CONTAINS(geometry, MULTIPOINT((3 3), (2.5 3)))", "T_DURING(seen, INTERVAL('2031-06-23', '2031-06-24'))",
        "T_AFTER(day, DATE('2031-06-24'))", "T_INTERSECTS(seen, INTERVAL('..', '2031-06-24T00:00:00Z'))",
        "T_EQUALS(day, DATE('2031-06-24'))", "T_BEFORE(seen, day)", "T_CONTAINS(INTERVAL('2031-06-22', '..'), seen)",
    ],
)  # fmt: skip
def test_each_kind_of_condition_is_answered_as_worked_out(shown, text):
    condition = parse(text)
    found = asked_of(shown, condition)
    assert found == expected(shown, condition)
    assert found != set(range(60)) and (found or text in ("m / 0 = 1",))


NUMBER = st.deferred(lambda: st.one_of(
    st.sampled_from([{"property": "n"}, {"property": "m"}, {"property": "x"}, 0, 1, -2, 0.5, 2.0]),
    st.tuples(st.sampled_from(["+", "-", "*", "/"]), NUMBER, NUMBER).map(lambda t: {"op": t[0], "args": [t[1], t[2]]})))  # fmt: skip
TEXT = st.one_of(st.sampled_from([{"property": "word"}, {"property": "other"}, *WORDS]),
                 st.sampled_from(["casei", "accenti"]).map(lambda op: {"op": op, "args": [{"property": "word"}]}))  # fmt: skip
TIME = st.one_of(
    st.sampled_from([{"property": "day"}, {"property": "seen"}, {"date": "2031-06-24"}, {"timestamp": "2031-06-24T12:00:00Z"}]),
    st.sampled_from([["2031-06-23", "2031-06-24"], ["..", "2031-06-24T12:00:00Z"], ["2031-06-24T00:00:00Z", ".."]]).map(
        lambda ends: {"interval": ends}))  # fmt: skip
PLACE = st.sampled_from(
    [{"property": "geometry"}, {"bbox": [0, 0, 10, 10]}, *(parse(f"s({each})")["args"][0] for each in SHAPES)]
)


def called(ops, *args):
    return st.tuples(st.sampled_from(ops), *args).map(lambda t: {"op": t[0], "args": list(t[1:])})


CONDITION = st.recursive(
    st.one_of(called(list(COMPARE), NUMBER, NUMBER), called(list(COMPARE), TEXT, TEXT), called(list(ALLEN), TIME, TIME),
              called(["like"], TEXT, st.text("a%_\\sh", max_size=4).filter(lambda p: (len(p) - len(p.rstrip("\\"))) % 2 == 0)),
              called([f"s_{each}" for each in ("contains", "crosses", "disjoint", "equals", "intersects", "overlaps", "touches", "within")], PLACE, PLACE),
              called(["isNull"], st.one_of(NUMBER, TEXT)), st.just({"property": "open"})),
    lambda inner: st.one_of(called(["and", "or"], inner, inner), called(["not"], inner)), max_leaves=5)  # fmt: skip


def test_numbers_that_become_too_large_are_refused_or_without_end(shown):
    condition = parse("x * 1e300 * 1e300 > 1")
    (folder, _), (server, _) = shown
    assert folder.count(RowsAsked(filter=OutletFilter(condition, CRS))) is not None
    with pytest.raises(UnfitValue, match="out of range"):
        server.count(RowsAsked(filter=OutletFilter(condition, CRS)))


@settings(max_examples=200, derandomize=True)  # the same conditions each time
@given(condition=CONDITION)
def test_any_condition_is_answered_alike_by_both_stores_and_as_worked_out(shown, condition):
    try:
        found = asked_of(shown, condition)
    except BadExpression as error:
        assert "nested" in str(error)
    else:
        assert found == expected(shown, condition)


@pytest.mark.parametrize("text", ["n" + " + 1" * 199 + " > 2", "m - 1 * 2 + 3 / 4 - 5 = 0.25 - 6 + 0.5 * 2"])
def test_long_sums_are_worked_out(shown, text):
    assert asked_of(shown, parse(text)) == expected(shown, parse(text))


def deep(make, levels):
    found = {"property": "n"}
    for _ in range(levels):
        found = make(found)
    return found


@pytest.mark.parametrize(
    "make",
    [lambda e: {"op": "%", "args": [{"property": "n"}, e]}, lambda e: {"op": "^", "args": [0.5, e]}, lambda e: {"op": "-", "args": [{"property": "x"}, e]},
     lambda e: {"op": "*", "args": [e, {"op": "+", "args": [{"property": "x"}, e]}]} if e == {"property": "n"} else {"op": "+", "args": [1, e]}],
)  # fmt: skip
def test_what_is_nested_as_deep_as_may_be_is_taken_by_both_stores_and_no_deeper(shown, make):
    condition = {"op": "and", "args": [True, {"op": "not", "args": [{"op": "=", "args": [deep(make, 8), 1]}]}]}
    asked_of(shown, condition)
    for rows, _ in shown:
        with pytest.raises(BadExpression, match="nested"):
            rows.page(RowsAsked(filter=OutletFilter({"op": "=", "args": [deep(make, 14), 1]}, CRS)), 10)


@pytest.mark.parametrize(
    "text",
    ["", "n =", "n = 'x", "= 1", "n = 1)", "(n = 1", "n = 1 n = 2", "NULL = n", "NOT " * 900 + "open", "(" * 1900 + "n=1",
     "S_INTERSECTS(geometry, POINT(1))", "S_INTERSECTS(geometry, POINT(1 2)", "n BETWEEN 1", "word IN 'a'", "n = 1;", "DATE(1) = day"],
)  # fmt: skip
def test_a_text_that_is_no_condition_is_refused_with_its_place(text):
    with pytest.raises(BadCql2):
        parse(text)


@pytest.mark.parametrize(
    "condition",
    [
        *map(parse, ("n", "word = 1", "day > 3", "hidden = 1", "length(word) = 1", "n LIKE 'a'", "S_INTERSECTS(word, geometry)",
                     "day = DATE('2031-13-01')", "T_AFTER(n, day)", "A_EQUALS(n, m)", "S_INTERSECTS(geometry, BBOX(1, 2))",
                     "x % 2 = 1", "CASEI(n) = 'a'", "n" + " + 1" * 201 + " = 2", "n + word = 2", "S_INTERSECTS(geometry, POINT(1e999 2))")),
        None, 1, "text", [], {}, {"op": 1, "args": []}, {"op": "=", "args": 3}, {"op": "and", "args": []}, {"op": "=", "args": [1]},
        {"op": "=", "args": [{"property": "word"}, "a\0b"]}, {"op": "=", "args": [{"property": "word"}, "\ud800"]},
        {"op": "t_after", "args": [{"interval": ["2031-01-01"]}, {"property": "day"}]}, {"op": "in", "args": [1, 2]},
        {"op": "s_within", "args": [{"property": "geometry"}, {"type": "Polygon", "coordinates": 3}]},
    ],
)  # fmt: skip
def test_a_condition_that_can_not_be_answered_is_refused(shown, condition):
    for rows, _ in shown:
        with pytest.raises(BadExpression):
            rows.page(RowsAsked(filter=OutletFilter(condition, CRS)), 10)


def test_filters_come_as_text_and_json_in_degrees_or_in_the_crs_of_the_rows(tmp_path):
    store = DepotStore(tmp_path / "depot", lambda database: People(database, QUICK))
    rows = [({"n": n}, shapely.Point(500_000 + 100 * n, 5_770_000).wkb) for n in range(20)]
    posting = store.post("It", [PostedField("n", FieldType.INTEGER)], rows, owner="", crs=CRS, geometry_type="Point")
    everybody = ((EVERYBODY, frozenset({Right.READ})),)
    store.offer(outlet(posting, id="it", fields=(OutletField("n", "n"),), rights=everybody), by="")
    client = TestClient(postings_application(store, "Depot"))

    def numbers(**sent):
        answer = client.get(
            "/collections/it/items", params={key.replace("_", "-"): value for key, value in sent.items()}
        )
        assert answer.status_code == 200, answer.text
        return [feature["properties"]["n"] for feature in answer.json()["features"]]

    utm = "http://www.opengis.net/def/crs/EPSG/0/32727"
    box = "BBOX(500450, 5769000, 500750, 5771000)"
    assert sorted(numbers(filter=f"S_WITHIN(geometry, {box})", filter_crs=utm)) == [5, 6, 7]
    (west, south), (east, north) = transform(
        np.array([[500_450.0, 5_769_000.0], [500_750.0, 5_771_000.0]]), CRS, "OGC:CRS84"
    ).tolist()
    degrees = f"S_INTERSECTS(geometry, BBOX({west}, {south}, {east}, {north})) AND n <> 6"
    assert sorted(numbers(filter=degrees)) == [5, 7]
    json_form = '{"op": "in", "args": [{"property": "n"}, [3, 4]]}'
    assert sorted(numbers(filter=json_form, filter_lang="cql2-json")) == [3, 4]
    assert numbers(n="7") == [7] and numbers(n="7", filter="n = 8") == []
    for wrong in ({"filter": "n = "}, {"filter": "{", "filter-lang": "cql2-json"}, {"filter": "[" * 3000, "filter-lang": "cql2-json"},
                  {"filter": "n = 1", "filter-lang": "ecql"}, {"n": "seven"}, {"filter": "n = 1", "filter-crs": "EPSG:1"}):  # fmt: skip
        answer = client.get("/collections/it/items", params=wrong)
        assert answer.status_code == 400 and answer.json()["code"] == "InvalidParameterValue", wrong
    links = {each["rel"]: each["href"] for each in client.get("/collections/it").json()["links"]}
    queryables = client.get(links["http://www.opengis.net/def/rel/ogc/1.0/queryables"]).json()
    assert queryables["additionalProperties"] is False and set(queryables["properties"]) == {"n", "geometry"}
    store.close()
