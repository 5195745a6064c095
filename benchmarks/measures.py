"""Times measures, subtotals, distinct ids and drivers over one frame, beside the same by hand.

    python benchmarks/measures.py [--rounds N] [--rows N]

Sales rows of five years (default 1,000,000; 12 regions x 20 products, each order on one day). Three jobs, each
answered by Logochron, pandas, Polars and DuckDB and compared first: price and margin by month, region and product,
with subtotals by region and totals, against a year ago; distinct orders by month and region, and in all; volume, mix
and price of one month by region and product. Logochron's time is told with and without the reading of the frame.
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

NOW, BEFORE = "2025-06", "2024-06"
KEYS = (["region", "product"], ["region"], [])
MEASURES = {
    "statement": [lc.Measure("price", of="revenue", per="units"), lc.Measure("margin", of="revenue", less="cost")],
    "orders": [lc.Measure("orders", distinct="order")],
    "drivers": [lc.Measure("revenue"), lc.Measure("units")],
}


def make(rows: int) -> pd.DataFrame:
    random = np.random.default_rng(5)
    day = random.integers(0, 1826, rows)
    return pd.DataFrame(
        {
            "day": np.datetime64("2021-01-01") + day,
            "region": np.char.add("region ", random.integers(10, 22, rows).astype(str)).astype(object),
            "product": np.char.add("product ", random.integers(100, 120, rows).astype(str)).astype(object),
            "order": day * 1000 + random.integers(0, 300, rows),
            "units": random.integers(1, 9, rows),
            "revenue": random.integers(100, 100_000, rows) / 100,
            "cost": random.integers(100, 70_000, rows) / 100,
        }
    )


def summed(*columns: Any) -> tuple[float, ...]:
    """Figures that can be compared."""
    return tuple(float(np.nansum(np.asarray(column, dtype=float))) for column in columns)


def read(frame: pd.DataFrame, job: str) -> lc.Daybook:
    by = ["region"] if job == "orders" else ["region", "product"]
    return lc.read(frame, date="day", measures=MEASURES[job], by=by)


def asked(book: lc.Daybook, job: str) -> tuple[float, ...]:
    if job == "drivers":
        moved = lc.drivers(
            book, "month", by=["region", "product"], at=NOW, measures="revenue", quantity="units"
        ).columns
        return summed(*(np.abs(moved[name]) for name in ("volume", "mix", "price")))
    by = ["region"] if job == "orders" else ["region", "product"]
    found = lc.compare(book, "month", by=by)
    kinds = (found.columns, found.subtotal_columns or {"value": [], "growth": []}, found.total_columns)
    return summed(*(np.concatenate([kind[name] for kind in kinds]) for name in ("value", "growth")))


def effects(now: Any, before: Any, q1: Any, q0: Any) -> tuple[float, ...]:
    """Volume, mix and price of items that all have quantities, or none."""
    total, earlier = q1.sum(), q0.sum()
    p0 = np.divide(before, q0, out=np.zeros_like(before), where=q0 > 0)
    new = q0 == 0
    volume = np.where(new, 0, (total - earlier) * q0 / earlier * p0)
    mix = np.where(new, now - before, (q1 - total * q0 / earlier) * p0)
    price = np.where(new, 0, now - p0 * q1)
    return summed(np.abs(volume), np.abs(mix), np.abs(price))


def by_pandas(frame: pd.DataFrame, job: str) -> tuple[float, ...]:
    month = frame["day"].dt.to_period("M")
    if job == "drivers":
        sums = frame.groupby([month, "region", "product"])[["revenue", "units"]].sum()
        sides = sums.loc[NOW].join(sums.loc[BEFORE].add_suffix("_0"), how="outer").fillna(0.0)
        return effects(*(sides[name].to_numpy(float) for name in ("revenue", "revenue_0", "units", "units_0")))
    values, growths = [], []
    if job == "orders":
        for keys in KEYS[1:]:
            wide = (
                frame.groupby([month, *keys])["order"].nunique().unstack(keys)
                if keys
                else frame.groupby(month)["order"].nunique().to_frame()
            )
            wide = wide.fillna(0)
            values.append(wide.to_numpy().ravel())
            growths.append((wide / wide.shift(12) - 1).to_numpy().ravel())
        return summed(np.concatenate(values), np.concatenate(growths))
    for keys in KEYS:
        sums = frame.groupby([month, *keys])[["revenue", "units", "cost"]].sum()
        for figure in (sums["revenue"] / sums["units"], sums["revenue"] - sums["cost"]):
            wide = figure.unstack(keys) if keys else figure.to_frame()
            base = wide.shift(12)
            values.append(wide.to_numpy().ravel())
            growths.append(((wide - base) / base.where(base > 0)).to_numpy().ravel())
    return summed(np.concatenate(values), np.concatenate(growths))


def by_polars(frame: pl.DataFrame, job: str) -> tuple[float, ...]:
    month = pl.col("day").dt.truncate("1mo").alias("month")
    if job == "drivers":
        sums = frame.group_by(month, "region", "product").agg(pl.col("revenue", "units").sum())
        now, before = (sums.filter(pl.col("month").dt.strftime("%Y-%m") == m).drop("month") for m in (NOW, BEFORE))
        sides = now.join(before, on=["region", "product"], how="full", coalesce=True).fill_null(0)
        names = ("revenue", "revenue_right", "units", "units_right")
        return effects(*(sides[name].to_numpy().astype(float) for name in names))
    values, growths = [], []
    for keys in KEYS[1:] if job == "orders" else KEYS:
        if job == "orders":
            table = frame.group_by(month, *keys).agg(pl.col("order").n_unique().cast(float).alias("a"))
            figures = ["a"]
        else:
            sums = frame.group_by(month, *keys).agg(pl.col("revenue", "units", "cost").sum())
            table = sums.with_columns(a=pl.col("revenue") / pl.col("units"), b=pl.col("revenue") - pl.col("cost"))
            figures = ["a", "b"]
        base = table.select(pl.col("month").dt.offset_by("1y"), *keys, *(pl.col(f).alias(f"{f}0") for f in figures))
        table = table.join(base, on=["month", *keys], how="left")
        for name in figures:
            before = table[f"{name}0"].to_numpy()
            values.append(table[name].to_numpy())
            growths.append((table[name].to_numpy() - before) / np.where(before > 0, before, np.nan))
    return summed(np.concatenate(values), np.concatenate(growths))


def by_duckdb(frame: pd.DataFrame, job: str) -> tuple[float, ...]:
    with duckdb.connect() as connection:
        connection.register("frame", frame)
        if job == "drivers":
            both = ", ".join(
                f"coalesce(sum({name}) FILTER (m = '{month}-01'), 0)::DOUBLE AS {name}{side}"
                for name in ("revenue", "units")
                for side, month in ((1, NOW), (0, BEFORE))
            )
            found = connection.execute(
                f"SELECT {both} FROM (SELECT *, date_trunc('month', day) AS m FROM frame) "
                f"WHERE m IN ('{NOW}-01', '{BEFORE}-01') GROUP BY region, product"
            ).fetchnumpy()
            return effects(*(found[name] for name in ("revenue1", "revenue0", "units1", "units0")))
        keys = "region" if job == "orders" else "region, product"
        sets = "(m, region), (m)" if job == "orders" else "(m, region, product), (m, region), (m)"
        figure = 'count(DISTINCT "order") AS a, 0 AS b' if job == "orders" else (
            "sum(revenue) / sum(units) AS a, sum(revenue) - sum(cost) AS b"
        )  # fmt: skip
        same = " AND ".join(f"x.{key} IS NOT DISTINCT FROM y.{key}" for key in keys.split(", "))
        found = connection.execute(
            f"WITH t AS (SELECT date_trunc('month', day)::DATE AS m, {keys}, {figure} FROM frame "
            f"GROUP BY GROUPING SETS ({sets})) SELECT sum(x.a + x.b) AS v, "
            "sum(coalesce((x.a - y.a) / y.a, 0) + coalesce(CASE WHEN y.b > 0 THEN (x.b - y.b) / y.b END, 0)) AS g "
            f"FROM t AS x LEFT JOIN t AS y ON {same} AND y.m = (x.m - INTERVAL 1 YEAR)::DATE"
        ).fetchone()
    return tuple(map(float, found or ()))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--rows", type=int, default=1_000_000, help="300,000 at least: every item sells every month")
    options = parser.parse_args()
    frame = make(options.rows)
    lazy = pl.from_pandas(frame)
    print(f"{len(frame):,} rows; medians of {options.rounds} rounds")
    print(f"{'seconds':<12}{'logochron':>11}{'its question':>14}{'pandas':>9}{'polars':>9}{'duckdb':>9}")
    for job in MEASURES:
        jobs: dict[str, Callable[[], tuple[float, ...]]] = {
            "logochron": lambda j=job: asked(read(frame, j), j),
            "pandas": lambda j=job: by_pandas(frame, j),
            "polars": lambda j=job: by_polars(lazy, j),
            "duckdb": lambda j=job: by_duckdb(frame, j),
        }
        answers = {name: run() for name, run in jobs.items()}
        for name, got in answers.items():
            if not np.allclose(got, answers["logochron"], rtol=1e-9):
                raise SystemExit(f"{job}: {name} answers {got}, logochron {answers['logochron']}")
        seconds = {name: timed(run, options.rounds) for name, run in jobs.items()}
        book = read(frame, job)
        alone = timed(lambda b=book, j=job: asked(b.where({}), j), options.rounds)
        print(f"{job:<12}{seconds['logochron']:>11.2f}{alone:>14.3f}"
              f"{seconds['pandas']:>9.2f}{seconds['polars']:>9.2f}{seconds['duckdb']:>9.2f}")  # fmt: skip


if __name__ == "__main__":
    main()
