"""What a view says around its figures: title, cut, coverage, accounting. The same words in every view."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from numpy.typing import NDArray

from logochron.core.book.formulas import adds_up
from logochron.core.book.measures import Measure
from logochron.core.days import to_days
from logochron.core.rows.answer import AlignedAnswer
from logochron.views.formats import Formats, capital, words
from logochron.views.words.basis_words import heading, in_words, several, window_words
from logochron.views.words.catalog import everything, how_many, plural


def subject(
    result: AlignedAnswer,
    measure: Measure,
    *,
    split: bool,
    item: str | None = None,
    period: str | None = None,
    told: str = "",
) -> str:
    """What is shown: "Revenue by month, all harbors"; or of one period, "Revenue in 2026-09 by harbor".

    `told` is what is told of the measure, behind its name.
    """
    by = [result.calendar.word(result.each)] if result.each != "span" and period is None else []
    by += [words(name) for name in result.by if split]
    named = capital(words(measure.name)) + (f" {told}" if told else "")
    if result.per and adds_up(result.book.formulas[measure.name]):
        named += f" per {words(result.per).replace('-', ' ')}"
    named += f" {'of' if result.each == 'span' else 'in'} {period}" if period else ""
    named += f" by {listed(by)}" if by else ""
    window = window_words(result.question.window, result.calendar, result.each)
    named += f", {window}" if window else ""
    if item is not None:
        named += f", {item}"
    elif result.kept == "comparable":
        named += f", comparable {(plural(words(result.by[0])) if len(result.by) == 1 else None) or 'items'}"
    elif not split or not result.by:
        free = [d for d in result.by or result.book.dimensions if not _selected(result, d)]
        named += "".join(f", {everything(words(name))}" for name in free)
    return named + selection_words(result)


def within_a_title(named: str, measure: Measure) -> str:
    """A subject as it stands behind other words: small, unless the measure itself is written large."""
    return named if measure.name[:1].isupper() else named[:1].lower() + named[1:]


def selection_words(result: AlignedAnswer) -> str:
    """What was selected, as a title ends with it."""
    return "".join(f", {words(selected)}" for selected in result.book.selected)


def period_word(result: AlignedAnswer) -> str:
    """What the periods are called that a basis steps back in."""
    return result.calendar.word(result.question.window.parent or result.each)


def against_words(result: AlignedAnswer) -> str:
    """What it is held against, as a title calls it."""
    if result.question.weeks == "364-days":
        return f"{_moved(result)} days earlier"
    if result.question.skip_closed:
        return in_words(result.against, "day with records")
    return in_words(result.against, period_word(result))


def base_heading(result: AlignedAnswer) -> str:
    """What it is held against, as a column calls it."""
    return f"{_moved(result)} days ago" if result.question.weeks == "364-days" else heading(result.against)


def _moved(result: AlignedAnswer) -> int:
    return 364 * getattr(result.against, "n", 1)


def listed(names: Sequence[str]) -> str:
    """Names as a sentence lists them.

    >>> listed(["month", "harbor", "line"])
    'month, harbor and line'
    """
    *first, last = names
    return f"{', '.join(first)} and {last}" if first else last


def _selected(result: AlignedAnswer, dimension: str) -> bool:
    return any(dimension in selection for selection in result.book.filters)


def unit(measure: Measure, formats: Formats) -> str:
    """The unit of a measure's figures: its own, else the currency, which only amounts of money have."""
    return measure.unit or (formats.currency if measure.is_money else None) or ""


def axis_words(measure: Measure, formats: Formats) -> str:
    """What an axis of amounts is labeled with: the unit, else what is measured."""
    return unit(measure, formats) or capital(words(measure.name))


def period_label(result: AlignedAnswer, label: str, status: str, start: int, end: int, formats: Formats) -> str:
    """The label of a period; a running one says to which day, a span of days is said in words."""
    if result.each == "span":
        return formats.span(start, end)
    if status != "to-date":
        return label
    return f"{label} to {short_day(result, end, formats)}"


def short_day(result: AlignedAnswer, day: int, formats: Formats) -> str:
    """The day as an unfinished period's label names it."""
    civil_month = result.each == "month" and result.calendar.word("month") == "month"
    return formats.day(day, year=False).split(" ")[0] if civil_month else formats.day(day, year=False)


def cut_of(result: AlignedAnswer, columns: Mapping[str, NDArray[Any]], i: int, formats: Formats) -> str:
    """Which days of an unfinished row are held against which."""
    start, end, base_start, base_end = (
        int(to_days(columns[name][i])) for name in ("start", "end", "base_start", "base_end")
    )
    if result.plan is not None:
        return f"{formats.span(start, end, year=False)}, and the plan of these days"
    if len(result.alignment.base_starts) > 1:
        return f"{formats.span(start, end, year=False)}, each of the {len(result.alignment.base_starts)} cut alike"
    return cut_words(start, end, base_start, base_end, formats)


def figure_footnote(result: AlignedAnswer, formats: Formats) -> str:
    """The footnote of a figure: coverage, accounting, report date, and what the named years are."""
    years = result.calendar.legend(result.question.grain, result.alignment.ordinals) if result.each != "span" else ()
    return formats.dot.join([coverage_line(result, formats), *years[-2:]])


def cut_words(start: int, end: int, base_start: int, base_end: int, formats: Formats) -> str:
    """Which days are held against which: "1-18 Oct against 1-18 Oct 2025"."""
    return f"{formats.span(start, end, year=False)} against {formats.span(base_start, base_end)}"


def earlier_words(result: AlignedAnswer, earlier: int) -> str:
    """How many periods before those shown there are, and how to see them."""
    word = result.calendar.word(result.each)
    many = f"{earlier:,} earlier {word if earlier == 1 else several(word)}"
    return f"{many}: --last {len(result.periods)} shows all, and --out FILE.csv has them"


def coverage_line(result: AlignedAnswer, formats: Formats) -> str:
    """The footnote of every view: coverage, accounting, report date."""
    cover, intake = result.book.coverage, result.book.intake
    parts = [
        f"Records {formats.day(cover.first)} to {formats.day(cover.recorded_last)}",
        how_many(intake.counted, formats.number(intake.counted, 0), "{n} row counted", "{n} rows counted")
        + f", {formats.number(intake.refused, 0)} refused"
        + (f", {formats.number(intake.set_aside, 0)} set aside" if intake.set_aside else ""),
        f"report date {formats.day(cover.last)}",
    ]
    return formats.dot.join(parts)
