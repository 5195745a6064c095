"""Times paces, landings and back-tests over one book, beside the same jobs by hand in pandas.

    python benchmarks/ahead.py [--rounds N] [--items N] [--rows N]

Two jobs, each answered by both and compared first. Landings: how the running month of each of 400 items will end by
four profiles, with the typical error and the range of each from every past month (a million records of 25 months); by
hand with a table of days by items, month by month. Paces: twenty years of 400 items day by day, each year's running
total beside the year before. Told besides: the landing by the best profile, chosen anew in every past month, and the
back-test of the total at each tenth.
"""

from __future__ import annotations

import argparse
import statistics
import time
from collections.abc import Callable
from typing import Any

import numpy as np
import pandas as pd

import logochron as lc

PROFILES = ("year-ago", "history", "weekday", "even")


def make(first: str, last: str, items: int, rows: int) -> pd.DataFrame:
    """So many records of so many items on random days, and one of each item on every day: cents as amounts."""
    random = np.random.default_rng(7)
    days = pd.date_range(first, last)
    names = np.array([f"item {i:03d}" for i in range(items)])
    each = pd.DataFrame({"day": np.repeat(days, items), "item": np.tile(names, len(days))})
    more = max(rows - len(each), 0)
    drawn = pd.DataFrame({"day": random.choice(days, more), "item": random.choice(names, more)})
    frame = pd.concat([each, drawn], ignore_index=True)
    return frame.assign(amount=random.integers(1, 100_000, len(frame)) / 100)


def land_by_hand(frame: pd.DataFrame) -> dict[str, np.ndarray]:
    """Estimate, typical error and range of each item by each profile: months, days and weeks one after the other."""
    table = frame.groupby(["day", "item"]).amount.sum().unstack(fill_value=0.0)
    last = table.index[-1]
    months = pd.period_range(table.index[0], last, freq="M")

    def done(month: pd.Period, day: int) -> pd.Series:
        start = month.start_time
        return table.loc[start : start + pd.Timedelta(days=day - 1)].sum()

    def share(profile: str, month: pd.Period, day: int) -> pd.Series | None:
        if profile == "even":
            return pd.Series(day / month.days_in_month, index=table.columns)
        if profile == "year-ago":
            ago = month - 12
            if ago < months[0]:
                return None
            return done(ago, min(day, ago.days_in_month)) / done(ago, ago.days_in_month)
        if profile == "weekday":
            cut = month.start_time + pd.Timedelta(days=day - 1)
            sunday = cut - pd.Timedelta(days=(cut.day_of_week + 1) % 7)
            if sunday - pd.Timedelta(days=55) < table.index[0]:
                return None
            weeks = table.loc[sunday - pd.Timedelta(days=55) : sunday]
            weights = weeks.groupby(weeks.index.day_of_week).sum()
            days = pd.date_range(month.start_time, periods=month.days_in_month).day_of_week
            return weights.loc[days[:day]].sum() / weights.loc[days].sum()
        shares = []
        for back in range(1, 13):
            before = month - back
            if before >= months[0]:
                at = day / month.days_in_month * before.days_in_month
                low = int(at + 1e-9)
                between = (at - low) * (done(before, min(low + 1, before.days_in_month)) - done(before, low))
                shares.append((done(before, low) + between) / done(before, before.days_in_month))
        return pd.concat(shares, axis=1).mean(axis=1) if shares else None

    found = {}
    for profile in PROFILES:
        now = done(months[-1], last.day) / share(profile, months[-1], last.day)
        ratios = []
        for month in months[:-1]:
            day = min(last.day, month.days_in_month - 1)
            usual = share(profile, month, day)
            if usual is not None:
                ratios.append(done(month, day) / usual / done(month, month.days_in_month))
        past = pd.concat(ratios, axis=1)
        ends = [now / past.quantile(part, axis=1) for part in (0.9, 0.1)]
        found[profile] = np.stack([now, (past - 1).abs().median(axis=1), *ends])
    return found


def land_ours(book: lc.Daybook, profiles: tuple[str, ...] = PROFILES) -> dict[str, np.ndarray]:
    found = {}
    for profile in profiles:
        columns = lc.land(book, "month", by="item", profile=profile).columns
        found[profile] = np.stack([columns[name] for name in ("estimate", "typical_error", "low", "high")])
    return found


def pace_by_hand(frame: pd.DataFrame) -> np.ndarray:
    """The running total of each year and item by month and day, and that of the year before; leap days left out."""
    table = frame.groupby(["day", "item"]).amount.sum().unstack(fill_value=0.0)
    running = table.groupby(table.index.year).cumsum()
    base = running.copy()
    base.index = running.index + pd.DateOffset(years=1)
    base = base[~base.index.duplicated(keep="last")].reindex(running.index)
    return np.stack([running.to_numpy(), base.to_numpy()])


def pace_ours(book: lc.Daybook) -> tuple[Any, Any]:
    columns = lc.pace(book, "year", by="item").columns
    return columns["running"], columns["base"]


def median_of(job: Callable[[], Any], rounds: int) -> float:
    """The median time of a job in seconds."""
    times = []
    for _ in range(rounds):
        start = time.perf_counter()
        job()
        times.append(time.perf_counter() - start)
    return statistics.median(times)


def main() -> None:
    """Both jobs, checked, then timed."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--items", type=int, default=400)
    parser.add_argument("--rows", type=int, default=1_000_000)
    asked = parser.parse_args()
    frame = make("2024-10-01", "2026-10-18", asked.items, asked.rows)
    book = lc.read(frame, date="day", values="amount", by="item")
    by_hand, ours = land_by_hand(frame), land_ours(book)
    for profile in PROFILES:
        np.testing.assert_allclose(ours[profile], by_hand[profile], rtol=1e-9)
    print(f"landings of {asked.items} items by four profiles, from {len(frame):,} records: the same figures")
    print(f"  by hand in pandas   {median_of(lambda: land_by_hand(frame), asked.rounds):6.2f} s")
    print(f"  Logochron, a book   {median_of(lambda: land_ours(book), asked.rounds):6.2f} s")
    read = median_of(lambda: land_ours(lc.read(frame, date="day", values="amount", by="item")), asked.rounds)
    print(f"  Logochron, a frame  {read:6.2f} s")
    best = median_of(lambda: land_ours(book, ("best",)), asked.rounds)
    print(f"  the best profile, chosen anew in every past month  {best:6.2f} s")
    month = lc.land(book, "month")
    print(f"  the back-test of the total  {median_of(lambda: lc.land(book, 'month').backtested, asked.rounds):6.2f} s, "
          f"{len(month.backtest):,} rows")  # fmt: skip
    years = make("2006-01-01", "2025-12-31", asked.items, 0)
    book = lc.read(years, date="day", values="amount", by="item")
    table = lc.pace(book, "year", by="item").table
    plain = ~table.duplicated(["period", "day", "item"]) & ~table.day.dt.strftime("%m-%d").isin(["02-28", "02-29"])
    kept = ~pd.date_range("2006-01-01", "2025-12-31").strftime("%m-%d").isin(["02-28", "02-29"])
    for mine, theirs in zip((table.running, table.base), pace_by_hand(years)):
        np.testing.assert_allclose(mine[plain].to_numpy().reshape(-1, asked.items), theirs[kept], rtol=1e-9)
    print(f"paces of twenty years by day, {asked.items} items, from {len(years):,} records: the same figures")
    print(f"  by hand in pandas   {median_of(lambda: pace_by_hand(years), asked.rounds):6.2f} s")
    print(f"  Logochron, a book   {median_of(lambda: pace_ours(book), asked.rounds):6.2f} s")
    read = median_of(lambda: pace_ours(lc.read(years, date="day", values="amount", by="item")), asked.rounds)
    print(f"  Logochron, a frame  {read:6.2f} s")


if __name__ == "__main__":
    main()
