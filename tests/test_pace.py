"""Pace: running totals against SQL, positions that line up, the standing, plans laid on days."""

from __future__ import annotations

import duckdb
import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import logochron as lc


def book_of(first: str, last: str, seed: int = 0, **options: object) -> lc.Daybook:
    days = pd.date_range(first, last)
    amounts = np.random.default_rng(seed).integers(-200, 1000, len(days)) / 4
    frame = pd.DataFrame({"day": days, "item": np.where(np.arange(len(days)) % 3, "a", "b"), "amount": amounts})
    return lc.read(frame, date="day", values="amount", by="item", **options)


SQL = """
WITH ran AS (SELECT year(day) AS y, month(day) * 100 + day(day) AS place,
                    sum(CAST(amount AS DECIMAL(18, 2))) OVER (PARTITION BY year(day) ORDER BY day) AS total FROM rows)
SELECT y, place, total,
       (SELECT arg_max(b.total, b.place) FROM ran b WHERE b.y = ran.y - 1 AND b.place <= ran.place) AS base
FROM ran ORDER BY y, place
"""


@settings(max_examples=12)
@given(st.integers(0, 2**32 - 1), st.dates(pd.Timestamp("2024-02-20").date(), pd.Timestamp("2024-12-31").date()))
def test_years_against_sql(seed, last):
    days = pd.date_range("2022-01-01", last)
    amounts = np.random.default_rng(seed).integers(-200, 1000, len(days)) / 4
    rows = pd.DataFrame({"day": days, "amount": amounts})
    with duckdb.connect() as connection:
        connection.register("rows", rows)
        told = connection.execute(SQL).df().set_index(["y", "place"])
    table = lc.pace(lc.read(rows, date="day", values="amount"), "year").table
    table = table[table.running.notna()].drop_duplicates(["period", "day"])
    at = [(day.year, day.month * 100 + day.day) for day in table.day]
    assert len(table) == len(days)
    assert table.running.tolist() == told.loc[at].total.astype(float).tolist()
    plain = (table.period != "2022") & ~table.day.dt.strftime("%m-%d").isin(["02-28", "02-29"])
    assert table.base[plain].tolist() == told.loc[at].base.astype(float)[plain.to_numpy()].tolist()
    assert ((table.running - table.base)[plain] == table.gap[plain]).all()
    grown = table.growth.notna()
    assert (table.growth * table.base)[grown].to_numpy() == pytest.approx(table.gap[grown].to_numpy())
    assert (table.base[table.gap.notna() & ~grown] <= 0).all()


def test_leap_days_line_up():
    table = lc.pace(book_of("2023-01-01", "2025-02-28"), "year").table.set_index(["period", "position"])
    assert table.index.get_level_values("position").max() == 366
    # 2024 has the day; 2023 and 2025 stay at their last total there
    days = {
        year: [table.day[year, place].strftime("%m-%d") for place in (59, 60, 61)] for year in ("2023", "2024", "2025")
    }
    assert days == {"2023": ["02-28", "02-28", "03-01"], "2024": ["02-28", "02-29", "03-01"], "2025": days["2023"]}
    assert table.base_day["2024", 60] == pd.Timestamp("2023-02-28") and table.base_day["2025", 60].day == 29
    assert table.running["2023", 59] == table.running["2023", 60] < table.running["2023", 61] + 1e9
    # today is the end of February: as compare cuts it, against all of the base's February
    answer = lc.pace(book_of("2023-01-01", "2025-02-28"), "year")
    compared = lc.compare(book_of("2023-01-01", "2025-02-28"), "month", running="year", last=1).table
    assert answer.today == 60 and table.base["2025", 60] == compared.base[0]


@pytest.mark.parametrize(("within", "positions"), [("week", 7), ("month", 31), ("quarter", 93), ("half", 186)])
def test_shorter_periods(within, positions):
    book = book_of("2022-12-26", "2025-08-13")
    answer = lc.pace(book, within, against="prior")
    table = answer.table.set_index(["period", "position"])
    assert table.index.get_level_values("position").max() == positions
    whole = table[(table.status == "complete")].groupby("period", observed=True).running.last()
    compared = lc.compare(book, within, partial="drop").table.set_index("period").value
    assert whole.to_dict() == compared.loc[whole.index].to_dict()
    running = table[table.status == "to-date"]
    after = running.day > "2025-08-13"
    assert running.running[after].isna().all() and running.running[~after].notna().all()
    assert running.base.notna().all() and running.gap[after].isna().all()  # the base goes on


def test_week_53_of_a_retail_year():
    calendar = lc.RetailCalendar()
    book = book_of("2022-01-30", "2025-02-01")  # 2023 has 53 weeks
    table = lc.pace(book, "year", calendar=calendar).table.set_index(["period", "position"])
    assert table.index.get_level_values("position").max() == 371
    held = table.running["2022"]
    assert held[364] == held[371] and table.day["2022", 371] == pd.Timestamp("2023-01-28")
    assert (
        table.running["2023", 371] != table.running["2023", 364]
        and table.base["2024", 371] == table.running["2023", 371]
    )


def test_who_has_a_line(demo_book):
    years = lc.pace(demo_book, "year", measures="revenue")
    assert years.periods == ("2022", "2023", "2024", "2025", "2026")
    assert years.notes[0] == "2021 has no line: the records start on 17 May 2021, within it"
    assert "2022: no base: the records start on 2021-05-17" in years.notes
    assert years.standing["rank"].tolist() == [5, 4, 3, 2, 1] and set(years.standing.position) == {292}
    fewer = lc.pace(demo_book, "year", measures="revenue", exclude=["2025", "2022"], last=2)
    assert fewer.periods == ("2024", "2026") and fewer.standing["rank"].tolist() == [2, 1]
    # what has no line is a base all the same
    last = years.table[years.table.period == "2026"].base.tolist()
    assert fewer.table[fewer.table.period == "2026"].base.tolist() == last
    closed = lc.read(pd.DataFrame({"day": pd.date_range("2024-01-03", "2024-12-30"), "v": 1}), date="day", values="v")
    notes = lc.pace(closed, "quarter").notes
    assert any("covering=('2024-01-01', None)" in note for note in notes)
    assert any("until='2024-12-31'" in note for note in notes)


def test_ties_share_a_rank():
    days = pd.date_range("2023-01-01", "2025-12-31")
    frame = pd.DataFrame({"day": days, "v": np.where(days.year == 2024, 2, 1)})
    # 2024 has a day more, which counts nothing in 2023 and 2025
    assert lc.pace(lc.read(frame, date="day", values="v"), "year").standing["rank"].tolist() == [2, 1, 2]


@pytest.mark.parametrize("within", ["month", "year"])
def test_the_position_of_today_alone(demo_book, within, monkeypatch):
    every = lc.pace(demo_book, within, by="harbor", measures="revenue")
    today = lc.pace(demo_book, within, by="harbor", measures="revenue", positions="today")
    for side in ("table", "total"):
        rows = getattr(every, side)
        there = rows[rows.position == every.today].reset_index(drop=True)
        pd.testing.assert_frame_equal(getattr(today, side), there)
    assert today.standing.equals(every.standing) and lc.words.sentences(today) == lc.words.sentences(every)
    monkeypatch.setattr("logochron.core.questions.pace._MOST_ROWS", today.columns.rows)
    with pytest.raises(lc.QuestionError, match=r"4 items in .* Ask for that of today only by positions='today'"):
        lc.pace(demo_book, within, by="harbor", measures="revenue")
    assert lc.pace(demo_book, within, by="harbor", measures="revenue", positions="today").rows


def test_items_are_those_of_a_filter(demo_book):
    asked = {"measures": ["revenue", "cost"], "against": "year-ago-mean:2", "last": 3}
    split = lc.pace(demo_book, "quarter", by="harbor", **asked)
    columns = ["measure", "period", "position", "day", "running", "base_day", "base", "gap", "growth", "status"]
    for harbor in ("Cold Pier", "Dunmarrow"):
        one = lc.pace(demo_book.where({"harbor": harbor}), "quarter", **asked).table
        own = split.table[split.table.harbor == harbor].reset_index(drop=True)
        pd.testing.assert_frame_equal(own[columns], one[columns])
    pd.testing.assert_frame_equal(split.total.drop(columns="harbor"), lc.pace(demo_book, "quarter", **asked).table)
    sums = split.table.groupby(["measure", "period", "position"], observed=True, sort=False).running.sum(min_count=1)
    assert sums.to_numpy() == pytest.approx(split.total.running, nan_ok=True)
    top = lc.pace(demo_book, "quarter", by="harbor", top=1, sort="-running", **asked)
    assert top.table.harbor.unique().tolist() == ["Alderquay", "all others"]


def test_records_of_months():
    months = pd.period_range("2023-01", "2025-05", freq="M").astype(str)
    frame = pd.DataFrame({"month": months, "v": np.arange(len(months)) + 1})
    book = lc.read(frame, date="month", values="v", records_of="month")
    answer = lc.pace(book, "year")
    assert answer.table.position.unique().tolist() == [31, 60, 91, 121, 152, 182, 213, 244, 274, 305, 335, 366]
    assert answer.standing.running.tolist() == [1 + 2 + 3 + 4 + 5, 13 + 14 + 15 + 16 + 17, 25 + 26 + 27 + 28 + 29]
    with pytest.raises(lc.QuestionError, match="each record stands for a whole month: a week has no running total"):
        lc.pace(book, "week")


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        ({"within": "day"}, "`within` must be one of week, month"),
        ({"within": "decade"}, "must be one of"),
        ({"against": "span:2025-01-01..2025-02-01"}, "is no running total"),
        ({"against": "plan"}, "needs `plan`"),
        ({"exclude": "2019"}, "names none of the 2021 to 2026"),
        ({"exclude": "20x5"}, "`exclude` must be a period such as"),
        ({"exclude": ["2022..2026"]}, "that is not excluded"),
        ({"sort": "value", "by": "harbor", "measures": "cost", "top": 0}, "`top` must be"),
    ],
)
def test_refusals(demo_book, asked, said):
    with pytest.raises(lc.QuestionError, match=said):
        lc.pace(demo_book, **asked)


def test_receipt_of_a_position(demo_book):
    years = lc.pace(demo_book, "year", measures="revenue", by="harbor")
    row = years.table[(years.table.period == "2026") & (years.table.harbor == "Dunmarrow")].set_index("position")
    for asked, position in [({}, 292), ({"at": "2026-02-28"}, 60), ({"at": "2026", "position": 10}, 10)]:
        receipt = lc.explain(years, harbor="Dunmarrow", **asked)
        assert receipt.table["sum"].tolist() == pytest.approx([row.running[position], row.base[position]])
        assert receipt.table.start.tolist() == [pd.Timestamp("2026-01-01"), pd.Timestamp("2025-01-01")]
        assert f"Revenue 2026, position {position}, Dunmarrow" in receipt.text
    for asked, said in [({"at": "2020-01-01"}, "must name a year of the answer"), ({"position": 400}, "1 to 366")]:
        with pytest.raises(lc.QuestionError, match=said):
            lc.explain(years, **asked)
    with pytest.raises(lc.QuestionError, match="goes with the answer of pace"):
        lc.explain(lc.compare(demo_book, "month"), position=3)


def plan_of(rows: list[tuple], by: tuple[str, ...] = (), **options: object) -> lc.Daybook:
    frame = pd.DataFrame(rows, columns=["month", *by, "amount"])
    return lc.read_plan(frame, date="month", value="amount", measure="amount", by=list(by), **options)


def daily(plan: lc.Daybook, book: lc.Daybook, first: str, last: str, **where: str) -> np.ndarray:
    """The plan by day, as compare holds it against the records."""
    asked = {"plan": plan, "at": f"{first}..{last}"}
    return lc.compare(book.where(where) if where else book, "day", "plan", **asked).table.base.to_numpy()


@pytest.mark.parametrize("grain", ["week", "month", "quarter", "half", "year"])
def test_a_plan_in_the_shape_of_a_year_ago(grain):
    days = pd.date_range("2022-12-26", "2025-12-31")
    frame = pd.DataFrame({"day": days, "amount": np.arange(len(days)) % 11 / 4})
    book = lc.read(frame, date="day", values="amount")
    first = {"week": "2025-05-12", "half": "2025-07-01"}.get(grain, "2025-01-01")
    plan = plan_of([(first, 1000.01)], records_of=grain, spread="year-ago")
    calendar = lc.CivilCalendar()
    (period,) = calendar.periods(grain, first, first).itertuples()
    laid = daily(plan, book, str(period.start.date()), str(period.end.date()))
    assert round(laid.sum(), 6) == 1000.01 and len(laid) == period.days
    ago = calendar.ordinals(grain, [first])[0] - {"week": 52, "month": 12, "quarter": 4, "half": 2, "year": 1}[grain]
    start, after = (int(calendar.first_days(grain, ago + k)) for k in (0, 1))
    before = frame.amount[(days >= pd.Timestamp(start, unit="D")) & (days < pd.Timestamp(after, unit="D"))].to_numpy()
    if len(before) > len(laid):  # 2024 has a 29 February: it counts on the day before
        before = np.append(np.append(before[:58], before[58:60].sum()), before[60:])
    assert laid == pytest.approx(1000.01 * before / before.sum(), abs=0.0101)


def test_what_a_shaped_plan_knows():
    days = pd.date_range("2024-01-01", "2025-06-30")
    frame = pd.DataFrame({"day": days, "harbor": np.where(days.day < 11, "early", "late"), "amount": 10})
    frame = pd.concat([frame, pd.DataFrame({"day": days[366:], "harbor": "new", "amount": 1})])
    book = lc.read(frame, date="day", values="amount", by="harbor")
    rows = [("2025-01", "early", 100), ("2025-01", "late", 300), ("2025-01", "new", 31), ("2025-03", "early", 50),
            ("2026-07", "early", 62)]  # fmt: skip
    plan = plan_of(rows, ("harbor",), spread="year-ago")
    early, new = (daily(plan, book, "2025-01-01", "2025-01-31", harbor=name) for name in ("early", "new"))
    assert early.tolist() == [10.0] * 10 + [0.0] * 21 and new.tolist() == [1.0] * 31  # new: nothing a year ago, evenly
    total = daily(plan, book, "2025-01-01", "2025-01-31")
    assert total.sum() == 431
    answer = lc.compare(book, "month", "plan", plan=plan, at="2025-01..2025-03", by="harbor")
    assert "2 records of the plan spread evenly: there are no records of a year earlier" in answer.notes
    assert answer.total.base.tolist()[0::2] == [431, 50] and np.isnan(answer.total.base[1])  # missing is not 0
    # alike in pace and land
    paced = lc.pace(book.until("2025-01-10"), "month", against="plan", plan=plan).table
    assert paced.base.tail(31).tolist() == total.cumsum().tolist()
    landed = lc.land(book.until("2025-01-10"), "month", plan=plan).total.iloc[0]
    assert landed.plan == 431 and landed.plan_gap == landed.estimate - 431
    whole = plan_of([("2025-02", 28)], spread="year-ago")  # of 29 days a year ago: the last two on the last day
    assert daily(whole, book, "2025-02-01", "2025-02-28").sum() == 28
    assert lc.compare(book, "month", "plan", plan=whole, by="harbor", at="2025-02").table.base.isna().all()
    finer = lc.pace(book, "month", against="plan", plan=whole, by="harbor")
    assert "amount: no base: the plan has no harbor" in finer.notes and finer.table.base.isna().all()
    assert finer.total.base.notna().any()  # what it has stays known
    listed = plan_of([("2025-01-02", 5), ("2025-01-04", 7)], records_of="day", spread="year-ago")
    assert daily(listed, book, "2025-01-02", "2025-01-04").tolist() == [5, 0, 7]
    for spread in ("even", "year-ago"):
        planned = plan_of([("2025-01", 310), ("2025-02", 280)], spread=spread)
        stops = lc.pace(book, "quarter", against="plan", plan=planned, last=2)
        assert "2025-Q1 to 2025-Q2: no base: the plan ends on 2025-02-28" in stops.notes
        known = stops.table[(stops.table.period == "2025-Q1")].base.notna()
        assert known.sum() == 31 + 31  # of May, as the quarter after has it
    firsts = frame.assign(day=frame.day.dt.to_period("M").dt.start_time)
    monthly = lc.read(firsts, date="day", values="amount", records_of="month")
    told = lc.compare(monthly, "month", "plan", plan=plan_of([("2025-02", 28)], spread="year-ago"), at="2025-02")
    assert told.table.base.tolist() == [28] and "1 record of the plan spread evenly" in told.notes[0]
    with pytest.raises(lc.QuestionError, match="`spread` must be one of even, year-ago"):
        plan_of([("2025-01", 1)], spread="odd")
    with pytest.raises(lc.QuestionError, match="`spread`"):
        lc.read(frame, date="day", values="amount", records_of="month", spread="year-ago")


def test_command_line(tmp_path, cli):
    sales, plan = lc.demo.write(tmp_path)
    asked = [sales, "--value", "revenue", "--currency", "EUR"]
    ran = cli("pace", *asked, "--within", "year")
    assert ran.returncode == 0, ran.stderr
    assert "against a year ago · position 292 of 366" in ran.stdout and "2026 to 18 Oct  451,407" in ran.stdout
    assert "▲  +6.8 %   1st" in ran.stdout and "292  Sun 18 Oct 2026" in ran.stdout
    against = cli("pace", *asked, "--plan", plan, "--plan-spread", "year-ago", "--by", "harbor", "--plain")
    assert "Variance %" in against.stdout and "Total         451,407  446,053" in against.stdout
    out = tmp_path / "pace.csv"
    assert cli("pace", *asked, "--exclude", "2024", "--out", out).returncode == 0
    written = pd.read_csv(out)
    assert len(written) == 4 * 366 and list(written)[:4] == ["measure", "period", "position", "day"]
    fired = cli("pace", *asked, "--alert", "growth > 5%", "--as", "csv")
    assert fired.returncode == 1 and "growth +6.8 %" in fired.stderr
    assert "position 292" in cli("pace", *asked, "--receipt").stdout
    for words, code, said in [
        (["--within", "day"], 2, "is not one of"),
        (["--against", "plan"], 2, "--plan FILE and --against plan go together"),
        (["--exclude", "2030"], 2, "names none of the"),
        (["--receipt", "--out", tmp_path / "p.png"], 2, "no figure shows the answer of explain"),
    ]:
        ran = cli("pace", *asked, *words)
        assert ran.returncode == code and said in ran.stderr, ran.stderr
