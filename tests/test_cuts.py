"""What is cut out of whole answers is what is said where it alone is asked for."""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np
import pandas as pd
import pytest

import logochron as lc
from logochron.views.figures.fonts import drawable, measure
from logochron.views.figures.period_figures import trend
from logochron.views.figures.scene import Canvas, Captions
from logochron.views.formats import Formats
from logochron.views.page.view_data import kept_tables
from logochron.views.words.movement import decimals_of

ASKED = [
    (lc.compare, {"each": "month"}),
    (lc.compare, {"each": "week", "against": "mean:4", "running": 4}),
    (lc.compare, {"each": "month", "against": "year-ago", "calendar": lc.RetailCalendar(), "unusual": True}),
    (lc.compare, {"each": "month", "sort": "-value", "items": "comparable"}),
    (lc.relate, {"each": "month", "beside": "mean"}),
    (lc.relate, {"each": "quarter", "beside": "largest"}),
]


@pytest.fixture(scope="module")
def book():
    """Few records, so that items come and go."""
    rng, days = np.random.default_rng(3), pd.date_range("2023-02-10", "2025-05-17")
    rows = [pd.DataFrame({"day": rng.choice(days[n * 90 :], 60), "harbor": "ABC"[n % 3], "line": "xyz"[n // 3],
                          "amount": rng.normal(20, 30, 60).round(2)}) for n in range(9)]  # fmt: skip
    return lc.read(pd.concat(rows), date="day", values="amount", by=["harbor", "line"], covering=("2023-02-10", None))


def same(one, other):
    for name in ("table", "subtotals", "total"):
        pd.testing.assert_frame_equal(getattr(one, name), getattr(other, name))
    assert one.notes == other.notes and one.periods == other.periods
    assert lc.words.sentences(one) == lc.words.sentences(other)


@pytest.mark.parametrize(("ask", "options"), ASKED)
def test_some_periods_and_items_of_a_whole(book, ask, options):
    whole = ask(book, by="harbor", **options)
    of_line = book.where({"line": "x"})
    for low, high in ((0, 1), (3, 9), (len(whole.periods) - 1, len(whole.periods))):
        at = f"{whole.periods[low]}..{whole.periods[high - 1]}"
        same(whole.between(low, high), ask(book, by="harbor", at=at, **options))
        by = ["line", "harbor"]
        same(ask(book, by=by, **options).between(low, high), ask(book, by=by, at=at, **options))
        every = ask(book, by=["harbor"], **options).of_items({"line": "x"}, of_line, ("harbor",))
        same(every.between(low, high), ask(of_line, by="harbor", at=at, **options))


@pytest.mark.parametrize("options", [{}, {"within": "quarter", "against": "prior"}, {"rest": "as-was"},
                                     {"profile": "weekday", "calendar": lc.RetailCalendar()}])  # fmt: skip
def test_landings_as_of_days(book, options):
    answer = lc.land(book, by="harbor", **options)
    some = book.where({"harbor": "B"})
    on_days = answer.on_days(some, ())
    ends = lc.compare(some, answer.within, calendar=options.get("calendar")).total["end"]
    for day in [*ends[-9:-1], pd.Timestamp("2025-05-09"), ends.iloc[-1]]:
        one = on_days(int(day.to_datetime64().astype("datetime64[D]").astype(int)))
        other = lc.land(some.until(min(day, pd.Timestamp("2025-05-17"))), **options)
        same(one, other)
        paths = [landing.path(landing.measures[0]) for landing in (one, other)]
        for side in paths[0]._fields[:3] + ("expected", "low", "high"):
            np.testing.assert_array_equal(*(getattr(path, side) for path in paths))


@pytest.mark.parametrize("options", [{}, {"within": "month", "against": "mean:3"}, {"last": 2, "exclude": "2024"},
                                     {"within": "quarter", "calendar": lc.RetailCalendar()}, "plan"])  # fmt: skip
def test_paces_as_of_days(book, options):
    if options == "plan":
        plan = book.totals("month", by=["harbor"]).astype({"period": str})
        plan = lc.read_plan(plan, date="period", value="value", measure="amount", by="harbor")
        options = {"against": "plan", "plan": plan}
    answer = lc.pace(book, by="harbor", items="comparable", top=2, **options)  # one alone is not chosen among others
    some = book.where({"harbor": "B"})
    on_days = answer.on_days(some, ())
    for day in ("2023-12-31", "2024-02-29", "2024-03-01", "2024-11-30", "2025-02-28", "2025-05-17"):
        number = int(np.datetime64(day).astype(int))
        try:
            other = lc.pace(some.until(day), **options)
        except lc.QuestionError as error:
            with pytest.raises(lc.QuestionError, match=re.escape(str(error))):
                on_days(number)
            continue
        one = on_days(number)
        same(one, other)
        pd.testing.assert_frame_equal(one.standing, other.standing)
        assert one.call.options == other.call.options | {"book": one.call.options["book"]}


def test_what_is_seen_of_a_trend(book):
    canvas = Canvas(Formats(), measure, drawable)
    weeks = lc.compare(book, "week", "mean:4")
    whole = trend(weeks, replace(canvas, seen=13, ends=(4, 30)))
    for seen, (low, high) in zip(whole.seen, ((0, 5), (18, 31))):
        alone = trend(weeks.between(low, high), canvas)
        (panel,) = alone.panels
        (marks, *_) = [layer for layer in panel.layers if isinstance(layer, Captions)]
        assert [text._replace(x=text.x - low) for text in seen.marks[0].texts] == list(marks.texts)
        assert [(tick.at - low, tick.text) for tick in seen.ticks] == [(tick.at, tick.text) for tick in panel.x.ticks]
        assert seen.legend == alone.legend and seen.amounts == (panel.y,)


def cells(table):
    return [{name: (cell.kind, cell.text, cell.mark, cell.verdict, cell.depth) for name, cell in kept.row.cells.items()}
            for kept in table.rows]  # fmt: skip


@pytest.mark.parametrize("by", ["harbor", ["harbor", "line"]])
def test_tables_cut_from_rows_of_all_periods(book, by):
    """What is yet to come stands first in a period of the table of all, and is not in that of some."""
    whole, formats = lc.compare(book, "month", by=by, sort="value"), Formats()
    for low, high in ((0, 1), (2, 4), (5, 12)):
        part = whole.between(low, high)
        (own,) = kept_tables(part, formats)
        decimals = decimals_of(part, part.measures[0], formats)
        cut = kept_tables(whole, replace(formats, decimals=decimals))[0].between(part, low, high, formats, decimals)
        assert cells(cut) == cells(own) and [row.labels for row in cut.rows] == [row.labels for row in own.rows]
        assert cut.spec.shown == own.spec.shown
        assert (cut.spec.title, cut.spec.lines, cut.spec.empty) == (own.spec.title, own.spec.lines, own.spec.empty)
        for place in range(high - low):
            assert cut.opening(whole, low + place)[0] == own.opening(part, place)[0]
