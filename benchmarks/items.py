"""Times a comparison of very many items: every month of every item against a year ago.

    python benchmarks/items.py [ITEMS] [MONTHS] [MEASURES]

Makes a frame of one row an item and month (default 100,000 x 60, one measure), reads it, compares, makes the table,
and prints the seconds of each and the peak memory beyond the frame itself.
"""

from __future__ import annotations

import resource
import sys
import time

import numpy as np
import pandas as pd

import logochron as lc


def frame(items: int, months: int, measures: int) -> pd.DataFrame:
    """One row an item and month."""
    rng = np.random.default_rng(1)
    first = np.arange(np.datetime64("2021-01"), np.datetime64("2021-01") + months).astype("datetime64[D]")
    days = np.repeat(first + rng.integers(0, 28, months), items).astype("datetime64[s]")
    labels = np.array([f"item {i:06d}" for i in range(items)], dtype=object)
    named = pd.Categorical.from_codes(np.tile(np.arange(items), months), labels)
    amounts = {f"v{k}": np.round(rng.gamma(2, 20, items * months), 2) for k in range(measures)}
    return pd.DataFrame({"day": days, "item": named, **amounts})


def megabytes() -> float:
    """The peak memory of this process."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e3


def main() -> None:
    items, months, measures = (int(a) for a in (*sys.argv[1:], *(100_000, 60, 1)[len(sys.argv) - 1 :]))
    sales = frame(items, months, measures)
    before, times = megabytes(), [time.perf_counter()]
    book = lc.read(sales, date="day", values=[f"v{k}" for k in range(measures)], by="item")
    times.append(time.perf_counter())
    answer = lc.compare(book, each="month", against="year-ago", by="item")
    times.append(time.perf_counter())
    peak = megabytes() - before
    rows = len(answer.table)
    times.append(time.perf_counter())
    read, compared, table = np.diff(times)
    print(f"{items:,} items x {months} months, {measures} measures: {rows:,} rows")
    print(f"read {read:.2f} s, compare {compared:.2f} s, together {read + compared:.2f} s and {peak:,.0f} MB")
    print(f"table {table:.2f} s, in all {megabytes() - before:,.0f} MB")


if __name__ == "__main__":
    main()
