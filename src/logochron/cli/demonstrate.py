"""The demo: made-up records written, compared and drawn."""

from __future__ import annotations

from pathlib import Path

from logochron import demo
from logochron.cli.showing import show
from logochron.cli.speaking import put
from logochron.core.book.measures import Measure
from logochron.core.errors import visible
from logochron.core.questions.compare import compare
from logochron.core.questions.land import land
from logochron.core.questions.pace import pace
from logochron.views.formats import Formats
from logochron.views.write_file import write


def demonstrate(folder: str, *, plain: bool) -> None:
    """Write the records, print the first comparison, draw four figures, say where they are."""
    from logochron.sources.read import read
    from logochron.sources.read_plan import read_plan
    from logochron.views import draw

    sales, plan = demo.write(folder)
    book = read(sales, date="sold_on", measures=[Measure("revenue", unit="EUR")], by="harbor")
    months = compare(book, each="month", against="year-ago", last=13, judging=demo.judging())
    by_harbor = compare(book, each="month", against="year-ago", by="harbor", last=13, judging=demo.judging())
    years = pace(book, "year")
    month = land(book, "month", plan=read_plan(plan, date="month", value="revenue", measure="revenue", by="harbor"))
    show(months, "table", Formats(plain=plain))
    figures = [
        write(months, Path(folder) / "months.png", figure=lambda: draw.columns(months)),
        write(by_harbor, Path(folder) / "harbors.png", figure=lambda: draw.bars(by_harbor, at="2026-09")),
        write(years, Path(folder) / "pace.png", figure=lambda: draw.pace(years)),
        write(month, Path(folder) / "landing.png", figure=lambda: draw.landing(month)),
    ]
    told = [
        "",
        f"{sales}  the records",
        f"{plan}  a plan by month and harbor",
        f"{figures[0]}  the months, drawn",
        f"{figures[1]}  September 2026 by harbor, drawn",
        f"{figures[2]}  how the years keep pace, drawn",
        f"{figures[3]}  where October 2026 will end, drawn",
        "",
        "Ask yourself:",
        f"  logochron compare {sales} --date sold_on --value revenue --by harbor --each quarter --last 5",
        f"  logochron land {sales} --value revenue --plan {plan}",
        f"  logochron drivers {sales} --value revenue --by harbor,line --at 2026-09 --quantity units",
    ]
    put(visible("\n".join(told), lines=True) + "\n")
