"""Amounts in several currencies brought to one: exact sums, missing rates, constant rates, their effect."""

from __future__ import annotations

import datetime as dt
import sqlite3
from decimal import Decimal
from pathlib import Path
from typing import Any

import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import logochron as lc

FIRST = dt.date(2024, 1, 1)
CODES = ("EUR", "USD", "GBP")
Record = tuple[int, str, str, Decimal]
records = st.lists(
    st.tuples(
        st.integers(0, 730),
        st.sampled_from(CODES),
        st.sampled_from("ab"),
        st.decimals(-999, 99_999, places=2),
    ),
    min_size=1,
    max_size=30,
)
month_rates = st.lists(st.decimals("0.2", 3, places=4), min_size=50, max_size=50)


def months() -> list[str]:
    return [f"{2024 + n // 12}-{n % 12 + 1:02d}" for n in range(25)]


def frame_of(rows: list[Record]) -> pd.DataFrame:
    days = [FIRST + dt.timedelta(days) for days, *_ in rows]
    return pd.DataFrame({"day": days, "cur": [c for _, c, *_ in rows], "shop": [s for _, _, s, _ in rows],
                         "revenue": [str(a) for *_, a in rows], "units": 1})  # fmt: skip


def table_of(rates: list[Decimal]) -> dict[str, list[str]]:
    dated = [(month, code) for month in months() for code in ("USD", "GBP")]
    return {"date": [m for m, _ in dated], "currency": [c for _, c in dated], "rate": list(map(str, rates))}


@settings(max_examples=20)
@given(rows=records, rates=month_rates)
def test_amounts_come_to_what_decimals_say(rows: list[Record], rates: list[Decimal]) -> None:
    table = table_of(rates)
    known = dict(zip(zip(table["date"], table["currency"]), rates))
    reading: dict[str, Any] = {"date": "day", "values": ["revenue", "units"], "to": "EUR", "rates": table}
    covering = (FIRST, FIRST + dt.timedelta(730))
    book = lc.read(frame_of(rows), by=["shop", "cur"], currency="cur", covering=covering, **reading)
    assert book.exact == {"revenue": True, "units": True}
    expected: dict[tuple[str, str, str], Decimal] = {}
    for days, code, shop, amount in rows:
        month = f"{FIRST + dt.timedelta(days):%Y-%m}"
        expected[month, shop, code] = expected.get((month, shop, code), Decimal(0)) + amount * (
            1 if code == "EUR" else known[month, code]
        )
    totals = book.totals("month", by=["shop", "cur"])
    revenue = totals[(totals.measure == "revenue") & (totals.value != 0)]
    came = {(str(r.period), r.shop, r.cur): r.value for r in revenue.itertuples()}
    assert came == {key: float(value) for key, value in expected.items() if value}
    whole = book.totals("month").query("measure == 'revenue'").set_index("period").value
    for month in {key[0] for key in expected}:
        assert whole[month] == float(sum(value for key, value in expected.items() if key[0] == month))
    assert book.totals("year").query("measure == 'units'").value.sum() == len(rows)


@settings(max_examples=20)
@given(rows=records, rate=st.decimals("0.2", 3, places=5))
def test_constant_rates_that_never_moved_are_the_reported_ones(rows: list[Record], rate: Decimal) -> None:
    table = table_of([rate] * 50)
    steady = lc.Measure("steady", column="revenue", rates_at="2024")
    book = lc.read(frame_of(rows), date="day", by="shop", measures=[lc.Measure("revenue"), steady], currency="cur",
                   to="EUR", rates=table, covering=(FIRST, FIRST + dt.timedelta(730)))  # fmt: skip
    totals = book.totals("month", by="shop")
    sides = [totals[totals.measure == name].value.tolist() for name in ("revenue", "steady")]
    assert sides[0] == sides[1]
    moved = lc.drivers(book, "year", by="shop", at="2025")
    effect = moved.table[moved.table.measure == "currency effect"]
    assert effect.change.tolist() == [0.0] and effect.direction.tolist() == ["level"]


@settings(max_examples=20)
@given(rows=records, rates=month_rates)
def test_the_currency_effect_is_what_constant_rates_leave(rows: list[Record], rates: list[Decimal]) -> None:
    steady = lc.Measure("steady", column="revenue", rates_at="2024-06")
    book = lc.read(frame_of(rows), date="day", by="shop", measures=[lc.Measure("revenue"), steady], currency="cur",
                   to="EUR", rates=table_of(rates), covering=(FIRST, FIRST + dt.timedelta(730)))  # fmt: skip
    moved = lc.drivers(book, "year", by="shop", at="2025", measures="revenue")
    change = lc.compare(book, "year", at="2025").total.set_index("measure").change
    (effect,) = moved.table[moved.table.measure == "currency effect"].itertuples()
    assert effect.shop == "currency effect" and effect.change == pytest.approx(change.revenue - change.steady, abs=1e-6)
    assert moved.table[moved.table.measure == "revenue"].change.sum() == pytest.approx(change.revenue, abs=1e-6)
    receipt = lc.explain(lc.compare(book, "year", at="2025", measures="revenue"))
    assert receipt.steady is not None and receipt.steady.change == pytest.approx(change.steady, abs=1e-6)


SOLD = pd.DataFrame(
    {
        "day": ["2026-01-05", "2026-01-05", "2026-01-06", "2026-02-02"],
        "cur": ["EUR", "usd", "GBP", "USD"],
        "revenue": [100.0, 10.0, 20.0, 30.5],
    }
)
RATES = {"currency": ["USD", "GBP", "USD"], "date": ["2026", "2026", "2026-02-02"], "rate": ["0.9", "1.2", "0.8"]}
READ: dict[str, Any] = {"date": "day", "values": "revenue", "currency": "cur", "to": "EUR", "rates": RATES}


def test_the_same_by_every_road_and_from_every_table(tmp_path: Path) -> None:
    pl = pytest.importorskip("polars")
    SOLD.to_csv(tmp_path / "s.csv", index=False)
    SOLD.to_parquet(tmp_path / "s.parquet")
    with sqlite3.connect(tmp_path / "s.db") as connection:
        SOLD.to_sql("sales", connection, index=False)
    pd.DataFrame(RATES).to_csv(tmp_path / "r.csv", index=False)
    pd.DataFrame(RATES).to_excel(tmp_path / "r.xlsx", index=False)
    sources: list[tuple[Any, dict[str, Any]]] = [
        *((tmp_path / name, {}) for name in ("s.csv", "s.parquet")),
        *((frame, {}) for frame in (SOLD, pl.from_pandas(SOLD), pl.from_pandas(SOLD).lazy())),
        (f"sqlite:///{tmp_path / 's.db'}", {"table": "sales"}),
        *((SOLD, {"rates": rates}) for rates in (tmp_path / "r.csv", tmp_path / "r.xlsx", pd.DataFrame(RATES))),
    ]
    for source, more in sources:
        book = lc.read(source, **READ | more)
        assert book.totals("month").value.tolist() == [133.0, 24.4], source
        assert book.intake.counted == 4 and book.measures[0].unit == "EUR"
        assert [part[:2] for part in book.conversion.parts] == [("USD", 2), ("EUR", 1), ("GBP", 1)]  # type: ignore[union-attr]


def test_signs_beside_amounts(tmp_path: Path) -> None:
    texts = ["EUR 100,00", "$ 10,00", "20,00 £", "$ 30,50"]
    SOLD.drop(columns="cur").assign(revenue=texts).to_csv(tmp_path / "s.csv", index=False)
    read = {name: READ[name] for name in ("date", "values", "to")}
    named = {**RATES, "currency": ["$", "GBP", "$"]}
    book = lc.read(tmp_path / "s.csv", rates=named, **read)
    assert book.totals("month").value.tolist() == [133.0, 24.4]
    with pytest.raises(lc.IntakeError, match=r"line 3.*no rate of '\$' to EUR on any day \(2 rows\)"):
        lc.read(tmp_path / "s.csv", rates=RATES, **read)  # which dollar it is, is for the user to say
    with pytest.raises(lc.IntakeError, match="by rates="):
        lc.read(tmp_path / "s.csv", date="day", values="revenue")


def test_missing_rates_refuse_rows_by_currency_and_day(tmp_path: Path) -> None:
    SOLD.to_csv(tmp_path / "s.csv", index=False)
    days = {"currency": ["USD", "GBP"], "date": ["2026-01-05", "2026-01-06"], "rate": ["0.9", "1.2"]}
    with pytest.raises(lc.IntakeError, match=r"line 5, column 'cur': 'USD' - no rate of 'USD' to EUR on 2026-02-02"):
        lc.read(tmp_path / "s.csv", **READ | {"rates": days})
    book = lc.read(tmp_path / "s.csv", on_refused="skip", **READ | {"rates": days})
    assert (book.intake.counted, book.intake.refused, book.last_day) == (3, 1, dt.date(2026, 2, 2))
    many = pd.DataFrame({"day": pd.date_range("2026-01-01", periods=40), "cur": "CHF", "revenue": 1.0})
    with pytest.raises(lc.IntakeError, match=r"2026-01-01 and 30 more days, the last 2026-01-31 \(31 rows\)"):
        lc.read(many, **READ | {"rates": {"currency": ["CHF"], "date": ["2026-02"], "rate": ["1"]}})
    no_code = SOLD.assign(cur=["EUR", "", "GBP", "USD"])
    with pytest.raises(lc.IntakeError, match=r"no currency \(1 row\)"):
        lc.read(no_code, **READ)
    # rows that are left out need no rate
    assert lc.read(SOLD, where={"cur": "EUR"}, **READ | {"rates": days}).totals("month").value.tolist() == [100.0, 0.0]


@pytest.mark.parametrize(
    ("changed", "said"),
    [
        ({"to": None}, "`rates` needs `to`"),
        ({"to": "Euro"}, "currency code such as EUR; got 'Euro'"),
        ({"rates": None}, "`currency` goes with `rates`"),
        ({"rates": {"currency": ["USD"], "rate": ["-1"]}}, "row 1, column 'rate': '-1' is no rate"),
        ({"rates": {"currency": ["USD", "USD"], "rate": ["1", "2"]}}, "a second rate of 'USD' for the same days"),
        ({"rates": {"currency": ["EUR"], "rate": ["2"]}}, "1 EUR is 1 EUR; got the rate 2"),
        ({"rates": {"currency": ["USD"], "rate": ["1"], "date": ["someday"]}}, "someday"),
        ({"rates": {"currency": [], "rate": []}}, "lists no rates"),
        ({"rates_at": "2031"}, "no rate of 'USD' to EUR from 2031-01-01 to 2031-12-31"),
        ({"rates_at": "then"}, "`rates_at` must be"),
        ({"currency": "curr"}, "Did you mean 'cur'"),
    ],
)
def test_what_cannot_be_is_refused(changed: dict[str, Any], said: str) -> None:
    with pytest.raises(lc.LogochronError, match=said):
        lc.read(SOLD, **READ | changed)


def test_the_column_is_found_and_constant_rates_hold_for_all() -> None:
    found = lc.read(SOLD, **READ | {"currency": None})
    assert found.totals("month").value.tolist() == [133.0, 24.4]
    constant = lc.read(SOLD, **READ | {"rates_at": "2026-02-02"})
    assert constant.totals("month").value.tolist() == [132.0, 24.4]
    assert "revenue in EUR: USD, GBP at the rates of 2026-02-02" in constant.intake.warnings[0]
    with pytest.raises(lc.QuestionError, match="no measure is one"):
        lc.read(SOLD.rename(columns={"revenue": "units"}), **READ | {"values": "units"})
    with pytest.raises(lc.QuestionError, match="`rates_at` needs `rates`"):
        lc.read(SOLD, date="day", measures=[lc.Measure("revenue", rates_at="2025")], where={"cur": "EUR"})


def test_a_plan_in_another_currency(tmp_path: Path) -> None:
    book = lc.read(SOLD, covering=("2026-01-01", "2026-02-28"), **READ)
    plan = pd.DataFrame({"month": ["2026-01", "2026-02"], "revenue": ["100.10", "200"], "cur": ["USD", "EUR"]})
    planned = lc.read_plan(plan, date="month", value="revenue", measure="revenue", currency="cur", to="EUR",
                           rates=RATES)  # fmt: skip
    months = lc.compare(book, "month", "plan", plan=planned).total
    assert months.base.tolist() == [90.09, 200.0]


def test_the_command_line_and_the_report_file(cli: Any, tmp_path: Path) -> None:
    SOLD.to_csv(tmp_path / "s.csv", index=False)
    pd.DataFrame(RATES).to_csv(tmp_path / "r.csv", index=False)
    options = ["--date", "day", "--value", "revenue", "--to", "EUR", "--rates", "r.csv"]
    steady = ["--measure", "steady=revenue rates 2026-02-02"]
    ran = cli("compare", "s.csv", *options, *steady, "--currency", "cur", "--against", "prior", "--as", "csv",
              cwd=tmp_path)  # fmt: skip
    assert ran.returncode == 0, ran.stderr
    rows = [line.split(",") for line in ran.stdout.splitlines()]
    assert [row[rows[0].index("value")] for row in rows[1:]] == ["133.0", "24.4", "132.0", "24.4"]
    known = ["--against", "prior", "--covering", "2026-01-01..2026-02-28"]
    told = cli("explain", "s.csv", *options, *steady, *known, cwd=tmp_path).stdout
    assert "rates in the value, 1–28 Feb 2026: USD 0.8 (2 Feb 2026) to 0.9 (1 Feb 2026), GBP 1.2" in told
    assert "currency effect = change" in told
    wrong = cli("compare", "s.csv", "--currency", "cur", cwd=tmp_path)
    assert wrong.returncode == 2 and "with --rates FILE the column" in wrong.stderr
    (tmp_path / "r.toml").write_text(
        '[sales]\nfile = "s.csv"\ndate = "day"\ncurrency = "cur"\nto = "EUR"\nrates = "r.csv"\n'
        '[[measure]]\nname = "revenue"\n[[measure]]\nname = "steady"\ncolumn = "revenue"\nrates_at = "2026-02-02"\n'
        '[[section]]\nheading = "Months"\nquestion = "compare"\nagainst = "prior"\n'
    )
    answers = lc.Report.load(tmp_path / "r.toml").run()
    assert answers["Months"].total.value.tolist() == [133.0, 24.4, 132.0, 24.4]
    by_settings = cli("compare", "--settings", "r.toml", *known, "--as", "words", cwd=tmp_path)
    assert "The currency effect is EUR" in by_settings.stdout
    review = cli("review", "s.csv", *options, "--currency", "cur", cwd=tmp_path)
    assert "currencies, by the amounts in EUR: USD 21.2 % (2 rows), EUR 63.5 % (1 row)" in review.stdout
