"""One page on which the reader chooses measure, base and grain; one sheet of paper of the same answers."""

from pathlib import Path

import logochron as lc

folder = Path("brinefold")
sales, planned = lc.demo.write(folder)
margin = [lc.Measure("revenue", unit="EUR"), lc.Measure("cost", better="lower", unit="EUR")]
book = lc.read(sales, date="sold_on", measures=margin, by="harbor", covering=("2025-10-01", None))
plan = lc.read_plan(planned, date="month", value="revenue", by="harbor", measure="revenue")

answers = {
    "Overview": lc.overview(book, by="harbor", against="prior", measures="revenue"),
    "How the months stand": lc.compare(book, "month", against="prior", last=12, measures="revenue"),
    "By harbor": lc.compare(book, "month", against="prior", by="harbor", last=1, measures="revenue"),
}
page = lc.write_page(
    answers,
    folder / "choose.html",
    title="Brinefold Boats: to choose from",
    currency="EUR",
    choices={"dimensions": [], "measures": ["revenue", "cost"], "against": ["plan"], "grains": ["quarter"]},
    plan=plan,
    opens="last-whole",
)
print(page)
print(answers["Overview"].write(folder / "overview.pdf"))
