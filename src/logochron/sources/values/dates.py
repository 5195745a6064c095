"""Dates as people write them, with times where they have one."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable, Iterable, Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.record_spans import how_to_say
from logochron.core.calendars.written_names import full_year, read_label
from logochron.core.days import Days
from logochron.core.errors import IntakeError, Remedy
from logochron.core.said import Joined, Said, either
from logochron.sources.values.month_names import month_names

_IN_ZONE = r"(?: ?(?:Z|UTC|GMT)| ?[+-][0-9]{2}(?::?[0-9]{2})?)"
#: What follows a date in a timestamp.
TIME = (
    r",?[ T]+(?:[01]?[0-9]|2[0-3]):[0-5][0-9](?::[0-5][0-9](?:[.,][0-9]+)?)?"
    rf"(?: ?[AaPp]\.? ?[Mm]\.?)?{_IN_ZONE}? *$"
)
#: A time in a named zone.
ZONE = rf"[0-9]:[0-9][0-9](?:[0-9:.,]*){_IN_ZONE} *$"
_TIME = re.compile(TIME)
_SEP = r"(?P<s>[-/.])"
_SHAPES = {
    "year first": rf"(?P<y>\d{{4}}){_SEP}(?P<m>\d{{1,2}})(?P=s)(?P<d>\d{{1,2}})",
    "eight digits": r"(?P<y>\d{4})(?P<m>\d\d)(?P<d>\d\d)",
    "day first": rf"(?P<d>\d{{1,2}}){_SEP}(?P<m>\d{{1,2}})(?P=s)(?P<y>\d{{4}})",
    "month first": rf"(?P<m>\d{{1,2}}){_SEP}(?P<d>\d{{1,2}})(?P=s)(?P<y>\d{{4}})",
    "day first, short year": rf"(?P<d>\d{{1,2}}){_SEP}(?P<m>\d{{1,2}})(?P=s)(?P<y>\d\d)",
    "month first, short year": rf"(?P<m>\d{{1,2}}){_SEP}(?P<d>\d{{1,2}})(?P=s)(?P<y>\d\d)",
    "short year first": rf"(?P<y>\d\d){_SEP}(?P<m>\d{{1,2}})(?P=s)(?P<d>\d{{1,2}})",
}


class _Family(NamedTuple):
    """Readings that one text may have at once: by name the option that settles each, in words and as a remedy; those of
    `day_first`.
    """

    options: dict[str, str]
    remedies: dict[str, Remedy]
    by_day_first: dict[bool, str]
    short_years: bool


_FAMILIES = (
    _Family(
        {"day first": "day_first=True (--day-first)", "month first": "day_first=False (--month-first)"},
        {"day first": {"day_first": True}, "month first": {"day_first": False}},
        {True: "day first", False: "month first"},
        short_years=False,
    ),
    _Family(
        {
            "day first, short year": "day_first=True (--day-first)",
            "month first, short year": "day_first=False (--month-first)",
            "short year first": "date_format='%y-%m-%d' (--date-format)",
        },
        {
            "day first, short year": {"day_first": True},
            "month first, short year": {"day_first": False},
            "short year first": {"date_format": "%y-%m-%d"},
        },
        {True: "day first, short year", False: "month first, short year"},
        short_years=True,
    ),
)
_NAME = r"(?P<name>[^\W\d_]{3,})\.?"
_DAY = r"(?P<d>\d{1,2})(?:st|nd|rd|th|\.|º)?"
_WEEKDAY = r"(?:[^\W\d_]{2,}\.?,? +)?"
_OF = r"(?: ?(?:de|of) )?"
_NAMED = (
    rf"{_WEEKDAY}{_DAY}[ \-/.]*{_OF}{_NAME}[ ,\-/.']*{_OF}(?P<y>\d{{4}}|\d\d)",
    rf"{_WEEKDAY}{_NAME}[ \-/.]*{_DAY}[ ,\-/.']+(?P<y>\d{{4}}|\d\d)",
    rf"(?P<y>\d{{4}})[ \-/.]*{_NAME}[ \-/.]*{_DAY}",
)
_SERIAL = re.compile(r"\d{5}(?:\.\d+)?", re.ASCII)
#: Spreadsheet days that are taken for dates: 1954 to 2119. Day 25,569 is 1 January 1970.
SERIAL_DAYS = (20_000, 80_000)
SERIAL_EPOCH = 25_569
_EPOCH = dt.date(1970, 1, 1).toordinal()
_NONE = np.iinfo(np.int64).min
#: A reading settles short years where its days lie this many times closer than by any other.
_CLOSER = 5
_DAYS_TO_TELL = 13
#: The part of the rows that a reading of short years must fit to be thought of.
_NEARLY = 0.5

#: Forms that read one way only.
_ONE_WAY = ("year first", "eight digits", "month named")
#: So many forms are shown.
_FORMS = 6
#: What is said of rows that read two ways among rows that read one way only.
_REFUSED_ROW_BY_ROW = Said("; those that read day first or month first need day_first= (--day-first or --month-first)")

#: Told a date text, says where its first row stands.
Find = Callable[[str], str]


class AmbiguousDates(IntakeError):
    """Dates that all read in several ways."""


class DateReading(NamedTuple):
    """The day of each text (where `readable`), how the column was read, and what of it was recognised."""

    days: Days
    readable: NDArray[np.bool_]
    name: str
    guesses: tuple[str, ...] = ()
    hint: str = ""  # what would make more of the texts readable


#: Seconds since 1970 that are taken for dates: 1990 to 2100.
_SECONDS = (631_152_000, 4_102_444_800)
_NEARLY_ALL = 0.95
_STAMP = re.compile(r"\d{9,13}(?:\.\d*)?(?:e\+?\d+)?", re.ASCII | re.IGNORECASE)


def seconds_in(texts: Sequence[str]) -> int:
    """How many parts of a second since 1970 texts count that can be nothing else: 1, or 1000; 0 where they do not.

    >>> seconds_in(["1767225600", "1767312000"]), seconds_in(["1767225600000"]), seconds_in(["20260518"])
    (1, 1000, 0)
    """
    filled = [text.strip() for text in texts if text.strip()]
    numbers = [float(text) for text in filled if _STAMP.fullmatch(text)]
    if not numbers or len(numbers) < _NEARLY_ALL * len(filled):
        return 0
    low, high = _SECONDS
    return next((per for per in (1, 1000) if all(low * per <= number <= high * per for number in numbers)), 0)


_ZONED = re.compile(ZONE)


def instants_said(texts: Sequence[str], column: str) -> tuple[str, ...]:
    """What to say of stamps that bear a zone, where none is stated."""
    shown = next((text for text in texts if _ZONED.search(text)), None)
    if shown is None:
        return ()
    where = "UTC" if re.search(r"(?:Z|UTC|GMT|[+-]00:?(?:00)?) *$", shown) else Said("its own zone")
    return (
        Said(
            "column {0!r} holds instants such as {1!r}: each counts on the day that it names, in {2} (tz=, --tz)",
            column,
            shown,
            where,
        ),
    )


def is_utc(zone: str | None) -> bool:
    """Whether a zone is that of instants of no place.

    >>> is_utc("UTC"), is_utc("+00:00"), is_utc("Europe/Lisbon")
    (True, True, False)
    """
    return bool(zone) and bool(re.fullmatch(r"(?:Etc/)?(?:UTC|GMT|Z)|(?:UTC)?[+-]00:?00", str(zone)))


def seconds_said(per_second: int, column: str, tz: str | None) -> tuple[str, ...]:
    """What to say of numbers that were taken for seconds since 1970."""
    unit, form = (Said("milliseconds"), "unix-ms") if per_second > 1 else (Said("seconds"), "unix")
    return (
        Said(
            "column {0!r}: numbers read as {1} since 1970 (date_format={2!r}, --date-format "
            "{2}), counted on their days in {3} (tz=, --tz)",
            column,
            unit,
            form,
            tz or "UTC",
        ),
    )


#: The forms that are no patterns, and how many parts of a second they count.
COUNTED = {"unix": 1, "unix-ms": 1000}


def has_time(text: str) -> bool:
    """Whether a date text goes on with a time."""
    return bool(_TIME.search(text))


def names_a_day(text: str, date_format: str | None = None) -> bool:
    """Whether a text is a date in some form that is read, or the name of a period.

    >>> names_a_day("3. Mai 2026"), names_a_day("2026-W18"), names_a_day("soon")
    (True, True, False)
    """
    if date_format is not None:
        return _by_format(text.strip(), date_format) is not None
    plain = _TIME.sub("", text).strip()
    ways = (*_BY_SHAPE.values(), _by_serial, _by_name)
    return any(read(plain) is not None for read in ways) or read_label(plain) is not None


def read_dates(
    texts: Sequence[str | None],
    counts: Days,
    *,
    column: str,
    day_first: bool | None = None,
    date_format: str | None = None,
    find: Find = lambda text: "a row",
    label: Callable[[str], int | None] | None = None,
) -> DateReading:
    """The days that the distinct texts of a column name.

    Parameters
    ----------
    texts, counts
        The distinct texts, and the number of rows with each.
    day_first, date_format
        What the user stated.
    find
        Says where a text stands, for messages.
    label
        The first day of the period a text names, where records stand for whole periods.

    Raises
    ------
    IntakeError
        Where no row is a date, or the rows read in several ways.
    """
    if date_format is not None:
        days = _days(texts, lambda text: _by_format(text.strip(), date_format))
        if (days == _NONE).all():
            first = next((text for text in texts if text and text.strip()), "")
            raise IntakeError(
                "column {0!r} holds no date in the form {1!r} (date_format=, --date-format): {2!r} ({3}) for instance",
                column,
                date_format,
                first,
                find(first),
            )
        return DateReading(days, days != _NONE, date_format)
    plain = [_TIME.sub("", text).strip() if text else "" for text in texts]
    ways = {name: _days(plain, read) for name, read in _BY_SHAPE.items()}
    ways["a serial day"] = _days(plain, _by_serial)
    if any(re.search(r"[^\W\d_]{3}", text) and re.search(r"\d", text) for text in plain):
        ways["month named"] = _days(plain, _by_name)
    if label is not None:
        ways["a period"] = _days(plain, label)
    rows = {name: int(counts[days != _NONE].sum()) for name, days in ways.items()}
    best = max(rows, key=lambda name: rows[name])
    if not rows[best]:
        raise _no_date(texts, column, find, of_periods=label is not None)

    def shown(place: int) -> str:
        return Said("{0} ({1})", texts[place], find(texts[place] or ""))

    family = next((one for one in _FAMILIES if best in one.options), None)
    if family or best in _ONE_WAY:
        reading = DateReading(_one_way(ways, len(plain)), np.zeros(len(plain), dtype=bool), best)
        # no text is in a form that reads one way and in one of a family
        own = {name: ways[name] for name in (family or _FAMILIES[0]).options}
        if any((days != _NONE).any() for days in own.values()):
            try:
                rest = _of_family(family or _FAMILIES[0], own, column, day_first, shown)
            except IntakeError:
                if family:
                    raise
                reading = reading._replace(hint=_REFUSED_ROW_BY_ROW)
            else:
                days = np.where(rest.readable, rest.days, reading.days)
                reading = reading._replace(days=days, guesses=rest.guesses, name=rest.name if family else best)
        return _forms_said(reading, plain, counts, column)
    days = ways[best]
    guesses: tuple[str, ...] = ()
    if best == "a serial day":
        number = plain[int((days != _NONE).argmax())]
        guesses = (Said("column {0!r}: numbers such as {1} read as days of a spreadsheet", column, number),)
    return DateReading(days, days != _NONE, best, guesses)


def _one_way(ways: dict[str, Days], size: int) -> Days:
    """The days of the texts that are in a form which reads one way only."""
    days = np.full(size, _NONE)
    for name in _ONE_WAY:
        if name in ways:
            days = np.where(days == _NONE, ways[name], days)
    return days


def _forms_said(reading: DateReading, texts: Sequence[str], counts: Days, column: str) -> DateReading:
    """A reading with what is readable of it; where there are several forms, how many rows have each."""
    readable = reading.days != _NONE
    rows: dict[str, int] = {}
    example: dict[str, str] = {}
    for place in np.flatnonzero(readable).tolist():
        form = re.sub(r"\d+", "9", re.sub(r"\d{4}", "y", re.sub(r"[^\W\d_]+", "a", texts[place])))
        rows[form] = rows.get(form, 0) + int(counts[place])
        example.setdefault(form, texts[place])
    guesses = reading.guesses
    if any(re.search(r"a\D*9$", form) and re.search(r"\D\d\d$", example[form]) for form in rows):
        guesses += (_short_years(column),)
    if len(rows) > 1:
        shown = sorted(rows, key=lambda form: -rows[form])
        listed = Joined(Said("{0:,} such as {1}", rows[form], example[form]) for form in shown[:_FORMS])
        more = Said(" and {0} more", len(rows) - _FORMS) if len(rows) > _FORMS else ""
        guesses += (
            Said(
                "column {0!r}: dates in {1} forms, each read the one way it can be: {2}{3}",
                column,
                len(rows),
                listed,
                more,
            ),
        )
        reading = reading._replace(name="several forms")
    return reading._replace(readable=readable, guesses=guesses)


def _of_family(
    family: _Family, ways: dict[str, Days], column: str, day_first: bool | None, shown: Callable[[int], str]
) -> DateReading:
    short = family.short_years
    if day_first is not None:
        best = family.by_day_first[bool(day_first)]
        return DateReading(ways[best], ways[best] != _NONE, best, (_short_years(column),) if short else ())
    best, sure = _settled(family, ways, column, shown)
    guesses: tuple[str, ...] = ()
    if short:
        guesses = (Said("column {0!r}: dates read with the {1}", column, Said(best)), _short_years(column))
    elif not sure:
        said = "column {0!r}: dates read with the {1}, as some rows read no other way"
        guesses = (Said(said, column, Said(best)),)
    return DateReading(ways[best], ways[best] != _NONE, best, guesses)


def _settled(family: _Family, ways: dict[str, Days], column: str, shown: Callable[[int], str]) -> tuple[str, bool]:
    """The one reading that fits, and whether all that fit are the same."""
    read = {name: days != _NONE for name, days in ways.items()}
    any_way = np.logical_or.reduce(list(read.values()))
    # one impossible date must not make a short year of every day: half the rows are enough to ask
    least = _NEARLY if family.short_years else 1.0
    options = family.options
    fitting = [name for name in options if read[name][any_way].mean() >= least]
    fitting.sort(key=lambda name: -int(read[name].sum()))

    if not fitting:
        # rows of the one kind and rows of the other
        parted = [(a, b) for a in options for b in options if a != b and (read[a] & ~read[b]).any()]
        first, second = next((pair for pair in parted if pair[::-1] in parted), parted[0])
        one, two = (int((read[a] & ~read[b]).argmax()) for a, b in ((first, second), (second, first)))
        raise IntakeError(
            "column {0!r} holds dates with the {1} {2} and with the {3} {4}; state it by {5} or {6}",
            column,
            Said(first),
            shown(one),
            Said(second),
            shown(two),
            options[first],
            options[second],
            remedies=[family.remedies[name] for name in (first, second)],
        )
    alike = {name: read[name] & read[fitting[0]] for name in fitting}
    different = [name for name in fitting if (ways[name] != ways[fitting[0]])[alike[name]].any()]
    if not different:
        return fitting[0], len(fitting) == len(options)
    closest = _closest(fitting, ways, read) if family.short_years else ""
    if closest:
        return closest, False
    place = int((alike[different[0]] & (ways[different[0]] != ways[fitting[0]])).argmax())
    raise AmbiguousDates(
        Said(
            "every date in column {0!r} reads {1}: {2} may be {3}; state it by {4}",
            column,
            (Said("both ways") if len(fitting) == 2 else Said("several ways")),
            shown(place),
            either(map(Said, fitting)),
            either(options[name] for name in fitting),
        ),
        remedies=[family.remedies[name] for name in fitting],
    )


def _closest(fitting: Sequence[str], ways: dict[str, Days], read: dict[str, NDArray[np.bool_]]) -> str:
    """Of readings of short years the one whose days lie much closer together than by any other, if any."""
    spans = sorted((int(np.ptp(ways[name][read[name]])) + 1, name) for name in fitting)
    best = spans[0][1]
    days_of_month = {dt.date.fromordinal(int(day) + _EPOCH).day for day in ways[best][read[best]]}
    apart = all(longer > _CLOSER * shorter for (shorter, _), (longer, _) in pairwise(spans[:2]))
    return best if apart and len(days_of_month) >= _DAYS_TO_TELL else ""


def _short_years(column: str) -> str:
    return Said("column {0!r}: years of two digits taken as 1969 to 2068", column)


def _no_date(texts: Sequence[str | None], column: str, find: Find, *, of_periods: bool) -> IntakeError:
    shown = next((text for text in texts if text and text.strip()), None)
    if shown is None:
        return IntakeError("column {0!r} holds no usable date: all its fields are empty", column)
    said = read_label(shown)
    if said:
        return IntakeError(
            "column {0!r} holds no days but names of periods: {1!r} ({2}); where each record "
            "stands for a whole {3}, say {4}{5}",
            column,
            shown,
            find(shown),
            said.grain,
            how_to_say(said.grain),
            (Said(", and a calendar that has it (--calendar)") if of_periods else ""),
            remedies=[] if of_periods else [{"records_of": said.grain}],
        )
    return IntakeError(
        "column {0!r} holds no usable date: {1!r} ({2}) for instance; expected dates such as "
        "2026-10-18, or their form by date_format= (--date-format '%d %b %y')",
        column,
        shown,
        find(shown),
    )


def _days(texts: Iterable[str | None], read: Callable[[str], int | None]) -> Days:
    days = (read(text or "") for text in texts)
    return np.array([_NONE if day is None else day for day in days], dtype=np.int64)


def _date(year: int, month: int, day: int) -> int | None:
    try:
        return dt.date(year, month, day).toordinal() - _EPOCH
    except ValueError:
        return None


def _by_shape(shape: re.Pattern[str]) -> Callable[[str], int | None]:
    def read(text: str) -> int | None:
        match = shape.fullmatch(text)
        return _date(full_year(match["y"]), int(match["m"]), int(match["d"])) if match else None

    return read


_BY_SHAPE = {name: _by_shape(re.compile(shape, re.ASCII)) for name, shape in _SHAPES.items()}


def _by_name(text: str) -> int | None:
    for form in _NAMED:
        match = re.fullmatch(form, text, re.IGNORECASE)
        month = month_names().get(match["name"].casefold()) if match else None
        if match and month:
            return _date(full_year(match["y"]), month, int(match["d"]))
    return None


def _by_serial(text: str) -> int | None:
    if not _SERIAL.fullmatch(text):
        return None
    day = int(float(text))
    return day - SERIAL_EPOCH if SERIAL_DAYS[0] <= day <= SERIAL_DAYS[1] else None


def _by_format(text: str, form: str) -> int | None:
    try:
        return dt.datetime.strptime(text, form).date().toordinal() - _EPOCH
    except ValueError:
        return None
