"""A campaign of two weeks before Easter against last year's, which lay on other dates.

python examples/campaign.py
"""

import logochron as lc

book = lc.demo.book(measures=[lc.Measure("revenue", unit="EUR")], by=["harbor", "line"])
this, last = "2026-03-23..2026-04-05", "2025-04-07..2025-04-20"  # both end on Easter Sunday

campaign = lc.compare(book, each="span", at=this, against=f"span:{last}", by="harbor")
print(campaign.total[["period", "value", "base_period", "base", "change", "growth"]].to_string())
print(campaign.table[["harbor", "value", "base", "growth", "share"]].to_string())
print(lc.explain(campaign, harbor="Alderquay", holidays="GB").text)

# the same dates a year ago would have held Easter against plain days; the days just before tell the lift
for against in ("year-ago", "prior"):
    row = lc.compare(book, each="span", at=this, against=against).total.iloc[0]
    print(f"against {row.base_period}: {row.growth:+.1%}")

# after nine days: both cut at the same point
running = lc.compare(book.until("2026-03-31"), each="span", at=this, against=f"span:{last}").total.iloc[0]
print(f"to {running.end:%d %b}: {running.value:,.2f} against {running.base:,.2f}, {running.status}")
