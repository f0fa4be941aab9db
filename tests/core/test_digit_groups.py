"""Numbers are written as the reader chose, and read back as they are written."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_atlas.core.model import digit_groups, number_text
from brisk_atlas.core.model.digit_groups import DigitGroups, grouped, typed_number, use_digit_groups, use_groups_of
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.model.vocabulary import shown_all
from brisk_atlas.core.place.notation import own_text, utm_text
from brisk_atlas.core.place.typed import understand

UTM = "EPSG:32727"


@pytest.fixture(autouse=True)
def in_commas_after(monkeypatch):
    monkeypatch.setenv(digit_groups.CHOICE, "comma")
    yield
    use_digit_groups(DigitGroups.COMMA)


@pytest.mark.parametrize(
    ("groups", "text"),
    [
        (DigitGroups.COMMA, "-1,234,567.5"),
        (DigitGroups.SPACE, "-1\u202f234\u202f567.5"),
        (DigitGroups.APOSTROPHE, "-1\u2019234\u2019567.5"),
        (DigitGroups.NONE, "-1234567.5"),
    ],
)
def test_all_ways_of_writing_a_number_part_its_digits_alike(groups, text):
    use_digit_groups(groups)
    assert grouped(-1234567.5, ",.1f") == number_text(-1234567.5) == tr("{x:,.1f}", x=-1234567.5) == text
    assert number_text(-1234567.5, in_groups=False) == "-1234567.5"
    assert trn("{count:,} row", "{count:,} rows", 48_000) == f"{grouped(48_000)} rows"
    assert shown_all("48,000 features") == f"{grouped(48_000)} features"  # as it is stored, in commas
    assert shown_all("1,200 × 800") == f"{grouped(1200)} × 800"


@given(st.integers(-(10**15), 10**15), st.sampled_from(DigitGroups))
def test_what_is_written_is_read_back(number, groups):
    use_digit_groups(groups)
    assert int(typed_number(grouped(number))) == number
    assert float(typed_number(grouped(number / 4, ",.2f"))) == number / 4


@pytest.mark.parametrize("groups", DigitGroups)
def test_a_place_that_is_written_can_be_typed(groups):
    use_digit_groups(groups)
    place = understand(own_text(512_345.5, 5_771_234.5, UTM), UTM)[0]
    assert (place.x, place.y, place.crs) == (512_345.5, 5_771_234.5, UTM)
    zoned = understand(utm_text(-20.9, -38.2), UTM)[0]
    assert (zoned.x, zoned.y) == pytest.approx((508_756, 5_771_989), abs=1)


def test_a_comma_is_the_decimal_sign_where_it_can_part_no_digits():
    assert [float(typed_number(text)) for text in ("2,5", "12,345", "0,1234", "1,234.5")] == [
        2.5,
        12345,
        0.1234,
        1234.5,
    ]
    use_digit_groups(DigitGroups.SPACE)
    assert float(typed_number("12,345")) == 12.345


def test_digits_are_parted_as_is_usual_in_the_language_unless_something_else_is_named(monkeypatch):
    use_groups_of("de")
    assert grouped(1234) == "1,234"  # the environment names commas
    monkeypatch.delenv(digit_groups.CHOICE)
    use_groups_of("de")
    assert grouped(1234) == "1\u202f234"
