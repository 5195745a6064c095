"""The table of edge cases, walked through reading, comparing and the command line."""

from __future__ import annotations

import csv
import io
import math

import pytest

import logochron as lc

NAN = float("nan")
#: Amounts of May 2026 and of May 2025; then change, growth, direction, note; and level_within.
CASES = [
    (["120"], ["100"], 20, 0.2, "rising", "", 0),
    (["100"], ["100"], 0, 0, "level", "", 0),
    (["0.1", "0.2"], ["0.3"], 0, 0, "level", "", 0),
    (["1000000000.01"], ["1000000000.00"], 0.01, 1e-11, "rising", "", 0),
    (["50"], ["0"], 50, NAN, "rising", "none in base", 0),
    (["50"], [], 50, NAN, "rising", "new", 0),
    (["0"], ["0"], 0, NAN, "level", "none in both", 0),
    (["0"], ["80"], -80, -1, "falling", "none now", 0),
    ([], ["80"], -80, -1, "falling", "ended", 0),
    (["50"], ["-20"], 70, NAN, "rising", "negative base", 0),
    (["-50"], ["-20"], -30, NAN, "falling", "negative base", 0),
    (["-20.2"], ["-20"], -0.2, NAN, "level", "negative base", 0.02),
    (["-20.41"], ["-20"], -0.41, NAN, "falling", "negative base", 0.02),
    (["102"], ["100"], 2, 0.02, "level", "", 0.02),  # exactly at the limit, in whole numbers
    (["-10"], ["40"], -50, -1.25, "falling", "", 0),
    (["0.1000000001", "0.2"], ["0.3000000001"], 0, 0, "level", "", 0),  # not exact, level within the slack
    ([], [], 0, NAN, "level", "none in both", 0),  # no records in covered days are 0
    (["1000000000000.123456"], ["1000000000000.123455"], 1e-6, 1e-18, "rising", "", 0),
]


def same(a: float, b: float) -> bool:
    return (math.isnan(a) and math.isnan(b)) or math.isclose(a, b, rel_tol=1e-9, abs_tol=1e-30)


@pytest.mark.parametrize(("now", "before", "change", "growth", "direction", "note", "within"), CASES)
def test_case(rows_file, cli, now, before, change, growth, direction, note, within):
    # records on the first and last day cover both years; a second item keeps its own figures apart
    edges = [("2025-01-01", "edge", 1), ("2026-12-31", "edge", 1)]
    rows = [("2026-05-10", "x", v) for v in now] + [("2025-05-20", "x", v) for v in before]
    path = rows_file(edges + rows + [("2025-04-01", "x", 7)] * (note != "new"))
    book = lc.read(path, date="day", values="amount", by="item")
    result = lc.compare(book, "month", at="2026-04..2026-05", by="item", judging=lc.Judging(level_within=within))
    row = result.table[(result.table.period == "2026-05") & (result.table.item == "x")].iloc[0]
    assert (row.direction, row.note, row.status) == (direction, note, "complete")
    assert same(row.change, change)
    assert same(row.growth, growth)
    # what a direction is worth depends on the measure only; no growth is needed for a verdict
    for better, rising in (("higher", "favorable"), ("lower", "adverse"), ("neither", "neutral")):
        polar = lc.read(path, date="day", measures=[lc.Measure("amount", better=better)], by="item")
        for level_as in ("neutral", "favorable", "adverse"):
            judging = lc.Judging(level_within=within, level_as=level_as)
            table = lc.compare(polar, "month", at="2026-04..2026-05", by="item", judging=judging).table
            told = table[(table.period == "2026-05") & (table.item == "x")].iloc[0]
            falling = {"favorable": "adverse", "adverse": "favorable"}.get(rising, "neutral")
            assert told.verdict == {"rising": rising, "falling": falling, "level": level_as}[direction]
    ran = cli(
        *("compare", path, "--date", "day", "--value", "amount", "--by", "item", "--at", "2026-04..2026-05"),
        *("--level-within", within, "--as", "csv", "--lower-is-better", "amount"),
    )
    told = [r for r in csv.DictReader(io.StringIO(ran.stdout)) if (r["period"], r["item"]) == ("2026-05", "x")]
    assert ran.returncode == 0
    assert [(r["direction"], r["note"]) for r in told] == [(direction, note)]
    assert told[0]["verdict"] == {"rising": "adverse", "falling": "favorable", "level": "neutral"}[direction]
    assert same(float(told[0]["growth"] or "nan"), growth)


def test_unknown_sides(rows_file):
    book = lc.read(rows_file([("2025-03-15", "x", 5), ("2026-06-30", "x", 5)]), date="day", values="amount")
    table = lc.compare(book, "month", at="2025-02..2026-07").table.set_index("period")
    fragment, first, before, after = table.loc[["2025-03", "2025-04", "2025-02", "2026-07"]].itertuples()
    assert (fragment.status, fragment.value, fragment.note) == (
        "partial",
        5,
        "no base: the records start on 2025-03-15",
    )
    assert (first.value, first.direction, first.verdict) == (0, "unknown", "unknown")
    assert first.note == "no base: the records start on 2025-03-15"
    assert first.base_period == "2024-04" and str(first.base_start) == "NaT"
    assert math.isnan(before.value) and before.note.startswith("not recorded; no base")
    assert (after.status, after.note, after.base) == ("partial", "not recorded", 0)
    assert math.isnan(after.value) and math.isnan(after.change) and after.days == 31
    # the month before the first whole one is held in part only: unknown, not a fall from a fragment
    prior = lc.compare(book, "month", "prior", at="2025-04").table.iloc[0]
    assert prior.note == "no base: the records start on 2025-03-15" and math.isnan(prior.base)


def test_first_period_as_is(rows_file):
    book = lc.read(rows_file([("2025-03-15", "x", 5), ("2026-03-20", "x", 8)]), date="day", values="amount")
    row = lc.compare(book, "month", at="2026-03", partial="as-is").table.iloc[0]
    assert (row.value, row.base, row.growth) == (8, 5, 0.6)  # nothing cut, a base in part taken as it is
    assert (row.days, row.base_days, row.status) == (20, 17, "to-date")
    assert lc.compare(book, "month", partial="drop").table.period.astype(str).tolist()[-1] == "2026-02"
