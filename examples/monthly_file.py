"""A file with one row a month: growth of the months, the year to date, the moving year, and where a plan stands.

python examples/monthly_file.py [FOLDER]
"""

import sys
from pathlib import Path

import logochron as lc

folder = Path(sys.argv[1] if len(sys.argv) > 1 else "brinefold")
_, plan_file = lc.demo.write(folder)

# each record stands for a whole month: coverage reaches to the month's end, and weeks are refused
monthly = lc.read(plan_file, date="month", values="revenue", by="harbor", records_of="month")
print(monthly)

shown = ["period", "value", "base_period", "base", "growth", "status", "note"]
print(lc.compare(monthly, each="month", against="year-ago", at="2026-07..2026-12").table[shown].to_string())
print(lc.compare(monthly, each="month", running="year", at="2026-07..2026-12").table[shown].to_string())
print(lc.compare(monthly, each="month", against="prior", running=12, at="2026-10..2026-12").table[shown].to_string())
print(lc.compare(monthly, each="quarter", against="mean:4", last=2).table[shown].to_string())

# the same file as the plan of the daily records, spread evenly on the days of each month
sales = lc.demo.book(measures=[lc.Measure("revenue", unit="EUR")], by="harbor")
plan = lc.read_plan(plan_file, date="month", value="revenue", measure="revenue", by="harbor")
against_plan = lc.compare(sales, each="month", against="plan", plan=plan, by="harbor", last=2)
print(against_plan.table[["period", "harbor", "value", "base", "growth", "status"]].to_string())
print(lc.explain(against_plan, harbor="Dunmarrow").text)
