"""Times bases and windows over one book, beside the same jobs by hand in pandas, Polars and DuckDB.

    python benchmarks/windows.py [--rounds N] [--items N] [--days N]

One table of days x items (default 1,826 x 548: a million rows). Three jobs, each answered by all four and compared
first: the sums of months by item against a year ago; the same to date in the year; every day of 100 items to date in
the year against the same day a year ago. Logochron's time is told with and without the reading of the frame. Then:
what five bases in three windows cost over one book, as a multiple of one base, the daily answer beside the monthly
one, and a million days to ordinals.
"""

from __future__ import annotations

import argparse
import statistics
import time
from collections.abc import Callable
from typing import Any

import duckdb
import numpy as np
import pandas as pd
import polars as pl

import logochron as lc

BASES = ("prior", "year-ago", "mean:3", "year-ago-mean:2", "fixed:2023-05")
WINDOWS = (None, "year", 12)
Answer = tuple[float, float, int]


def make(days: int, items: int) -> pd.DataFrame:
    """Every day of every item, cents as amounts."""
    random = np.random.default_rng(7)
    dates = np.datetime64("2021-01-01") + np.arange(days)
    return pd.DataFrame(
        {
            "day": np.repeat(dates, items),
            "item": np.tile([f"item {i:04d}" for i in range(items)], days),
            "amount": random.integers(1, 100_000, days * items) / 100,
        }
    )


def told(value: Any, growth: Any) -> Answer:
    """An answer in figures that can be compared."""
    growth = np.asarray(growth, dtype=float)
    return float(np.nansum(np.asarray(value, dtype=float))), float(np.nansum(growth)), int(np.isfinite(growth).sum())


def ours(frame: pd.DataFrame, each: str, running: str | None) -> Answer:
    book = lc.read(frame, date="day", values="amount", by="item")
    return told(*asked(book, each, running))


def asked(book: lc.Daybook, each: str, running: str | None) -> tuple[Any, Any]:
    columns = lc.compare(book, each, "year-ago", running=running, by="item").columns
    return columns["value"], columns["growth"]


def by_pandas(frame: pd.DataFrame, each: str, running: str | None) -> Answer:
    if each == "month":
        sums = frame.groupby([frame["day"].dt.to_period("M"), "item"])["amount"].sum().unstack()
        table = sums.groupby(sums.index.year).cumsum() if running else sums
        base = table.shift(12)
        return told(table.to_numpy(), (table / base - 1).to_numpy())
    wide = frame.pivot(index="day", columns="item", values="amount")
    table = wide.groupby(wide.index.year).cumsum()
    before = table.index - pd.DateOffset(years=1)
    before = before.where(~table.index.is_month_end, before + pd.offsets.MonthEnd(0))
    base = table.reindex(before).to_numpy()
    return told(table.to_numpy(), table.to_numpy() / base - 1)


def by_polars(frame: pl.DataFrame, each: str, running: str | None) -> Answer:
    if each == "month":
        sums = frame.group_by(pl.col("day").dt.truncate("1mo").alias("day"), "item").agg(pl.col("amount").sum())
    else:
        sums = frame
    sums = sums.sort("item", "day")
    if running:
        sums = sums.with_columns(pl.col("amount").cum_sum().over("item", pl.col("day").dt.year()))
    base = sums.select("item", before="day", base="amount")
    day, before = pl.col("day"), pl.col("day").dt.offset_by("-1y")
    if each == "day":
        before = pl.when(day == day.dt.month_end()).then(before.dt.month_end()).otherwise(before)
    table = sums.with_columns(before=before).join(base, on=["item", "before"], how="left")
    return told(table["amount"].to_numpy(), (table["amount"] / table["base"] - 1).to_numpy())


def by_duckdb(frame: pd.DataFrame, each: str, running: str | None) -> Answer:
    window = "sum(s) OVER (PARTITION BY item, year(p) ORDER BY p)" if running else "s"
    before = "(a.p - INTERVAL 1 YEAR)::DATE"
    if each == "day":  # the end of a month goes with the end of a month
        before = f"CASE WHEN last_day(a.p) = a.p THEN last_day({before}) ELSE {before} END"
    sql = f"""
        WITH sums AS (SELECT date_trunc('{each}', day)::DATE AS p, item, sum(amount) AS s FROM frame GROUP BY ALL),
             rows AS (SELECT p, item, {window} AS v FROM sums)
        SELECT a.v, a.v / b.v - 1 AS g FROM rows AS a
        LEFT JOIN rows AS b ON a.item = b.item AND b.p = {before}"""
    with duckdb.connect() as connection:
        connection.register("frame", frame)
        found = connection.execute(sql).fetchnumpy()
    return told(found["v"], np.ma.filled(found["g"], np.nan))


def timed(job: Callable[[], Any], rounds: int) -> float:
    """Median seconds."""
    took = []
    for _ in range(rounds):
        started = time.perf_counter()
        job()
        took.append(time.perf_counter() - started)
    return statistics.median(took)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--items", type=int, default=548)
    parser.add_argument("--days", type=int, default=1826)
    options = parser.parse_args()
    frame = make(options.days, options.items)
    some = frame[frame["item"] < "item 0100"].reset_index(drop=True)
    print(f"{len(frame):,} rows: {options.days:,} days x {options.items:,} items; medians of {options.rounds} rounds")
    print(f"{'seconds':<34}{'logochron':>11}{'its compare':>13}{'pandas':>9}{'polars':>9}{'duckdb':>9}")
    for name, rows, each, running in (
        ("months against a year ago", frame, "month", None),
        ("months, year to date", frame, "month", "year"),
        ("days of 100 items, year to date", some, "day", "year"),
    ):
        lazy = pl.from_pandas(rows)
        jobs: dict[str, Callable[[], Answer]] = {
            "logochron": lambda r=rows, e=each, w=running: ours(r, e, w),
            "pandas": lambda r=rows, e=each, w=running: by_pandas(r, e, w),
            "polars": lambda r=lazy, e=each, w=running: by_polars(r, e, w),
            "duckdb": lambda r=rows, e=each, w=running: by_duckdb(r, e, w),
        }
        answers = {job: run() for job, run in jobs.items()}
        expected = answers["logochron"]
        for job, got in answers.items():
            if not np.allclose(got, expected, rtol=1e-9):
                raise SystemExit(f"{name}: {job} answers {got}, logochron {expected}")
        seconds = {job: timed(run, options.rounds) for job, run in jobs.items()}
        book = lc.read(rows, date="day", values="amount", by="item")
        alone = timed(lambda b=book, e=each, w=running: asked(b.where({}), e, w), options.rounds)
        print(f"{name:<34}{seconds['logochron']:>11.2f}{alone:>13.2f}"
              f"{seconds['pandas']:>9.2f}{seconds['polars']:>9.2f}{seconds['duckdb']:>9.2f}")  # fmt: skip

    book = lc.read(frame, date="day", values="amount", by="item")
    one = timed(lambda: asked(book.where({}), "month", None), options.rounds)

    def all_of_them() -> None:
        fresh = book.where({})  # nothing laid out yet
        for basis in BASES:
            for window in WINDOWS:
                lc.compare(fresh, "month", basis, running=window, by="item")

    many = timed(all_of_them, options.rounds)
    n = len(BASES) * len(WINDOWS)
    print(f"\none base over one book {one:.3f} s; {n} answers (bases x windows) {many:.3f} s:")
    print(f"{many / one:.2f} x")
    small = lc.read(some, date="day", values="amount", by="item")
    monthly = timed(lambda: asked(small.where({}), "month", "year"), options.rounds)
    daily = timed(lambda: asked(small.where({}), "day", "year"), options.rounds)
    rows_out = len(asked(small, "day", "year")[0])
    copied = timed(lambda: [np.arange(rows_out) + 0.0 for _ in range(22)], options.rounds)
    print(f"year to date of 100 items: months {monthly:.3f} s, days {daily:.3f} s")
    print(f"(to write {rows_out:,} rows x 22 columns of numbers alone takes {copied:.3f} s)")
    million = np.arange(-500_000, 500_000)
    took = {
        name: max(timed(lambda c=calendar, g=each: c.ordinals(g, million), options.rounds) for each in calendar.grains)
        for name, calendar in (("civil", lc.CivilCalendar(year_start=4)), ("retail", lc.RetailCalendar()))
    }
    print("a million days to ordinals, slowest grain: " + ", ".join(f"{name} {s:.3f} s" for name, s in took.items()))


if __name__ == "__main__":
    main()
