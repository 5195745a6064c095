"""The overview: each of its figures is that of compare; what it is in every form."""

from __future__ import annotations

import datetime as dt

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from twin_cases import CALENDARS

import logochron as lc

FIRST, DAYS = dt.date(2019, 3, 5), 1500
WINDOWS = (
    *("day", "week", "month", "quarter", "half", "year", "12-month", "5-week"),
    *("last-week", "last-month", "last-quarter", "last-half", "last-year"),
)
BASES = ("year-ago", "prior", "prior:2", "mean:3", "year-ago:2", "year-ago-mean:2", "plan:low", "plan:high")


def _records(rng: np.random.Generator, n: int) -> pd.DataFrame:
    days = pd.Timestamp(FIRST) + pd.to_timedelta(np.sort(rng.integers(0, DAYS, n)), unit="D")
    return pd.DataFrame(
        {
            "day": days,
            "place": rng.choice(["North", "South", "East", "West"], n, p=[0.4, 0.3, 0.2, 0.1]),
            "line": rng.choice(["a", "b"], n),
            "amount": rng.integers(-300, 2000, n) / 100,
            "units": rng.integers(0, 5, n),
        }
    )


@pytest.fixture(scope="module")
def book():
    price = lc.Measure("price", of="amount", per="units")
    records = _records(np.random.default_rng(33), 2500)
    # one place opens late, so that it is not comparable everywhere
    records = records[(records["place"] != "West") | (records["day"] > pd.Timestamp(2021, 6, 1))]
    read = {"date": "day", "values": ["amount", "units"], "by": ["place", "line"], "measures": [price]}
    return lc.read(records, **read)


@pytest.fixture(scope="module")
def plans():
    months = pd.date_range(FIRST, periods=60, freq="MS")
    of_places = [(m, place, k * 10.25) for k, m in enumerate(months) for place in ("North", "East", "Centre")]
    low = pd.DataFrame(of_places, columns=["month", "place", "amount"])
    high = pd.DataFrame({"month": months[10:], "amount": np.arange(50) * 37})
    read = {"date": "month", "value": "amount", "measure": "amount"}
    return {"low": lc.read_plan(low, by="place", **read), "high": lc.read_plan(high, **read)}


def _same_rows(mine: pd.DataFrame, theirs: pd.DataFrame, by: list[str]) -> None:
    """Rows of an overview of one window and basis, and those of compare; compare may lack items without a record."""
    keys = ["measure", *by]
    theirs = theirs.drop(columns="base_share")
    for one in (mine, theirs):
        one["period"] = one["period"].astype(str)
        one[by] = one[by].fillna("").astype(str)
    mine = mine.drop(columns=["window", "basis"]).set_index(keys)
    theirs = theirs.set_index(keys)
    assert set(theirs.index) <= set(mine.index)
    alone = mine.loc[~mine.index.isin(theirs.index)]
    assert ((alone["value"].fillna(0) == 0) & (alone["base"].fillna(0) == 0)).all()
    mine = mine.loc[theirs.index, theirs.columns]
    pd.testing.assert_frame_equal(mine, theirs, check_exact=True, check_dtype=False, check_index_type=False)


@settings(max_examples=12)
@given(data=st.data())
def test_each_figure_is_that_of_compare(book, plans, data):
    draw = data.draw
    calendar = CALENDARS[draw(st.sampled_from(sorted(CALENDARS)))][0]()
    windows = [w for w in WINDOWS if w.split("-")[-1] in calendar.grains]
    windows = draw(st.lists(st.sampled_from(windows), min_size=1, max_size=4, unique=True))
    against = draw(st.lists(st.sampled_from(BASES), min_size=1, max_size=3, unique=True))
    by = draw(st.sampled_from([[], ["place"], ["place", "line"]]))
    until = FIRST + dt.timedelta(days=draw(st.integers(5, DAYS - 1)))
    seen = book if draw(st.booleans()) else book.where({"place": lc.Not("South")})
    options = {
        "by": by, "calendar": calendar, "per": draw(st.sampled_from([None, "day", "trading-day"])),
        "items": draw(st.sampled_from(["all", "comparable"])) if by else "all",
        "judging": lc.Judging(level_within=0.1, bands=[lc.Band("low", below=0.0), lc.Band("high", from_=0.0)]),
    }  # fmt: skip
    plan = plans if any(basis.startswith("plan") for basis in against) else None
    answer = lc.overview(seen, windows=windows, against=against, plan=plan, at=until, **options)
    for window in windows:
        for basis in against:
            one = answer.comparison(window, basis)
            grain = window.split("-")[-1]
            running = int(window.split("-")[0]) if window[0].isdigit() else None
            asked = lc.compare(
                seen.until(until), grain, basis, at=one.periods[0], running=running,
                plan=plans if basis.startswith("plan") else None, **options,
            )  # fmt: skip
            if not window.startswith("last-"):
                assert asked.alignment.rows.own_starts[0] <= _number(until) <= asked.alignment.rows.ends[0]
            else:
                assert asked.alignment.rows.ends[0] <= _number(until) < asked.alignment.rows.ends[0] + 400
            for part in ("table", "subtotals", "total"):
                rows = getattr(answer, part)
                rows = rows[(rows["window"] == window) & (rows["basis"] == basis)].reset_index(drop=True)
                _same_rows(rows, getattr(asked, part).copy(), by)


def _number(day: dt.date) -> int:
    return (day - dt.date(1970, 1, 1)).days
