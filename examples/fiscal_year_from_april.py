"""A company whose year starts in April: quarters and years of its own calendar, to the report date.

python examples/fiscal_year_from_april.py
"""

import logochron as lc

april = lc.CivilCalendar(year_start=4)
book = lc.demo.book(measures=[lc.Measure("revenue", unit="EUR")], by="line")

quarters = lc.compare(book, each="quarter", against="year-ago", last=5, calendar=april)
print(quarters.table[["period", "start", "end", "value", "base_period", "base", "growth", "status"]].to_string())

# FY2027 is still running: it is held against the same days of FY2026
years = lc.compare(book, each="year", against="prior", by="line", last=2, calendar=april)
print(years.table[["period", "line", "value", "base", "growth", "note"]].to_string())
for line in years.notes:
    print(line)

# as it stood at the end of June
june = lc.compare(book.until("2026-06-30"), each="year", against="prior", last=1, calendar=april)
row = june.table.iloc[0]
print(f"{row.period} to 30 June: {row.value:,.2f} against {row.base:,.2f}, {row.growth:+.1%}")
