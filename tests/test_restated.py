"""Figures that changed since they were reported: in Python, and from one run of a report to the next."""

from __future__ import annotations

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
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


CENTS = st.one_of(st.integers(-50, 50), st.sampled_from([3_100_000_000, -3_100_000_001, 1]))
SALES = st.tuples(st.integers(0, 900), st.sampled_from("ab"), CENTS)


@pytest.mark.slow
@settings(max_examples=30)
@given(st.lists(SALES, min_size=1, max_size=12), st.lists(SALES, max_size=6), st.sampled_from([None, 3, 14]),
       st.integers(0, 40))  # fmt: skip
def test_as_plain_python_has_it(first, late, last, later):
    """A figure changed where its records sum to something else: 0 where there is none, whether or not it has a row."""
    start = np.datetime64("2023-01-01")
    rows = [(str(start + np.timedelta64(n, "D")), item, cents) for n, item, cents in first]
    more = rows + [(str(start + np.timedelta64(n, "D")), item, cents) for n, item, cents in late]
    ends = [np.datetime64("2025-06-19") + np.timedelta64(n, "D") for n in (0, later)]
    earlier, now = (
        lc.compare(
            book([(d, i, c / 100) for d, i, c in part], covering=("2023-01-01", str(end))),
            "month",
            by="item",
            last=last,
        )
        for part, end in zip((rows, more), ends)
    )

    def total(part, month, item):
        return sum(cents for day, one, cents in part if day[:7] == month and item in (one, "*"))

    expected = set()
    for month in set(earlier.periods) & set(now.periods):
        if month == str(ends[0])[:7]:  # it was to date then
            continue
        before = f"{int(month[:4]) - 1}{month[4:]}"
        for item in "ab*":
            for side, of in (("value", month), ("base", before)):
                if of >= "2023-01" and total(rows, of, item) != total(more, of, item):
                    expected.add((month, item, side))
    for one in (earlier, earlier.table):
        found = lc.restated(one, now).table
        told = {(str(r.period), r.item if isinstance(r.item, str) else "*", r.column) for r in found.itertuples()}
        if one is earlier.table:  # it tells of items, and of the periods in which it has any
            wanted = {key for key in expected if key[1] != "*" and key[0] in set(one.period)}
            assert {key for key in told if key[1] != "*"} == wanted
        else:
            assert told == expected


def test_a_changed_cent_is_named_with_its_digits(tmp_path):
    rows = [("2025-01-01", "a", 31_000_000.0), ("2025-01-31", "a", 0.0), ("2025-02-28", "a", 1.0)]
    found = lc.restated(compared(rows), compared([*rows, ("2025-01-06", "a", 0.01)]))
    assert found.table.difference.tolist() == [0.01, 0.01] and "+0.01" in found._repr_markdown_()
    small = [(day, item, amount / 1e7) for day, item, amount in rows]
    found = lc.restated(compared(small), compared([*small, ("2025-01-06", "a", 0.004)]))
    assert "+0.004" in found._repr_markdown_() and "3.104" in found._repr_markdown_()
