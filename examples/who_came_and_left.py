"""The customers of the lessons: who came, who stayed, who left, and what each group brought or took.

python examples/who_came_and_left.py
"""

import numpy as np
import pandas as pd

import logochron as lc


def lessons() -> pd.DataFrame:
    """Made-up bookings of 3,000 people who take lessons for a while."""
    random = np.random.default_rng(7)
    start = random.integers(-500, 1_000, 3_000)
    every = random.gamma(2.0, 20.0, 3_000) + 5
    many = np.minimum(random.poisson(9, 3_000) + 1, 30)
    who = np.repeat(np.arange(3_000), many)
    number = np.arange(len(who)) - np.repeat(np.cumsum(many) - many, many)
    day = start[who] + (number * every[who] * random.uniform(0.7, 1.3, len(who))).astype(int)
    bookings = pd.DataFrame(
        {
            "day": pd.Timestamp("2024-01-01") + pd.to_timedelta(day, unit="D"),
            "customer": [f"C{n:04d}" for n in who],
            "revenue": random.integers(25, 90, len(who)),
        }
    )
    return bookings[(day >= 0) & (day < 1_020)]


book = lc.read(lessons(), date="day", measures=[lc.Measure("revenue", unit="EUR")], ids="customer")
moved = lc.drivers(book, each="quarter", by="customer", at="2026-Q3", gather="life")
print(moved)
print(*lc.words.sentences(moved), sep="\n")
lc.draw.bridge(moved).savefig("who-came-and-left.png")

# the groups add up to what the total moved by
assert round(moved.table.change.sum() - moved.total.change[0], 9) == 0
