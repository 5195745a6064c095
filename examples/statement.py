"""A statement: lines of one column of amounts, each with its own way that is good, and what moved the result.

python examples/statement.py
"""

import pandas as pd

import logochron as lc

accounts = {"sales": (5200, 5600), "wages": (2900, 3050), "berths": (800, 760)}
ledger = pd.DataFrame(
    [
        (f"{year}-{month:02}-28", account, harbor, amounts[year - 2025] * part + month)
        for account, amounts in accounts.items()
        for harbor, part in (("Alderquay", 0.7), ("Cold Pier", 0.3))
        for year in (2025, 2026)
        for month in range(1, 7)
    ],
    columns=["booked_on", "account", "harbor", "amount"],
)
sales = lc.Measure("sales", column="amount", where={"account": "sales"})
costs = lc.Measure("costs", column="amount", where={"account": lc.Not("sales")}, better="lower")
result = lc.Measure("result", of="sales", less="costs")
rate = lc.Measure("result rate", of="result", per="sales")
book = lc.read(
    ledger, date="booked_on", measures=[sales, costs, result, rate], by="harbor", covering=("2025-01-01", "2026-06-30")
)

bands = {
    "result rate": lc.Judging(
        bands=[lc.Band("thin", below=0.3, advice="look at berths"), lc.Band("sound", from_=0.3)], on="value"
    )
}
lines = lc.compare(book, each="half", at="2026-H1", judging=bands)
print(lines.total[["measure", "value", "base", "growth", "direction", "verdict", "band"]].to_string())
print(
    lc.drivers(book, each="half", by="harbor", at="2026-H1", measures="result").table[
        ["harbor", "change", "contribution"]
    ]
)
print(lc.explain(lines, measure="result rate").text)
