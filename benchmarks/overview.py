"""Times the overview beside the same table by hand in pandas, Polars and DuckDB.

    python benchmarks/overview.py [--rounds N] [--items N] [--days N]

One table of days x items (default 100 x 10,000: a million rows, the last in mid-November). Month, quarter and year to
date by item, each against a year ago and against the period before, cut at the same day: 9 sums an item; by hand the
spans are written down and summed in one scan. All four answers are compared first. Then six windows by three bases in
Logochron alone, beside the reading.
"""

from __future__ import annotations

import argparse
from collections.abc import Callable
from typing import Any

import duckdb
import numpy as np
import pandas as pd
import polars as pl
from windows import timed

import logochron as lc

WINDOWS = ("month", "quarter", "year")
ALL_WINDOWS, ALL_BASES = (*WINDOWS, "week", "last-month", "12-month"), ("year-ago", "prior", "mean:3")
#: The value, a year ago and the period before of each window, on the report date of the records.
SPANS = (
    (("2025-11-01", "2025-11-18"), ("2024-11-01", "2024-11-18"), ("2025-10-01", "2025-10-18")),
    (("2025-10-01", "2025-11-18"), ("2024-10-01", "2024-11-18"), ("2025-07-01", "2025-08-18")),
    (("2025-01-01", "2025-11-18"), ("2024-01-01", "2024-11-18"), ("2024-01-01", "2024-11-18")),
)
ONES = [(first, last) for spans in SPANS for first, last in spans]


def make(days: int, items: int) -> pd.DataFrame:
    """Records of some days of each item over two years, cents as amounts."""
    random = np.random.default_rng(11)
    dates = np.linspace(0, 686, days).round().astype(int) + np.datetime64("2024-01-02")
    return pd.DataFrame(
        {
            "day": np.repeat(dates, items),
            "item": np.tile([f"item {i:05d}" for i in range(items)], days),
            "amount": random.integers(1, 100_000, days * items) / 100,
        }
    )


def ours(frame: pd.DataFrame) -> Any:
    book = lc.read(frame, date="day", values="amount", by="item", covering="2024-01-01..2025-11-18")
    return overview(book, WINDOWS, ALL_BASES[:2])["value"].sum()


def overview(book: lc.Daybook, windows: tuple[str, ...], bases: tuple[str, ...]) -> Any:
    return lc.overview(book, by="item", windows=windows, against=bases).columns


def by_pandas(frame: pd.DataFrame) -> Any:
    sums = [frame[frame["day"].between(*span)].groupby("item")["amount"].sum() for span in ONES]
    table = pd.concat(sums, axis=1, keys=range(len(ONES)))
    for at in range(0, len(ONES), 3):
        for base in (1, 2):
            table[f"growth {at} {base}"] = table[at] / table[at + base] - 1
    return np.asarray(table[[0, 0, 3, 3, 6, 6]]).sum()


def by_polars(frame: pl.DataFrame) -> Any:
    amount, day = pl.col("amount"), pl.col("day")
    sums = [
        amount.filter(day.is_between(pl.lit(first).str.to_datetime(), pl.lit(last).str.to_datetime()))
        .sum()
        .alias(str(n))
        for n, (first, last) in enumerate(ONES)
    ]
    growth = [
        (pl.col(str(at)) / pl.col(str(at + base)) - 1).alias(f"g{at}{base}") for at in (0, 3, 6) for base in (1, 2)
    ]
    table = frame.group_by("item").agg(sums).with_columns(growth).sort("item")
    return 2 * sum(table[name].sum() for name in ("0", "3", "6"))


def by_duckdb(frame: pd.DataFrame) -> Any:
    sums = ", ".join(
        f"sum(amount) FILTER (day BETWEEN '{first}' AND '{last}') AS s{n}" for n, (first, last) in enumerate(ONES)
    )
    growth = ", ".join(f"s{at} / s{at + base} - 1" for at in (0, 3, 6) for base in (1, 2))
    with duckdb.connect() as connection:
        connection.register("frame", frame)
        sql = f"SELECT *, {growth} FROM (SELECT item, {sums} FROM frame GROUP BY item) ORDER BY item"
        found = connection.execute(sql).fetchnumpy()
    return 2 * sum(found[name].sum() for name in ("s0", "s3", "s6"))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--items", type=int, default=10_000)
    parser.add_argument("--days", type=int, default=100)
    options = parser.parse_args()
    frame = make(options.days, options.items)
    lazy = pl.from_pandas(frame)
    jobs: dict[str, Callable[[], Any]] = {
        "logochron": lambda: ours(frame),
        "pandas": lambda: by_pandas(frame),
        "polars": lambda: by_polars(lazy),
        "duckdb": lambda: by_duckdb(frame),
    }
    answers = {name: float(run()) for name, run in jobs.items()}
    assert np.allclose(list(answers.values()), answers["logochron"]), answers
    print(f"{len(frame):,} rows of {options.items:,} items; medians of {options.rounds} rounds, seconds")
    for name, job in jobs.items():
        print(f"{name:<34}{timed(job, options.rounds):8.2f}")
    book = lc.read(frame, date="day", values="amount", by="item", covering="2024-01-01..2025-11-18")
    took = timed(lambda: overview(book, ALL_WINDOWS, ALL_BASES), options.rounds)
    print(f"{'six windows by three bases alone':<34}{took:8.2f}")


if __name__ == "__main__":
    main()
