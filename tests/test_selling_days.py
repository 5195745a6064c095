"""Selling days: which days they are, what is divided by them, plans and landings on them."""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import logochron as lc

DAYS = pd.date_range("2024-01-01", "2026-11-14")
#: Nothing is ever sold on a Sunday.
SOLD = pd.DataFrame({"day": DAYS[DAYS.day_of_week < 6]}).assign(revenue=100.0)
CLOSED = ["2026-12-24..2026-12-26", "2025-11-10"]
named_days = st.lists(st.dates(dt.date(2025, 1, 1), dt.date(2026, 12, 31)), max_size=4)


@pytest.fixture(scope="module")
def book() -> lc.Daybook:
    return lc.read(SOLD, date="day", values="revenue")


def on(day: dt.date, weekdays: set[int], closed: list[dt.date], opened: list[dt.date]) -> bool:
    return day in opened or (day.weekday() in weekdays and day not in closed)


@settings(max_examples=20)
@given(weekdays=st.sets(st.integers(0, 6), min_size=1), closed=named_days, opened=named_days)
def test_periods_are_divided_by_the_days_counted_one_by_one(
    book: lc.Daybook, weekdays: set[int], closed: list[dt.date], opened: list[dt.date]
) -> None:
    names = [dt.date(2024, 1, 1 + day).strftime("%A").lower() for day in weekdays]  # 1 January 2024 is a Monday
    selling = lc.SellingDays(weekdays=names, closed=closed, open=opened)
    rows = lc.compare(book, "month", per="selling-day", selling_days=selling).total
    for row in rows[rows.base_days.notna()].itertuples():
        sides = ((row.start, row.end, row.days), (row.base_start, row.base_end, row.base_days))
        counts = [sum(on(d.date(), weekdays, closed, opened) for d in pd.date_range(a, b)) for a, b, _ in sides]
        assert counts == [n for *_, n in sides]
        assert (f"{counts[0]} selling days against {counts[1]}" in row.note) == (counts[0] != counts[1])
        total = SOLD.revenue[(SOLD.day >= row.start) & (SOLD.day <= row.end)].sum()
        if counts[0]:
            assert row.value == pytest.approx(total / counts[0])
        else:
            assert np.isnan(row.value) and "no selling days" in row.note


@pytest.mark.parametrize(
    ("given", "expected"),
    [
        ("mon-sat", "MTWTFS."),
        ("sat-mon", "M....SS"),
        ("Mon, wed ,friday", "M.W.F.."),
        (["tuesday", "thu"], ".T.T..."),
    ],
)
def test_weekdays_are_read_as_people_write_them(given: Any, expected: str) -> None:
    assert lc.SellingDays(weekdays=given).weekdays_open == tuple(sign != "." for sign in expected)


def test_where_nothing_is_said_weekdays_without_records_are_closed(book: lc.Daybook) -> None:
    landing = lc.land(book, "year", plan=lc.Constant(40_000, each="year"))
    left = [day for day in pd.date_range("2026-11-15", "2026-12-31") if day.weekday() < 6]
    assert landing.days_left == len(left) == 40
    to_date = 100.0 * (SOLD.day.dt.year == 2026).sum()
    assert landing.total.needed_per_day[0] == pytest.approx((40_000 - to_date) / 40)
    assert "no record lies on any Sunday: taken as no selling day" in landing.notes
    assert "per selling day are required in the 40 selling days left" in " ".join(lc.words.sentences(landing))
    stated = lc.land(book, "year", selling_days=lc.SellingDays(weekdays="mon-sun"))
    assert stated.days_left == 47 and not any("Sunday" in note for note in stated.notes)
    few = lc.read(SOLD[:20], date="day", values="revenue").until("2024-01-25")
    assert lc.land(few, "month").days_left == 6  # by chance no Sunday is among few days


def test_the_share_of_selling_days_that_are_over(book: lc.Daybook) -> None:
    selling = lc.SellingDays(weekdays="mon-fri", closed=CLOSED)
    landing = lc.land(book, "month", profile="selling-days", selling_days=selling)
    assert landing.total.expected_share[0] == pytest.approx(10 / 21)
    assert landing.total.estimate[0] == pytest.approx(1200 / (10 / 21))
    assert "20 selling days" not in landing.total.note[0] and "21 selling days against 19" in landing.total.note[0]
    assert set(landing.backtest.profile) >= {"selling-days", "best", "even"}


@settings(max_examples=20)
@given(amount=st.integers(-(10**6), 10**6), closed=named_days, decimals=st.integers(0, 2))
def test_a_plan_lies_evenly_on_selling_days_and_adds_up(
    book: lc.Daybook, amount: int, closed: list[dt.date], decimals: int
) -> None:
    text = f"{amount / 10**decimals:.{decimals}f}"
    months = pd.DataFrame({"month": [f"2026-{m:02d}" for m in range(1, 12)], "revenue": text})
    plan = lc.read_plan(months, date="month", value="revenue", measure="revenue", spread="selling-days",
                        selling_days=lc.SellingDays(weekdays="mon-fri", closed=closed))  # fmt: skip
    whole = lc.compare(book, "month", "plan", plan=plan, at="2026-01..2026-10").total
    assert whole.base.tolist() == [float(text)] * 10
    days = lc.compare(book, "day", "plan", plan=plan, at="2026-01..2026-10").total
    is_open = np.array([on(d.date(), set(range(5)), closed, []) for d in days.start])
    assert (days.base[~is_open] == 0).all()
    for _, month in days[is_open].groupby(days.start.dt.month):
        assert month.base.max() - month.base.min() <= 10**-decimals * 1.001


def test_without_a_selling_day_a_plan_is_laid_evenly_and_said(book: lc.Daybook) -> None:
    month = pd.DataFrame({"month": ["2026-10"], "revenue": [310]})
    plan = lc.read_plan(month, date="month", value="revenue", measure="revenue", spread="selling-days",
                        selling_days=lc.SellingDays(closed="2026-10"))  # fmt: skip
    days = lc.compare(book, "day", "plan", plan=plan, at="2026-10")
    assert days.total.base.tolist() == [10.0] * 31
    assert "1 record of the plan spread evenly: no day of their periods is a selling day" in days.notes


def test_holidays_and_tables_of_days(tmp_path: Path, book: lc.Daybook) -> None:
    pytest.importorskip("holidays")
    pd.DataFrame({"date": ["2026-12-24"], "until": ["2026-12-28"]}).to_csv(tmp_path / "c.csv", index=False)
    by_table = lc.SellingDays(weekdays="mon-sun", closed=[tmp_path / "c.csv", "2026-12-30"])
    assert lc.land(book, "year", selling_days=by_table).days_left == 47 - 6
    (tmp_path / "bare.csv").write_text("24.12.2026\n\n25.12.2026")  # days alone, without a header
    bare = lc.SellingDays(weekdays="mon-sun", closed=tmp_path / "bare.csv")
    assert lc.land(book, "year", selling_days=bare).days_left == 47 - 2
    by_country = lc.SellingDays(weekdays="mon-sun", holidays="PT", open="2026-12-25")
    assert lc.land(book, "year", selling_days=by_country).days_left == 47 - 2  # 1 and 8 December


@pytest.mark.parametrize(
    ("call", "said"),
    [
        (lambda book: lc.SellingDays(weekdays="moonday"), "Did you mean 'monday'"),
        (lambda book: lc.SellingDays(weekdays=[]), "names no day"),
        (lambda book: lc.SellingDays(closed="2026-12-24.."), "must be FIRST..LAST"),
        (lambda book: lc.SellingDays(closed=["someday"]), "`closed` must be a day"),
        (lambda book: lc.compare(book, "month", selling_days="mon-sat"), "SellingDays"),  # type: ignore[arg-type]
        (lambda book: lc.read(SOLD, date="day", values="revenue", selling_days="mon-sat"), "SellingDays"),
        (
            lambda book: lc.compare(
                lc.read(SOLD[::27], date="day", values="revenue", records_of="month"), "month", per="selling-day"
            ),  # fmt: skip
            "needs records of days",
        ),
    ],
)
def test_what_cannot_be_is_refused(book: lc.Daybook, call: Any, said: str) -> None:
    with pytest.raises(lc.LogochronError, match=said):
        call(book)


def test_the_command_line_and_the_report_file(cli: Any, tmp_path: Path) -> None:
    SOLD.to_csv(tmp_path / "s.csv", index=False)
    pd.DataFrame({"date": ["2025-11-10"]}).to_csv(tmp_path / "c.csv", index=False)
    options = ["--selling-days", "mon-sat", "--closed", "c.csv", "--closed", "2026-12-24..2026-12-26"]
    months = cli("compare", "s.csv", "--value", "revenue", *options, "--last", "1", cwd=tmp_path)
    assert months.returncode == 0 and "12 selling days against 11" in months.stdout
    required = cli("land", "s.csv", "--value", "revenue", "--within", "year", "--plan", "40000", *options, cwd=tmp_path)
    assert "to reach plan in 37 selling days" in required.stdout
    receipt = cli("explain", "s.csv", "--value", "revenue", "--per", "selling-day", "--at", "2026-10", cwd=tmp_path)
    assert "value = 2,700 / 27 selling days = 100.00" in receipt.stdout
    (tmp_path / "r.toml").write_text(
        '[sales]\nfile = "s.csv"\ndate = "day"\nvalues = ["revenue"]\n'
        '[selling_days]\nweekdays = "mon-sat"\nclosed = ["c.csv", "2026-12-24..2026-12-26"]\n'
        '[[section]]\nheading = "Year"\nquestion = "land"\nwithin = "year"\n'
        '[[section]]\nheading = "Months"\nquestion = "compare"\nper = "selling-day"\nlast = 1\n'
    )
    answers = lc.Report.load(tmp_path / "r.toml").run()
    assert answers["Year"].days_left == 37 and answers["Months"].total.base_days.tolist() == [11]
    settings_of = cli("compare", "--settings", "r.toml", "--last", "1", cwd=tmp_path)
    assert "12 selling days against 11" in settings_of.stdout
    (tmp_path / "r.toml").write_text((tmp_path / "r.toml").read_text().replace("weekdays", "weekday"))
    with pytest.raises(lc.ReportError, match="Did you mean 'weekdays'"):
        lc.Report.load(tmp_path / "r.toml")
