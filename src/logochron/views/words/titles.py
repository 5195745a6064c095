"""What stands above figures and tables: titles, periods and bases in words, what columns are called."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.bases import Basis, Fixed, MeanOf, Plan, Prior, Span, YearAgo, YearAgoMean
from logochron.core.align.period_spec import Window
from logochron.core.book.daybook import Daybook
from logochron.core.book.filters import in_words as filter_words
from logochron.core.book.measures import Measure, adds_up
from logochron.core.calendars.base import Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.choices import Each, Grain
from logochron.core.days import as_date, iso, to_days
from logochron.core.errors import visible
from logochron.core.rows.answer import AlignedAnswer, Answer
from logochron.core.rows.question_types import COLUMNS, Column
from logochron.views.catalog import everything, in_context, message, plural
from logochron.views.formats import Formats, capital, noun, shortened, words

if TYPE_CHECKING:
    from logochron.core.questions.overview import Overview
    from logochron.core.questions.relate import Relation

#: What each period is called as the subject of a basis ("the month before"): a language may bend the word.
_BEFORE = {
    "day": message("the day before"),
    "day with records": message("the day with records before"),
    "week": message("the week before"),
    "month": message("the month before"),
    "period": message("the period before"),
    "quarter": message("the quarter before"),
    "half": message("the half before"),
    "year": message("the year before"),
    "span": message("the span before"),
}


def several(word: str, formats: Formats | None = None) -> str:
    """The plural of what a basis steps in."""
    return plural(word, formats.language if formats else "en") or word


def period_word(word: str, formats: Formats) -> str:
    """What one period is called."""
    return in_context(formats.language, "period", word)


def in_words(basis: Basis, word: str, formats: Formats | None = None) -> str:
    """How a title calls a basis that steps in periods called `word`.

    >>> in_words(Prior(3), "half"), in_words(YearAgo(), "month")
    ('3 halves before', 'a year ago')
    """
    formats = formats or Formats()
    say, periods = formats.say, several(word, formats)
    match basis:
        case Prior(n=1):
            return say(_BEFORE[word])
        case Prior(n=n):
            return say("{n} {periods} before", n=n, periods=periods)
        case YearAgo(n=1):
            return say("a year ago")
        case YearAgo(n=n):
            return say("{n} years ago", n=n)
        case MeanOf(n=n):
            return say("the mean of the {n} {periods} before", n=n, periods=periods)
        case YearAgoMean(n=n):
            return say("the mean of the same {period} in the {n} years before", n=n, period=period_word(word, formats))
        case Fixed(label=label):
            return label
        case Span(first=first, last=last):
            return f"{iso(first)}..{iso(last)}"
        case Plan(name=name):
            return words(name) if name else say("plan")


def heading(basis: Basis, formats: Formats | None = None) -> str:
    """How a column calls a basis.

    >>> heading(MeanOf(4))
    'Mean of 4'
    """
    say = (formats or Formats()).say
    match basis:
        case Prior(n=1):
            return say("Before")
        case Prior(n=n):
            return say("{n} before", n=n)
        case YearAgo(n=1):
            return say("Year ago")
        case YearAgo(n=n):
            return say("{n} years ago", n=n)
        case MeanOf(n=n):
            return say("Mean of {n}", n=n)
        case YearAgoMean(n=n):
            return say("Mean of {n} years", n=n)
        case Fixed(label=label):
            return label
        case Span():
            return say("Against")
        case Plan(name=name):
            return capital(words(name)) if name else say("Plan")


def window_words(window: Window, calendar: Calendar, each: str, formats: Formats | None = None) -> str:
    """How a title calls what a row adds up; empty for the period itself."""
    formats = formats or Formats()
    if window.parent is not None:
        return formats.say("{period} to date", period=period_word(calendar.word(window.parent), formats))
    if window.n > 1:
        return formats.say("running {n} {periods}", n=window.n, periods=several(calendar.word(each), formats))
    return ""


#: Periods that bear a number in their year, as people call them; and what stands before them in a sentence.
_NUMBERED = {
    "week": message("week {number} of {year}"),
    "month": message("period {number} of {year}"),
    "quarter": message("quarter {number} of {year}"),
    "half": message("half {number} of {year}"),
}
_LOCATED = {
    "day": message("on {period}"),
    "week": message("in {period}"),
    "month": message("in {month}"),
    "period": message("in {period}"),
    "quarter": message("in {period}"),
    "half": message("in {period}"),
    "year": message("in {period}"),
    "days": message("over {period}"),
    "months": message("from {period}"),
}
_HALVES = (
    (message("first half of {year}"), message("in the first half of {year}")),
    (message("second half of {year}"), message("in the second half of {year}")),
)


class PeriodWords(NamedTuple):
    """A period in words: by its name, and as a sentence says when something was ("in September 2026")."""

    name: str
    when: str


def _worded(name: str, kind: str, formats: Formats) -> PeriodWords:
    return PeriodWords(name, formats.say(_LOCATED[kind], period=name, month=name))


def days_in_words(first: int, last: int, formats: Formats) -> PeriodWords:
    """A span of days.

    >>> days_in_words(20362, 20379, Formats()).when
    'over 1–18 October 2025'
    """
    within_a_month = as_date(first).replace(day=1) == as_date(last).replace(day=1)
    kind = "day" if first == last else "days" if within_a_month else "months"
    return _worded(formats.long_span(first, last), kind, formats)


@lru_cache(maxsize=2**14)
def whole_period(calendar: Calendar, each: Grain, first: int, formats: Formats) -> PeriodWords:
    """A whole period, by its first day: civil ones by name, others by their number and their days.

    >>> from logochron import CivilCalendar
    >>> whole_period(CivilCalendar(), "month", 20362, Formats()).when
    'in October 2025'
    """
    ordinals = np.asarray(calendar.ordinals(each, np.array([first])))
    label = str(calendar.labels(each, ordinals)[0])
    start, end = int(calendar.first_days(each, ordinals)[0]), int(calendar.last_days(each, ordinals)[0])
    year, number = (int(side[0]) for side in calendar.places(each, ordinals))
    if each == "day":
        return _worded(formats.long_day(start), "day", formats)
    civil = calendar.word("month") == "month"
    if each == "month" and civil:
        return _worded(formats.long_month(start), "month", formats)
    if label == str(year) and as_date(start).timetuple().tm_yday == 1 and as_date(end + 1).year == year + 1:
        return _worded(label, "year", formats)
    if label == f"{year}-Q{number}" and civil:
        return _worded(formats.quarter(start), "quarter", formats)
    if label == f"{year}-H{number}" and civil:
        name, when = _HALVES[number - 1]
        return PeriodWords(formats.say(name, year=year), formats.say(when, year=year))
    named = label
    if each in _NUMBERED and label[-1:].isdigit() and "-" in label:
        named = formats.say(_NUMBERED[each], number=number, year=label.partition("-")[0])
    kind = "period" if each == "month" else each
    return _worded(f"{named} ({_days_of(start, end, year, formats)})", kind, formats)


def _days_of(start: int, end: int, year: int, formats: Formats) -> str:
    """The days of a period that is named by a year, which is said again where it is not that of its days."""
    years = [as_date(day).year for day in (start, end)]
    with_years = years != [year, year]
    if as_date(start).replace(day=1) == as_date(end).replace(day=1):
        return formats.span(start, end, year=with_years)
    first, last = formats.day(start, year=years[0] != years[1]), formats.day(end, year=with_years)
    return formats.say("{first} to {last}", first=first, last=last)


def beside_label(result: AlignedAnswer, start: int, end: int, status: str, formats: Formats) -> str:
    """What a label leaves unsaid, for those who do not have the calendar in mind: the month, or the days; else nothing.

    Where a row is not one whole period, its label says to which day it goes.
    """
    if result.each == "span" or (result.each == "year" and as_date(start).timetuple().tm_yday == 1):
        return ""
    if result.each == "day":
        return formats.weekday(start)
    if result.each == "month" and result.calendar.word("month") == "month":
        return formats.short_month(end)
    ordinals = result.calendar.ordinals(result.each, np.array([end]))
    first = int(result.calendar.first_days(result.each, ordinals)[0])
    last = int(result.calendar.last_days(result.each, ordinals)[0])
    if result.calendar.whole_weeks or result.each == "week" or as_date(first).day > 1:
        return formats.span(first, last, year=False)
    opening, closing = (formats.month(day) for day in (first, last))
    return f"{opening}{formats.dash}{closing}"


def row_period(result: AlignedAnswer, row: Any, formats: Formats, status: str) -> PeriodWords:
    """The days that a row sums, in words: a whole period by its name, else from day to day."""
    start, end = int(to_days(row["start"])), int(to_days(row["end"]))
    window = result.spec.window
    if result.each == "span" or status != "complete" or window.parent is not None or window.n > 1:
        return days_in_words(start, end, formats)
    return whole_period(result.calendar, result.each, start, formats)


def base_period(result: AlignedAnswer, row: Any, formats: Formats) -> PeriodWords | None:
    """The days that a row is held against, in words; None where they are not those of one span, or unknown."""
    if result.plan is not None or len(result.alignment.base_starts) > 1 or np.isnat(row["base_start"]):
        return None
    start, end = int(to_days(row["base_start"])), int(to_days(row["base_end"]))
    return _span_in_words(result.calendar, result.each, start, end, formats)


@lru_cache(maxsize=2**14)
def _span_in_words(calendar: Calendar, each: Each, start: int, end: int, formats: Formats) -> PeriodWords:
    """A span of days: by its name where it is one whole period."""
    if each != "span" and calendar.holds(np.array([start]))[0]:
        ordinals = calendar.ordinals(each, np.array([start]))
        if (calendar.first_days(each, ordinals)[0], calendar.last_days(each, ordinals)[0]) == (start, end):
            return whole_period(calendar, each, start, formats)
    return days_in_words(start, end, formats)


#: What a measure is called that is divided by its days.
_EARLIER = message("{n} earlier {periods}: --last {many} shows all, and --out FILE.csv has them")
_BESIDE = {"total": message("the total"), "largest": message("the largest"), "mean": message("the mean")}
_PER = {
    "day": message("{measure} per day"),
    "trading-day": message("{measure} per trading day"),
    "selling-day": message("{measure} per selling day"),
}


def subject(
    result: AlignedAnswer,
    measure: Measure,
    formats: Formats,
    *,
    split: bool,
    item: str | None = None,
    when: str | None = None,
    pattern: str = "{measure}",
) -> str:
    """What is shown: "Revenue by month, all harbors"; or of one period, "Revenue in September 2026 by harbor".

    `pattern` is a message about the measure, `when` says when the one period was.
    """
    by = [period_word(result.calendar.word(result.each), formats)] if result.each != "span" and when is None else []
    by += [noun(name, formats.language) for name in result.by if split]
    named = measure_words(result, measure, formats, pattern)
    named += f" {when}" if when else ""
    named = formats.say("{subject} by {names}", subject=named, names=listed(by, formats)) if by else named
    window = window_words(result.spec.window, result.calendar, result.each, formats)
    named += f", {window}" if window else ""
    if item is not None:
        named += f", {item}"
    elif result.kept == "comparable":
        named += f", {_comparable(result, formats)}"
    elif not split or not result.by:
        free = [d for d in result.by or result.book.dimensions if not _selected(result, d)]
        named += "".join(f", {everything(noun(name, formats.language), formats.language)}" for name in free)
    return named + selection_words(result)


def measure_words(result: AlignedAnswer, measure: Measure, formats: Formats, pattern: str = "{measure}") -> str:
    """What a measure is called, and by which days it is divided."""
    named = formats.say(pattern, measure=capital(words(measure.name)))
    if result.per and adds_up(result.book.formulas[measure.name]):
        named = formats.say(_PER[result.per], measure=named)
    return named


def measure_told(
    result: AlignedAnswer, measure: Measure, formats: Formats, picked: Mapping[str, str] | None = None
) -> str:
    """What a sentence calls a measure: with the selection it is of, for it stands alone; `picked`: items of it.

    "Revenue (harbor Alderquay)".
    """
    of = list(map(words, (*result.book.selected, *filter_words(picked or {}))))
    if result.kept == "comparable":
        of.append(_comparable(result, formats))
    named = measure_words(result, measure, formats)
    return f"{named} ({', '.join(of)})" if of else named


def _comparable(result: AlignedAnswer, formats: Formats) -> str:
    """What totals hold where they hold comparable items alone."""
    items = plural(noun(result.by[0], formats.language), formats.language) if len(result.by) == 1 else None
    return formats.say("comparable {items}", items=items or formats.say("items"))


def column_words(column: str | Column, formats: Formats, *, planned: bool = False) -> str:
    """The heading of a column, or of one of that name; `planned`: in an answer against a plan."""
    of = COLUMNS[column] if isinstance(column, str) else column
    return formats.say(of.called(planned=planned))


def overview_title(result: Overview, measure: Measure, formats: Formats) -> str:
    """What an overview shows: "Revenue by harbor, to 18 October 2026"."""
    named = measure_words(result, measure, formats)
    if result.by:
        by = listed([noun(name, formats.language) for name in result.by], formats)
        named = formats.say("{subject} by {names}", subject=named, names=by)
    day = formats.long_day(result.book.coverage.last)
    named = formats.say("{subject}, to {day}", subject=named, day=day)
    if result.kept == "comparable":
        named += f", {_comparable(result, formats)}"
    return named + selection_words(result)


def within_a_title(named: str, measure: Measure) -> str:
    """A subject as it stands behind other words: small, unless the measure itself is written large."""
    return named if measure.name[:1].isupper() else named[:1].lower() + named[1:]


def selection_words(result: AlignedAnswer) -> str:
    """What was selected, as a title ends with it."""
    return "".join(f", {words(selected)}" for selected in result.book.selected)


def against_words(result: AlignedAnswer, formats: Formats) -> str:
    """What an answer is held against, as a title calls it."""
    if result.spec.weeks == "364-days":
        return formats.say("{n} days earlier", n=_moved(result))
    if result.spec.skip_closed:
        return in_words(result.against, "day with records", formats)
    return in_words(result.against, result.calendar.word(result.spec.window.parent or result.each), formats)


def against_line(result: AlignedAnswer, formats: Formats) -> str:
    """What an answer is held against, behind a title."""
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
    """What an answer is held against, as a column calls it."""
    if result.spec.weeks == "364-days":
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
    """What an axis of amounts is labeled with: the unit, else what is measured; in percent the ticks say it."""
    return ("" if measure.in_percent else unit(measure, formats)) or capital(words(measure.name))


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
    years = result.calendar.legend(result.spec.grain, result.alignment.ordinals) if result.each != "span" else ()
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


def _whole_periods(book: Daybook, formats: Formats) -> list[str]:
    """Of records of whole periods what the last of them is taken for."""
    standing, cover = book.standing, book.coverage
    if standing.records_of == "day" or not len(book.recorded):
        return []
    grain, calendar = standing.records_of, standing.calendar
    ordinal = calendar.ordinals(grain, book.recorded[-1:])
    first, end = int(book.recorded[-1]), int(book.recorded_ends[-1])
    if cover.last < first:
        return []
    civil = grain == "month" and isinstance(calendar, CivilCalendar)
    period = formats.short_month(first) if civil else str(calendar.labels(grain, ordinal)[0])
    said = "{periods}, {period} taken as whole" if cover.last >= end else "{periods}, {period} to date"
    return [formats.say(said, periods=several(grain, formats), period=period)]


def about_lines(answers: Sequence[AlignedAnswer], formats: Formats) -> list[str]:
    """The report date in words, the records, what is filtered: of each book once."""
    lines: dict[str, None] = {}
    for answer in answers:
        cover = answer.book.coverage
        lines[formats.say("Report date {day}", day=formats.long_day(cover.last))] = None
        lines[formats.say("Records {first} to {last}", first=formats.long_day(cover.first),
                          last=formats.long_day(cover.recorded_last))] = None  # fmt: skip
        if answer.book.selected:
            lines[formats.say("Only {selection}", selection=", ".join(answer.book.selected))] = None
    return [visible(line) for line in lines]


def coverage_line(result: Answer, formats: Formats) -> str:
    """The footnote of every view: coverage, accounting, report date."""
    cover, intake = result.book.coverage, result.book.intake
    counts = [formats.count(intake.counted, "{n} row counted", "{n} rows counted")]
    counts.append(formats.say("{n} refused", n=formats.number(intake.refused, 0)))
    if intake.set_aside:
        counts.append(formats.say("{n} left out", n=formats.number(intake.set_aside, 0)))
    first, last = formats.day(cover.first), formats.day(cover.recorded_last)
    parts = [formats.say("Records {first} to {last}", first=first, last=last), *_whole_periods(result.book, formats)]
    parts.append(", ".join(counts))
    return formats.dot.join([*parts, formats.say("report date {day}", day=formats.day(cover.last))])
