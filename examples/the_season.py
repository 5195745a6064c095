"""The usual share of each month in its year: to look at, to lay a plan by, to land by.

python examples/the_season.py
"""

import pandas as pd

import logochron as lc

book = lc.demo.book(measures=[lc.Measure("revenue", unit="EUR")], by="harbor")
year = lc.season(book)
print(year)
print(*lc.words.sentences(year), sep="\n")
lc.draw.season(year).savefig("season.png")
print(lc.season(book, each="day", within="week", by="harbor", last=52).table.head(4).round(3).to_string(index=False))

# a plan of the year alone: each month gets its usual share of it
plan = pd.DataFrame({"year": ["2026"], "revenue": [520_000]})
planned = lc.read_plan(plan, date="year", value="revenue", measure="revenue", records_of="year", spread="season")
months = lc.compare(book, each="month", against="plan", plan=planned, at="2026-01..2026-09")
print(months.total[["period", "value", "base", "growth"]].round(3).to_string(index=False))

landing = lc.land(book, "year", profile="season", plan=planned)
print(landing.total[["to_date", "expected_share", "estimate", "plan", "plan_gap"]].round(3).to_string(index=False))
