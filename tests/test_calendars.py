"""One contract for calendars, and oracles from outside."""

from __future__ import annotations

import datetime as dt

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import logochron as lc
from logochron.core.choices import Grain, Weekday, values

GRAINS = values(Grain)
DAYS = st.sampled_from(values(Weekday))
NAMED = st.sampled_from(["ending", "starting"])
PATTERNS = [(4, 5, 4), (4, 4, 5), (5, 4, 4), (4,) * 13]


def listed(lengths: list[int], per_year: int, offset: int = 0) -> lc.ListedCalendar:
    """Periods of some lengths over and over, from 1899 to 2101; so many a year, in two halves."""
    n = (203 * 366) // min(lengths)
    days = np.resize(np.array(lengths), n)
    starts = -25_933 + offset + np.append(0, np.cumsum(days)[:-1])
    keep = starts < 47_900
    place = np.arange(n)
    columns = {
        "start": starts.astype("datetime64[D]"), "end": (starts + days - 1).astype("datetime64[D]"),
        "label": [f"run {i}" for i in place], "year": 1899 + place // per_year,
        "half": 1 + (place % per_year >= per_year // 2),
    }  # fmt: skip
    return lc.ListedCalendar(pd.DataFrame(columns)[keep])


civil_calendars = st.builds(lc.CivilCalendar, year_start=st.integers(1, 12), week_start=DAYS, year_named=NAMED)
retail_calendars = st.builds(
    lc.RetailCalendar,
    pattern=st.sampled_from(PATTERNS),
    year_ends_on=DAYS,
    year_ends_in=st.integers(1, 12),
    year_ends=st.sampled_from(["nearest", "last"]),
    year_named=NAMED,
    long_period=st.none() | st.integers(1, 12),
)
LISTED = [listed([28, 35, 28], 12), listed([73], 5, 40), listed([10, 90, 200, 65], 4, 7)]
calendars = civil_calendars | retail_calendars | st.sampled_from(LISTED)


@settings(max_examples=300)
@given(calendars, st.data(), st.integers(-25_567, 47_047))  # 1900 to 2100
def test_contract(calendar, data, day):
    each = data.draw(st.sampled_from(calendar.grains))
    ordinal = calendar.ordinals(each, np.arange(day, day + 800))
    assert set(np.diff(ordinal)) <= {0, 1}  # tiles without gap
    periods = np.unique(ordinal)
    starts, ends = calendar.first_days(each, periods), calendar.last_days(each, periods)
    assert (starts[1:] == ends[:-1] + 1).all()
    assert (calendar.ordinals(each, starts) == periods).all()
    assert (calendar.ordinals(each, ends) == periods).all()
    assert (calendar.touching(each, int(starts[0]), int(ends[-1])) == periods).all()
    labels = calendar.labels(each, periods)
    assert [calendar.find(each, label) for label in labels[:3]] == [(p, p) for p in periods[:3].tolist()]
    earlier = calendar.year_ago(each, periods, 1)
    years, numbers = calendar.places(each, periods)
    before, same = calendar.places(each, earlier.ordinals)
    assert (before[earlier.found] == years[earlier.found] - 1).all()
    if each != "day" or not isinstance(calendar, lc.CivilCalendar):
        assert (same[earlier.found] == numbers[earlier.found]).all()
    assert (earlier.note.rows >= ~earlier.found).all()  # what is not there says why
    for parent in calendar.grains:
        if calendar.nests(each, parent):  # a longer period is made of whole shorter ones
            longer = np.unique(calendar.parents(each, parent, periods))[1:-1]
            low, high = calendar.children(each, parent, longer)
            assert (calendar.parents(each, parent, low) == longer).all()
            assert (low[1:] == high[:-1] + 1).all()


@given(civil_calendars | retail_calendars, st.sampled_from(GRAINS))
def test_labels_are_unique(calendar, each):
    days = np.array(["1900-01-01", "2100-12-31"], dtype="datetime64[D]")
    low, high = calendar.ordinals(each, days)
    labels = calendar.labels(each, np.arange(low, high + 1))
    assert len(set(labels.tolist())) == high - low + 1


@given(retail_calendars)
def test_weeks_make_years(calendar):
    years = np.arange(1990, 2041)
    weeks = calendar.last_days("year", years) - calendar.first_days("year", years) + 1
    assert set(weeks.tolist()) == {364, 371}
    ends = calendar.last_days("year", years).astype("datetime64[D]").astype(object)
    assert {end.weekday() for end in ends} == {values(Weekday).index(calendar.year_ends_on)}
    for year, end in zip(years.tolist(), ends):
        anchor = (dt.date(year, calendar.year_ends_in, 28) + dt.timedelta(4)).replace(day=1) - dt.timedelta(1)
        off = (end - anchor).days
        assert -3 <= off <= 3 if calendar.year_ends == "nearest" else -6 <= off <= 0
    long = (calendar.long_period or len(calendar.pattern if len(calendar.pattern) == 13 else calendar.pattern * 4)) - 1
    of_53 = years[weeks == 371][0]
    n = 13 if len(calendar.pattern) == 13 else 12
    periods = of_53 * n + np.arange(n)
    lengths = (calendar.last_days("month", periods) - calendar.first_days("month", periods) + 1) // 7
    plain = np.resize(calendar.pattern, n)
    assert lengths[long] == plain[long] + 1 and (np.delete(lengths, long) == np.delete(plain, long)).all()


@pytest.mark.parametrize("variation", ["nearest", "last"])
@pytest.mark.parametrize(("month", "weekday"), [(1, 5), (12, 6), (6, 4), (9, 5), (2, 0)])
def test_years_of_52_and_53_weeks_as_pandas_has_them(variation, month, weekday):
    offset = pd.offsets.FY5253(startingMonth=month, weekday=weekday, variation=variation)
    calendar = lc.RetailCalendar(year_ends_on=values(Weekday)[weekday], year_ends_in=month, year_ends=variation)
    ends = pd.date_range("1990-01-01", "2040-12-31", freq=offset)
    got = calendar.periods("year", "1990-01-01", "2040-12-31").end
    assert sorted(set(got) - set(ends)) == [e for e in got if e.year == 2041] and set(ends) <= set(got)


def test_published_years_of_53_weeks():
    years = lc.RetailCalendar().periods("year", "1999-03-01", "2027-12-31")
    assert years.year[years.days == 371].tolist() == [2000, 2006, 2012, 2017, 2023]
    year = lc.RetailCalendar().periods("month", "2023-01-29", "2024-02-03")
    assert (year.days // 7).tolist() == [4, 5, 4] * 3 + [4, 5, 5]
    assert (year.period.iloc[-1], str(year.end.iloc[-1].date())) == ("2023-P12", "2024-02-03")
    named = {n: lc.RetailCalendar(year_named=n).labels("year", [2024])[0] for n in ("starting", "ending")}
    assert named == {"starting": "2023", "ending": "2024"}


def test_iso_weeks_are_of_the_family():
    """One implementation: the weeks of years that end on the Sunday nearest to 31 December."""
    days = np.arange("1990-01-01", "2041-01-01", dtype="datetime64[D]")
    retail, civil = lc.RetailCalendar(year_ends_on="sunday", year_ends_in=12), lc.CivilCalendar()
    assert (
        retail.labels("week", retail.ordinals("week", days)) == civil.labels("week", civil.ordinals("week", days))
    ).all()


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
        ({}, "month", "Maybe 2026", "such as 2026-05-18, 2026-W21, 2026-05"),
        ({}, "month", "2026-05..2026-04", "ends before it starts"),
        ({}, "day", "2026-02-30", "must be a day"),
        ({}, "day", "0001..9999", "name fewer"),
    ],
)
def test_at_that_names_nothing(demo_book, options, each, at, said):
    with pytest.raises(lc.QuestionError, match=said.replace("?", r"\?")):
        lc.compare(demo_book, each, at=at, calendar=lc.CivilCalendar(**options))


@pytest.mark.parametrize(
    ("options", "each", "at", "said"),
    [
        ({}, "month", "2026-05", "did you mean '2026-P05'"),
        ({}, "month", "FY2026-P05", "did you mean '2026-P05'"),
        ({}, "month", "2026-P13", "2026 has periods P01 to P12"),
        ({}, "week", "2026-W53", "2026 has weeks W01 to W52"),
        ({"pattern": (4,) * 13}, "quarter", "2026-P13", "did you mean '2026-Q4'"),
        ({}, "month", "2026-Q5", "2026 has quarters Q1 to Q4"),
        ({}, "month", "2026-P", "such as 2026-05-18, 2026-W16, 2026-P04, 2026-Q2"),
    ],
)
def test_at_that_names_no_period_of_a_retail_year(options, each, at, said):
    with pytest.raises(lc.QuestionError, match=said):
        lc.RetailCalendar(**options).find(each, at)


@pytest.mark.parametrize(
    ("kind", "options"),
    [
        (lc.CivilCalendar, {"year_start": 13}),
        (lc.CivilCalendar, {"week_start": "caturday"}),
        (lc.CivilCalendar, {"year_named": "first"}),
        (lc.RetailCalendar, {"pattern": (4, 4, 4)}),
        (lc.RetailCalendar, {"pattern": (4, 4.5, 4.5)}),
        (lc.RetailCalendar, {"pattern": "454"}),
        (lc.RetailCalendar, {"year_ends_in": 0}),
        (lc.RetailCalendar, {"year_ends_on": "caturday"}),
        (lc.RetailCalendar, {"year_ends": "first"}),
        (lc.RetailCalendar, {"long_period": 13}),
    ],
)
def test_calendars_that_cannot_be(kind, options):
    with pytest.raises(lc.CalendarError, match=f"`{next(iter(options))}` must be"):
        kind(**options)


ROWS = """start,end,label,year,quarter
2025-07-01,2025-08-15,late,2025,4
2025-08-16,2025-10-01,A1,2026,1
2025-10-02,2025-12-24,A2,2026,1
2025-12-25,2026-03-01,A3,2026,2
2026-03-02,2026-08-15,A4,2026,2
"""


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        (
            "2025-08-16",
            "2025-08-15",
            "line 3: 'A1' .from 15 Aug 2025. starts before the one before has ended, on 15 Aug",
        ),
        ("2025-08-16", "2025-08-18", "line 3: 'A1' .* leaves a gap.*--calendar-gaps allowed"),
        ("2025-12-24,A2", "2025-10-01,A2", "line 4: 'A2' ends on 1 Oct 2025, before it starts"),
        ("A3", "A1", "line 5: each period needs a label of its own; got 'A1'"),
        ("A3", "", "line 5: each period needs a label"),
        ("2025-12-25", "the 25th", "line 5, column 'start': 'the 25th' is no day"),
        ("A2,2026,1", "A2,2026,one", "line 4, column 'quarter': 'one' is no whole number"),
        ("A2,2026,1", "A2,2024,1", "line 4: 'A2' .* is of 2024, after one of 2026"),
        ("A4,2026,2", "A4,2026,1", "line 6: quarter 1 of 2026 comes after 2 of 2026"),
        (",quarter\n", ",number\n", "line 4: `number` must count up from 1 within a year; got 1"),
        ("label", "name", "no column 'label'"),
        (ROWS.split("\n", 1)[1], "", "lists no period"),
        ("A2,2026,1", "A2,2026", "line 4: '2025-10-02,2025-12-24,A2,2026' - fewer fields"),
    ],
)
def test_lists_that_are_no_calendar(tmp_path, old, new, said):
    (tmp_path / "periods.csv").write_text(ROWS.replace(old, new, 1))
    with pytest.raises(lc.LogochronError, match=said) as caught:
        lc.ListedCalendar(tmp_path / "periods.csv")
    assert isinstance(caught.value, (lc.CalendarError, lc.QuestionError, lc.IntakeError))


def _daily(folder):
    days = pd.date_range("2025-07-01", "2026-08-15")
    pd.DataFrame({"day": days, "amount": 1}).to_csv(folder / "daily.csv", index=False)
    return folder / "daily.csv"


def test_listed_periods(tmp_path):
    path = tmp_path / "periods.csv"
    path.write_text(ROWS)
    calendar = lc.ListedCalendar(path)
    assert calendar.grains == ("day", "month", "quarter", "year")
    year = calendar.periods("month", "2025-07-20", "2026-12-31")
    assert year.number.tolist() == [4, 1, 2, 3, 4]  # a short first year is numbered from its end
    assert "2025 has 1 periods and 2026 4: those of 2025 are numbered from its end, 4 to 4" in calendar.notes[0]
    assert calendar.labels("quarter", [0, 1, 2]).tolist() == ["2025-Q4", "2026-Q1", "2026-Q2"]
    assert calendar.find("month", "2026") == (1, 4) and calendar.find("month", "2026-Q2") == (3, 4)
    assert calendar.find("month", "2025-10-05") == (2, 2)
    for bad, said in (
        ("lates", "Did you mean 'late'"),
        ("2024", "no year '2024'. Did you mean '202[56]'"),
        ("2027-01-01", "no period"),
    ):
        with pytest.raises(lc.LogochronError, match=said):
            calendar.find("month", bad)
    with pytest.raises(lc.QuestionError, match="no grain of this calendar; it has day, month, quarter, year"):
        calendar.ordinals("week", ["2026-01-01"])
    with pytest.raises(lc.CalendarError, match="no period of the calendar holds 16 Aug 2026"):
        calendar.ordinals("month", ["2026-08-16"])
    # what the list begins within is no whole base, nor a whole value
    assert calendar.whole("year", np.array([0, 1])).tolist() == [False, True]
    assert calendar.whole("quarter", np.array([0, 1])).tolist() == [True, True]
    book = lc.read(_daily(tmp_path), date="day", values="amount")
    years = lc.compare(book, "year", "prior", calendar=calendar).table
    assert years.status.tolist() == ["partial", "complete"]
    assert years.note.tolist() == [
        "no base: the calendar lists none from 2025-07-01 to 2026-08-15",
        "no base: the calendar starts within 2025",
    ]
    to_date = lc.compare(book, "month", "year-ago", running="year", calendar=calendar, at="A4").table
    assert to_date.note.tolist() == ["no base: the calendar starts within 2025"]
    same = [pd.read_csv(path), pd.read_csv(path, parse_dates=["start", "end"]), pd.read_csv(path).to_dict("list")]
    pd.read_csv(path).to_excel(tmp_path / "periods.xlsx", index=False, engine="xlsxwriter")
    for other in (*same, tmp_path / "periods.xlsx"):
        assert lc.ListedCalendar(other).periods("month", "2025-07-01", "2026-08-15").equals(
            calendar.periods("month", "2025-07-01", "2026-08-15"))  # fmt: skip


def test_days_between_listed_periods_belong_nowhere(rows_file, tmp_path):
    path = tmp_path / "periods.csv"
    path.write_text("start,end,label,year\n2026-01-01,2026-01-10,a,2026\n2026-01-15,2026-01-20,b,2026\n")
    calendar = lc.ListedCalendar(path, gaps="allowed")
    days = [(f"2026-01-{d:02d}", "x", 10 ** (d % 3)) for d in range(1, 21)]
    book = lc.read(rows_file(days), date="day", values="amount")
    result = lc.compare(book, "year", "prior", calendar=calendar)
    row = result.table.iloc[0]
    inside = [amount for day, _, amount in days if not "2026-01-10" < day < "2026-01-15"]
    assert (row.value, row.days, row.status) == (sum(inside), 16, "complete")
    assert "4 records from 11 Jan 2026 to 14 Jan 2026 left out: in no period of the calendar" in " ".join(result.notes)
    by_day = lc.compare(book, "day", "prior", calendar=calendar, at="2026-01-15").table.iloc[0]
    assert by_day.base_period == "2026-01-10"  # the listed day before
    assert lc.compare(book, "month", "prior", calendar=calendar).table.value.sum() == sum(inside)
