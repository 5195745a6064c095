"""What a view says around its figures: title, cut, coverage, accounting. The same words in every view."""

from __future__ import annotations

from collections.abc import Sequence

from logochron.core.compare import Comparison
from logochron.core.measures import Measure
from logochron.core.options import Grain
from logochron.views.formats import Formats, capital, plural, words


def subject(result: Comparison, measure: Measure, *, split: bool, item: str | None = None) -> str:
    """What is shown: "Revenue by month, all harbors"."""
    by = [result.each, *(words(name) for name in result.by if split)]
    named = f"{capital(words(measure.name))} by {listed(by)}"
    if item is not None:
        named += f", {item}"
    elif not split or not result.by:
        free = [d for d in result.by or result.book.dimensions if not _selected(result, d)]
        named += "".join(f", all {plural(words(name))}" for name in free)
    return named + "".join(f", {words(selected)}" for selected in result.book.selected)


def listed(names: Sequence[str]) -> str:
    """Names as a sentence lists them.

    >>> listed(["month", "harbor", "line"])
    'month, harbor and line'
    """
    *first, last = names
    return f"{', '.join(first)} and {last}" if first else last


def _selected(result: Comparison, dimension: str) -> bool:
    return any(selected.startswith(f"{dimension} ") for selected in result.book.selected)


def unit(measure: Measure, formats: Formats) -> str:
    """The unit of a measure's figures: its own, else the currency."""
    return measure.unit or formats.currency or ""


def axis_words(measure: Measure, formats: Formats) -> str:
    """What an axis of amounts is labeled with: the unit, else what is measured."""
    return unit(measure, formats) or capital(words(measure.name))


def period_label(result: Comparison, label: str, status: str, end: int, formats: Formats) -> str:
    """The label of a period; a running one says to which day."""
    if status != "to-date":
        return label
    return f"{label} to {short_day(result.each, end, formats)}"


def short_day(each: Grain, day: int, formats: Formats) -> str:
    """The day as a running period's label names it."""
    return formats.day(day, year=False).split(" ")[0] if each == "month" else formats.day(day, year=False)


def cut_words(start: int, end: int, base_start: int, base_end: int, formats: Formats) -> str:
    """Which days are held against which: "1-18 Oct against 1-18 Oct 2025"."""
    return f"{formats.span(start, end, year=False)} against {formats.span(base_start, base_end)}"


def coverage_line(result: Comparison, formats: Formats) -> str:
    """The footnote of every view: coverage, accounting, report date."""
    cover, intake = result.book.coverage, result.book.intake
    parts = [
        f"Records {formats.day(cover.first)} to {formats.day(cover.recorded_last)}",
        f"{formats.number(intake.counted, 0)} rows counted, {formats.number(intake.refused, 0)} refused"
        + (f", {formats.number(intake.set_aside, 0)} set aside" if intake.set_aside else ""),
        f"report date {formats.day(cover.last)}",
    ]
    return formats.dot.join(parts)
