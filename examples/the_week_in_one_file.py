"""A report file drafted, changed and run: a page, a workbook, pictures and tables in one folder."""

import sys
from pathlib import Path

import logochron as lc


def main(folder: str) -> None:
    sales, _ = lc.demo.write(folder)
    path = Path(folder) / "week.toml"
    path.write_text(
        f"""
[sales]
file = "{sales.name}"
date = "sold_on"
by = ["harbor"]

[[measure]]
name = "revenue"
unit = "EUR"

[page]
title = "The week at the harbors"

[[section]]
heading = "How the months stand"
question = "compare"
last = 13
alerts = ["growth < -10%"]

[[section]]
heading = "By harbor"
question = "compare"
by = "harbor"
last = 1
figure = "slope"
""",
        encoding="utf-8",
    )
    answers = lc.Report.load(path).run()
    for line in answers.alerts:
        print(line)
    written = answers.write(Path(folder) / "week")
    print(written.folder / "index.html", *written.lines, sep="\n")
    # the next run into the same folder names what late records have changed


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else "brinefold")
