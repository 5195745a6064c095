"""What is in the records? Oddities, each with an example and what it would do to a comparison."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.coverage import touches, typing_errors
from logochron.core.book.daybook import Daybook
from logochron.core.book.intake import Fact
from logochron.core.book.items import NEVER, ends_of
from logochron.core.book.last_period import short_last_period
from logochron.core.book.like_totals import like_totals
from logochron.core.book.measures import all_aggregates
from logochron.core.book.rates import Conversion
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.choices import WEEKDAYS, how_many
from logochron.core.days import Days, as_date, in_words, iso, weekday
from logochron.core.rows.question_types import question_type
from logochron.core.rows.result import Blocks, Result
from logochron.core.said import Joined, Said
from logochron.core.similar_names import similar_names
from logochron.core.total_labels import is_total

#: An item starts or stops where so many days lie between it and an end of the records.
OPEN_DAYS = 28
_NEIGHBORS = 28
_JUMP, _SHIFT = 5, 4
_LEAST_GAP, _UNUSUAL_GAP = 3, 3
_SHOWN = 20
#: What some findings would do to a comparison.
_WORDS = {
    "item starts": "raises the total without growth of the others; its first periods are noted as new",
    "item stops": "lowers the total for a year; its periods are noted as ended, or as none now",
    "duplicate rows": "counted each time: if entered twice, their periods are too high",
    "zero amounts": "add records but no amount; a missing amount may have been entered as 0",
    "negative amounts": "lower their periods; returns, or a sign mistaken",
    "decimals": "finer than nearly all others: perhaps another unit, or a slip of the decimal mark",
}


@dataclass(frozen=True)
class Finding:
    """One row of a review; `first` and `last` are day numbers."""

    finding: str
    column: str
    first: int | None
    last: int | None
    count: int
    example: str
    effect: str


@dataclass(frozen=True, repr=False, eq=False)
class Review(Result):
    """The answer of `review`: `.table` has a row for each finding, none where all is well.

    `finding, column, first, last, count, example, effect`; `notes` say what the records hold.
    """

    findings: tuple[Finding, ...] = ()
    name: str = "the records"
    kind: ClassVar[str] = "review"

    def __repr__(self) -> str:
        return f"<Review: {len(self.findings):,} findings in {self.name}>"


def review_book(book: Daybook, *, date: str = "", facts: Sequence[Fact] = ()) -> Review:
    """The oddities of a daybook, and of its single records where the sources have looked at them.

    Parameters
    ----------
    date
        The column of dates, as findings call it.
    facts
        What the single records show.

    The rules are told by `logochron.review`.
    """
    recorded = _recorded(book)
    sound, far_off = _sound(book, recorded, date)
    ends = _ends(book, sound)
    findings = [
        *far_off,
        *_of_days(book, sound, ends, date),
        *_last_period(book, date),
        *_of_amounts(book, sound),
        *_of_items(book, ends, {fact.column for fact in book.intake.facts}),
        *map(_worded, (*book.intake.facts, *facts)),
        *_refused(book),
    ]
    arrays: dict[str, NDArray[Any]] = {}
    for column in question_type("review").columns:
        values = [getattr(finding, column) for finding in findings]
        if column in ("first", "last"):
            none = np.datetime64("NaT", "D")
            days = [none if day is None else np.datetime64(as_date(int(day)), "D") for day in values]
            arrays[column] = np.array(days, dtype="datetime64[D]")
        else:
            whole = column == "count"
            arrays[column] = np.array(values if whole else list(map(str, values)), dtype=np.int64 if whole else object)
    return Review(
        columns=Blocks.plain(arrays),
        total_columns=Blocks([]),
        periods=(),
        notes=(*_held(book, recorded), *book.intake.warnings),
        findings=tuple(findings),
        name=", ".join(book.intake.sources) or "the records",
    )


def _recorded(book: Daybook) -> Days:
    """The days with records that were read, and lie in the coverage."""
    inside = touches(book.recorded, book.recorded_ends, book.kept)
    inside &= touches(book.recorded, book.recorded_ends, (book.settled.first, book.settled.last))
    return book.recorded[inside]


def _stated(book: Daybook) -> tuple[bool, bool]:
    """Whether the first and the last day of the coverage are stated."""
    low, high = book.asked_covering
    return low is not None, high is not None or book.asked_until is not None


def _ends(book: Daybook, recorded: Days) -> tuple[int, int]:
    """The first and last day that the records are taken as complete for: as stated, else by the recorded days."""
    low, high = _stated(book)
    if not len(recorded):
        return book.settled.first, book.settled.last
    return book.settled.first if low else int(recorded[0]), book.settled.last if high else int(recorded[-1])


def _held(book: Daybook, recorded: Days) -> tuple[str, ...]:
    intake = book.intake
    lines = [
        Said(
            "{0:,} rows: {1:,} counted, {2:,} refused, {3:,} left out, {4:,} blank",
            intake.read,
            intake.counted,
            intake.refused,
            intake.set_aside,
            intake.blank,
        ),
    ]
    if len(recorded):
        first, last = int(recorded[0]), int(book.standing.spans(recorded[-1:])[1][0])
        days = Said("on {0:,} of {1:,} days", len(recorded), last - first + 1)
        lines.append(Said("records from {0} to {1}, {2}", in_words(first), in_words(last), days))
    if any(_stated(book)):
        lines.append(
            Said(
                "taken as complete from {0} to {1}, as stated",
                in_words(book.settled.first),
                in_words(book.settled.last),
            )
        )
    if book.dimensions:
        items = Joined(Said("{0} {1:,}", name, len(book.items(name))) for name in book.dimensions)
        lines.append(Said("items: {0}", items))
    if book.conversion is not None:
        lines.append(_currencies(book.conversion))
    for exact, text in ((True, "summed exactly: {0}"), (False, "summed in floating point: {0}")):
        names = [name for name, is_exact in book.exact.items() if is_exact is exact]
        lines += [Said(text, ", ".join(names))] if names else []
    return tuple(lines)


def _currencies(conversion: Conversion) -> Said:
    """The currencies of the records with their shares of the first amounts, as they came to the one."""
    whole = sum(part.amount for part in conversion.parts)
    rows = sum(part.records for part in conversion.parts)
    return Said(
        "currencies, by the amounts in {0}: {1}",
        conversion.to,
        Joined(
            Said("{0} {1:.1f} % ({2})", part.currency, 100 * part.amount / whole, how_many(part.records, "row"))
            if whole > 0
            else Said("{0} {1:.1f} % of the rows", part.currency, 100 * part.records / rows)
            for part in conversion.parts
        ),
    )


def _sound(book: Daybook, recorded: Days, date: str) -> tuple[Days, list[Finding]]:
    """The recorded days without those that look mistyped, and what is to be said of these; not at a stated end."""
    low, high = (0 if stated else odd for stated, odd in zip(_stated(book), typing_errors(recorded)))
    if not low and not high:
        return recorded, []
    sound = recorded[low : len(recorded) - high]
    findings = []
    for odd, option in (
        (recorded[:low], Said("--covering {0}..", iso(int(sound[0])))),
        (recorded[len(recorded) - high :], Said("--until {0}", iso(int(sound[-1])))),
    ):
        if len(odd):
            effect = Said("probably mistyped: every question is refused until {0} leaves them out", option)
            findings.append(
                Finding("far-off days", date, int(odd[0]), int(odd[-1]), len(odd), iso(int(odd[0])), effect)
            )
    return sound, findings


def _of_days(book: Daybook, recorded: Days, ends: tuple[int, int], date: str) -> Iterator[Finding]:
    if book.standing.records_of != "day" or not len(recorded):
        return
    first, last = ends
    traded = np.unique(weekday(recorded))
    never = [day for day in range(7) if day not in traded]
    if last - first >= 4 * 7 and 0 < len(never) < 6:
        for day in never:
            days = np.flatnonzero(weekday(np.arange(first, last + 1)) == day) + first
            yield Finding(
                "weekday without records",
                date,
                int(days[0]),
                int(days[-1]),
                len(days),
                Said(WEEKDAYS[day]),
                Said(
                    "counts as 0; a period with one such day more has one selling day less (per='trading-day' divides)"
                ),
            )
    yield from _gaps(recorded, ends, traded, date)
    yield from _edges(book, first, last, date)
    yield from _last_day(book, recorded, date)


def _last_period(book: Daybook, date: str) -> Iterator[Finding]:
    """A last period of whole ones that has little."""
    short = short_last_period(book)
    if short is not None:
        effect = Said("held whole against a whole one, as though it were over; {0}", short.advice)
        example = Said("{0}: {1:.0f} % of {2}", short.label, 100 * short.part, short.base)
        yield Finding("short last period", date, short.first, short.last, 1, example, effect)


def _gaps(recorded: Days, ends: tuple[int, int], traded: Days, date: str) -> Iterator[Finding]:
    """Runs of days without records, days of weekdays never sold on left out; those at stated ends too."""
    first, last = ends
    usual = np.isin(weekday(np.arange(first, last + 1)), traded)
    before = np.concatenate([[0], np.cumsum(usual)])
    held = np.concatenate([[first - 1], recorded, [last + 1]])
    missing = before[held[1:] - first] - before[held[:-1] - first + 1]
    if len(recorded) < 2:
        return
    limit = max(_LEAST_GAP - 1, _UNUSUAL_GAP * float(np.quantile(missing[1:-1], 0.95)))
    runs = np.flatnonzero(missing > limit)
    for place in runs[np.argsort(-missing[runs], kind="stable")][:_SHOWN]:
        start, end = int(held[place]) + 1, int(held[place + 1]) - 1
        yield Finding(
            "days without records",
            date,
            start,
            end,
            end - start + 1,
            iso(start),
            Said("count as 0: the periods that hold them fall short, and so do the bases of a year later"),
        )


def _edges(book: Daybook, first: int, last: int, date: str) -> Iterator[Finding]:
    """Months that the records cover partly at an end that is not stated, with the option that closes them."""
    low, high = _stated(book)
    calendar = CivilCalendar()
    month = calendar.ordinals("month", np.array([first, last]))
    start, end = int(calendar.first_days("month", month)[0]), int(calendar.last_days("month", month)[1])
    labels = calendar.labels("month", month)
    if first > start and not low:
        option = Said("--covering {0}.. if there was nothing to record before", iso(start))
        effect = Said("{0} has no growth, and no later one is held against it; {1}", labels[0], option)
        yield Finding("partial period", date, start, first - 1, first - start, str(labels[0]), effect)
    if last < end and not high:
        option = Said("--until {0} if there is nothing more to record in it", iso(end))
        effect = Said("{0} is to date: held against the same days of the earlier one; {1}", labels[1], option)
        yield Finding("partial period", date, last + 1, end, end - last, str(labels[1]), effect)


def _last_day(book: Daybook, recorded: Days, date: str) -> Iterator[Finding]:
    last = int(recorded[-1])
    rows = np.zeros(len(recorded), dtype=np.int64)
    within = np.isin(book.days, recorded)
    np.add.at(rows, np.searchsorted(recorded, book.days[within]), book.records[within])
    same = rows[np.isin(recorded, last - 7 * np.arange(1, 9))]
    if len(same) >= 4 and same.min() >= 4 and 2 * rows[-1] < same.min():
        yield Finding(
            "last day unfinished",
            date,
            last,
            last,
            int(rows[-1]),
            Said("{0:,} records; {1:,} or more on such weekdays", rows[-1], same.min()),
            Said("the unfinished period looks worse than it is; --until {0} leaves the day out", iso(last - 1)),
        )


def _of_amounts(book: Daybook, recorded: Days) -> Iterator[Finding]:
    recorded = np.intersect1d(recorded, book.days)
    if len(recorded) < 2 * _NEIGHBORS:
        return
    summed = [aggregate for aggregate in all_aggregates(book.formulas) if not aggregate.counts]
    starts, ends = book.standing.spans(recorded)
    sums = book.sums((), [aggregate.key for aggregate in summed], (starts[None], ends[None]))
    for aggregate in summed:
        values = sums[aggregate.key][0][:, 0].astype(float) / 10 ** (book.scale_of(aggregate.key) or 0)
        yield from _jumps(recorded, values, aggregate.column)


def _jumps(days: Days, values: NDArray[Any], column: str) -> Iterator[Finding]:
    """Days far above their neighbors, and days from which all are."""
    size = np.abs(values)
    padded = np.concatenate([np.zeros(_NEIGHBORS), size, np.zeros(_NEIGHBORS)])
    windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * _NEIGHBORS + 1).copy()
    windows[:, _NEIGHBORS] = 0
    largest = windows.max(axis=1)
    jumps = np.flatnonzero((size > _JUMP * largest) & (largest > 0))
    for place in jumps[np.argsort(-size[jumps] / largest[jumps], kind="stable")][:_SHOWN]:
        yield Finding(
            "sudden jump",
            column,
            int(days[place]),
            int(days[place]),
            1,
            Said("{0:,.2f}; {1:,.2f} at most nearby", values[place], largest[place]),
            Said("its period rises by it and the same period a year later falls; look for a misplaced decimal mark"),
        )
    medians = np.median(np.lib.stride_tricks.sliding_window_view(values, _NEIGHBORS), axis=1)
    before, after = medians[:-_NEIGHBORS], medians[_NEIGHBORS:]
    both = (before > 0) & (after > 0)
    ratio = np.ones(len(before))
    np.divide(after, before, out=ratio, where=both)
    strength = np.abs(np.log(ratio))
    over = np.flatnonzero(strength > np.log(_SHIFT))
    for run in np.split(over, np.flatnonzero(np.diff(over) > 1) + 1):
        if len(run):
            # the step itself is where neighbors differ most
            steps = np.abs(values[run + _NEIGHBORS] - values[run + _NEIGHBORS - 1])
            place = int(run[steps.argmax()])
            day = int(days[place + _NEIGHBORS])
            yield Finding(
                "sudden jump",
                column,
                day,
                int(days[-1]),
                int((days >= day).sum()),
                Said("from about {0:,.2f} to {1:,.2f} a day", before[place], after[place]),
                Said("periods before and after it do not compare; look for another unit, currency or source"),
            )


def _of_items(book: Daybook, ends: tuple[int, int], told: Collection[str]) -> Iterator[Finding]:
    """What starts, stops, is named alike or looks like a total; `told`: columns whose totals are told already."""
    first, last = ends
    like: dict[str, list[str]] = {}
    summed = next((a.key for a in all_aggregates(book.formulas) if not a.counts and a.key in book.amounts), None)
    if summed is not None:
        for name, label in like_totals(book.days, book.codes, book.labels, book.amounts[summed]):
            like.setdefault(name, []).append(label)
    for name in book.dimensions:
        labels, codes = book.labels[name], book.codes[name]
        within = (book.days >= first) & (book.days <= last)
        days_within = book.days[within]
        opened, closed = ends_of(codes[within], days_within, days_within, len(labels))
        present = np.flatnonzero(opened != NEVER)
        late = present[opened[present] > first + OPEN_DAYS]
        early = present[closed[present] < last - OPEN_DAYS]
        for finding, items, days in (("item starts", late, opened), ("item stops", early, closed)):
            if len(items):
                yield Finding(
                    finding,
                    name,
                    int(days[items].min()),
                    int(days[items].max()),
                    len(items),
                    Said("{0} on {1}", labels[items[0]], iso(int(days[items[0]]))),
                    Said(_WORDS[finding]),
                )
        known = [str(label) for label in labels[present]]
        for one, other in similar_names(known)[:_SHOWN]:
            yield Finding(
                "names alike",
                name,
                None,
                None,
                2,
                Said("{0!r} and {1!r}", one, other),
                Said("counted as two items: each falls short, and one may seem new or ended"),
            )
        for label in like.get(name, ()):
            yield Finding(
                "item like a total",
                name,
                None,
                None,
                1,
                repr(label),
                Said(
                    "its amounts equal the sum of all others in every period: if it is their total, "
                    "every total counts them twice; --where '{0}!={1}' leaves it out",
                    name,
                    label,
                ),
            )
        for label in filter(is_total, known if name not in told else ()):
            yield Finding(
                "item called a total",
                name,
                None,
                None,
                1,
                repr(label),
                Said(
                    "if it adds up others, every total counts them twice; --where '{0}!={1}' leaves it out", name, label
                ),
            )


def _worded(fact: Fact) -> Finding:
    effect = fact.effect or Said(_WORDS[fact.kind])
    return Finding(fact.kind, fact.column, None, None, fact.count, fact.example, effect)


def _refused(book: Daybook) -> Iterator[Finding]:
    reasons: dict[tuple[str, str], list[Any]] = {}
    for refusal in book.intake.refused_rows:
        reasons.setdefault((refusal.column, refusal.reason), []).append(refusal)
    for (column, reason), rows in reasons.items():
        yield Finding(
            "refused rows",
            column,
            None,
            None,
            len(rows),
            Said("{0} {1:,}: {2!r}", rows[0].unit, rows[0].line, rows[0].text[:60]),
            Said("{0}; a comparison stops, or leaves them out by --on-refused skip", reason),
        )
