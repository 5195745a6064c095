"""Comparing: against a twin that walks days one by one, against SQL, and the laws."""

from __future__ import annotations

import datetime as dt
import math
from fractions import Fraction

import duckdb
import numpy as np
import pandas as pd
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from twin import DAY, add_months, month_end

import logochron as lc
from logochron.core.book.coverage import typing_errors
from logochron.core.rows import answer as rows_of_answers
from logochron.views import write_file
from logochron.views.tables import answer_tables

COLUMNS = [
    *("measure", "period", "start", "end", "days", "harbor", "value", "base_period", "base_start", "base_end"),
    *("base_days", "base", "change", "growth", "ratio", "share", "base_share", "direction", "verdict", "band"),
    *("status", "note"),
]


def twin(each: str, against: str, year_start: int, report: dt.date) -> tuple[dt.date, dt.date, dt.date, dt.date] | None:
    """The days of the period that holds the report date, and of its base, by the words of the definition."""
    n = int(against.partition(":")[2] or 1)
    if each == "day":
        if against.startswith("prior"):
            return report, report, report - n * DAY, report - n * DAY
        try:
            base = report.replace(year=report.year - n)
        except ValueError:
            base = dt.date(report.year - n, 2, 28)
        return report, report, base, base
    if each == "week":
        start = report - report.weekday() * DAY
        if against.startswith("prior"):
            base = start - 7 * n * DAY
        else:
            year, week, _ = report.isocalendar()
            try:
                base = dt.date.fromisocalendar(year - n, week, 1)
            except ValueError:
                return None
        return start, report, base, base + (report - start)
    size = {"month": 1, "quarter": 3, "half": 6, "year": 12}[each]
    into = (report.month - year_start) % 12 % size
    start = add_months(report, -into)
    base = add_months(start, -(size if against.startswith("prior") else 12) * n)
    last_month = add_months(base, into)
    cut = month_end(last_month) if report == month_end(report) else None
    end = cut or min(last_month + (report.day - 1) * DAY, month_end(last_month))
    if report == add_months(start, size) - DAY:  # complete: the whole base
        end = add_months(base, size) - DAY
    return start, report, base, end


@pytest.fixture(scope="module")
def long_book(tmp_path_factory) -> lc.Daybook:
    days = np.arange("2018-01-01", "2025-01-01", dtype="datetime64[D]")
    frame = pd.DataFrame({"day": days, "amount": (np.arange(len(days)) * 7919) % 1000 / 100})
    path = tmp_path_factory.mktemp("long") / "sales.csv"
    frame.to_csv(path, index=False)
    return lc.read(path, date="day", values="amount")


REPORTS = [dt.date(2021, 1, 1) + k * DAY for k in range(0, 1461, 41)] + [
    dt.date(2024, 2, 28), dt.date(2024, 2, 29), dt.date(2023, 2, 28), dt.date(2020, 12, 31), dt.date(2021, 1, 3),
    dt.date(2024, 3, 31), dt.date(2024, 4, 30), dt.date(2024, 12, 30),
]  # fmt: skip


GRAINS = ["day", "week", "month", "quarter", "half", "year"]


@pytest.mark.parametrize(("each", "year_start"), [*((g, 1) for g in GRAINS), ("quarter", 4), ("half", 8), ("year", 4)])
@pytest.mark.parametrize("against", ["prior", "prior:3", "year-ago", "year-ago:2"])
def test_twin_over_report_dates(long_book, each, against, year_start):
    calendar = lc.CivilCalendar(year_start=year_start)
    for report in REPORTS:
        answer = lc.compare(long_book.until(report), each, against, last=1, calendar=calendar)
        row = {name: column.item() for name, column in answer.columns.items() if column.dtype != object}
        expected = twin(each, against, year_start, report)
        if expected is None or expected[2] < dt.date(2018, 1, 1):
            why = "no week 53 in" if expected is None else "no base: the records start on 2018-01-01"
            assert answer.table.note[0].startswith(why) and math.isnan(row["base"])
            continue
        got = tuple(row[name] for name in ("start", "end", "base_start", "base_end"))
        assert got == expected, (each, against, report)
        assert (row["days"], row["base_days"]) == ((got[1] - got[0]).days + 1, (got[3] - got[2]).days + 1)
        assert row["end"] <= report  # no span passes the report date


def test_spans_are_what_is_summed(long_book):
    table = lc.compare(long_book, "quarter", "prior").table
    for row in table[table.base.notna()].itertuples():
        for start, end, total in ((row.start, row.end, row.value), (row.base_start, row.base_end, row.base)):
            days = pd.date_range(start, end)
            index = (days - pd.Timestamp("2018-01-01")).days.to_numpy()
            assert total == pytest.approx(((index * 7919) % 1000).sum() / 100, abs=1e-9)


@pytest.mark.parametrize("each", ["week", "month", "quarter", "year"])
@pytest.mark.parametrize("until", ["2026-10-18", "2026-02-28", "2025-12-31", "2024-06-12"])
def test_against_sql(demo_book, tmp_path, each, until):
    sales, _ = lc.demo.write(tmp_path)
    got = lc.compare(demo_book.until(until), each, "prior", by=["harbor", "line"], partial="drop", measures="revenue")
    sql = f"""
        WITH p AS (SELECT date_trunc('{each}', sold_on)::DATE AS start, harbor, line, sum(revenue::DECIMAL(18, 2)) AS s
                   FROM '{sales}' WHERE sold_on <= '{until}' GROUP BY ALL)
        SELECT p.start, p.harbor, p.line, p.s::DOUBLE AS value, q.s::DOUBLE AS base FROM p LEFT JOIN p AS q
        ON (p.harbor, p.line) = (q.harbor, q.line) AND q.start = p.start - INTERVAL 1 {each}"""
    expected = duckdb.sql(sql).df()
    merged = got.table.merge(expected, on=["start", "harbor", "line"], suffixes=("", "_sql"))
    assert len(merged) == (got.table.value != 0).sum()  # what is not in SQL's answer is 0
    np.testing.assert_allclose(merged.value, merged.value_sql, rtol=1e-12)
    known = merged.base_sql.notna() & merged.base.notna()
    assert known.sum() >= 12
    np.testing.assert_allclose(merged.base[known], merged.base_sql[known], rtol=1e-12)


def test_columns_in_order_and_kinds(demo_book):
    result = lc.compare(demo_book, "month", by="harbor", last=13, measures=["revenue", "cost"])
    assert result.table.columns.tolist() == COLUMNS
    assert result.total.columns.tolist() == COLUMNS
    assert result.table.period.cat.ordered
    assert (result.table.period.cat.categories == result.total.period.cat.categories).all()
    assert str(result.table.days.dtype) == "Int64"
    assert {str(result.table[c].dtype) for c in ("start", "end", "base_start", "base_end")} == {"datetime64[s]"}
    assert result.total.harbor.isna().all() and len(result.total) == 26
    assert not result.columns["value"].flags.writeable
    with pytest.raises(AttributeError):
        result.each = "week"


def test_laws(demo_book):
    for by in ("harbor", ["harbor", "line"]):
        result = lc.compare(demo_book, "month", by=by, measures=["revenue", "units"])
        sums = result.table.groupby(["measure", "period"], observed=True)[["value", "base"]].sum(min_count=1)
        total = result.total.set_index(["measure", "period"])
        np.testing.assert_allclose(sums.value, total.value.loc[sums.index], rtol=1e-12)
        known = result.table[result.table.growth.notna()]
        np.testing.assert_allclose(known.growth * known.base, known.change, rtol=1e-9, atol=1e-9)
        np.testing.assert_allclose(known.value - known.base, known.change, atol=1e-6)
        shares = result.table.groupby(["measure", "period"], observed=True)["share"].sum()
        np.testing.assert_allclose(shares, 1, rtol=1e-12)
    prior = lc.compare(demo_book, "week", "prior", measures="revenue").table
    np.testing.assert_array_equal(prior.base[2:-1], prior.value[1:-2])  # the prior of the next is itself
    whole = lc.compare(demo_book, "year", measures="revenue").table.value.sum()
    assert whole == pytest.approx(demo_book.totals("day").query("measure == 'revenue'").value.sum(), abs=1e-6)


@settings(max_examples=25)
@given(st.sampled_from(GRAINS), st.integers(0, 1980), st.integers(1, 12), st.sampled_from(["monday", "sunday"]))
def test_totals_are_kept(demo_book, each, day, year_start, week_start):
    """Whatever the grain, the calendar and the report date: the periods add up to the whole."""
    until = dt.date(2021, 5, 17) + day * DAY
    calendar = lc.CivilCalendar(year_start=year_start, week_start=week_start)
    book = demo_book.until(until)
    result = lc.compare(book, each, "prior", by="harbor", measures="revenue", calendar=calendar)
    days = book.totals("day").query("measure == 'revenue'")
    assert days.end.max().date() == until
    assert result.total.value.sum() == pytest.approx(days.value.sum(), abs=1e-6)
    assert result.table.value.sum() == pytest.approx(days.value.sum(), abs=1e-6)
    assert result.total.end.max().date() == until and (result.total.base_end.dropna() < result.total.start.max()).all()
    statuses = result.total.status.tolist()
    assert set(statuses[1:-1]) <= {"complete"}


def test_where_is_the_row_of_the_item(demo_book):
    rows = lc.compare(demo_book, "month", by="harbor").table
    alone = lc.compare(demo_book.where({"harbor": "Dunmarrow"}), "month").table
    picked = rows[rows.harbor == "Dunmarrow"].drop(columns=["harbor", "share", "base_share"]).reset_index(drop=True)
    pd.testing.assert_frame_equal(picked, alone.drop(columns=["share", "base_share"]))
    rest = demo_book.where({"harbor": lc.Not("Dunmarrow"), "line": ["hire", "gear"]})
    assert rest.items("harbor") == ["Alderquay", "Brackenmouth", "Cold Pier"] and rest.items("line") == ["gear", "hire"]
    assert rest.coverage == demo_book.coverage


def test_only_items_with_records_in_the_answer(demo_book):
    assert set(lc.compare(demo_book, "year", at="2022", by="harbor").table.harbor) == {
        "Alderquay", "Brackenmouth", "Cold Pier",
    }  # fmt: skip
    both = lc.compare(demo_book, "year", at="2022..2024", by="harbor", measures="revenue").table
    dunmarrow = both[both.harbor == "Dunmarrow"]
    assert dunmarrow.note.tolist()[1:] == ["none in both", "new"]


def test_answers_without_rows(demo_book, tmp_path):
    nothing = lc.compare(demo_book, "month", by="harbor", at="2030-01")  # no item has a record there
    assert (
        len(nothing.table) == 0
        and nothing.total.note.tolist() == ["not recorded; no base: the records end on 2026-10-18"] * 3
    )
    empty = lc.compare(demo_book, "year", partial="drop", at="2026", by="harbor")
    assert len(empty.table) == len(empty.total) == 0 and empty.periods == ()
    for result in (nothing, empty):
        assert result.write(tmp_path / "f.csv").read_text().splitlines() == [",".join(COLUMNS)]
        assert "<table>" in result._repr_html_() and repr(result).startswith("<Comparison: 0 rows")
        assert lc.draw.columns(result).texts


def test_leap_day_and_week_53(long_book):
    leap = lc.compare(long_book, "day", at="2024-02-28..2024-03-01").table
    assert leap.base_period.tolist() == ["2023-02-28", "2023-02-28", "2023-03-01"]
    assert leap.note.tolist() == ["", "leap day", ""]
    week = lc.compare(long_book, "week", at="2020-W53").table.iloc[0]
    assert week.note == "no week 53 in 2019" and pd.isna(week.base_period) and pd.isna(week.base_start)
    after = lc.compare(long_book, "week", "prior", at="2021-W01").table.iloc[0]
    assert after.base_period == "2020-W53"


def test_report_date(rows_file):
    rows = [(f"2025-{m:02d}-{d:02d}", "x", 1) for m in range(1, 13) for d in (1, 10, 20, 28)]
    book = lc.read(rows_file(rows), date="day", values="amount")
    later = lc.compare(book.until("2026-01-05"), "month", "prior", last=2).table
    assert later.note.tolist() == ["taken as complete to 2026-01-05", "none now; taken as complete to 2026-01-05"]
    assert later.iloc[1][["value", "base"]].tolist() == [0, 1] and later.iloc[1].base_end == pd.Timestamp("2025-12-05")
    with pytest.raises(lc.QuestionError, match="at most 31 are believed"):
        book.until("2026-02-20")
    assert book.covering(last="2026-02-20").report_day == dt.date(2026, 2, 20)
    with pytest.raises(lc.QuestionError, match="before the first day"):
        book.until("2024-12-31")
    hints = lc.compare(book, "month").notes
    assert any("--until 2025-12-31" in line for line in hints)
    read_short = lc.read(rows_file(rows), date="day", values="amount", until="2025-06-15")
    assert (read_short.intake.counted, read_short.intake.set_aside) == (22, 26)
    with pytest.raises(lc.QuestionError, match="read again"):
        read_short.until("2025-07-01")


def test_far_off_dates_are_refused_until_settled(rows_file):
    rows = [(dt.date(2025, 1, 1) + k * DAY, "x", 1) for k in range(60)] + [("2062-03-01", "x", 9)]
    book = lc.read(rows_file(rows), date="day", values="amount")
    with pytest.raises(lc.QuestionError, match="2062-03-01.*typing error.*--until 2025-03-01"):
        lc.compare(book, "month")
    assert len(lc.compare(book.until("2025-03-01"), "month").table) == 3
    assert book.until("2025-03-05").coverage.by_word
    assert lc.compare(book.covering("2025-01-01", "2062-03-01"), "year").table.value.sum() == 69
    early = lc.read(rows_file([("1025-01-01", "x", 9), *rows[:-1]]), date="day", values="amount")
    with pytest.raises(lc.QuestionError, match=r"--covering 2025-01-01\.\."):
        lc.compare(early, "month")


@given(st.sets(st.integers(0, 60), min_size=1, max_size=30), st.sets(st.integers(-3000, 4000), max_size=4))
@example(set(range(20)), {2000})
@example(set(range(19)), {2000})
@example(set(range(20)), {-365, 2000})
def test_typing_errors_twin(days, far):
    recorded = np.array(sorted(days | far))
    before, after = expected = parted_twin(recorded)
    if after:
        expected = parted_twin(recorded[:-after])[0], after
    elif before:
        expected = before, parted_twin(recorded[before:])[1]
    assert typing_errors(recorded) == expected


def parted_twin(recorded):
    """Those of one end: the other is asked with these put away."""
    gaps = np.diff(recorded)
    expected = (0, 0)
    for k in range(1, min(3, len(recorded) - 1) + 1):
        # where either side of the gap is short, the shorter is the mistyped one
        for place, answer in ((len(gaps) - k, (0, k)), (k - 1, (k, 0))):
            rest = np.delete(gaps, place)
            if (
                expected == (0, 0)
                and len(recorded) - k >= 20
                and gaps[place] > max(92, 20 * np.median(gaps), rest.max())
            ):
                expected = answer
    return expected


def test_closed_edges_say_their_option(rows_file):
    fridays = [(d.date(), "x", 1) for d in pd.bdate_range("2024-01-02", "2025-05-30")]
    result = lc.compare(lc.read(rows_file(fridays), date="day", values="amount"), "month")
    assert any("--covering 2024-01-01.." in line for line in result.notes)
    assert any("--until 2025-05-31" in line for line in result.notes)
    closed = lc.read(rows_file(fridays), date="day", values="amount", covering=("2024-01-01", "2025-05-31"))
    row = lc.compare(closed, "month", last=1).table.iloc[0]
    assert (row.status, row.base_period, row.note) == ("complete", "2024-05", "")


def test_fiscal_names_are_explained(demo_book):
    result = lc.compare(demo_book, "year", calendar=lc.CivilCalendar(year_start=4), at="FY2026")
    assert "FY2026 = 1 Apr 2025 to 31 Mar 2026" in result.notes


@pytest.mark.parametrize(
    ("better", "level_as", "verdicts"),
    [
        ("higher", "neutral", ["favorable", "adverse", "neutral", "unknown"]),
        ("lower", "adverse", ["adverse", "favorable", "adverse", "unknown"]),
        ("neither", "favorable", ["neutral", "neutral", "favorable", "unknown"]),
    ],
)
def test_verdict(rows_file, better, level_as, verdicts):
    path = rows_file([("2024-06-30", "x", 1)] + [(f"{y}-0{m}-15", "x", v) for y, m, v in [
        (2025, 1, 4), (2026, 1, 5), (2025, 2, 4), (2026, 2, 3), (2025, 3, 4), (2026, 3, 4), (2026, 4, 1)]])  # fmt: skip
    book = lc.read(path, date="day", measures=[lc.Measure("costs", column="amount", better=better)])
    judging = {"costs": lc.Judging(level_as=level_as)}
    table = lc.compare(book, "month", at="2026-01..2026-03", judging=judging).table
    unknown = lc.compare(book, "month", at="2025-01", judging=judging).table
    assert [*table.verdict, *unknown.verdict] == verdicts


records = st.tuples(st.integers(0, 800), st.sampled_from("abc"), st.sampled_from("xy"), st.integers(-300, 900))


@settings(max_examples=40)
@given(st.lists(records, min_size=2, max_size=50), st.sampled_from(["month", "quarter"]), st.booleans())
def test_items_against_a_plain_twin(tmp_path_factory, drawn, each, prior):
    """Every row of two dimensions, summed in plain Python over the days the row names."""
    first = dt.date(2024, 1, 1)
    path = tmp_path_factory.mktemp("twin") / "f.csv"
    ends = [(0, "a", "x", 100), (800, "a", "x", 100)]
    rows = [(first + day * DAY, one, two, Fraction(cents, 100)) for day, one, two, cents in [*drawn, *ends]]
    path.write_text("d,one,two,v\n" + "".join(f"{d},{o},{t},{float(v):.2f}\n" for d, o, t, v in rows))
    # stated, since a few drawn days may lie so far apart that they look mistyped
    book = lc.read(path, date="d", values="v", by=["one", "two"], covering=(first, first + 800 * DAY))
    result = lc.compare(book, each, "prior" if prior else "year-ago", by=["one", "two"], last=4)
    items = set()
    for split, table in ((False, result.total), (True, result.table)):
        for r in table.itertuples():
            sides: list[Fraction | None] = []
            for start, end, share in ((r.start, r.end, r.share), (r.base_start, r.base_end, r.base_share)):
                if pd.isna(start):
                    sides.append(None)
                    continue
                within = [row for row in rows if start.date() <= row[0] <= end.date()]
                items |= {(row[1], row[2]) for row in within}
                sides.append(sum((v for _, o, t, v in within if not split or (o, t) == (r.one, r.two)), Fraction(0)))
                whole = sum((row[3] for row in within), Fraction(0))
                assert share == pytest.approx(float(sides[-1] / whole) if whole > 0 else math.nan, nan_ok=True)
            value, base = sides
            assert r.value == float(value)
            if base is None:
                assert math.isnan(r.base) and r.direction == r.verdict == "unknown"
                continue
            assert (r.base, r.change) == (float(base), float(value - base))
            assert r.growth == pytest.approx(float((value - base) / base) if base > 0 else math.nan, nan_ok=True)
            assert r.direction == ("level" if value == base else "rising" if value > base else "falling")
            own = [row[0] for row in rows if not split or (row[1], row[2]) == (r.one, r.two)]
            later, days = min(own) > r.base_end.date(), sorted(set(own))
            silence = (first + 800 * DAY - days[-1]).days
            gap = (days[-1] - days[0]).days / (len(days) - 1) if len(days) > 1 else math.inf
            gone = days[-1] < r.start.date() and silence > 28 and silence > 5 * gap
            told = {"new": base == 0 != value and later, "none in base": base == 0 != value and not later}
            told |= {"ended": value == 0 < base and gone, "none now": value == 0 < base and not gone}
            told["none in both"] = value == base == 0
            told["negative base"] = base < 0
            assert {n for n in told if n in r.note.split("; ")} == {n for n, holds in told.items() if holds}
    assert set(zip(result.table.one, result.table.two)) == items
    assert len(result.table) == 4 * len(items)


@settings(max_examples=60)
@given(
    st.lists(
        st.tuples(st.integers(0, 400), st.integers(0, 3), st.integers(-(10**15), 10**15)), min_size=1, max_size=60
    ),
    st.sampled_from([0, 2, 6, None]),
    st.lists(st.tuples(st.integers(-5, 410), st.integers(-1, 60)), min_size=1, max_size=20),
)
def test_span_sums_twin(rows, scale, spans):
    from logochron.core.book import sums

    days, items, amounts = (np.array(column, dtype=np.int64) for column in zip(*rows))
    starts = np.array([s for s, _ in spans])
    ends = np.array([s + length for s, length in spans])
    held = amounts if scale is not None else amounts / 7
    column = sums.Amounts(held, scale, float(np.abs(held).sum()))
    expected = [
        [sum((Fraction(v.item()) for d, i, v in zip(days, items, held) if i == item and s <= d <= e), Fraction(0))
         for item in range(4)] for s, e in zip(starts, ends)
    ]  # fmt: skip
    for at_once in (1 << 24, 8):  # all items together, and in blocks
        sums.BINS_AT_ONCE, kept = at_once, sums.BINS_AT_ONCE
        try:
            ((got,),) = sums.span_sums(days, items, 4, [column], [(starts[None], ends[None])])
        finally:
            sums.BINS_AT_ONCE = kept
        if scale is not None:
            assert got.tolist() == [[int(x) for x in row] for row in expected]
        else:
            np.testing.assert_allclose(got, np.array(expected, dtype=float), rtol=1e-12, atol=1e-3)


@pytest.mark.parametrize("size", [2**53 - 1, 2**53 + 1, 2**61])
def test_whole_numbers_at_the_border(size):
    from logochron.core.book.sums import Amounts, span_sums

    values = np.array([size, -1, 1 - size], dtype=np.int64)
    ((got,),) = span_sums(
        np.array([0, 1, 2]), np.zeros(3, np.int64), 1, [Amounts(values, 0, float(np.abs(values).sum()))],
        [(np.array([[0, 0, 0]]), np.array([[0, 1, 2]]))],
    )  # fmt: skip
    assert got.ravel().tolist() == [size, size - 1, 0]


@pytest.mark.parametrize(
    ("options", "said"),
    [
        ({"each": "weeks"}, "is here: each='week'"),
        ({"each": "weak"}, "Did you mean 'week'"),
        ({"each": "month", "against": "last-yaer"}, "`against` must be one of"),
        ({"each": "month", "against": "prior:0"}, "N from 1 up"),
        ({"each": "month", "by": "harbour"}, "Did you mean 'harbor'"),
        ({"each": "month", "by": ["line", "line"]}, "twice"),
        ({"each": "month", "measures": "revenu"}, "Did you mean 'revenue'"),
        ({"each": "month", "last": 0}, "from 1 up"),
        ({"each": "month", "judging": {"sales": lc.Judging()}}, "no measure 'sales'"),
    ],
)
def test_questions_that_cannot_be(demo_book, options, said):
    with pytest.raises(lc.QuestionError, match=said):
        lc.compare(demo_book, **options)
    with pytest.raises(ValueError, match="from 0 to 1"):
        lc.Judging(level_within=-1)


@pytest.mark.parametrize("asked", [
    {"by": ["harbor", "line"]}, {"by": "harbor", "top": 2}, {"by": ["harbor"], "sort": "-growth"},
    {"by": ["line"], "items": "comparable", "measures": ["revenue", "cost"]}, {"by": "harbor", "against": "mean:3"},
    {"by": "line", "running": "year", "judging": lc.demo.judging()}, {},
])  # fmt: skip
def test_answers_in_pieces(demo_book, tmp_path, monkeypatch, asked):
    """Worked out and written a few periods at a time, an answer is the same, in every form that machines read."""
    asked = {"last": 7, **asked}
    whole = lc.compare(demo_book, "month", **asked)
    monkeypatch.setattr(rows_of_answers, "_AT_ONCE", 5)
    pieced = lc.compare(demo_book, "month", **asked)
    for ending in ("csv", "json", "jsonl", "parquet"):
        whole.write(tmp_path / f"whole.{ending}")
        with monkeypatch.context() as small:
            small.setattr(write_file, "_PIECE", 7)
            lc.compare(demo_book, "month", **asked).write(tmp_path / f"pieces.{ending}")
        files = [tmp_path / f"{name}.{ending}" for name in ("whole", "pieces")]
        if ending == "parquet":
            pd.testing.assert_frame_equal(*map(pd.read_parquet, files))
        else:
            assert files[0].read_bytes() == files[1].read_bytes()
    for name in ("table", "total", "subtotals"):
        pd.testing.assert_frame_equal(getattr(whole, name), getattr(pieced, name))
    assert len(list(tmp_path.iterdir())) == 8 and lc.words.sentences(pieced) == lc.words.sentences(whole)


def test_too_many_rows_are_refused_before_they_are_worked_out(demo_book, tmp_path, monkeypatch, cli):
    months = lc.compare(demo_book, "month", by="harbor")
    monkeypatch.setattr(answer_tables, "_MOST", dict.fromkeys(answer_tables._MOST, 100))
    for ending in ("html", "xlsx", "md"):
        with pytest.raises(lc.QuestionError, match=r"990 rows are more than .* room for, 100: .*--top.*--last.*\.csv"):
            months.write(tmp_path / f"o.{ending}")
    months.write(tmp_path / "o.csv")
    assert [p.name for p in tmp_path.iterdir()] == ["o.csv"]
