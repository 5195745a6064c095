"""What a view says around its figures: title, cut, coverage, accounting. The same words in every view."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from numpy.typing import NDArray

from logochron.core.book.measures import Measure, adds_up
from logochron.core.days import as_date, to_days
from logochron.core.questions.relate import Relation
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.question_types import COLUMNS, Column
from logochron.views.catalog import everything, message, plural
from logochron.views.formats import Formats, capital, shortened, words
from logochron.views.words.basis_words import heading, in_words, period_word, several, window_words

#: What a measure is called that is divided by its days.
_EARLIER = message("{n} earlier {periods}: --last {many} shows all, and --out FILE.csv has them")
_BESIDE = {"total": message("the total"), "largest": message("the largest"), "mean": message("the mean")}
_PER = {"day": message("{measure} per day"), "trading-day": message("{measure} per trading day")}


def subject(
    result: AlignedAnswer,
    measure: Measure,
    formats: Formats,
    *,
    split: bool,
    item: str | None = None,
    when: str | None = None,
    told: str = "{measure}",
) -> str:
    """What is shown: "Revenue by month, all harbors"; or of one period, "Revenue in September 2026 by harbor".

    `told` is a message about the measure, `when` says when the one period was.
    """
    by = [period_word(result.calendar.word(result.each), formats)] if result.each != "span" and when is None else []
    by += [words(name) for name in result.by if split]
    named = measure_words(result, measure, formats, told)
    named += f" {when}" if when else ""
    named = formats.say("{subject} by {names}", subject=named, names=listed(by, formats)) if by else named
    window = window_words(result.question.window, result.calendar, result.each, formats)
    named += f", {window}" if window else ""
    if item is not None:
        named += f", {item}"
    elif result.kept == "comparable":
        named += f", {_comparable(result, formats)}"
    elif not split or not result.by:
        free = [d for d in result.by or result.book.dimensions if not _selected(result, d)]
        named += "".join(f", {everything(words(name), formats.language)}" for name in free)
    return named + selection_words(result)


def measure_words(result: AlignedAnswer, measure: Measure, formats: Formats, told: str = "{measure}") -> str:
    """What a measure is called, and by which days it is divided."""
    named = formats.say(told, measure=capital(words(measure.name)))
    if result.per and adds_up(result.book.formulas[measure.name]):
        named = formats.say(_PER[result.per], measure=named)
    return named


def measure_told(result: AlignedAnswer, measure: Measure, formats: Formats) -> str:
    """What a sentence calls a measure: with the selection it is of, for it stands alone.

    "Revenue (harbor Alderquay)".
    """
    of = list(map(words, result.book.selected))
    if result.kept == "comparable":
        of.append(_comparable(result, formats))
    named = measure_words(result, measure, formats)
    return f"{named} ({', '.join(of)})" if of else named


def _comparable(result: AlignedAnswer, formats: Formats) -> str:
    """What totals hold where they hold comparable items alone."""
    items = plural(words(result.by[0]), formats.language) if len(result.by) == 1 else None
    return formats.say("comparable {items}", items=items or formats.say("items"))


def column_words(column: str | Column, formats: Formats, *, planned: bool = False) -> str:
    """The heading of a column, or of one of that name; `planned`: in an answer against a plan."""
    of = COLUMNS[column] if isinstance(column, str) else column
    return formats.say(of.called(planned=planned))


def within_a_title(named: str, measure: Measure) -> str:
    """A subject as it stands behind other words: small, unless the measure itself is written large."""
    return named if measure.name[:1].isupper() else named[:1].lower() + named[1:]


def selection_words(result: AlignedAnswer) -> str:
    """What was selected, as a title ends with it."""
    return "".join(f", {words(selected)}" for selected in result.book.selected)


def against_words(result: AlignedAnswer, formats: Formats) -> str:
    """What it is held against, as a title calls it."""
    if result.question.weeks == "364-days":
        return formats.say("{n} days earlier", n=_moved(result))
    if result.question.skip_closed:
        return in_words(result.against, "day with records", formats)
    return in_words(result.against, result.calendar.word(result.question.window.parent or result.each), formats)


def against_line(result: AlignedAnswer, formats: Formats) -> str:
    """What it is held against, behind a title."""
    return formats.say("against {base}", base=against_words(result, formats))


def table_title(result: AlignedAnswer, measure: Measure, formats: Formats) -> str:
    """What a table shows, and what it is held against."""
    return formats.dot.join([subject(result, measure, formats, split=True), against_line(result, formats)])


def beside_words(result: Relation, formats: Formats) -> str:
    """What items are held beside, as a title calls it."""
    named = (
        formats.say(_BESIDE[result.beside])
        if result.beside in _BESIDE
        else shortened(result.beside.removeprefix("item:"))
    )
    return (
        formats.say("{reference} of the same {dimension}", reference=named, dimension=words(result.within))
        if result.within
        else named
    )


def base_heading(result: AlignedAnswer, formats: Formats) -> str:
    """What it is held against, as a column calls it."""
    if result.question.weeks == "364-days":
        return formats.say("{n} days ago", n=_moved(result))
    return heading(result.against, formats)


def _moved(result: AlignedAnswer) -> int:
    return 364 * getattr(result.against, "n", 1)


def listed(names: Sequence[str], formats: Formats) -> str:
    """Names as a sentence lists them.

    >>> listed(["month", "harbor", "line"], Formats())
    'month, harbor and line'
    """
    *first, last = names
    return formats.say("{names} and {last}", names=", ".join(first), last=last) if first else last


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
    return formats.say("{label} to {day}", label=label, day=short_day(result, end, formats))


def short_day(result: AlignedAnswer, day: int, formats: Formats) -> str:
    """The day as an unfinished period's label names it."""
    civil_month = result.each == "month" and result.calendar.word("month") == "month"
    return str(as_date(day).day) if civil_month else formats.day(day, year=False)


def cut_of(result: AlignedAnswer, columns: Mapping[str, NDArray[Any]], i: int, formats: Formats) -> str:
    """Which days of an unfinished row are held against which."""
    start, end, base_start, base_end = (
        int(to_days(columns[name][i])) for name in ("start", "end", "base_start", "base_end")
    )
    if result.plan is not None:
        return formats.say("{days}, and the plan of these days", days=formats.span(start, end, year=False))
    if len(result.alignment.base_starts) > 1:
        parts = len(result.alignment.base_starts)
        return formats.say("{days}, each of the {n} cut alike", days=formats.span(start, end, year=False), n=parts)
    return cut_words(start, end, base_start, base_end, formats)


def figure_footnote(result: AlignedAnswer, formats: Formats) -> str:
    """The footnote of a figure: coverage, accounting, report date, and what the named years are."""
    years = result.calendar.legend(result.question.grain, result.alignment.ordinals) if result.each != "span" else ()
    return formats.dot.join([coverage_line(result, formats), *years[-2:]])


def cut_words(start: int, end: int, base_start: int, base_end: int, formats: Formats) -> str:
    """Which days are held against which: "1-18 Oct against 1-18 Oct 2025"."""
    days, base_days = formats.span(start, end, year=False), formats.span(base_start, base_end)
    return formats.say("{days} against {base_days}", days=days, base_days=base_days)


def earlier_words(result: AlignedAnswer, earlier: int, formats: Formats) -> str:
    """How many periods before those shown there are, and how to see them."""
    word = result.calendar.word(result.each)
    named = period_word(word, formats) if earlier == 1 else several(word, formats)
    return formats.say(_EARLIER, n=formats.number(earlier, 0), periods=named, many=len(result.periods))


def coverage_line(result: AlignedAnswer, formats: Formats) -> str:
    """The footnote of every view: coverage, accounting, report date."""
    cover, intake = result.book.coverage, result.book.intake
    counts = [formats.count(intake.counted, "{n} row counted", "{n} rows counted")]
    counts.append(formats.say("{n} refused", n=formats.number(intake.refused, 0)))
    if intake.set_aside:
        counts.append(formats.say("{n} set aside", n=formats.number(intake.set_aside, 0)))
    first, last = formats.day(cover.first), formats.day(cover.recorded_last)
    parts = [formats.say("Records {first} to {last}", first=first, last=last), ", ".join(counts)]
    return formats.dot.join([*parts, formats.say("report date {day}", day=formats.day(cover.last))])
