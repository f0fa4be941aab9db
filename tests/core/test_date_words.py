"""Days and times in the form that the reader chose."""

from __future__ import annotations

from datetime import UTC, date, datetime

import pytest

from brisk_atlas.core.model import ColumnView, date_words, number_text
from brisk_atlas.core.model.date_words import DateForm, dated, moment_text, use_date_form
from brisk_atlas.core.table.formats import text_of

DAY, MOMENT = date(2031, 6, 4), datetime(2031, 6, 4, 9, 30, 5, tzinfo=UTC)


@pytest.fixture(autouse=True)
def iso_after(monkeypatch):
    monkeypatch.setenv(date_words.CHOICE, "iso")
    yield
    use_date_form(DateForm.ISO)


@pytest.mark.parametrize(
    ("form", "day", "month"),
    [
        (DateForm.ISO, "2031-06-04", "2031-06"),
        (DateForm.DAY_FIRST, "4 Jun 2031", "Jun 2031"),
        (DateForm.MONTH_FIRST, "Jun 4, 2031", "Jun 2031"),
        (DateForm.POINTS, "04.06.2031", "06.2031"),
    ],
)
def test_all_ways_of_writing_a_day_go_by_the_form(form, day, month):
    use_date_form(form)
    assert number_text(DAY) == text_of(DAY, ColumnView("d")) == dated("2031-06-04") == day
    assert text_of(MOMENT, ColumnView("d")) == moment_text(MOMENT) == f"{day} 09:30:05+00:00"
    assert dated("2031-06-04 09:30") == f"{day} 09:30"
    assert dated("2031-06") == month
    assert text_of(DAY, ColumnView("d", form="iso")) == "2031-06-04"  # a column that has a form of its own
    assert [dated(text) for text in ("2031", "2031-13", "2031-02-30", "survey 3")] == [
        "2031", "2031-13", "2031-02-30", "survey 3",
    ]  # fmt: skip
