"""A harbor abroad that sells in another currency: reported growth, growth at constant rates, the currency effect.

python examples/harbor_abroad.py
"""

import tempfile
from pathlib import Path

import pandas as pd

import logochron as lc

sales = pd.read_csv(lc.demo.write(Path(tempfile.mkdtemp()) / "brinefold")[0])
# Dunmarrow lies across the water, and its till is in pounds
sales["currency"] = sales.harbor.map({"Dunmarrow": "GBP"}).fillna("EUR")
rates = pd.DataFrame(
    {
        "date": ["2024", "2025", "2026-01", "2026-02", "2026-03", "2026-04", "2026-05", "2026-06", "2026-07", "2026-08",
                 "2026-09", "2026-10"],
        "currency": "GBP",
        "rate": ["1.18", "1.16", "1.15", "1.15", "1.14", "1.14", "1.13", "1.12", "1.12", "1.11", "1.11", "1.10"],
    }
)  # fmt: skip

book = lc.read(
    sales,
    date="sold_on",
    by=["harbor", "line"],
    measures=[lc.Measure("revenue"), lc.Measure("steady", column="revenue", rates_at="2025")],
    currency="currency",
    to="EUR",
    rates=rates,
)
print("\n".join(book.intake.warnings))

years = lc.compare(book, each="year", by="harbor", at="2026")
print(years.total[["measure", "period", "value", "base", "growth"]].round(4).to_string(index=False))

moved = lc.drivers(book, each="year", by="harbor", at="2026", measures="revenue")
print(moved.table[["measure", "harbor", "change", "contribution"]].round(4).to_string(index=False))
print(*lc.words.sentences(moved), sep="\n")
print(lc.explain(years, harbor="Dunmarrow").text)

# a plan in pounds comes to euros by the same rates
plan = pd.DataFrame(
    {"month": ["2026-09", "2026-10"], "harbor": "Dunmarrow", "revenue": [13_500, 12_000], "currency": "GBP"}
)
planned = lc.read_plan(
    plan, date="month", value="revenue", measure="revenue", by="harbor", currency="currency", to="EUR", rates=rates
)
abroad = book.where({"harbor": "Dunmarrow"})
against = lc.compare(abroad, each="month", against="plan", plan=planned, measures="revenue", last=2)
print(against.total[["period", "value", "base", "growth"]].round(3).to_string(index=False))
