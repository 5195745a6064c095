"""Where will the month end: the estimate and its range, what it takes to reach the plan, when such estimates can be
believed, and the outlook of the year.

python examples/where_will_the_month_end.py [FOLDER]
"""

import sys
from pathlib import Path

import logochron as lc

folder = Path(sys.argv[1] if len(sys.argv) > 1 else "brinefold")
sales, plan_file = lc.demo.write(folder)
book = lc.read(sales, date="sold_on", measures=[lc.Measure("revenue", unit="EUR")], by="harbor")
plan = lc.read_plan(plan_file, date="month", value="revenue", measure="revenue", by="harbor", spread="year-ago")

month = lc.land(book, "month", by="harbor", plan=plan)
shown = ["harbor", "to_date", "expected_share", "estimate", "low", "high", "plan", "needed_per_day", "profile", "note"]
print(month.table[shown].round(3).to_string())
whole = month.total.iloc[0]
print(f"{whole.period}: {whole.estimate:,.0f}, from {whole.low:,.0f} to {whole.high:,.0f}; items {month.summed_items}")
print(lc.explain(month).text)

# from which day on can such an estimate be believed?
errors = month.backtest.query("profile == 'best'").assign(off=lambda rows: rows.error.abs())
print(errors.groupby("elapsed").off.median().map("{:.1%}".format).to_string())

# the year, month by month: what is done, and what is left like last year's same days
year = lc.land(book, "year", each="month")
print(year.total[["period", "status", "estimate", "base", "growth"]].round(3).to_string())

# how the years keep pace, and where the running one stands
print(lc.pace(book, "year").standing.to_string())
print(lc.draw.landing(month), lc.draw.backtest(month), lc.draw.pace(lc.pace(book, "year")), sep="\n")
