"""Bases, windows and cuts: against the twin that walks days, by the rules of week 53, plans, comparable items."""

from __future__ import annotations

import datetime as dt
from itertools import count

import numpy as np
import pandas as pd
import pytest
import twin_cases
from hypothesis import given, settings
from hypothesis import strategies as st

import logochron as lc

EVERY = 487


@pytest.mark.slow
@pytest.mark.parametrize("name", twin_cases.CALENDARS)
def test_twin(name):
    """Three report dates of each question, other ones for each; `scripts/walk_twin.py` takes all."""
    starts = (k * 101 % EVERY for k in count())
    held = sum(twin_cases.hold(name, asked, EVERY, start) for asked, start in zip(twin_cases.questions(name), starts))
    assert held > 1000


@pytest.fixture(scope="module")
def days_book(tmp_path_factory) -> lc.Daybook:
    """One a day and 7 more on Sundays, 2015 to 2025."""
    days = pd.date_range("2015-01-01", "2025-12-31")
    path = tmp_path_factory.mktemp("days") / "sales.csv"
    pd.DataFrame({"day": days, "amount": 1 + 7 * (days.day_of_week == 6)}).to_csv(path, index=False)
    return lc.read(path, date="day", values="amount")


RETAIL = lc.RetailCalendar()
#: Calendar, what is asked, and of the row: value days, base days, base period, note.
CASES = [
    (RETAIL, {"each": "week", "at": "2023-W53"}, 7, None, None, "no week 53 in 2022"),
    (RETAIL, {"each": "day", "at": "2024-02-02"}, 1, None, None, "no week 53 in 2022"),
    (lc.CivilCalendar(), {"each": "week", "at": "2020-W53"}, 7, None, None, "no week 53 in 2019"),
    (RETAIL, {"each": "week", "at": "2023-W53", "running": "year"}, 371, 364, "2022-W52",
     "53 weeks against 52; against the whole year"),
    (RETAIL, {"each": "day", "at": "2024-02-02", "running": "year"}, 370, 364, "2023-01-28",
     "53 weeks against 52; against the whole year"),
    (RETAIL, {"each": "week", "at": "2024-W52", "running": "year"}, 364, 364, "2023-W52", ""),
    (RETAIL, {"each": "month", "at": "2024-P12", "running": "year"}, 364, 371, "2023-P12", "52 weeks against 53"),
    (RETAIL, {"each": "year", "at": "2024"}, 364, 371, "2023", "52 weeks against 53"),
    (RETAIL, {"each": "month", "at": "2023-P12"}, 35, 28, "2022-P12", "5 weeks against 4"),
    (RETAIL, {"each": "month", "at": "2024-P02", "against": "prior"}, 35, 28, "2024-P01", "5 weeks against 4"),
    (RETAIL, {"each": "week", "at": "2023-W53", "running": "month"}, 35, 28, "2022-W52", "5 weeks against 4"),
    (RETAIL, {"each": "quarter", "at": "2024-Q1", "weeks": "364-days"}, 91, 91, "2023-W02..2023-W14", ""),
    (RETAIL, {"each": "week", "at": "2023-W53", "weeks": "364-days"}, 7, 7, "2023-W01", ""),
    (RETAIL, {"each": "year", "at": "2023", "weeks": "364-days"}, 371, 371, "2022-W01..2023-W01", "shared days"),
    (lc.CivilCalendar(), {"each": "day", "at": "2025-05-18", "weeks": "364-days"}, 1, 1, "2024-05-19", ""),
    (lc.CivilCalendar(), {"each": "day", "at": "2024-02-29"}, 1, 1, "2023-02-28", "leap day"),
    (lc.CivilCalendar(), {"each": "day", "at": "2024-02-29", "running": "year"}, 60, 59, "2023-02-28", "leap day"),
    (lc.CivilCalendar(), {"each": "day", "at": "2025-05-31", "running": "month", "against": "prior"}, 31, 30,
     "2025-04-30", ""),
    (lc.CivilCalendar(), {"each": "day", "at": "2025-05-18", "running": "month", "against": "prior"}, 18, 18,
     "2025-04-18", ""),
    (lc.CivilCalendar(), {"each": "month", "at": "2025-05", "running": 12, "against": "prior"}, 365, 365, "2025-04",
     "shared days"),
    (lc.CivilCalendar(), {"each": "month", "at": "2025-03", "against": "mean:3"}, 31, 90, "2024-12..2025-02", ""),
    (lc.CivilCalendar(), {"each": "month", "at": "2025-03", "against": "year-ago-mean:2"}, 31, 62, "2023-03, 2024-03",
     ""),
    (lc.CivilCalendar(), {"each": "month", "at": "2015-03", "against": "mean:3"}, 31, None, "2014-12..2015-02",
     "no base: the records start on 2015-01-01"),
    (lc.CivilCalendar(), {"each": "month", "at": "2015-03", "against": "mean:3", "partial": "as-is"}, 31, 59,
     "2015-01..2015-02", ""),
    (lc.CivilCalendar(), {"each": "month", "at": "2025-03", "against": "fixed:2024-05"}, 31, 31, "2024-05", ""),
    (lc.CivilCalendar(), {"each": "month", "at": "2025-03", "against": "fixed:2025-03"}, 31, 31, "2025-03",
     "shared days"),
    (lc.CivilCalendar(), {"each": "month", "at": "2025-03", "against": "fixed:2024-05", "running": "year"}, 90, None,
     "2024-05", "no base: 2024-05 is at another place of its year"),
    (lc.CivilCalendar(), {"each": "month", "at": "2025-05", "against": "fixed:2024-05", "running": "year"}, 151, 152,
     "2024-05", ""),
    (lc.CivilCalendar(), {"each": "span", "at": "2024-02-29..2024-03-01"}, 2, 2, "2023-02-28..2023-03-01", "leap day"),
    (lc.CivilCalendar(), {"each": "span", "at": "2024-03-01..2024-03-10", "against": "prior:2"}, 10, 10,
     "2024-02-10..2024-02-19", ""),
    (lc.CivilCalendar(), {"each": "span", "at": "2024-03-01..2024-03-10", "against": "span:2024-03-05..2024-03-06"}, 10,
     2, "2024-03-05..2024-03-06", "shared days"),
]  # fmt: skip


@pytest.mark.parametrize(("calendar", "asked", "days", "base_days", "base_period", "note"), CASES)
def test_rules(days_book, calendar, asked, days, base_days, base_period, note):
    row = lc.compare(days_book, **asked, calendar=calendar).table.iloc[0]
    assert row.days == days and row.note == note
    assert row.base_period == base_period or (base_period is None and row.note.startswith("no "))
    assert (row.base_days is pd.NA and np.isnan(row.base)) if base_days is None else row.base_days == base_days
    sundays = len(pd.date_range(row.start, row.end, freq="W-SUN"))
    assert row.value == (row.end - row.start).days + 1 + 7 * sundays


def test_a_running_window_is_cut_in_its_last_period(days_book):
    book = days_book.until("2025-05-18")
    year = lc.compare(book, "month", running="year", last=1).table.iloc[0]
    assert (str(year.base_start.date()), str(year.base_end.date()), year.status) == (
        "2024-01-01",
        "2024-05-18",
        "to-date",
    )
    mean = lc.compare(book, "month", "mean:2", last=1).table.iloc[0]
    assert mean.base_days == 36 and mean.base_period == "2025-03..2025-04"
    assert mean.base == (18 + 7 * 3 + 18 + 7 * 2) / 2  # Sundays of 1-18 March and April
    assert (str(mean.base_start.date()), str(mean.base_end.date())) == ("2025-03-01", "2025-04-18")
    fixed = lc.compare(book, "month", "fixed:2025-05", last=2)
    assert fixed.table.note.tolist() == ["no base: the records end on 2025-05-18"] * 2
    gone = lc.compare(days_book, "month", running=12, at="2015-11..2015-12").table
    assert gone.note.str.startswith("not recorded").tolist() == [True, False]
    assert np.isnan(gone.value[0]) and gone.status.tolist() == ["partial", "complete"]
    assert lc.compare(book, "month", running="year", partial="drop").table.period.astype(str).iloc[-1] == "2025-04"
    retail = lc.compare(book, "month", calendar=RETAIL, last=1).table.iloc[0]
    assert retail.days == retail.base_days == 15 and retail.base_end == retail.base_start + pd.Timedelta(14, "D")


def test_per_day_and_trading_days(rows_file):
    rows = [("2025-01-06", "x", 30), ("2025-01-07", "x", 30), ("2025-02-03", "x", 10), ("2025-04-30", "x", 8)]
    book = lc.read(rows_file(rows), date="day", values="amount", covering=("2025-01-01", "2025-04-30"))
    plain = lc.compare(book, "month", "prior", per="day").table
    assert plain.days.tolist() == [31, 28, 31, 30] and plain.value[0] == 60 / 31 and plain.base[1] == 60 / 31
    assert plain.growth[1] == pytest.approx(10 / 28 / (60 / 31) - 1)
    trading = lc.compare(book, "month", "prior", per="trading-day").table
    assert trading.days.tolist() == [2, 1, 0, 1] and trading.value[:2].tolist() == [30, 10]
    assert trading.note[2] == "no trading days" == trading.note[3] and trading.direction[2] == "unknown"
    assert np.isnan(trading.value[2]) and np.isnan(trading.base[3]) and trading.base_days[3] == 0
    mean = lc.compare(book, "month", "mean:2", per="day", at="2025-03").table.iloc[0]
    assert mean.base == 70 / 59 and mean.base_days == 59


def test_closed_days_are_skipped(rows_file):
    days = ["2025-01-03", "2025-01-06", "2025-01-07", "2025-01-10"]
    rows = [(d, "x", 10 * (i + 1)) for i, d in enumerate(days)]
    book = lc.read(rows_file(rows), date="day", values="amount")
    table = lc.compare(book, "day", "prior", skip_closed=True).table.set_index("period")
    assert table.base_period["2025-01-06"] == "2025-01-03" and table.base["2025-01-10"] == 30
    assert table.base_period["2025-01-09"] == "2025-01-07"
    assert table.note["2025-01-03"] == "no base: no day before has records"
    assert lc.compare(book, "day", "mean:2", skip_closed=True, last=1).table.base[0] == 25


@pytest.fixture
def opening(rows_file) -> lc.Daybook:
    """a sells throughout, b opens in June 2024, c stops in January 2025."""
    days = pd.date_range("2024-01-01", "2025-06-30").strftime("%Y-%m-%d")
    rows = [(d, "a", 10) for d in days] + [(d, "b", 5) for d in days if d >= "2024-06-10"]
    rows += [(d, "c", 1) for d in days if d <= "2025-01-15"]
    return lc.read(rows_file(rows), date="day", values="amount", by="item")


def test_comparable_items(opening):
    result = lc.compare(opening, "month", by="item", items="comparable")
    rows = result.table.set_index(["period", "item"])
    total = result.total.set_index("period")
    assert total.value["2025-05"] == 310 == rows.value["2025-05", "a"]  # b was not open in May 2024, c is gone
    left_out = rows.loc[("2025-05", "b")]
    assert (left_out.value, left_out.base, left_out.note) == (155, 0, "not comparable")
    assert left_out.direction == "unknown" and np.isnan(left_out.change) and np.isnan(left_out.share)
    assert rows.share["2025-05", "a"] == 1
    assert rows.note["2025-06", "b"] == "not comparable"  # opened on the 10th, not on the first day of June 2024
    assert total.value["2025-01"] == 310 and rows.note["2025-01", "c"] == "not comparable"
    prior = lc.compare(opening, "month", "prior", by="item", items="comparable").total.set_index("period")
    assert prior.value["2024-08"] == 31 * 16 and prior.base["2024-08"] == 31 * 16
    assert prior.value["2024-01"] == 31 * 11  # nothing to compare with: all items
    receipt = lc.explain(result, "2025-05")
    assert receipt.table["sum"].tolist() == [310, 310]
    assert "not comparable, left out: b, c" in receipt.notes


@pytest.fixture
def plan(tmp_path) -> lc.Daybook:
    path = tmp_path / "plan.csv"
    path.write_text("month,item,amount\n2025-01,a,310\n2025-01,z,31.5\n2025-02,a,280\n2025-04,a,300\n2025-05,a,310\n")
    return lc.read_plan(path, date="month", value="amount", measure="amount", by="item")


def test_plan(opening, plan):
    result = lc.compare(opening, "month", "plan", plan=plan, by="item", at="2024-12..2025-06")
    total = result.total.set_index("period")
    assert total.base.fillna(-1).tolist() == [-1, 341.5, 280, -1, 300, 310, -1]
    assert total.note.tolist() == [
        "no base: the plan starts on 2025-01-01", "", "", "no base: the plan has no 2025-03", "", "",
        "no base: the plan ends on 2025-05-31",
    ]  # fmt: skip
    rows = result.table.set_index(["period", "item"])
    assert rows.base["2025-01", "z"] == 31.5 and rows.note["2025-01", "z"] == "none now"  # planned, never sold
    assert rows.note["2025-01", "b"] == "none in base"
    assert (total.value - total.base - total.change).dropna().abs().max() < 1e-9
    cut = lc.compare(opening.until("2025-02-14"), "month", "plan", plan=plan, last=1).total.iloc[0]
    assert (cut.base, str(cut.base_end.date()), cut.base_period) == (140, "2025-02-14", "2025-02")
    year = lc.compare(opening, "month", "plan", plan=plan, running="year", at="2025-02").total.iloc[0]
    assert year.base == 621.5
    some = lc.compare(opening.where({"item": "a"}), "month", "plan", plan=plan, at="2025-01").total.iloc[0]
    assert some.base == 310  # the same filter
    assert lc.explain(result, "2025-01", item="a").table["sum"].tolist() == [310, 310]


def test_a_plan_by_listed_periods(opening, tmp_path):
    calendar = lc.ListedCalendar({"start": ["2025-01-01", "2025-02-20"], "end": ["2025-02-19", "2025-04-10"],
                                  "label": ["thaw", "sprouts"], "year": [2025, 2025]})  # fmt: skip
    path = tmp_path / "plan.csv"
    path.write_text("run,amount\nthaw,100\nsprouts,200\n")
    plan = lc.read_plan(path, date="run", value="amount", measure="amount", calendar=calendar)
    months = lc.compare(opening, "month", "plan", plan=plan, at="2024-12..2025-05").total
    assert months.base.notna().tolist() == [False, True, True, True, False, False]
    assert months.base[1] == 62  # 31 of 50 days, to the unit
    runs = lc.compare(opening, "month", "plan", plan=plan, calendar=calendar).total
    assert runs.base.tolist() == [100, 200] and runs.base_period.tolist() == ["thaw", "sprouts"]


def test_what_a_plan_says_nothing_of(rows_file, tmp_path, plan):
    rows = [(f"2025-0{m}-{d:02d}", i, k, 5) for m in (1, 2) for d in range(1, 29) for i in "ab" for k in "xy"]
    path = rows_file(rows, header="day,item,kind,amount")
    book = lc.read(path, date="day", values="amount", by=["item", "kind"], covering=(None, "2025-02-28"))
    finer = lc.compare(book, "month", "plan", plan=plan, by=["item", "kind"])
    assert set(finer.table.note) == {"no base: the plan has no kind"} and finer.total.base.tolist() == [341.5, 280]
    filtered = lc.compare(book.where({"kind": "x"}), "month", "plan", plan=plan).total
    assert filtered.note.tolist() == ["no base: the plan has no kind"] * 2 and filtered.base_days.isna().all()
    read_so = lc.read(path, date="day", values="amount", where={"kind": "x"}, covering=(None, "2025-02-28"))
    assert lc.compare(read_so, "month", "plan", plan=plan).total.note.tolist() == filtered.note.tolist()
    other = lc.read(path, date="day", measures=[lc.Measure("takings", column="amount")])
    assert lc.compare(other, "month", "plan", plan=plan, at="2025-01").total.note[0] == "no base: the plan is of amount"


@settings(max_examples=30)
@given(st.data())
def test_laws(demo_book, data):
    """Growth x base is the change, the prior of the next itself, no span passes the report date, a year is its end."""
    calendar, _ = twin_cases.made(data.draw(st.sampled_from(list(twin_cases.CALENDARS)[:-1])))
    until = dt.date(2024, 1, 1) + dt.timedelta(data.draw(st.integers(0, 1000)))
    book = demo_book.until(until)
    each = data.draw(st.sampled_from(["week", "month", "quarter", "half", "year"]))
    against = data.draw(st.sampled_from(["prior", "year-ago", "mean:3", "year-ago-mean:2"]))
    running = data.draw(st.sampled_from([None, "year", 3]))
    result = lc.compare(book, each, against, running=running, by="harbor", measures="revenue", calendar=calendar)
    table = result.table
    known = table[table.growth.notna()]
    np.testing.assert_allclose(known.growth * known.base, known.change, rtol=1e-9, atol=1e-6)
    ends = table.end[table.value.notna()]  # none where three years do not fit into the records
    assert (running == 3 and not len(ends)) or ends.max().date() == until
    assert not (table.base_end > str(until)).any()
    sums = table.groupby("period", observed=True).value.sum(min_count=1)
    np.testing.assert_allclose(sums, result.total.set_index("period").value.loc[sums.index], rtol=1e-12)
    plain = lc.compare(book, each, "prior", measures="revenue", calendar=calendar).table
    np.testing.assert_array_equal(plain.base[2:-1], plain.value[1:-2])
    assert plain.value.sum() == pytest.approx(book.totals("day").query("measure == 'revenue'").value.sum(), abs=1e-6)
    years = lc.compare(book, "year", "prior", measures="revenue", calendar=calendar, partial="drop").table
    parent = {"week": "week", "month": "month"}.get(each, each)
    to_date = lc.compare(book, parent, "prior", measures="revenue", calendar=calendar, running="year").table
    if not (isinstance(calendar, lc.CivilCalendar) and each == "week"):  # whose year is made of whole weeks
        ends = to_date.set_index("end").value.reindex(years.end)
        np.testing.assert_allclose(ends, years.value, rtol=1e-12)


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        ({"each": "week", "running": "month"}, "not made of whole weeks.* may be year or a number"),
        ({"each": "month", "running": "week"}, "may be quarter, half, year or a number"),
        ({"each": "month", "running": 0}, "from 1 up"),
        ({"each": "month", "running": True}, "whole number"),
        ({"each": "month", "running": "fortnight"}, "or a number of periods; got 'fortnight'"),
        ({"each": "month", "weeks": "364-days"}, "goes with a RetailCalendar"),
        ({"each": "span", "at": "2026-01-01..2026-01-31", "weeks": "364-days"}, "goes with a RetailCalendar"),
        ({"each": "week", "weeks": "364-days", "against": "prior"}, "goes with against='year-ago'"),
        ({"each": "month", "against": "mean"}, "is here: against='mean:4'"),
        ({"each": "month", "against": "fixed:2025"}, "must name one month; '2025' holds 12"),
        ({"each": "month", "against": "fixed:2025-13"}, "`against` must name a month"),
        ({"each": "month", "against": "span:2025-01-01..2025-01-31"}, "needs each='span'"),
        ({"each": "month", "against": "span:2025-01-01.."}, "`against` must be FIRST..LAST"),
        ({"each": "month", "against": "plan"}, "needs `plan`.*none is given"),
        ({"each": "month", "against": "plan", "plan": "plan.csv"}, "got str"),
        ({"each": "month", "plan": "plan.csv"}, "goes with against='plan'"),
        ({"each": "span"}, "needs `at` FIRST..LAST"),
        ({"each": "span", "at": "2025"}, "must be FIRST..LAST"),
        ({"each": "span", "at": "2025-01-01..2025-02-01", "against": "fixed:2025-01"}, "names a period"),
        ({"each": "span", "at": "2025-01-01..2025-02-01", "running": 3}, "not with each='span'"),
        ({"each": "day", "skip_closed": True}, "goes with against='prior' or 'mean:N'"),
        ({"each": "month", "skip_closed": True, "against": "prior"}, "is about days"),
        ({"each": "month", "items": "comparable"}, "name a dimension"),
        ({"each": "month", "per": "week"}, "`per` must be one of day, trading-day"),
        ({"each": "month", "calendar": "retail"}, "`calendar` must be a calendar"),
    ],
)
def test_what_does_not_go_together(demo_book, asked, said):
    with pytest.raises(lc.QuestionError, match=said):
        lc.compare(demo_book, **asked)


def test_objects_are_the_texts(demo_book):
    pairs = [
        (lc.Prior(2), "prior:2"), (lc.YearAgo(), "year-ago"), (lc.MeanOf(4), "mean:4"),
        (lc.YearAgoMean(2), "year-ago-mean:2"), (lc.Fixed("2025-05"), "fixed:2025-05"),
    ]  # fmt: skip
    for basis, text in pairs:
        assert str(basis) == text
        tables = [lc.compare(demo_book, "month", b, last=3, measures="units").table for b in (basis, text)]
        assert tables[0].equals(tables[1])
    span = {"each": "span", "at": "2026-01-01..2026-01-31", "measures": "units"}
    between = lc.Span(dt.date(2025, 1, 1), "2025-01-31")
    assert lc.compare(demo_book, against=between, **span).table.equals(
        lc.compare(demo_book, against=str(between), **span).table
    )


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        (
            {"each": "month", "running": "year"},
            [
                "2025 is only partly covered: the records start on 2 Jan 2025",
                "--covering 2025-01-01..",
                "--until 2026-12-31",
            ],
        ),
        (
            {"each": "month"},
            ["2025-01 is only partly covered", "--covering 2025-01-01..", "2026-12 is", "--until 2026-12-31"],
        ),
        ({"each": "month", "at": "2026-06", "against": "prior"}, []),
        ({"each": "span", "at": "2026-12-20..2026-12-31"}, ["2026-12-20..2026-12-31 is only", "--until 2026-12-31"]),
    ],
)
def test_the_option_that_closes_an_edge(rows_file, asked, said):
    days = pd.date_range("2025-01-02", "2026-12-28").strftime("%Y-%m-%d")
    book = lc.read(rows_file([(d, "x", 1) for d in days]), date="day", values="amount")
    notes = " ".join(lc.compare(book, **asked).notes)
    assert all(part in notes for part in said) and bool(said) == ("only partly covered" in notes)


@pytest.mark.slow
@settings(max_examples=30)
@given(st.data())
def test_closed_days_and_spans_against_plain_dates(days_book, data):
    """Days skipped where none was recorded; any span against the days before, those of a year ago, 364 days earlier."""
    day = dt.timedelta(1)
    first = dt.date(2020, 1, 1) + data.draw(st.integers(0, 1500)) * day
    last = first + data.draw(st.integers(0, 60)) * day
    until = min(first + data.draw(st.integers(0, 80)) * day, dt.date(2025, 12, 31))
    n = data.draw(st.integers(1, 3))
    back = {"prior": n * (last - first + day), "364-days": 364 * n * day}
    for against, weeks in (("prior", "same-number"), ("year-ago", "364-days"), ("year-ago", "same-number")):
        asked = {"each": "span", "at": f"{first}..{last}", "against": f"{against}:{n}", "weeks": weeks}
        asked["calendar"] = RETAIL if weeks == "364-days" else None
        row = lc.compare(days_book.until(until), **asked).table.iloc[0]
        cut = min(last, until)
        ends = (first, last)
        if against == "year-ago" and weeks == "same-number":
            moved = [
                d.replace(year=d.year - n, day=28 if (d.month, d.day) == (2, 29) and n % 4 else d.day) for d in ends
            ]
        else:
            moved = [d - back[weeks if weeks != "same-number" else against] for d in ends]
        base = (moved[0], moved[1] if cut == last else min(moved[0] + (cut - first), moved[1]))
        found = [end.date() for end in (row.start, row.end, row.base_start, row.base_end)]
        assert found == [first, cut, *base] and row.period == f"{first}..{last}"
        assert row.status == ("complete" if cut == last else "to-date")
    recorded = sorted(data.draw(st.sets(st.integers(0, 90), min_size=n + 1, max_size=40)))
    dates = [dt.date(2025, 1, 1) + k * day for k in recorded]
    book = lc.read(pd.DataFrame({"d": dates, "v": 1}), date="d", values="v")
    rows = lc.compare(book, "day", f"prior:{n}", skip_closed=True, at=f"{dates[0]}..{dates[-1]}").table
    for row in rows.itertuples():
        before = [d for d in dates if d < row.start.date()]
        assert (
            (row.base_start.date() == before[-n])
            if len(before) >= n
            else row.note == "no base: no day before has records"
        )
