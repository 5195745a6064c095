"""How long it takes to look: each figure of 13 months, tables and sentences of 10,000 rows, from an answer in hand.

`python benchmarks/looks.py [ROUNDS]`; medians. Matplotlib is loaded before. The table is held beside the same figures
written cell by cell through Babel.
"""

from __future__ import annotations

import statistics
import sys
import time
from collections.abc import Callable
from io import BytesIO

import numpy as np
import pandas as pd

import logochron as lc
from logochron.views.figures.registry import FIGURES
from logochron.views.formats import Formats
from logochron.views.tables.answer_tables import tables_of
from logochron.views.tables.html import html
from logochron.views.tables.markdown import markdown


def median(rounds: int, job: Callable[[], object]) -> float:
    """The median seconds of some rounds, after one that counts for nothing."""
    taken = []
    for _ in range(rounds + 1):
        started = time.perf_counter()
        job()
        taken.append(time.perf_counter() - started)
    return statistics.median(taken[1:])


def large(items: int, months: int) -> lc.Comparison:
    """A comparison of so many items and months."""
    rng = np.random.default_rng(1)
    names = [f"item {place:05d}" for place in range(items)]
    days = pd.date_range("2023-01-15", periods=months + 12, freq="MS") + pd.Timedelta(days=4)
    frame = pd.DataFrame({"day": np.repeat(days, items), "item": names * len(days)})
    frame["amount"] = rng.integers(0, 10**6, len(frame)) / 100
    book = lc.read(frame, date="day", values="amount", by="item", records_of="month")
    return lc.compare(book, "month", by="item", last=months)


def main(rounds: int) -> None:
    """Times and prints."""
    book = lc.demo.book()
    asked = {"measures": "revenue"}
    months = lc.compare(book, "month", by="harbor", last=13, judging=lc.demo.judging(), **asked)
    answers = {
        "compare": months,
        "pace": lc.pace(book, "year", **asked),
        "land": lc.land(book, "month", **asked),
        "drivers": lc.drivers(book, "month", by=["harbor", "line"], at="2026-09", **asked),
    }
    print("figure, drawn and saved as PNG")
    for figure in FIGURES:
        draw, result = getattr(lc.draw, figure.name), answers[figure.answers[0]]
        drawn = median(rounds, lambda draw=draw, result=result: draw(result))
        saved = median(rounds, lambda draw=draw, result=result: draw(result).savefig(BytesIO(), format="png"))
        print(f"  {figure.name:<10} {drawn:6.3f} s  {saved:6.3f} s")
    wide, deep, formats = large(400, 25), large(10_000, 1), Formats()
    values = wide.table.value.to_numpy()
    print("10,000 rows")
    for name, job in {
        "table": lambda: tables_of(wide, formats),
        "five columns of it cell by cell": lambda: [[formats.number(v, 0) for v in values.tolist()] for _ in range(5)],
        "Markdown": lambda: markdown(wide, formats),
        "HTML": lambda: html(wide, formats, most=None),
        "sentences of a template": lambda: lc.words.sentences(deep, "{item}: {value}, {growth}", items=10_000),
        "one sentence of all items": lambda: lc.words.sentences(deep, items=10_000),
        "the usual sentences": lambda: lc.words.sentences(deep),
    }.items():
        print(f"  {name:<32} {median(rounds, job):6.3f} s")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 5)
