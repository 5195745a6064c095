"""Bands at their exact limits, bands that leave a gap or overlap, marks, what is unusual."""

from __future__ import annotations

import statistics
from fractions import Fraction

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import logochron as lc
from logochron.core.judge.judging import unusual_growth
from logochron.views.formats import Formats
from logochron.views.marks import SETS, marks_of

B = lc.Band
THREE = [
    B("ahead", from_=0.08, verdict="favorable"),
    B("on course", from_=-0.03, below="0.08"),
    B("behind", below=-0.03),
]
THIRDS = [B("low", below=Fraction(1, 3)), B("high", from_=Fraction(1, 3))]


def judged(rows_file, now, before, **judging):
    """The band and verdict of May 2026 against 2025, and those of the item `x` among all."""
    rows = [("2025-05-01", "x", before), ("2026-05-31", "x", now), ("2025-05-01", "y", 2), ("2026-05-31", "y", 2)]
    book = lc.read(rows_file(rows), date="day", values="amount", by="item")
    table = lc.compare(book, "month", at="2026-05", by="item", judging=lc.Judging(**judging)).table
    row = table.set_index("item").loc["x"]
    return row.band, row.verdict


@pytest.mark.parametrize(
    ("now", "before", "judging", "expected"),
    [
        ("108", "100", {"bands": THREE}, ("ahead", "favorable")),  # a lower limit is held
        ("107.99", "100", {"bands": THREE}, ("on course", "favorable")),  # without a verdict the direction's
        ("97", "100", {"bands": THREE}, ("on course", "adverse")),
        ("96.99", "100", {"bands": THREE}, ("behind", "adverse")),
        ("1080000000.00", "1000000000.00", {"bands": THREE}, ("ahead", "favorable")),
        ("1079999999.99", "1000000000.00", {"bands": THREE}, ("on course", "favorable")),
        ("0.4", "0.3", {"bands": THIRDS}, ("high", "favorable")),  # 1/3, as no double is
        ("108.000000001", "100.000000001", {"bands": [B("a", below=0.08), B("b", from_=0.08)]}, ("b", "favorable")),
        ("0.3240000001", "0.3000000001", {"bands": THREE}, ("on course", "favorable")),  # not exact, below
        ("0.32400000000000001", "0.30000000000000004", {"bands": THREE}, ("ahead", "favorable")),  # within 1e-12
        ("50", "0", {"bands": THREE}, (None, "favorable")),  # no growth, no band
        ("12", "0", {"bands": [B("quiet", below=12), B("busy", from_=12)], "on": "value"}, ("busy", "favorable")),
        ("11.99", "20", {"bands": [B("quiet", below=12, verdict="neutral"), B("busy", from_=12)], "on": "value"},
         ("quiet", "neutral")),
        ("1", "1", {"bands": THIRDS, "on": "share"}, ("high", "neutral")),  # 1 of 3
        ("0.99", "1", {"bands": THIRDS, "on": "share"}, ("low", "adverse")),
        ("-3", "1", {"bands": THIRDS, "on": "share"}, (None, "adverse")),  # a total that is not > 0
        ("5", "5", {"bands": [B("all", verdict="favorable")]}, ("all", "favorable")),
    ],
)  # fmt: skip
def test_bands_at_their_limits(rows_file, now, before, judging, expected):
    band, verdict = judged(rows_file, now, before, **judging)
    assert (None if pd.isna(band) else band, verdict) == expected


@given(
    st.integers(-(10**6), 10**6),
    st.integers(1, 10**6),
    st.lists(st.fractions(-3, 3), min_size=1, max_size=4, unique=True),
)
def test_bands_hold_each_growth_once(change, base, limits):
    from logochron.core.judge.judging import in_order, placed

    edges = [None, *sorted(limits), None]
    bands = in_order([B(str(i), from_=a, below=b) for i, (a, b) in enumerate(zip(edges, edges[1:]))][::-1])
    arrays = [np.array([n]) for n in (change, base)]
    place = int(placed(bands, *arrays, np.array([True]), True)[0])
    growth = Fraction(change, base)
    assert [
        i for i, b in enumerate(bands) if (b.low is None or growth >= b.low) and (b.high is None or growth < b.high)
    ] == [place]


@pytest.mark.parametrize(
    ("bands", "said"),
    [
        (
            [B("behind", below=0), B("ahead", from_=0.03)],
            r"0 to below 0.03: a gap, no band\n.*behind  \|0\|  \?  \|0.03\|  ahead",
        ),
        ([B("a", below=0.05), B("b", from_=0)], r"0 to below 0.05: a and b overlap"),
        ([B("a", from_=0)], r"below 0: a gap"),
        ([B("a", below=0), B("a", from_=0)], "names a band twice: a, a"),
        (["a"], "must be Band objects; got str"),
    ],
)
def test_bands_that_do_not_cover_the_line(bands, said):
    with pytest.raises(lc.QuestionError, match=said):
        lc.Judging(bands=bands)


@pytest.mark.parametrize(
    ("made", "said"),
    [
        (lambda: B("a", from_=0.1, below=0.1), "nothing is from 0.1 and below 0.1"),
        (lambda: B("a", from_="much"), "`from_` must be a number"),
        (lambda: B(" "), "a band needs a name"),
        (lambda: B("a", verdict="good"), "`verdict` must be one of favorable, adverse, neutral"),
        (lambda: lc.Judging(on="profit"), "`on` must be one of growth, value, share"),
        (lambda: lc.Judging(marks="arrow"), "Did you mean 'arrows'"),
        (lambda: lc.Judging(marks=["a", "b", "c"]), "or four signs"),
        (lambda: lc.compare(lc.demo.book(), "year", judging={"revenu": lc.Judging()}), "Did you mean 'revenue'"),
        (lambda: lc.compare(lc.demo.book(), "year", judging={"revenue": 1}), "must be a Judging; got int"),
        (lambda: lc.compare(lc.demo.book(), "year", judging=1), "must be a Judging, or one for each"),
    ],
)
def test_judgings_that_cannot_be(made, said):
    with pytest.raises(lc.QuestionError, match=said):
        made()


def test_a_judging_for_each_measure(demo_book):
    judging = {"cost": lc.Judging(bands=[B("any")], level_as="adverse")}
    table = lc.compare(demo_book, "year", at="2025", judging=judging).table.set_index("measure")
    assert table.band.isna().tolist() == [True, True, False]
    assert table.verdict["cost"] == "adverse" and table.direction["cost"] == "rising"


def test_marks():
    own = marks_of(lc.Judging(marks=["🠕", "🠗", "≈", "?"], marks_place="after"), Formats())
    assert (own.sign("falling", "adverse"), own.beside("x", "1")) == ("🠗", "1 x")
    assert marks_of(lc.Judging(marks="thumbs"), Formats(plain=True)).sign("falling", "favorable") == SETS["ascii"][1]
    assert marks_of(lc.Judging(marks="words"), Formats(plain=True)).sign("level", "neutral") == "level"
    assert marks_of(lc.Judging(marks="thumbs"), Formats(), str.isascii).sign("rising", "adverse") == "▲"
    banded = lc.Judging(bands=[B("low", below=0, mark="!"), B("high", from_=0)])
    assert [marks_of(banded, Formats()).sign("rising", "", band) for band in ("low", "high", None)] == ["!", "▲", "▲"]
    assert marks_of(lc.Judging(marks="^v=?"), Formats()).sign("falling", "") == "v"
    assert all(len(set(signs)) == 4 for signs in SETS.values())


@given(st.lists(st.one_of(st.none(), st.floats(-1, 1)), min_size=1, max_size=20), st.data())
def test_unusual_is_that_of_one_left_out(growths, data):
    complete = data.draw(st.lists(st.booleans(), min_size=len(growths), max_size=len(growths)))
    x = np.array([np.nan if g is None else g for g in growths])
    low, high, out = (side[:, 0] for side in unusual_growth(x[:, None], np.array(complete)[:, None]))
    for j in range(len(x)):
        told = {i: x[i] for i in range(len(x)) if i != j and complete[i] and np.isfinite(x[i])}
        steps = [abs(told[i] - told[i + 1]) for i in told if i + 1 in told]
        if len(told) < 8 or not steps:
            assert np.isnan(low[j]) and out[j] == -1
            continue
        mean, spread = statistics.fmean(told.values()), 2.66 * statistics.fmean(steps)
        assert low[j] == pytest.approx(mean - spread, abs=1e-12) and high[j] == pytest.approx(mean + spread, abs=1e-12)
        if np.isnan(x[j]):
            assert out[j] == -1
        elif abs(x[j] - mean + spread) > 1e-9 and abs(x[j] - mean - spread) > 1e-9:
            assert out[j] == (x[j] < mean - spread or x[j] > mean + spread)


def test_unusual_finds_the_slump(demo_book):
    book = demo_book.where({"harbor": "Alderquay"})
    found = lc.compare(book, "month", by="line", last=30, measures="revenue", unusual=True)
    slump = found.table[(found.table.line == "lessons") & (found.table.period == "2026-06")].iloc[0]
    assert bool(slump.unusual) and slump.growth < slump.usual_low and slump.verdict == "adverse"
    assert found.table.columns[-3:].tolist() == ["usual_low", "usual_high", "unusual"]
    assert str(found.table.unusual.dtype) == "boolean"
