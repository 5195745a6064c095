"""Days on which something can be sold: growth a day, a plan on them, what is left to be reached.

python examples/open_days.py
"""

import tempfile
from pathlib import Path

import pandas as pd

import logochron as lc

sales = pd.read_csv(lc.demo.write(Path(tempfile.mkdtemp()) / "brinefold")[0])
# the repairs are an office of their own, shut on Sundays
repairs = sales[(sales.line == "repairs") & (pd.to_datetime(sales.sold_on).dt.day_of_week < 6)]
book = lc.read(repairs, date="sold_on", values=["revenue"], by="harbor")

# where nothing is said the weekdays without any record are closed, and that is told
month = lc.land(book, "month", plan=lc.Constant(7_000))
print(month)

# said: the weekdays, a fortnight that is closed, one Sunday that is open
days = lc.SellingDays(weekdays="mon-sat", closed=["2026-08-03..2026-08-16"], open=["2026-10-25"])
print(lc.compare(book, each="month", per="selling-day", selling_days=days, last=4))
print(lc.land(book, "month", plan=lc.Constant(7_000), selling_days=days).days_left, "selling days left in October")

# a plan laid on them: the closed days get nothing, the month its whole amount
plan = pd.DataFrame({"month": ["2026-08", "2026-09"], "revenue": [6_500, 6_000]})
planned = lc.read_plan(plan, date="month", value="revenue", measure="revenue", spread="selling-days", selling_days=days)
weeks = lc.compare(book, each="week", against="plan", plan=planned, at="2026-08-03..2026-08-30")
print(weeks.total[["period", "value", "base", "growth"]].round(3).to_string(index=False))
