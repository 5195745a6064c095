"""Items held against the total, the largest, the mean, a named item; against plain loops over the records."""

from __future__ import annotations

import datetime as dt
import math

import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import logochron as lc

DAYS = ["2025-05-10", "2025-05-20", "2026-05-10", "2026-05-11", "2026-06-30"]
records = st.lists(
    st.tuples(
        st.sampled_from(DAYS), st.sampled_from("AB"), st.sampled_from("xyz"), st.integers(-3, 9), st.integers(-1, 3)
    ),
    min_size=2,
    max_size=14,
)
NAN = float("nan")


def sums(rows, year, keep=lambda h, i: True):
    """Amount and units of May of a year."""
    held = [r for r in rows if r[0].startswith(f"{year}-05") and keep(r[1], r[2])]
    return sum(r[3] for r in held), sum(r[4] for r in held)


def figure(pair, measure):
    """The figure of a measure from amount and units; NaN where it divides by what is not above 0."""
    if measure == "amount":
        return pair[0]
    return pair[0] / pair[1] if pair[1] > 0 else NAN


def expected(rows, items, measure, against, within, harbor, item):
    """Value, reference, ratio now and before of one item, by its definition."""
    group = [it for it in items if within is None or it[0] == harbor]
    now, before = [], []
    for year, found in ((2026, now), (2025, before)):
        own = figure(sums(rows, year, lambda h, i: (h, i) == (harbor, item)), measure)
        whole = figure(sums(rows, year, lambda h, i: within is None or h == harbor), measure)
        each = {it: figure(sums(rows, year, lambda h, i, it=it: (h, i) == it), measure) for it in group}
        found += [own, whole, each]
    reference, base = now[1], before[1]
    if against == "mean" and measure == "amount":
        reference, base = reference / len(group), base / len(group)
    elif against == "largest":
        known = {it: v for it, v in now[2].items() if not math.isnan(v)}
        best = min(known, key=lambda it: (-known[it], it)) if known else None
        reference, base = (now[2][best], before[2][best]) if best else (NAN, NAN)
    elif against.startswith("item:"):
        names = {(it[1] if within else " / ".join(it)): it for it in group}
        named = names.get(against[5:])
        reference, base = (now[2][named], before[2][named]) if named else (NAN, NAN)
    ratio = now[0] / reference if reference > 0 else NAN
    ratio_before = before[0] / base if base > 0 else NAN
    return now[0], reference, ratio, ratio_before


def same(a, b):
    return (math.isnan(a) and math.isnan(b)) or math.isclose(a, b, rel_tol=1e-12, abs_tol=1e-12)


@pytest.mark.slow
@settings(max_examples=60)
@given(records, st.sampled_from(["amount", "price"]), st.booleans(), st.data())
def test_relations_are_those_of_plain_loops(drawn, measure, nested, data):
    rows = [("2025-05-01", "A", "x", 0, 0), ("2025-05-01", "B", "x", 0, 0), *drawn, ("2026-06-30", "A", "x", 1, 1)]
    frame = pd.DataFrame(rows, columns=["day", "harbor", "line", "amount", "units"])
    measures = [lc.Measure("amount"), lc.Measure("units"), lc.Measure("price", of="amount", per="units")]
    book = lc.read(frame, date="day", measures=measures, by=["harbor", "line"], covering=("2025-05-01", "2026-06-30"))
    within = "harbor" if nested else None
    against = data.draw(st.sampled_from(["total", "largest", "mean", "item:x" if nested else "item:A / x"]))
    held = lc.relate(
        book, "month", by=["harbor", "line"], beside=against, within=within, measures=measure, at="2026-05"
    )
    items = sorted({(r[1], r[2]) for r in rows if r[0][5:7] == "05"})
    assert [(r.harbor, r.line) for r in held.table.itertuples()] == items
    for row in held.table.to_dict("records"):
        value, reference, ratio, before = expected(rows, items, measure, against, within, row["harbor"], row["line"])
        assert same(row["value"], value), row
        if not math.isnan(row["reference"]):
            assert same(row["reference"], reference) and same(row["gap"], value - reference), row
        assert same(row["ratio"], ratio) and same(row["ratio_before"], before), (row, ratio, before)
        moved = ratio - before
        if math.isnan(moved):
            assert row["direction"] == "unknown" and math.isnan(row["ratio_change"])
        elif abs(moved) > 1e-9:
            assert row["direction"] == ("rising" if moved > 0 else "falling")


def test_columns_levels_and_ties(demo_book):
    held = lc.relate(demo_book, "month", by=["harbor", "line"], within="harbor", measures="revenue", last=2)
    assert held.table.columns.tolist() == [
        *("measure", "period", "start", "end", "days", "harbor", "line", "value", "reference_item", "reference", "gap"),
        *("ratio", "ratio_before", "ratio_change", "direction", "status", "note"),
    ]
    per_harbor = held.table.groupby(["period", "harbor"], observed=True).ratio.sum()
    assert per_harbor.round(12).eq(1).all() and held.subtotals.ratio.eq(1).all() and held.total.ratio.isna().all()
    # the running month is cut on both sides
    last = held.table[held.table.status == "to-date"]
    assert last.end.unique().tolist() == [pd.Timestamp("2026-10-18")]
    whole = lc.relate(demo_book, "month", by="harbor", measures="revenue", last=2, items="comparable")
    assert whole.total.ratio.eq(1).all()
    frame = pd.DataFrame({"day": ["2025-05-01", "2026-05-01"] * 2, "item": list("bbaa"), "v": [2, 3, 1, 3]})
    book = lc.read(frame, date="day", values="v", by="item")
    tied = lc.relate(book, "month", by="item", beside="largest", at="2026-05", judging=lc.Judging(level_within=1)).table
    assert tied.reference_item.tolist() == ["a", "a"] and tied.ratio_before.tolist() == [1, 2]
    assert tied.direction.tolist() == ["level", "level"]  # 1 against 2 is within the whole of it
    spaced = lc.read(frame.replace("a", " a "), date="day", values="v", by="item")
    for name in ("item: a ", "item: b"):  # as the book calls it, whatever stands around
        assert lc.relate(spaced, "month", by="item", beside=name, at="2026-05").table.ratio.eq(1).all()
    receipt = lc.explain(whole, "2026-09", harbor="Cold Pier")
    assert receipt.figures["value"] == whole.table.query("harbor == 'Cold Pier'").value.iloc[0]
    assert dt.date(2026, 10, 18) == demo_book.report_day


@pytest.mark.parametrize(
    ("options", "said"),
    [
        ({"beside": "item:Cold Peer"}, "the book has no item 'Cold Peer'. Did you mean 'Cold Pier'"),
        ({"beside": "lagest"}, "must be total, largest, mean or item:NAME"),
        ({"within": "harbor"}, "`within` must be one of two or more dimensions"),
        ({"within": "line", "by": ["harbor", "line"], "beside": "item:gear"}, "no item 'gear'"),
        ({"by": ()}, "name a dimension in `by`"),
        ({"against": "plan"}, "`against` must be an earlier period"),
        ({"against": "largest"}, r"beside='largest' \(--beside"),
        ({"sort": "growth"}, "`sort` must be one of value, -value, label"),
    ],
)
def test_relations_that_cannot_be(demo_book, options, said):
    with pytest.raises(lc.QuestionError, match=said):
        lc.relate(demo_book, "month", **{"by": "harbor", **options})
