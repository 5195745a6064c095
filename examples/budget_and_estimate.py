"""A plan and a later estimate side by side: against each of them, and from one to the other.

python examples/budget_and_estimate.py
"""

import tempfile
from pathlib import Path

import pandas as pd

import logochron as lc

_, plan_file = lc.demo.write(Path(tempfile.mkdtemp()) / "brinefold")[:2]
book = lc.demo.book(measures=[lc.Measure("revenue", unit="EUR"), lc.Measure("units")], by="harbor")

planned = pd.read_csv(plan_file)
planned["units"] = (planned.revenue / 24).round()
# the estimate of the summer: more at Dunmarrow, less at Brackenmouth, and dearer
changed = planned.harbor.map({"Dunmarrow": 1.12, "Brackenmouth": 0.94}).fillna(1.0)
estimated = planned.assign(revenue=(planned.revenue * changed).round(), units=(planned.units * changed * 0.98).round())

both = {"date": "month", "value": ["revenue", "units"], "measure": ["revenue", "units"], "by": "harbor"}
budget, estimate = (lc.read_plan(frame, **both) for frame in (planned, estimated))
plans = {"budget": budget, "estimate": estimate, "floor": lc.Constant(30_000)}

print(lc.overview(book, by="harbor", plan=plans, measures="revenue", windows=("month", "year")))
print(lc.land(book, "month", plan=plans, measures="revenue"))
print(lc.compare(book, each="month", against="plan:estimate", plan=plans, measures="revenue", last=3))

# from the budget to the estimate: which harbors, and by volume, mix or price
moved = lc.drivers(
    estimate,
    each="year",
    at="2026",
    by="harbor",
    against="plan:budget",
    plan=plans,
    measures="revenue",
    quantity="units",
)
print(moved)
print(*lc.words.sentences(moved), sep="\n")
