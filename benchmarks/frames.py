"""Times the reading of frames in memory, beside the fastest group-by that can be written for each.

    python benchmarks/frames.py [ROWS] [--rounds N] [--folder FOLDER]

Frames of ROWS sales rows (default 10,000,000, as `compare.py` makes them): pandas with regions as str, as objects and
as categories, Polars, PyArrow. By hand: sums by day and region in the library itself and in DuckDB over the frame.
"""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path
from typing import Any

from compare import make, paths
from together import in_turn, timed


def by_duckdb(frame: Any) -> object:
    """Sums by day and region, scanned where the frame lies."""
    import duckdb

    one = duckdb.connect()
    one.register("frame", frame)
    return one.execute("SELECT sold_on, region, sum(revenue) AS s FROM frame GROUP BY ALL").fetchnumpy()


def jobs_of(frame: Any) -> dict[str, Callable[[], object]]:
    """The same job by Logochron, by DuckDB and by the library of the frame."""
    import logochron as lc

    jobs: dict[str, Callable[[], object]] = {
        "logochron": lambda: lc.read(frame, date="sold_on", values="revenue", by="region"),
        "duckdb": lambda: by_duckdb(frame),
    }
    home = type(frame).__module__.split(".")[0]
    if home == "pandas":
        jobs["pandas"] = lambda: frame.groupby(["sold_on", "region"], observed=True)["revenue"].sum()
    elif home == "polars":
        import polars as pl

        jobs["polars"] = lambda: frame.group_by("sold_on", "region").agg(pl.col("revenue").sum())
    else:
        jobs["pyarrow"] = lambda: frame.group_by(["sold_on", "region"]).aggregate([("revenue", "sum")])
    return jobs


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("rows", nargs="?", type=int, default=10_000_000)
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--folder", type=Path, default=Path("build/benchmarks"))
    asked = parser.parse_args()
    asked.folder.mkdir(parents=True, exist_ok=True)
    _, parquet = paths(asked.rows, asked.folder)
    if not parquet.exists():
        make(asked.rows, asked.folder)
    import pandas as pd
    import polars as pl
    import pyarrow.parquet as pq

    plain = pd.read_parquet(parquet, columns=["sold_on", "region", "revenue"])
    plain["sold_on"] = pd.to_datetime(plain["sold_on"])
    frames: dict[str, Callable[[], Any]] = {
        "pandas, str": lambda: plain.astype({"region": "str"}),
        "pandas, object": lambda: plain.astype({"region": object}),
        "pandas, category": lambda: plain.astype({"region": "category"}),
        "polars": lambda: pl.read_parquet(parquet, columns=["sold_on", "region", "revenue"]),
        "pyarrow": lambda: pq.read_table(parquet, columns=["sold_on", "region", "revenue"]),
    }
    for name, made in frames.items():
        frame = made()
        print(f"{name}: {asked.rows:,} rows; median, best, logochron to it")
        in_turn({job: lambda run=run: timed(run) for job, run in jobs_of(frame).items()}, asked.rounds, "logochron")


if __name__ == "__main__":
    main()
