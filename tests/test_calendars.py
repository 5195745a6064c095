"""One contract for calendars, and oracles from outside."""

from __future__ import annotations

import datetime as dt

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import logochron as lc
from logochron.core.options import Grain, Weekday, values

GRAINS = values(Grain)
calendars = st.builds(
    lc.CivilCalendar,
    year_start=st.integers(1, 12),
    week_start=st.sampled_from(values(Weekday)),
    year_named=st.sampled_from(["ending", "starting"]),
)


@given(calendars, st.sampled_from(GRAINS), st.integers(-25_567, 47_847))  # 1900 to 2100
def test_contract(calendar, each, day):
    ordinal = calendar.ordinals(each, np.arange(day, day + 800))
    assert set(np.diff(ordinal)) <= {0, 1}  # tiles without gap
    periods = np.unique(ordinal)
    starts, ends = calendar.first_days(each, periods), calendar.last_days(each, periods)
    assert (starts[1:] == ends[:-1] + 1).all()
    assert (calendar.ordinals(each, starts) == periods).all()
    assert (calendar.ordinals(each, ends) == periods).all()
    labels = calendar.labels(each, periods)
    assert [calendar.find(each, label) for label in labels[:3]] == [(p, p) for p in periods[:3].tolist()]
    earlier = calendar.year_ago(each, periods, 1)
    years, numbers = calendar.places(each, periods)
    before, same = calendar.places(each, earlier.ordinals)
    assert (before[earlier.found] == years[earlier.found] - 1).all()
    if each != "day":
        assert (same[earlier.found] == numbers[earlier.found]).all()


@given(calendars, st.sampled_from(GRAINS))
def test_labels_are_unique(calendar, each):
    days = np.array(["1900-01-01", "2100-12-31"], dtype="datetime64[D]")
    low, high = calendar.ordinals(each, days)
    labels = calendar.labels(each, np.arange(low, high + 1))
    assert len(set(labels.tolist())) == high - low + 1


def test_iso_weeks_every_day():
    days = np.arange("1990-01-01", "2041-01-01", dtype="datetime64[D]")
    calendar = lc.CivilCalendar()
    weeks = calendar.ordinals("week", days)
    iso = [day.isocalendar() for day in days.astype(object)]
    assert calendar.labels("week", weeks).tolist() == [f"{i.year:04d}-W{i.week:02d}" for i in iso]
    assert (days - (np.array([i.weekday for i in iso]) - 1) == calendar.first_days("week", weeks).astype("M8[D]")).all()


@pytest.mark.parametrize("month", range(1, 13))
def test_fiscal_years_as_pandas_has_them(month):
    days = pd.date_range("1999-01-01", "2030-12-31", freq="7D")
    names = ["JAN", "FEB", "MAR", "APR", "MAY", "JUN", "JUL", "AUG", "SEP", "OCT", "NOV", "DEC"]
    quarters = days.to_period(f"Q-{names[month - 2]}")  # named by the month in which the year ends
    prefix = "" if month == 1 else "FY"
    calendar = lc.CivilCalendar(year_start=month)
    got = calendar.labels("quarter", calendar.ordinals("quarter", days.to_numpy()))
    assert got.tolist() == [f"{prefix}{q.qyear}-Q{q.quarter}" for q in quarters]
    got = calendar.labels("year", calendar.ordinals("year", days.to_numpy()))
    assert got.tolist() == [f"{prefix}{q.qyear}" for q in quarters]
    starting = lc.CivilCalendar(year_start=month, year_named="starting")
    year = starting.labels("year", starting.ordinals("year", np.array(["2026-12-31"], "M8[D]")))
    assert year.tolist() == [f"{prefix}2026"]


def test_periods_frame():
    frame = lc.CivilCalendar(week_start="sunday").periods("week", "2025-12-31", dt.date(2026, 1, 4))
    assert frame.columns.tolist() == ["period", "start", "end", "year", "number", "days"]
    assert frame.period.tolist() == ["2025-W53", "2026-W01"]
    assert frame.days.tolist() == [7, 7]
    assert frame.start.dtype == "datetime64[s]"


@pytest.mark.parametrize(
    ("each", "at", "first", "last"),
    [
        ("month", "2025", "2025-01", "2025-12"),
        ("month", "2026-05-18", "2026-05", "2026-05"),
        ("month", "2025-Q4..2026-02", "2025-10", "2026-02"),
        ("week", "2026", "2026-W01", "2026-W53"),
        ("day", "2024-W01", "2024-01-01", "2024-01-07"),
        ("week", "2027-01-01", "2026-W53", "2026-W53"),
        ("quarter", "2026-H2", "2026-Q3", "2026-Q4"),
    ],
)
def test_at(demo_book, each, at, first, last):
    periods = lc.compare(demo_book, each, at=at, measures="units").periods
    assert (periods[0], periods[-1]) == (first, last)


@pytest.mark.parametrize(
    ("options", "each", "at", "said"),
    [
        ({"year_start": 4}, "year", "2026", "did you mean 'FY2026'?"),
        ({}, "year", "FY2026", "did you mean '2026'?"),
        ({}, "month", "2026-13", "month from 01 to 12"),
        ({}, "week", "2025-W53", "weeks 01 to 52"),
        ({}, "week", "2026-05", "do not fit into months"),
        ({}, "quarter", "2026-05", "did you mean '2026-Q2'?"),
        ({}, "month", "May 2026", "such as 2026-05-18, 2026-W21, 2026-05"),
        ({}, "month", "2026-05..2026-04", "ends before it starts"),
        ({}, "day", "2026-02-30", "must be a day"),
        ({}, "day", "0001..9999", "name fewer"),
    ],
)
def test_at_that_names_nothing(demo_book, options, each, at, said):
    with pytest.raises(lc.QuestionError, match=said.replace("?", r"\?")):
        lc.compare(demo_book, each, at=at, calendar=lc.CivilCalendar(**options))


@pytest.mark.parametrize("options", [{"year_start": 13}, {"week_start": "caturday"}, {"year_named": "first"}])
def test_calendars_that_cannot_be(options):
    with pytest.raises(lc.CalendarError, match=f"`{next(iter(options))}` must be"):
        lc.CivilCalendar(**options)
