"""Times "month x region against a year ago" with Logochron and by hand in pandas, Polars and DuckDB.

    python benchmarks/compare.py [ROWS] [--rounds N] [--only csv|parquet] [--folder FOLDER]

Makes ROWS sales rows (default 1,000,000; 12 regions x 400 products x 3 channels, five years) as CSV and Parquet, runs
each job as a process of its own, all of them in turn, round after round, and prints medians of the wall time, ratios
to Logochron's, and peak memory. The jobs' answers are compared with each other first.
"""

from __future__ import annotations

import argparse
import json
import statistics
import subprocess
import sys
from pathlib import Path
from typing import Any

from together import process

JOBS = ("logochron", "duckdb", "pandas", "polars")


def paths(rows: int, folder: Path) -> tuple[Path, Path]:
    """Where the sales rows lie as CSV and Parquet."""
    return folder / f"sales-{rows}.csv", folder / f"sales-{rows}.parquet"


def make(rows: int, folder: Path) -> None:
    """Write the sales rows, the same for the same number."""
    import duckdb

    csv, parquet = paths(rows, folder)
    connection = duckdb.connect()
    connection.execute(
        f"""CREATE TABLE sales AS SELECT
            DATE '2021-01-01' + (hash(i, 1) % 1826)::INT AS sold_on,
            'region ' || lpad((hash(i, 2) % 12 + 1)::VARCHAR, 2, '0') AS region,
            'product ' || lpad((hash(i, 3) % 400 + 1)::VARCHAR, 3, '0') AS product,
            ['counter', 'online', 'partner'][1 + (hash(i, 4) % 3)::INT] AS channel,
            1 + (hash(i, 5) % 9)::INT AS units,
            (hash(i, 6) % 50000)::INT / 100 AS revenue
        FROM range({rows}) AS r(i)"""
    )
    connection.execute(f"COPY sales TO '{csv}' (HEADER)")
    connection.execute(f"COPY sales TO '{parquet}'")


def by_logochron(path: str) -> tuple[Any, Any]:
    import logochron as lc

    book = lc.read(path, date="sold_on", values="revenue", by="region")
    columns = lc.compare(book, each="month", against="year-ago", by="region").columns
    return columns["value"], columns["growth"]


def by_duckdb(path: str) -> tuple[Any, Any]:
    import duckdb
    import numpy as np

    found = (
        duckdb.connect()
        .execute(f"SELECT sold_on, region, sum(revenue::DOUBLE) AS revenue FROM '{path}' GROUP BY ALL")
        .fetchnumpy()
    )
    months = found["sold_on"].astype("datetime64[M]").astype(np.int64)
    regions, codes = np.unique(found["region"].astype(str), return_inverse=True)
    months -= months.min()
    keys = months * len(regions) + codes
    size = (int(months.max()) + 1) * len(regions)
    value = np.bincount(keys, found["revenue"], minlength=size)
    base = np.concatenate([np.full(12 * len(regions), np.nan), value[: -12 * len(regions)]])
    return value, (value - base) / base


def by_pandas(path: str) -> tuple[Any, Any]:
    import pandas as pd

    columns = ["sold_on", "region", "revenue"]
    if path.endswith(".csv"):
        frame = pd.read_csv(path, usecols=columns, parse_dates=["sold_on"])
    else:
        frame = pd.read_parquet(path, columns=columns)
    months = pd.to_datetime(frame["sold_on"]).dt.to_period("M")
    table = frame.groupby([months, "region"])["revenue"].sum().unstack(fill_value=0.0)
    base = table.shift(12)
    return table.to_numpy().ravel(), ((table - base) / base).to_numpy().ravel()


def by_polars(path: str) -> tuple[Any, Any]:
    import polars as pl

    scan = pl.scan_csv(path, try_parse_dates=True) if path.endswith(".csv") else pl.scan_parquet(path)
    table = (
        scan.group_by(pl.col("sold_on").dt.truncate("1mo").alias("month"), "region")
        .agg(pl.col("revenue").sum())
        .sort("month", "region")
        .with_columns(base=pl.col("revenue").shift(12).over("region", order_by="month"))
        .with_columns(growth=(pl.col("revenue") - pl.col("base")) / pl.col("base"))
        .collect()
    )
    return table["revenue"].to_numpy(), table["growth"].to_numpy()


def answer(job: str, path: str) -> str:
    """One job's answer, in figures that can be compared."""
    import numpy as np

    value, growth = globals()[f"by_{job}"](path)
    growth = np.asarray(growth, dtype=float)
    return json.dumps([len(growth), float(np.nansum(value)), float(np.nansum(growth)), float(np.nanmax(growth))])


def run(job: str, path: Path) -> tuple[float, float, list[float]]:
    """Seconds, peak megabytes and answer of one job as a process."""
    ran = process([__file__, "--job", job, "--folder", str(path)])
    return ran.seconds, ran.peak, json.loads(ran.said)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("rows", nargs="?", type=int, default=1_000_000)
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--only", choices=["csv", "parquet"])
    parser.add_argument("--folder", type=Path, default=Path("build/benchmarks"))
    parser.add_argument("--job", choices=JOBS, help=argparse.SUPPRESS)
    parser.add_argument("--make", action="store_true", help=argparse.SUPPRESS)
    asked = parser.parse_args()
    if asked.make:
        make(asked.rows, asked.folder)
        return
    if asked.job:
        print(answer(asked.job, str(asked.folder)))
        return
    if not 1000 <= asked.rows <= 50_000_000:
        raise SystemExit("ROWS must be from 1,000 to 50,000,000")
    asked.folder.mkdir(parents=True, exist_ok=True)
    if not all(path.exists() for path in paths(asked.rows, asked.folder)):
        # in a process of its own: what this one holds in memory, its children would count as theirs
        subprocess.run([sys.executable, __file__, str(asked.rows), "--make", "--folder", str(asked.folder)], check=True)
    for path in paths(asked.rows, asked.folder):
        if asked.only and path.suffix != f".{asked.only}":
            continue
        found: dict[str, list[tuple[float, float, list[float]]]] = {job: [] for job in JOBS}
        for _ in range(asked.rounds):
            for job in JOBS:
                found[job].append(run(job, path))
        expected = found["duckdb"][0][2]
        for job, runs in found.items():
            for got in (answer for _, _, answer in runs):
                close = all(abs(a - b) <= 1e-6 * max(abs(a), 1) for a, b in zip(got, expected))
                if not close:
                    raise SystemExit(f"{job} answers {got}, duckdb {expected}")
        print(f"\n{path.name}: {asked.rows:,} rows, {path.stat().st_size / 1e6:,.0f} MB, {asked.rounds} rounds")
        print(f"{'job':<12}{'median s':>10}{'best s':>10}{'logochron is':>16}{'peak MB':>10}")
        ours = statistics.median(seconds for seconds, _, _ in found["logochron"])
        for job, runs in found.items():
            median = statistics.median(seconds for seconds, _, _ in runs)
            best = min(seconds for seconds, _, _ in runs)
            peak = max(memory for _, memory, _ in runs)
            print(f"{job:<12}{median:>10.2f}{best:>10.2f}{ours / median:>14.2f} x{peak:>10,.0f}")


if __name__ == "__main__":
    main()
