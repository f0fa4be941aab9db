"""Words that no dictionary has, in several languages, among what is no prose."""

from __future__ import annotations

import pytest

from brisk_atlas.core.album.spelling import LANGUAGES, Speller


def marked(text, language="en", known=()):
    return [text[start:end] for start, end in Speller(language, known).unknown(text)]


def test_wrong_words_are_marked_where_they_stand():
    text = "The erupton of 2031 coverd the valley; it isn't over, and Serrick's crater (rim) is the geologist's."
    assert marked(text) == ["erupton", "coverd", "Serrick's"]
    assert marked(text, known=["Mount Serrick"]) == ["erupton", "coverd"]


@pytest.mark.parametrize("text", [
    "lava_flows closed_zones.name elevation_2031.tif", "https://survey.tolvane.example/xyz a@xyzq.example", "3.5km 12m EPSG:32727",
    "NASL HGT", "", "—  … “”", "orthophoto, hillshade and nodata", "It’s the island’s coast.", "{zone} #qwzx",
])  # fmt: skip
def test_what_is_no_prose_or_of_the_trade_is_left_alone(text):
    assert marked(text) == []


def test_other_languages_have_their_words():
    assert marked("Der Krater und das Gebäude sind zerstort.", "de") == ["zerstort"]
    assert marked("La maizon est grande.", "fr") == ["maizon"]
    for language in LANGUAGES:
        assert Speller(language).unknown("qxzvbk") == [(0, 6)]


def test_what_may_have_been_meant_comes_first_with_its_capital():
    speller = Speller("en")
    assert speller.proposals("erupton")[0] == "eruption" and "Valley" in speller.proposals("Valey")
    assert speller.proposals("qxzvbkqxzvbkqxzvbk") == [] and len(speller.proposals("houss")) <= 6


def test_a_long_text_is_looked_through_in_one_go():
    text = "The ground rose above the valley " * 3000 + "erupton"
    assert marked(text) == ["erupton"]
