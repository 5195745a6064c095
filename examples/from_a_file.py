"""From a data file to a table and two pictures.

    python examples/from_a_file.py [FOLDER]

Writes the made-up records of Brinefold Boats into FOLDER (default: brinefold), reads them back as anyone would read
a file of their own, and leaves months.csv, months.png and harbors.png there.
"""

import sys
from pathlib import Path

import logochron as lc

folder = Path(sys.argv[1] if len(sys.argv) > 1 else "brinefold")
sales, _ = lc.demo.write(folder)

book = lc.read(
    sales,
    date="sold_on",
    measures=[lc.Measure("revenue", unit="EUR"), lc.Measure("cost", better="lower", unit="EUR")],
    by=["harbor", "line"],
)
print(book)

# how does each month stand against the same month a year ago?
months = lc.compare(book, each="month", against="year-ago", last=13, judging=lc.Judging(level_within=0.01))
print(months.table[["measure", "period", "value", "base", "growth", "direction", "verdict", "note"]].to_string())
print(months.write(folder / "months.csv"))

# the same by harbor; the total comes along
harbors = lc.compare(book, each="month", against="year-ago", by="harbor", last=13)
last = harbors.periods[-1]
print(harbors.table.query("measure == 'revenue' and period == @last")[["harbor", "value", "growth", "share"]])

lc.draw.columns(months).savefig(folder / "months.png")
lc.draw.bars(harbors, at="2026-09").savefig(folder / "harbors.png")
