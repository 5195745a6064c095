"""The demo: made-up records and a report file written, and run."""

from __future__ import annotations

from pathlib import Path

from logochron import demo
from logochron.cli.reporting import run_and_write
from logochron.cli.showing import show
from logochron.cli.speaking import put
from logochron.core.errors import visible
from logochron.report.folder import PAGE, WORKBOOK
from logochron.report.report import Report
from logochron.views.formats import Formats


def demonstrate(folder: str, *, plain: bool) -> None:
    """Write the records and the report file, run it, print its first table, say where the rest is."""
    report = demo.write_report(folder)
    answers, written = run_and_write(Report.load(report), report.parent / "report", None)
    first = next(iter(answers.values()))
    show(first, "table", Formats(plain=plain))
    sales, plan = (Path(folder) / name for name in (demo.SALES, demo.PLAN))
    told = [
        "",
        f"{sales}  the records",
        f"{plan}  a plan by month and harbor",
        f"{report}  a report file: what the week asks",
        f"{written.folder / PAGE}  its page: open it, and choose a period and a harbor",
        f"{written.folder / WORKBOOK}  its workbook: change a figure, and the others follow",
        "",
        "Ask yourself:",
        f"  logochron compare {sales} --date sold_on --value revenue --by harbor --each quarter --last 5",
        f"  logochron land --settings {report} --within year",
        f"  logochron drivers {sales} --value revenue --by harbor,line --at 2026-09 --quantity units",
    ]
    put(visible("\n".join(told), lines=True) + "\n")
