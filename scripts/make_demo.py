"""Makes the made-up records of Brinefold Boats that ship with the package; same seed, same bytes.

Run it from the root of the repository: python scripts/make_demo.py
"""

from __future__ import annotations

import gzip
import io
from pathlib import Path

import numpy as np
import pandas as pd

SEED = 20_210_517
FIRST, LAST = "2021-05-17", "2026-10-18"
OUT = Path(__file__).parents[1] / "src" / "logochron" / "demo" / "data"

#: Takings on an ordinary day, and growth a year.
HARBORS = {
    "Alderquay": (460.0, 0.055),
    "Brackenmouth": (330.0, -0.015),
    "Cold Pier": (255.0, 0.03),
    "Dunmarrow": (215.0, 0.16),
}
#: Part of the takings, price of a unit, cost as a part of revenue, part sold online.
LINES = {
    "hire": (0.46, 38.0, 0.41, 0.45),
    "lessons": (0.22, 55.0, 0.55, 0.60),
    "gear": (0.20, 24.0, 0.62, 0.25),
    "repairs": (0.12, 120.0, 0.70, 0.0),
}
DUNMARROW_OPENED = "2024-04-06"
BRACKENMOUTH_REPAIRS_END = "2025-03-31"
COLD_PIER_CLOSED = ("2025-11-03", "2025-11-16")
SLUMP = ("Alderquay", "lessons", "2026-06-08", "2026-07-19", 0.35)
EASTERS = ("2022-04-17", "2023-04-09", "2024-03-31", "2025-04-20", "2026-04-05")


def season(days: pd.DatetimeIndex) -> np.ndarray:
    """Strong summers, quiet winters, and the ten days around Easter."""
    year = days.day_of_year.to_numpy() / 365.25
    wave = 0.62 + 0.95 * np.exp(-(((year - 0.555) / 0.135) ** 2))
    for easter in EASTERS:
        distance = np.abs((days - pd.Timestamp(easter)).days.to_numpy())
        wave += np.where(distance <= 5, 0.42, 0.0)
    return wave


def make() -> pd.DataFrame:
    """One row a day, harbor, line and channel with sales, returns as rows of their own."""
    rng = np.random.default_rng(SEED)
    days = pd.date_range(FIRST, LAST)
    weekend = np.array([0.82, 0.80, 0.86, 0.92, 1.08, 1.46, 1.34])[days.day_of_week]
    weather = np.exp(0.07 * np.convolve(rng.normal(size=len(days) + 4), np.ones(5) / 5**0.5, "valid"))
    years = (days - days[0]).days.to_numpy() / 365.25
    parts = []
    for harbor, (takings, growth) in HARBORS.items():
        for line, (part, price, cost, online) in LINES.items():
            shape = 0.45 + 0.55 * weekend if line in ("gear", "repairs") else weekend
            wave = 0.7 + 0.3 * season(days) if line == "repairs" else season(days)
            expected = takings * part * wave * shape * weather * (1 + growth) ** years
            name, slumped, start, end, left = SLUMP
            if (harbor, line) == (name, slumped):
                expected = np.where((days >= start) & (days <= end), expected * left, expected)
            for channel, slice_ in (("counter", 1 - online), ("online", online)):
                if slice_ == 0:
                    continue
                units = rng.poisson(expected * slice_ / price)
                revenue = np.round(units * price * rng.normal(1.0, 0.06, len(days)), 2)
                frame = pd.DataFrame(
                    {
                        "sold_on": days,
                        "harbor": harbor,
                        "line": line,
                        "channel": channel,
                        "units": units,
                        "revenue": revenue,
                        "cost": np.round(revenue * cost * rng.normal(1.0, 0.03, len(days)), 2),
                    }
                )
                parts.append(frame[frame.units > 0])
    records = pd.concat(parts, ignore_index=True)
    returns = records[records.line.eq("gear") & (rng.random(len(records)) < 0.02)].copy()
    returns["sold_on"] += pd.to_timedelta(rng.integers(1, 9, len(returns)), unit="D")
    returns[["units", "revenue", "cost"]] *= -1
    returns = returns[returns.sold_on <= LAST]
    records = pd.concat([records, returns], ignore_index=True)
    closed = records.harbor.eq("Cold Pier") & records.sold_on.between(*COLD_PIER_CLOSED)
    unopened = records.harbor.eq("Dunmarrow") & (records.sold_on < DUNMARROW_OPENED)
    ended = (
        records.harbor.eq("Brackenmouth") & records.line.eq("repairs") & (records.sold_on > BRACKENMOUTH_REPAIRS_END)
    )
    records = records[~(closed | unopened | ended)]
    return records.sort_values(["sold_on", "harbor", "line", "channel", "units"], kind="stable")


def make_plan(records: pd.DataFrame) -> pd.DataFrame:
    """A plan by month and harbor to the end of 2026: last year's month and a little more."""
    monthly = records.groupby(["harbor", records.sold_on.dt.to_period("M")]).revenue.sum()
    rows = []
    for month in pd.period_range("2024-01", "2026-12", freq="M"):
        for harbor, wanted in zip(HARBORS, (1.05, 1.0, 1.03, 1.12)):
            before = monthly.get((harbor, month - 12))
            if before is not None and before > 0:
                rows.append((str(month), harbor, int(round(before * wanted, -2))))
    return pd.DataFrame(rows, columns=["month", "harbor", "revenue"])


def write(frame: pd.DataFrame, name: str) -> None:
    """Write a frame packed, without the time of day in the packing."""
    text = frame.to_csv(index=False, date_format="%Y-%m-%d", float_format="%.2f", lineterminator="\n")
    buffer = io.BytesIO()
    with gzip.GzipFile(fileobj=buffer, mode="wb", compresslevel=9, mtime=0) as packed:
        packed.write(text.encode())
    (OUT / name).write_bytes(buffer.getvalue())
    print(f"{name}: {len(frame):,} rows, {len(buffer.getvalue()) / 1e3:,.0f} kB")


if __name__ == "__main__":
    records = make()
    write(records, "brinefold-sales.csv.gz")
    write(make_plan(records), "brinefold-plan.csv.gz")
