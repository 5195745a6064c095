"""Times four questions over one file in one reading, beside the same by hand with one scan for all four.

    python benchmarks/four.py [ROWS] [--rounds N] [--folder FOLDER] [--only csv|parquet]

The file of `compare.py` (default 10,000,000 rows). Asked: months by region against a year ago; days against the same
weekday before; the year to date at each month's end by channel against a year ago; quarters by region against the
quarter before. By hand: DuckDB and Polars scan the file once, to sums by day, region and channel, and answer all
four from those. Every job is a process of its own; what they answer is compared first.
"""

from __future__ import annotations

import argparse
import json
import statistics
from pathlib import Path

from compare import make, paths
from together import process

JOBS = ("logochron", "duckdb", "polars")


def by_logochron(path: str) -> list[float]:
    import numpy as np

    import logochron as lc

    book = lc.read(path, date="sold_on", values="revenue", by=["region", "channel"])
    answers = [
        lc.compare(book, each="month", against="year-ago", by="region"),
        lc.compare(book, each="day", against="prior:7"),
        lc.compare(book, each="month", running="year", against="year-ago", by="channel"),
        lc.compare(book, each="quarter", against="prior", by="region"),
    ]
    return [float(np.nansum(answer.columns["change"])) for answer in answers]


def by_duckdb(path: str) -> list[float]:
    import duckdb

    one = duckdb.connect()
    one.execute(f"CREATE TABLE s AS SELECT sold_on, region, channel, sum(revenue) AS v FROM '{path}' GROUP BY ALL")
    asked = [
        ("month", "region", 12, ""),
        ("day", "''", 7, ""),
        ("month", "channel", 12, ", year(p)"),
        ("quarter", "region", 1, ""),
    ]
    found = []
    for each, item, back, running in asked:
        sums = f"SELECT date_trunc('{each}', sold_on) AS p, {item} AS i, sum(v) AS v FROM s GROUP BY ALL"
        if running:
            sums = f"SELECT p, i, sum(v) OVER (PARTITION BY i{running} ORDER BY p) AS v FROM ({sums})"
        lagged = f"SELECT v - lag(v, {back}) OVER (PARTITION BY i ORDER BY p) AS c FROM ({sums})"
        found.append(float(one.execute(f"SELECT sum(c) FROM ({lagged})").fetchall()[0][0]))
    return found


def by_polars(path: str) -> list[float]:
    import polars as pl

    scan = pl.scan_csv(path, try_parse_dates=True) if path.endswith(".csv") else pl.scan_parquet(path)
    sums = scan.group_by("sold_on", "region", "channel").agg(pl.col("revenue").sum().alias("v")).collect()
    asked = [
        ("1mo", ["region"], 12, False),
        ("1d", [], 7, False),
        ("1mo", ["channel"], 12, True),
        ("1q", ["region"], 1, False),
    ]
    found = []
    for each, items, back, running in asked:
        table = sums.group_by(pl.col("sold_on").dt.truncate(each).alias("p"), *items).agg(pl.col("v").sum()).sort("p")
        if running:
            table = table.with_columns(pl.col("v").cum_sum().over([*items, pl.col("p").dt.year()]))
        lagged = pl.col("v").shift(back)
        change = pl.col("v") - (lagged.over(items) if items else lagged)
        found.append(float(table.select(change.sum()).item()))
    return found


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("rows", nargs="?", type=int, default=10_000_000)
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--folder", type=Path, default=Path("build/benchmarks"))
    parser.add_argument("--only", choices=["csv", "parquet"])
    parser.add_argument("--job", choices=JOBS, help=argparse.SUPPRESS)
    asked = parser.parse_args()
    if asked.job:
        print(json.dumps(globals()[f"by_{asked.job}"](str(asked.folder))))
        return
    asked.folder.mkdir(parents=True, exist_ok=True)
    if not all(path.exists() for path in paths(asked.rows, asked.folder)):
        make(asked.rows, asked.folder)
    for path in paths(asked.rows, asked.folder):
        if asked.only not in (None, path.suffix[1:]):
            continue
        words = {job: [__file__, "--job", job, "--folder", str(path)] for job in JOBS}
        found = {job: [process(words[job])] for job in JOBS}
        expected = json.loads(found["duckdb"][0].said)
        for job, (first,) in found.items():
            got = json.loads(first.said)
            if any(abs(a - b) > 1e-6 * max(abs(b), 1) for a, b in zip(got, expected)):
                raise SystemExit(f"{job} answers {got}, duckdb {expected}")
        for _ in range(asked.rounds - 1):
            for job in JOBS:
                found[job].append(process(words[job]))
        ours = statistics.median(run.seconds for run in found["logochron"])
        print(f"\n{path.name}: {asked.rows:,} rows, four questions, {asked.rounds} rounds")
        for job, runs in found.items():
            median, peak = statistics.median(run.seconds for run in runs), max(run.peak for run in runs)
            print(f"{job:<12}{median:>8.2f} s{ours / median:>8.2f} x{peak:>8,.0f} MB")


if __name__ == "__main__":
    main()
