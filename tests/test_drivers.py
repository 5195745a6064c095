"""Contributions, volume, mix and price add up; subtotals, the rest, the way down."""

from __future__ import annotations

import math

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import logochron as lc

amounts = st.integers(-500, 2000).map(lambda cents: cents / 100)
items = st.dictionaries(
    st.tuples(st.sampled_from("ABC"), st.sampled_from("xy")),
    st.tuples(*[st.one_of(st.none(), st.tuples(amounts, st.integers(-2, 6)))] * 2),
    min_size=1,
    max_size=6,
)


def booked(drawn):
    """A book of amounts and units; None: no record on that side."""
    rows = [("2025-05-01", "A", "x", 0.0, 0), ("2026-05-31", "A", "x", 0.0, 0)]
    for (harbor, line), sides in drawn.items():
        for day, side in zip(("2025-05-02", "2026-05-02"), sides):
            if side is not None:
                rows.append((day, harbor, line, *side))
    frame = pd.DataFrame(rows, columns=["day", "harbor", "line", "amount", "units"])
    return lc.read(frame, date="day", values=["amount", "units"], by=["harbor", "line"])


@pytest.mark.slow
@settings(max_examples=40)
@given(items, st.sampled_from([None, 1, 3]))
def test_everything_adds_up(drawn, top):
    book = booked(drawn)
    told = lc.drivers(book, "month", by=["harbor", "line"], measures="amount", quantity="units", at="2026-05", top=top)
    total = told.total.iloc[0]
    effects = ["volume", "mix", "price"]
    for one in (told.table, told.subtotals, told.total):
        assert np.allclose(one[effects].sum(axis=1), one.change, atol=1e-9)
    for one in (told.table, told.subtotals):
        for column in ("change", *effects, *(["contribution"] if total.base > 0 else [])):
            assert one[column].sum() == pytest.approx(total[column], abs=1e-9), column
    if total.base > 0:
        assert total.contribution == pytest.approx(total.growth, abs=1e-12)
    else:
        assert told.table.contribution.isna().all()
    if top is not None:
        return
    units = [sum(s[side][1] for s in drawn.values() if s[side]) for side in (0, 1)]
    for row in told.table.itertuples():
        (b, q0), (v, q1) = ((s or (0.0, 0)) for s in drawn.get((row.harbor, row.line), (None, None)))
        assert (row.value, row.base, row.quantity, row.base_quantity) == pytest.approx((v, b, q1, q0), abs=1e-9)
        if units[0] <= 0 or (q0 <= 0 and b != 0) or (q1 <= 0 and v != 0):
            assert "no quantity" in row.note and (row.volume, row.price) == (0, 0)
            continue
        assert "no quantity" not in row.note
        if q0 == 0:  # new: all mix
            assert (row.volume, row.price) == (0, 0)
            continue
        p0 = b / q0
        assert row.volume == pytest.approx((units[1] - units[0]) * q0 / units[0] * p0, abs=1e-9)
        assert row.mix == pytest.approx((q1 - units[1] * q0 / units[0]) * p0, abs=1e-9)
        assert row.price == pytest.approx(v - p0 * q1, abs=1e-9)  # (p1 - p0) q1, where q1 is not 0
    # the way down, by its definition
    path, change = [], total.change
    tables = [told.subtotals, told.table]
    for level, (table, dimension) in enumerate(zip(tables, ("harbor", "line")), start=1):
        under = table if not path else table[table.harbor == path[0][2]]
        moved = {r[dimension]: r["change"] * np.sign(change) for r in under.to_dict("records")}
        best = min(moved, key=lambda name: (-round(moved[name], 9), name)) if moved else None
        if best is None or moved[best] <= 1e-12 or change == 0:
            break
        path.append((level, dimension, best))
    assert list(told.path[["level", "dimension", "item"]].itertuples(index=False, name=None)) == path


def test_new_and_ended_items():
    new = {("A", "x"): ((10.0, 2), (12.0, 2)), ("B", "x"): (None, (6.0, 1)), ("C", "x"): ((8.0, 4), None)}
    told = lc.drivers(booked(new), "month", by="harbor", measures="amount", quantity="units", at="2026-05").table
    assert told.note.tolist() == ["", "new", "none now"]  # of one day nothing ends
    assert told[["volume", "mix", "price"]].iloc[1].tolist() == [0, 6, 0]
    assert told.volume[2] + told.mix[2] == -8 and told.price[2] == 0


def test_columns_and_settings(demo_book):
    told = lc.drivers(demo_book, "month", by=["harbor", "line"], quantity="units", at="2026-09", sort="-change")
    assert told.table.columns.tolist() == [
        *(
            "measure",
            "harbor",
            "line",
            "value",
            "base",
            "change",
            "growth",
            "contribution",
            "quantity",
            "base_quantity",
        ),
        *("volume", "mix", "price", "direction", "verdict", "note"),
    ]
    assert told.path.columns.tolist() == ["level", "dimension", "item", "change", "contribution"]
    assert told.table.measure.unique().tolist() == ["revenue", "cost"]  # the quantity explains, it is not explained
    revenue = told.table[told.table.measure == "revenue"]
    assert revenue.change.is_monotonic_decreasing and told.periods == ("2026-09",)
    cost = told.table[told.table.measure == "cost"]
    assert set(zip(cost.direction, cost.verdict)) <= {("rising", "adverse"), ("falling", "favorable")}
    banded = lc.drivers(demo_book, "month", by="harbor", at="2026-09", judging=lc.demo.judging(), measures="revenue")
    assert set(banded.table.verdict) == {"favorable", "adverse"}  # bands do not apply
    compared = lc.compare(demo_book, "month", by="harbor", at="2026-09", measures="revenue").table
    assert banded.table.change.tolist() == compared.change.tolist() and banded.table.volume.isna().all()
    kept = lc.drivers(
        demo_book, "quarter", by="harbor", at="2024-Q2", items="comparable", measures="revenue", quantity="units"
    )
    left_out = kept.table[kept.table.note.str.contains("not comparable")]
    assert left_out.harbor.tolist() == ["Dunmarrow"] and left_out.change.isna().all()
    assert kept.table.contribution.sum() == pytest.approx(kept.total.growth[0])
    assert kept.table[["volume", "mix", "price"]].sum().sum() == pytest.approx(kept.total.change[0])
    assert lc.explain(kept, harbor="Alderquay").period == "2024-Q2"


@pytest.mark.parametrize(
    ("options", "said"),
    [
        ({"at": "2026"}, "`at` must name one period: 2026 names 12"),
        ({"quantity": "unit"}, "Did you mean 'units'"),
        ({"quantity": "price"}, "`quantity` must be a sum or a count; 'price' divides"),
        ({"measures": "price"}, "takes apart what adds up, and price divides: .* such as measures='revenue'"),
        ({"by": ()}, "name a dimension in `by`"),
        ({"top": 0}, "`top` must be a whole number from 1 up"),
    ],
)  # fmt: skip
def test_drivers_that_cannot_be(options, said):
    book = lc.demo.book(
        measures=[*map(lc.Measure, ("revenue", "units")), lc.Measure("price", of="revenue", per="units")]
    )
    with pytest.raises(lc.QuestionError, match=said):
        lc.drivers(book, "month", **{"by": "harbor", "at": "2026-09", **options})
    left_out = lc.drivers(book, "month", by="harbor")
    assert left_out.notes[0].startswith("price: left out") and set(left_out.table.measure) == {"revenue", "units"}


def test_a_base_that_is_not_known():
    told = lc.drivers(
        booked({("A", "x"): ((1.0, 1), (2.0, 1))}),
        "month",
        by="harbor",
        quantity="units",
        measures="amount",
        at="2025-05",
    )
    row = told.table.iloc[0]
    assert (
        row.note.startswith("no base") and math.isnan(row.contribution) and math.isnan(row.mix) and not len(told.path)
    )
