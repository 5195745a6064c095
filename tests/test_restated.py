"""Figures that changed since they were reported: in Python, and from one run of a report to the next."""

from __future__ import annotations

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import logochron as lc

HEADER = "day,item,amount"


def book(rows, *, by="item", **options):
    frame = pd.DataFrame(rows, columns=["day", "item", "amount"])
    frame["day"] = pd.to_datetime(frame["day"])
    return lc.read(frame, date="day", values="amount", by=by, **options)


ROWS = [("2024-01-05", "a", 10.0), ("2024-02-05", "b", 20.0), ("2025-01-05", "a", 30.0), ("2025-02-05", "b", 40.0),
        ("2025-02-28", "a", 5.0), ("2025-03-10", "a", 7.0)]  # fmt: skip


def compared(rows, **options):
    return lc.compare(book(rows, **options), each="month", by="item")


def test_late_records_are_named():
    late = [*ROWS, ("2025-02-10", "a", 1.0), ("2025-03-09", "a", 2.0), ("2024-02-06", "b", 4.0)]
    found = lc.restated(compared(ROWS), compared(late)).table
    told = [tuple(row) for row in found[["period", "item", "column", "reported", "now", "difference"]].fillna("all")
            .itertuples(index=False)]  # fmt: skip
    assert told == [
        ("2024-02", "all", "value", 20.0, 24.0, 4.0),
        ("2024-02", "b", "value", 20.0, 24.0, 4.0),
        ("2025-02", "all", "value", 45.0, 46.0, 1.0),
        ("2025-02", "all", "base", 20.0, 24.0, 4.0),
        ("2025-02", "a", "value", 5.0, 6.0, 1.0),
        ("2025-02", "b", "base", 20.0, 24.0, 4.0),
    ]  # March 2025 was to date then


def test_items_that_come_and_go():
    gone = [row for row in ROWS if row[1] == "a"] + [("2024-02-07", "c", 3.0)]
    found = lc.restated(compared(ROWS), compared(gone)).table
    of = {(r.period, str(r.item), r.column): (r.reported, r.now, r.note) for r in found.itertuples()}
    assert of["2024-02", "b", "value"][0] == 20 and of["2024-02", "b", "value"][2] == "no longer recorded"
    assert np.isnan(of["2024-02", "c", "value"][0]) and of["2024-02", "c", "value"][2] == "not reported then"


def test_tables_stand_for_answers_and_questions_must_fit(tmp_path):
    earlier, now = compared(ROWS), compared([*ROWS, ("2025-01-06", "a", 1.0)])
    earlier.write(tmp_path / "then.csv")
    of_answers, of_file = (lc.restated(one, now).table for one in (earlier, pd.read_csv(tmp_path / "then.csv")))
    items = of_answers[of_answers["item"].notna()].reset_index(drop=True)
    pd.testing.assert_frame_equal(
        items, of_file[of_file["item"].notna()].reset_index(drop=True), check_categorical=False
    )
    whole = lc.compare(book(ROWS), each="month")
    for one, other, said in ((earlier, whole, "split by"), (earlier, 3, "must be an answer"),
                             (pd.DataFrame({"measure": []}), now, "no column 'period'")):  # fmt: skip
        with pytest.raises(lc.QuestionError, match=said):
            lc.restated(one, other)


@pytest.mark.parametrize(
    "ask",
    [
        lambda b: lc.relate(b, "month", by="item"),
        lambda b: lc.drivers(b, "month", by="item", at="2025-01"),
        lambda b: lc.pace(b, "year", by="item"),
        lambda b: lc.land(b, "month", at="2025-01", by="item"),
    ],
)
def test_every_question_of_periods(ask):
    late = [*ROWS, ("2025-01-07", "a", 1.0), ("2024-01-07", "b", 1.0)]
    earlier, now = ask(book(ROWS, covering=("2024-01-01", None))), ask(book(late, covering=("2024-01-01", None)))
    assert lc.restated(earlier, earlier).table.empty
    found = lc.restated(earlier, now).table
    assert len(found) and set(found["period"].astype(str)) <= {"2024-01", "2025-01", "2024"}


@given(
    st.lists(st.tuples(st.integers(0, 900), st.sampled_from("ab"), st.integers(-50, 50)), min_size=1, max_size=12),
    st.lists(st.tuples(st.integers(0, 900), st.sampled_from("ab"), st.integers(-50, 50)), max_size=6),
)
def test_as_a_join_by_pandas_has_it(first, late):
    day = np.datetime64("2023-01-01")
    rows = [(str(day + np.timedelta64(n, "D")), item, float(amount)) for n, item, amount in first]
    more = rows + [(str(day + np.timedelta64(n, "D")), item, float(amount)) for n, item, amount in late]
    span = {"covering": ("2023-01-01", "2025-06-19")}
    earlier, now = compared(rows, **span), compared(more, **span)
    keys = ["measure", "period", "item"]
    tables = [answer.total.assign(item="*") for answer in (earlier, now)]
    tables = [pd.concat([a.table, t])[[*keys, "status", "value", "base"]] for a, t in zip((earlier, now), tables)]
    joined = tables[0].astype({"period": str}).merge(tables[1].astype({"period": str}), "outer", keys)
    whole = set(earlier.total["period"].astype(str)[earlier.total["status"] == "complete"])
    expected = set()
    for row in joined[joined["period"].isin(whole)].itertuples():
        for side in ("value", "base"):
            then, today = getattr(row, f"{side}_x"), getattr(row, f"{side}_y")
            if then != today and not (pd.isna(then) and pd.isna(today)):
                expected.add((row.period, row.item, side))
    found = lc.restated(earlier, now).table
    assert {
        (str(r.period), r.item if isinstance(r.item, str) else "*", r.column) for r in found.itertuples()
    } == expected
