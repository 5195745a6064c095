"""A retailer whose years have 52 or 53 weeks: the year with a 53rd week, and the one after it.

python examples/retail_year.py
"""

import logochron as lc

retail = lc.RetailCalendar(pattern=(4, 5, 4), year_ends_on="saturday", year_ends_in=1)
book = lc.demo.book(measures=[lc.Measure("revenue", unit="EUR")], by="harbor")

# which years have a week 53? to be held against the company's own sheet
years = retail.periods("year", "2021-05-17", "2026-10-18")
print(years[["period", "start", "end", "days"]].to_string())

shown = ["period", "start", "end", "value", "base_period", "base", "growth", "note"]

# 2023 has 53 weeks: its last period is longer than the one before and after, and says so
periods = lc.compare(book, each="month", at="2023-P11..2024-P12", calendar=retail)
print(periods.table[shown].to_string())

# week 53 has no week 53 a year ago; 364 days earlier it has one
for weeks in ("same-number", "364-days"):
    last = lc.compare(book, each="week", at="2023-W52..2024-W01", weeks=weeks, calendar=retail)
    print(last.table[shown].to_string())

# the year after to date, week by week the same weeks: 52 weeks against 52
to_date = lc.compare(book, each="week", running="year", at="2024-W50..2024-W52", calendar=retail)
print(to_date.table[shown].to_string())
print("\n".join(to_date.notes))

# exactly which days stand behind a figure
print(lc.explain(periods, "2024-P12").text)
