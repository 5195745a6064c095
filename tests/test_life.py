"""Who came, stayed, left: groups of items that add up to the change of the total."""

from __future__ import annotations

import pickle
from pathlib import Path
from typing import Any

import duckdb
import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import logochron as lc

#: The law, said once more in SQL: value and base are April 2026 and 2025, the report date is their records' last day.
LAW = """
WITH days AS (SELECT who, day, sum(revenue) AS revenue FROM sold GROUP BY ALL),
lives AS (
    SELECT who, min(day) AS first, max(day) AS last, count(*) AS days,
        coalesce(sum(revenue) FILTER (day BETWEEN '2026-04-01' AND '2026-04-30'), 0) AS value,
        coalesce(sum(revenue) FILTER (day BETWEEN '2025-04-01' AND '2025-04-30'), 0) AS base,
        count(*) FILTER (day BETWEEN '2026-04-01' AND '2026-04-30') > 0 AS now,
        count(*) FILTER (day BETWEEN '2025-04-01' AND '2025-04-30') > 0 AS before
    FROM days GROUP BY who
), groups AS (
    SELECT *, CASE
        WHEN now AND before THEN CASE WHEN value > base THEN 'up' WHEN value < base THEN 'down' ELSE 'same' END
        WHEN now THEN CASE WHEN first > '2025-04-30' THEN 'new' ELSE 'back' END
        WHEN date '2026-06-30' - last > 28 AND days > 1
            AND date '2026-06-30' - last > 5.0 * (last - first) / (days - 1) AND last < '2026-04-01' THEN 'ended'
        ELSE 'paused' END AS what
    FROM lives WHERE now OR before
)
SELECT what, count(*) AS items, sum(value)::DOUBLE AS value, sum(base)::DOUBLE AS base FROM groups GROUP BY what
"""
rows = st.lists(st.tuples(st.integers(0, 180), st.integers(0, 14), st.integers(-500, 9_999)), min_size=1, max_size=120)


@settings(max_examples=20)
@given(rows=rows)
def test_groups_are_those_of_the_law(rows: list[tuple[int, int, int]]) -> None:
    sold = pd.DataFrame(
        {
            # every fifth day from January 2024 on, so that days meet both periods often
            "day": [pd.Timestamp("2024-01-01") + pd.Timedelta(days=5 * n) for n, *_ in rows],
            "who": [f"c{who}" for _, who, _ in rows],
            "revenue": [cents / 100 for *_, cents in rows],
        }
    )
    book = lc.read(sold, date="day", values="revenue", by="who", covering=("2024-01-01", "2026-06-30"))
    moved = lc.drivers(book, "month", by="who", at="2026-04", gather="life")
    stays = lc.read(sold, date="day", values="revenue", ids="who", covering=("2024-01-01", "2026-06-30"))
    in_engine = lc.drivers(stays, "month", by="who", at="2026-04", gather="life")
    assert in_engine.table.equals(moved.table) and in_engine.total.equals(moved.total)
    sold = sold.assign(day=sold.day.dt.date, revenue=[cents for *_, cents in rows])
    law = duckdb.sql(LAW).df().set_index("what")
    came = moved.table.set_index("who")
    assert came["items"].to_dict() == law["items"].to_dict()
    for name in ("value", "base"):
        assert {group: round(100 * amount) for group, amount in came[name].items()} == law[name].to_dict()
    assert moved.table.change.sum() == pytest.approx(float(moved.total.change.sum()), abs=1e-9)
    assert int(came["items"].sum()) == int(moved.total["items"].sum())
    order = [group for group in ("new", "back", "up", "same", "down", "paused", "ended") if group in came.index]
    assert list(came.index) == order


def lives(customers: int) -> pd.DataFrame:
    random = np.random.default_rng(11)
    many = 8 * customers
    return pd.DataFrame(
        {
            "day": pd.Timestamp("2024-01-01") + pd.to_timedelta(random.integers(0, 1000, many), unit="D"),
            "customer": [f"C{n:05d}" for n in random.integers(0, customers, many)],
            "revenue": random.integers(100, 9_999, many) / 100,
            "units": random.integers(1, 5, many),
        }
    )


@pytest.fixture(scope="module")
def book() -> lc.Daybook:
    return lc.read(lives(2_000), date="day", values=["revenue", "units"], by="customer").until("2026-09-26")


def test_words_figure_and_table_tell_the_groups(book: lc.Daybook) -> None:
    moved = lc.drivers(book, "quarter", by="customer", at="2026-Q2", gather="life", measures="revenue")
    many = moved.table.set_index("customer")["items"]
    said = " ".join(lc.words.sentences(moved))
    assert f"{many['new']:,} new customers brought" in said and f"{many['paused']:,} that paused took" in said
    axes = lc.draw.bridge(moved).axes[0]
    assert f"New ({many['new']:,})" in [text.get_text() for text in axes.get_yticklabels()]
    assert "silent for longer" in str(moved) and f"{many['up']:,}" in str(moved)


def test_groups_by_volume_and_of_what_is_shorter(book: lc.Daybook) -> None:
    moved = lc.drivers(book, "quarter", by="customer", gather="life", measures="revenue", quantity="units")
    parts = moved.table[["volume", "mix", "price"]].sum(axis=1)
    assert parts.to_numpy() == pytest.approx(moved.table.change.to_numpy(), abs=1e-6)
    one = lc.drivers(book, "day", by="customer", gather="life", measures="revenue", against="prior")
    assert one.table.change.sum() == pytest.approx(one.total.change.sum())


#: Periods with days in none of them between.
GAPS = lc.ListedCalendar(
    {
        "start": ["2024-03-01", "2025-03-01", "2026-03-03"],
        "end": ["2024-03-20", "2025-03-31", "2026-03-31"],
        "label": ["A", "B", "C"],
        "year": [2024, 2025, 2026],
    },
    gaps="allowed",
)
MARGIN = lc.Measure("margin", of="revenue", less="cost")


@pytest.mark.parametrize(
    ("reading", "asked"),
    [
        ({}, {"each": "quarter"}),
        ({"measures": [MARGIN]}, {"each": "quarter", "measures": "margin", "against": "mean:3"}),
        ({"measures": [lc.Measure("n", count=True)]}, {"each": "month", "measures": "n", "against": "prior"}),
        ({"measures": [lc.Measure("a", column="revenue", where={"line": "A"})]}, {"each": "year", "measures": "a"}),
        ({"scale": 1000}, {"each": "year", "at": "2025", "judging": lc.Judging(level_within=0.5)}),
        ({"values": "fine"}, {"each": "year", "at": "2025", "judging": lc.Judging(level_within=0.5)}),
        ({"covering": ("2024-06-01", "2026-06-30"), "until": "2026-06-20"}, {"each": "quarter"}),
        ({"calendar": GAPS},
         {"each": "month", "at": "C", "against": "prior"}),
    ],
)  # fmt: skip
def test_ids_that_stay_in_the_engine_make_the_same_groups(
    reading: dict[str, Any], asked: dict[str, Any], tmp_path: Path
) -> None:
    random = np.random.default_rng(5)
    sold = lives(150).assign(line=lambda of: random.choice(["A", "B", ""], len(of)), cost=lambda of: of.units * 0.125)
    sold = sold.assign(customer=sold.customer.replace("C00007", ""), fine=sold.revenue / 7)
    sold.iloc[::2].to_csv(tmp_path / "a.csv", index=False)
    sold.iloc[1::2].to_parquet(tmp_path / "b.parquet")
    calendar, reading = reading.get("calendar"), {n: given for n, given in reading.items() if n != "calendar"}
    asked = {**asked, "by": "customer", "gather": "life", "calendar": calendar}
    options = {"date": "day", "values": "revenue", **reading}
    files = [tmp_path / "a.csv", tmp_path / "b.parquet"]
    items = lc.read(files, by=["line", "customer"], **options)
    stays = lc.read(files, by="line", ids={"customer": "customer"}, **options)
    for book, taken in ((stays, {}), (pickle.loads(pickle.dumps(stays)), {"line": lc.Not("A")})):  # as pages have it
        moved, wanted = lc.drivers(book.where(taken), **asked), lc.drivers(items.where(taken), **asked)
        pd.testing.assert_frame_equal(moved.table, wanted.table)
        pd.testing.assert_frame_equal(moved.total, wanted.total)


def test_a_page_shows_the_groups_of_what_is_chosen() -> None:
    sold = lives(120).assign(line=lambda of: np.where(of.units > 2, "A", "B"))
    asked: dict[str, Any] = {"each": "quarter", "by": "customer", "gather": "life", "measures": "revenue"}
    for reading in ({"by": ["line", "customer"]}, {"by": "line", "ids": "customer"}):
        book = lc.read(sold, date="day", values="revenue", **reading)
        of_b = book.where({"line": "B"})
        shown = lc.drivers(book, **asked).of_items({"line": "B"}, of_b, ("customer",))
        assert shown.table.equals(lc.drivers(of_b, **asked).table)


@pytest.mark.parametrize("read_by", ["by", "ids"])
def test_without_a_base_nobody_is_new(read_by: str, tmp_path: Path) -> None:
    book = lc.read(lives(60), date="day", values=["revenue", "units"], **{read_by: "customer"})
    moved = lc.drivers(book, "quarter", by="customer", at="2024-Q2", gather="life", measures="revenue")
    assert moved.table.empty and moved.total["items"].isna().all() and moved.total.value[0] > 0
    assert "no base" in str(moved) and not any("new" in said for said in lc.words.sentences(moved))
    lc.draw.bridge(moved)
    moved.write(tmp_path / "m.xlsx")
    lc.write_page({"Who": lc.drivers(book, "year", by="customer", gather="life")}, tmp_path / "p.html")


@pytest.mark.parametrize(
    ("call", "said"),
    [
        (lambda book: lc.compare(book, "month", by="customer"), "drivers.* gathers it"),
        (lambda book: lc.drivers(book, "month", by="customer"), "drivers.* gathers it"),
        (lambda book: lc.drivers(book, "month", by="customer", gather="life", quantity="units"), "of single items"),
        (lambda book: lc.explain(lc.drivers(book, "month", by="customer", gather="life"), item="new"), "no receipt"),
        (lambda _: lc.read(lives(9), date="day", by="customer", ids="customer"), "`by` and `ids` both name"),
    ],
)
def test_what_ids_cannot_be_asked_is_refused(call: Any, said: str) -> None:
    book = lc.read(lives(50), date="day", values=["revenue", "units"], ids="customer")
    with pytest.raises(lc.QuestionError, match=said):
        call(book)
    moved = lc.drivers(book, "month", by="customer", gather="life", measures="revenue")
    assert lc.explain(moved).figures["change"] == moved.total.change[0]


@pytest.mark.parametrize(
    ("options", "said"),
    [
        ({"by": ["customer", "line"]}, "is of one dimension"),
        ({"top": 3}, "takes all items"),
        ({"items": "comparable"}, "takes all items"),
        ({"against": "plan", "plan": lc.Constant(100)}, "a plan has none that came or left"),
        ({"gather": "lives"}, "`gather` must be one of life"),
    ],
)
def test_what_cannot_be_gathered_is_refused(options: dict[str, Any], said: str) -> None:
    book = lc.read(lives(50).assign(line="hire"), date="day", values="revenue", by=["customer", "line"])
    with pytest.raises(lc.QuestionError, match=said):
        lc.drivers(book, "month", **{"by": "customer", "gather": "life", **options})


def test_the_command_line_and_the_report(cli: Any, tmp_path: Path) -> None:
    lives(200).to_csv(tmp_path / "s.csv", index=False)
    ran = cli(
        "drivers", "s.csv", "--value", "revenue", "--by", "customer", "--gather", "life", "--as", "csv", cwd=tmp_path
    )
    assert ran.returncode == 0 and ran.stdout.splitlines()[0].startswith("measure,customer,items,value")
    asked = ("drivers", "s.csv", "--value", "revenue", "--by", "customer", "--alert", "items > 3")
    told = [cli(*asked, *more, "--as", "csv", cwd=tmp_path) for more in ((), ("--gather", "life"))]
    assert [ran.returncode for ran in told] == [1, 1] and told[0].stdout == told[1].stdout  # it asks for the column
    (tmp_path / "r.toml").write_text(
        '[sales]\nfile = "s.csv"\ndate = "day"\nvalues = ["revenue"]\nby = ["customer"]\n'
        '[[section]]\nheading = "Who"\nquestion = "drivers"\nby = "customer"\ngather = "life"\n'
    )
    many = lc.Report.load(tmp_path / "r.toml").run()["Who"].table["items"].sum()
    text = (tmp_path / "r.toml").read_text().replace('by = ["customer"]', 'ids = "customer"')
    (tmp_path / "r.toml").write_text(text)
    assert lc.Report.load(tmp_path / "r.toml").run()["Who"].table["items"].sum() == many > 0
