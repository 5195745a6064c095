"""An overview in words: what each item came to in each window, and how that stands beside every basis."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from logochron.core.align.bases import Basis
from logochron.core.align.overview_windows import OverviewWindow
from logochron.core.book.measures import Measure
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.choices import DIRECTIONS, STATUSES
from logochron.core.days import to_days
from logochron.core.questions.overview import Overview
from logochron.core.rows.result import RowBlock
from logochron.views.catalog import message
from logochron.views.formats import Formats, capital, item_name
from logochron.views.words.movement import decimals_of
from logochron.views.words.titles import in_words, measure_told, period_word, several, unit, whole_period

#: When a window is, as a sentence says it.
_RUNNING = {
    "day": message("on this day"),
    "week": message("this week"),
    "month": message("this month"),
    "period": message("this period"),
    "quarter": message("this quarter"),
    "half": message("this half-year"),
    "year": message("this year"),
}
_WHOLE = {
    "week": message("last week"),
    "month": message("last month"),
    "period": message("last period"),
    "quarter": message("last quarter"),
    "half": message("last half-year"),
    "year": message("last year"),
}


def overview_sentences(
    result: Overview, measure: Measure, at: Any, formats: Formats, n: int, then: str | None
) -> list[str]:
    """The total to the report date, then the items that lead, each with its windows."""
    day = formats.long_day(result.book.coverage.last)
    named = formats.say("{measure} to {day}", measure=measure_told(result, measure, formats), day=day)
    (total,) = result.of_measure(result.total_columns, measure).blocks
    said = [_sentence(result, measure, total, 0, named, formats)]
    if result.by:
        (block,) = result.of_measure(result.columns, measure).blocks
        labels = list(zip(*(np.broadcast_to(block.columns[name], (1, block.shape[1]))[0] for name in result.by)))
        for item in block.shown(0)[:n].tolist():
            said.append(_sentence(result, measure, block, item, item_name(labels[item]), formats))
    return said


def picked_rows(
    result: Overview, picked: Mapping[str, str], alone: Overview | None, formats: Formats, n: int = 3
) -> list[str]:
    """What is told of one item of an overview: its windows, as its row has them."""
    labels, day = tuple(picked[name] for name in result.by), formats.long_day(result.book.coverage.last)
    said = []
    for measure in result.measures:
        block, place = result.block_of(measure, labels)
        named = formats.say("{measure} to {day}", measure=measure_told(result, measure, formats, picked), day=day)
        said.append(_sentence(result, measure, block, place, named, formats))
    return [f"{sentence}." for sentence in said]


def _sentence(result: Overview, measure: Measure, block: RowBlock, item: int, named: str, formats: Formats) -> str:
    """One item in all windows."""
    parts, decimals, of = [], decimals_of(result, measure, formats), unit(measure, formats)
    for w, window in enumerate(result.windows):
        first = block.row(w * len(result.bases), item)
        value = float(first["value"])
        in_full = formats.with_unit(formats.number(value, decimals), value, of)
        amount = formats.part(value, decimals) if measure.in_percent else in_full
        bases = [_base_words(result, window, basis, formats) for basis in result.bases]
        rows = (block.row(w * len(bases) + b, item) for b in range(len(bases)))
        beside = [_beside(measure, row, base, formats) for row, base in zip(rows, bases)]
        told = ", ".join(filter(None, beside))
        said = f"{amount} {window_when(result, window, formats)}"
        parts.append(f"{said} ({told})" if told else said)
    return formats.say("{item}: {figures}", item=named, figures=", ".join(parts))


def _beside(measure: Measure, row: Any, base: str, formats: Formats) -> str:
    """How a figure stands beside one basis; empty where that is not known."""
    growth, change = float(row["growth"]), float(row["change"])
    if not np.isfinite(change):
        return ""
    if change == 0 or DIRECTIONS[row["direction"]] == "level" and not np.isfinite(growth):
        return formats.say("level with {base}", base=base)
    by_change = measure.in_percent or not np.isfinite(growth)
    moved = formats.amount(change, unit(measure, formats), signed=True) if by_change else formats.growth(growth)
    return formats.say("{moved} on {base}", moved=moved, base=base)


def _base_words(result: Overview, window: str, basis: Basis, formats: Formats) -> str:
    return in_words(basis, result.calendar.word(result.specs[window].grain), formats)


def window_when(result: Overview, window: str, formats: Formats) -> str:
    """When a window is, in a sentence: "this month", "last week", "in the last 12 months"."""
    spec = result.specs[window]
    word, n = result.calendar.word(spec.grain), spec.window.n
    if n > 1:
        return formats.say("in the last {n} {periods}", n=n, periods=several(word, formats))
    names = _WHOLE if window.startswith("last-") else _RUNNING
    return formats.say(names[word]) if word in names else period_word(word, formats)


def window_named(name: str, word_of: Callable[[str], str], formats: Formats) -> str:
    """What a window is called wherever its days are not known: "Year to date", "Last month", "12 months"."""
    window = OverviewWindow.of(name)
    word = word_of(window.grain)
    if window.n > 1:
        return formats.say("{n} {periods}", n=window.n, periods=several(word, formats))
    if window.whole and word in _WHOLE:
        return capital(formats.say(_WHOLE[word]))
    return formats.say("{period} to date", period=capital(period_word(word, formats)))


def window_headings(result: Overview, formats: Formats) -> dict[str, str]:
    """What each window is called above its columns; of the same days each says which it is: "Sep 2026, last month"."""
    headings = {window: _heading(result, window, formats) for window in result.windows}
    many = Counter(headings.values())
    return {
        window: heading if many[heading] == 1 else f"{heading}, {window_when(result, window, formats)}"
        for window, heading in headings.items()
    }


def _heading(result: Overview, window: str, formats: Formats) -> str:
    """What a window is called by its days: "Month to 18 Oct", "September 2026", "12 months to 18 Oct"."""
    row, spec = result.span_in(window), result.specs[window]
    start, end = (int(to_days(row[name])) for name in ("start", "end"))
    word, n, status = result.calendar.word(spec.grain), spec.window.n, STATUSES[row["status"]]
    if status == "partial":
        return formats.span(start, end)
    if n > 1:
        many = formats.say("{n} {periods}", n=n, periods=several(word, formats))
        return formats.say("{label} to {day}", label=many, day=formats.day(end, year=False))
    if status == "complete" or spec.grain == "day":
        if spec.grain == "month" and word == "month":
            return formats.short_month(start)
        if spec.grain in ("quarter", "year") and word != "period" and isinstance(result.calendar, CivilCalendar):
            return whole_period(result.calendar, spec.grain, start, formats).name
        return formats.day(end) if spec.grain == "day" else str(spec.at)
    named = capital(period_word(word, formats))
    return formats.say("{label} to {day}", label=named, day=formats.day(end, year=False))


def days_of_base(result: Overview, window: str, basis: int, formats: Formats) -> str:
    """The days that a window is held against; empty where they are not known, or not those of one span."""
    row = result.span_in(window, basis)
    if np.isnat(row["base_start"]):
        return ""
    return formats.span(*(int(to_days(row[name])) for name in ("base_start", "base_end")))
