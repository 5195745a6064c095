"""Times reading where the records lie (lazy frames, clusters, databases) beside the native roll-up of each.

    python benchmarks/elsewhere.py [ROWS] [--rounds N] [--folder FOLDER] [--only NAME]

ROWS sales rows (default 10,000,000, as `compare.py` makes them) as Parquet: Polars lazy, Dask with two processes,
Spark with two cores; and in SQLite, and in PostgreSQL where LOGOCHRON_POSTGRES names one. By hand: the sums of doubles
by day and region alone. What is not installed is left out.
"""

from __future__ import annotations

import argparse
import os
from collections.abc import Callable
from contextlib import ExitStack
from pathlib import Path
from typing import Any

from compare import make, paths
from together import in_turn, timed

Jobs = dict[str, Callable[[], object]]


def ours(source: Callable[[], Any], **more: Any) -> Callable[[], object]:
    """The job by Logochron."""
    import logochron as lc

    return lambda: lc.read(source(), date="sold_on", values="revenue", by="region", **more)


def polars(path: Path, open_: ExitStack) -> Jobs:
    import polars as pl

    def by_hand() -> object:
        return pl.scan_parquet(path).group_by("sold_on", "region").agg(pl.col("revenue").sum()).collect()

    return {"polars": by_hand, "logochron": ours(lambda: pl.scan_parquet(path))}


def dask(path: Path, open_: ExitStack) -> Jobs:
    from dask import dataframe
    from distributed import Client, LocalCluster

    processes = {"n_workers": 2, "threads_per_worker": 1, "processes": True}
    cluster = open_.enter_context(LocalCluster(**processes, host="127.0.0.1", dashboard_address="127.0.0.1:0"))
    open_.enter_context(Client(cluster))

    def by_hand() -> object:
        frame = dataframe.read_parquet(path, split_row_groups=True)
        return frame.groupby(["sold_on", "region"])["revenue"].sum().compute()

    return {"dask": by_hand, "logochron": ours(lambda: dataframe.read_parquet(path, split_row_groups=True))}


def spark(path: Path, open_: ExitStack) -> Jobs:
    from pyspark.sql import SparkSession, functions

    os.environ["SPARK_LOCAL_IP"] = "127.0.0.1"
    made = SparkSession.builder.master("local[2]").config("spark.ui.enabled", "false")
    session = made.config("spark.driver.memory", "3g").getOrCreate()
    open_.callback(session.stop)

    def by_hand() -> object:
        frame = session.read.parquet(str(path))
        return frame.groupBy("sold_on", "region").agg(functions.sum("revenue")).toPandas()

    return {"spark": by_hand, "logochron": ours(lambda: session.read.parquet(str(path)))}


def sqlite(path: Path, open_: ExitStack) -> Jobs:
    import sqlite3

    import duckdb

    file = path.with_suffix(".db")
    if not file.exists():
        with sqlite3.connect(file) as made:
            made.execute("CREATE TABLE orders (sold_on TEXT, region TEXT, revenue REAL)")
            found = duckdb.execute(f"SELECT sold_on::VARCHAR, region, revenue FROM '{path}'")
            while rows := found.fetchmany(100_000):
                made.executemany("INSERT INTO orders VALUES (?, ?, ?)", rows)

    def by_hand() -> object:
        sql = "SELECT sold_on, region, sum(revenue) FROM orders GROUP BY sold_on, region"
        return sqlite3.connect(file).execute(sql).fetchall()

    return {"sqlite": by_hand, "logochron": ours(lambda: f"sqlite:///{file}", table="orders")}


def postgres(path: Path, open_: ExitStack) -> Jobs:
    import duckdb
    import sqlalchemy as sa

    address = os.environ["LOGOCHRON_POSTGRES"]
    engine = sa.create_engine(address)
    with engine.begin() as made:
        made.exec_driver_sql("DROP TABLE IF EXISTS orders")
        made.exec_driver_sql("CREATE TABLE orders (sold_on date, region text, revenue numeric(12, 2))")
        rows = duckdb.execute(f"SELECT sold_on::VARCHAR, region, revenue::DECIMAL(12, 2)::VARCHAR FROM '{path}'")
        with made.connection.cursor().copy("COPY orders FROM STDIN") as copy:
            while part := rows.fetchmany(100_000):
                for row in part:
                    copy.write_row(row)
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as made:
        made.exec_driver_sql("VACUUM ANALYZE orders")

    def by_hand() -> object:
        with engine.connect() as asked:
            sql = "SELECT sold_on, region, sum(revenue) FROM orders GROUP BY sold_on, region"
            return asked.exec_driver_sql(sql).fetchall()

    return {"postgresql": by_hand, "logochron": ours(lambda: address, table="orders")}


PLACES = {job.__name__: job for job in (polars, dask, spark, sqlite, postgres)}


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("rows", nargs="?", type=int, default=10_000_000)
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--folder", type=Path, default=Path("build/benchmarks"))
    parser.add_argument("--only", choices=PLACES)
    asked = parser.parse_args()
    asked.folder.mkdir(parents=True, exist_ok=True)
    _, parquet = paths(asked.rows, asked.folder)
    if not parquet.exists():
        make(asked.rows, asked.folder)
    for name, place in PLACES.items():
        if asked.only not in (None, name):
            continue
        with ExitStack() as open_:
            try:
                jobs = place(parquet, open_)
            except (ImportError, KeyError) as error:
                print(f"{name}: left out ({error})")
                continue
            print(f"{name}: {asked.rows:,} rows; median, best, logochron to it")
            for job in jobs.values():  # what is loaded and compiled once
                job()
            in_turn({job: lambda run=run: timed(run) for job, run in jobs.items()}, asked.rounds, "logochron")


if __name__ == "__main__":
    main()
