"""Records that stand for weeks, months, quarters or years; plans; the hint to say so."""

from __future__ import annotations

import datetime as dt
import re
from fractions import Fraction

import numpy as np
import pandas as pd
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import logochron as lc
from logochron.core.book.record_spans import even_parts


@given(st.lists(st.tuples(st.integers(-(10**15), 10**15), st.integers(1, 366)), min_size=1, max_size=20))
def test_even_parts_add_up_to_the_unit(pairs):
    amounts, lengths = (np.array(side, dtype=np.int64) for side in zip(*pairs))
    of, place, parts = even_parts(amounts, lengths)
    for i, (amount, n) in enumerate(pairs):
        q, r = divmod(amount, n)
        told = [q + (r * d) // n - (r * (d - 1)) // n for d in range(1, n + 1)]
        assert parts[of == i].tolist() == told and sum(told) == amount
        assert place[of == i].tolist() == list(range(n))


MONTHS = [("2025-12", "a", "10.01"), ("2026-01", "a", "-3.10"), ("2026-01", "b", "0.02"), ("2026-01", "b", "0.02")]


@pytest.mark.parametrize(("spread", "until"), [(None, None), ("even", None), ("even", "2026-01-10")])
def test_months(rows_file, spread, until):
    path = rows_file([*MONTHS, ("2026-02", "b", "7"), ("Feb", "b", "1")])
    book = lc.read(path, date="day", values="amount", by="item", records_of="month", spread=spread, on_refused="skip")
    assert (str(book.first_day), str(book.last_day)) == ("2025-12-01", "2026-02-28")
    assert (book.intake.counted, book.intake.refused, book.intake.warnings) == (5, 1, ())
    assert book.exact == {"amount": True} and book.records.sum() == 5
    if until is None:
        assert book.totals("month").value.tolist() == [10.01, -3.06, 7]
        assert lc.compare(book, "month", "prior", by="item").total.change.tolist()[1:] == [-13.07, 10.06]
        return
    cut = book.until(until)
    # each record is laid by itself: two of 2 cents over 31 days have given nothing by the tenth
    days = [Fraction(-310 * 10, 31).__floor__(), 0]
    q, r = divmod(-310, 31)
    assert sum(q + r * d // 31 - r * (d - 1) // 31 for d in range(1, 11)) == days[0]
    assert cut.totals("month", by="item").query("period == '2026-01'").value.tolist() == [-1, 0]
    # what is read by makes no difference to the total
    plain = lc.read(
        path, date="day", values="amount", records_of="month", spread="even", on_refused="skip", until=until
    )
    assert plain.totals("day").value.tolist() == cut.totals("day").value.tolist()


@pytest.mark.parametrize(
    ("ask", "said"),
    [
        (lambda book: book.until("2026-01-10"), "lies within a month.*say 2025-12-31 or 2026-01-31"),
        (lambda book: lc.compare(book.covering("2025-12-05"), "month"), "`covering` 2025-12-05 lies within"),
        (lambda book: lc.compare(book, "week"), "stands for a whole month"),
        (lambda book: book.totals("day"), "spread='even'"),
        (lambda book: book.until("2026-04-15"), "46 days past"),
    ],
)
def test_what_whole_months_cannot_tell(rows_file, ask, said):
    book = lc.read(rows_file([*MONTHS, ("2026-02", "b", "7")]), date="day", values="amount", records_of="month")
    assert str(book.until("2026-03-31").report_day) == "2026-03-31"
    assert lc.compare(book, "year", "prior", at="2026").total.status.tolist() == ["to-date"]
    with pytest.raises(lc.QuestionError, match=said):
        ask(book)


@pytest.mark.parametrize(
    ("rows", "dates", "first", "last"),
    [
        ("week", ["2026-05-06", "2026-W20"], "2026-05-04", "2026-05-10"),
        ("quarter", ["2026-05-06", "2026-08-01"], "2026-04-01", "2026-09-30"),
        ("year", ["2025", "2026"], "2025-01-01", "2026-12-31"),
        ("year", ["2025-07-01", "2026-07-01"], "2025-01-01", "2026-12-31"),
        ("month", ["05.2026", "06.2026"], "2026-05-01", "2026-06-30"),
    ],
)
def test_other_periods(rows_file, rows, dates, first, last):
    path = rows_file([(d, "a", 1) for d in dates])
    book = lc.read(path, date="day", values="amount", records_of=rows, on_refused="skip")
    assert (str(book.first_day), str(book.report_day)) == (first, last)


def test_fiscal_years(rows_file):
    path = rows_file([("FY2026-Q1", "a", 4), ("Q2 FY2026", "a", 6)])
    calendar = lc.CivilCalendar(year_start=4)
    book = lc.read(path, date="day", values="amount", records_of="quarter", calendar=calendar)
    assert (str(book.first_day), str(book.last_day)) == ("2025-04-01", "2025-09-30")
    assert lc.compare(book, "half", "prior", calendar=calendar).total.value.tolist() == [10]


RETAIL = lc.RetailCalendar()


@pytest.mark.parametrize(
    ("calendar", "labels", "first", "last"),
    [
        (RETAIL, ["2025-P01", "2025 P2", "P03"], "2025-02-02", "2025-04-05"),
        (RETAIL, ["2023-P12", "2024-p01"], "2023-12-31", "2024-03-02"),
        (lc.ListedCalendar({"start": ["2025-01-03", "2025-03-01"], "end": ["2025-02-28", "2025-04-04"],
                            "label": ["thaw", "sprouts"], "year": [2025, 2025]}), ["thaw", "sprouts"],
         "2025-01-03", "2025-04-04"),
    ],
)  # fmt: skip
def test_periods_by_their_own_names(rows_file, calendar, labels, first, last):
    path = rows_file([(label, "a", 3 + i) for i, label in enumerate(labels)])
    ask = {"date": "day", "values": "amount", "records_of": "month", "calendar": calendar, "on_refused": "skip"}
    book = lc.read(path, **ask)
    assert (str(book.first_day), str(book.report_day)) == (first, last)
    assert lc.compare(book, "month", "prior", calendar=calendar).table.value.tolist()[:2] == [3, 4]
    wide = rows_file([("a", 3, 4)], header=",".join(["item", *labels[:2]]), name="wide.csv")
    laid = lc.read(wide, values="amount", by="item", periods_in_columns="month", calendar=calendar)
    assert laid.totals("month", calendar=calendar).value.tolist() == [3, 4]
    # a civil month is none of them
    with pytest.raises(lc.IntakeError, match="'2025-05'.*a calendar that has it|no usable date"):
        lc.read(rows_file([("2025-05", "a", 1)]), **ask)


def test_floats_are_divided(rows_file):
    path = rows_file([("2026-01", "a", "0.12345678"), ("2026-02", "a", "1e30")])
    book = lc.read(path, date="day", values="amount", records_of="month", spread="even")
    assert book.totals("month").value.tolist() == pytest.approx([0.12345678, 1e30], rel=1e-12)


@pytest.mark.parametrize(
    ("dates", "grain"),
    [
        (["2026-01-01", "2026-02-01", "2026-03-01"], "month"),
        (["2026-01-31", "2026-02-28", "2026-03-31"], "month"),
        (["2026-01-15", "2026-04-15", "2026-07-15"], "quarter"),
        (["2024-12-31", "2025-12-31", "2026-12-31"], "year"),
        (["2026-05-04", "2026-05-11", "2026-05-18", "2026-06-01"], "week"),
        (["2026-05-04", "2026-05-11", "2026-05-18"], None),
        (["2026-01-01", "2026-02-01", "2026-03-02"], None),
    ],
)
def test_hint(rows_file, dates, grain):
    warnings = lc.read(rows_file([(d, "a", 1) for d in dates]), date="day", values="amount").intake.warnings
    assert (f"records_of='{grain}' (--records-of {grain})" in " ".join(warnings)) if grain else not warnings


@pytest.mark.parametrize(
    ("days", "grain", "said", "refused"),
    [
        (pd.date_range("2026-01-01", "2026-10-18"), "month", "3[01] different.*median month.*--records-of day", True),
        (pd.date_range("2026-01-05", "2026-10-18", freq="W-MON"), "quarter", "13 different.*records_of='week'", True),
        (pd.date_range("2023-01-01", "2026-10-18", freq="MS"), "year", "12 different.*records_of='month'", True),
        (pd.date_range("2023-01-01", "2026-10-18", freq="SMS"), "month", "2 different.*records_of='week'", False),
        (pd.date_range("2023-01-01", "2026-10-18", freq="MS"), "month", "", False),
        (pd.to_datetime(["2026-01-05", "2026-02-03", "2026-02-04", "2026-03-02"]), "month", "", False),
    ],
)  # fmt: skip
def test_records_of_shorter_periods(rows_file, cli, days, grain, said, refused):
    path = rows_file([(day.date(), "a", 1) for day in days])
    if refused:
        with pytest.raises(lc.QuestionError, match=said):
            lc.read(path, date="day", values="amount", records_of=grain)
        ran = cli("compare", path, "--date", "day", "--value", "amount", "--records-of", grain)
        assert ran.returncode == 2 and re.search(said, ran.stderr) and not ran.stdout
    else:
        warned = " ".join(lc.read(path, date="day", values="amount", records_of=grain).intake.warnings)
        assert re.search(said, warned) if said else not warned


def test_plan(tmp_path):
    folder = lc.demo.write(tmp_path)
    plan = lc.read_plan(folder[1], date="month", value="revenue", measure="revenue", by="harbor")
    assert (str(plan.first_day), str(plan.last_day), plan.exact) == ("2024-01-01", "2026-12-31", {"revenue": True})
    written = lc.read(folder[1], date="month", values="revenue", by="harbor", records_of="month")
    assert plan.totals("month", by="harbor").value.tolist() == written.totals("month", by="harbor").value.tolist()
    # by 18 October 18 of 31 days are planned, to the unit for each harbor
    cut = plan.until("2026-10-18").totals("month", by="harbor").query("period == '2026-10'").value
    whole = written.totals("month", by="harbor").query("period == '2026-10'").value
    assert (abs(cut.to_numpy() - whole.to_numpy() * 18 / 31) < 1).all()
    with pytest.raises(lc.QuestionError, match="`spread` must be"):
        lc.read_plan(folder[1], date="month", value="revenue", measure="revenue", spread="odd")


@pytest.mark.slow
@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.lists(
        st.tuples(
            st.dates(dt.date(2024, 1, 1), dt.date(2025, 12, 31)), st.sampled_from("ab"), st.integers(-9999, 9999)
        ),
        min_size=1,
        max_size=15,
    ),
    st.sampled_from(["week", "month", "quarter", "year"]),
)
def test_spread_keeps_the_sums(tmp_path, rows, grain):
    """Laid on days or not, whole periods have the same sums, and days add up to a plain twin."""
    path, calendar = tmp_path / "f.csv", lc.CivilCalendar()
    # one or two days of each period: more look like records of days
    starts = [calendar.periods(grain, day, day).start[0].date() for day, _, _ in rows]
    rows = [(start + dt.timedelta(days=day.day % 2), *rest) for start, (day, *rest) in zip(starts, rows)]
    path.write_text("day,item,amount\n" + "".join(f"{d},{i},{n / 100:.2f}\n" for d, i, n in rows))
    ask = {"date": "day", "values": "amount", "by": "item", "records_of": grain}
    ask["covering"] = ("2024-01-01", "2026-01-04" if grain == "week" else "2025-12-31")
    whole, laid = lc.read(path, **ask), lc.read(path, **ask, spread="even")
    assert whole.totals(grain, by="item").value.tolist() == laid.totals(grain, by="item").value.tolist()
    unit = 10 ** laid.amounts["amount"].scale
    twin = {}
    for day, _, cents in rows:
        period = calendar.periods(grain, day, day).iloc[0]
        n = int(period.days)
        q, r = divmod(cents * unit // 100, n)
        for d in range(1, n + 1):
            key = period.start + np.timedelta64(d - 1, "D")
            twin[key] = twin.get(key, 0) + q + r * d // n - r * (d - 1) // n
    days = laid.totals("day").set_index("start").value
    assert {day: round(v * unit) for day, v in days.items() if v} == {day: v for day, v in twin.items() if v}


def test_spread_records_have_rows_on_all_their_days(rows_file):
    rows = [("2026-01-01", "x", 31), ("2026-02-01", "x", 56), ("2026-02-01", "y", 28)]
    book = lc.read(rows_file(rows), date="day", values="amount", by="item", records_of="month", spread="even")
    weeks = lc.compare(book, "week", "prior", by="item", last=1)  # no record begins in either week
    assert weeks.table.item.tolist() == ["x", "y"] and weeks.table.value.sum() == weeks.total.value[0]
    few = lc.read(rows_file([("2026-01-01", "x", 3), ("2026-01-01", "y", 0)]), date="day", values="amount", by="item",
                  records_of="month", spread="even")  # fmt: skip
    day = lc.compare(few, "day", "prior", by="item", at="2026-01-05").table  # nothing of the 3 lies on this day
    assert day.item.tolist() == ["x", "y"] and day.value.tolist() == [0, 0]
