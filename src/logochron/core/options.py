"""The values that options take: one place for the check, its message and the command line's choices."""

from __future__ import annotations

from fractions import Fraction
from numbers import Integral
from typing import Any, Literal, get_args

from logochron.core.brought_words import ours
from logochron.core.errors import LogochronError, QuestionError, nearest

Grain = Literal["day", "week", "month", "quarter", "half", "year"]
Within = Literal["week", "month", "quarter", "half", "year"]
Each = Literal["day", "week", "month", "quarter", "half", "year", "span"]
Partial = Literal["to-date", "drop", "as-is"]
Better = Literal["higher", "lower", "neither"]
LevelAs = Literal["favorable", "adverse", "neutral"]
BandOn = Literal["growth", "value", "share"]
MarkSet = Literal["triangles", "arrows", "thumbs", "words", "ascii"]
Color = Literal["text", "fill"]
MarkPlace = Literal["before", "after"]
Weekday = Literal["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"]
YearNamed = Literal["ending", "starting"]
YearEnds = Literal["nearest", "last"]
Gaps = Literal["refused", "allowed"]
Weeks = Literal["same-number", "364-days"]
Per = Literal["day", "trading-day"]
Kept = Literal["all", "comparable"]
OnRefused = Literal["stop", "skip"]
Spread = Literal["even"]
PlanSpread = Literal["even", "year-ago"]
Profile = Literal["best", "history", "year-ago", "weekday", "even"]
Rest = Literal["scaled", "as-was"]
Empty = Literal["refused", "zero"]
Marked = Literal["all", "adverse", "none"]
MarksOf = Literal["direction", "verdict"]

#: Which way a figure moved, whether that is good, how much of a period is covered: inside, the place in these.
DIRECTIONS = ("rising", "falling", "level", "unknown")
RISING, FALLING, LEVEL, UNKNOWN = range(len(DIRECTIONS))
VERDICTS = ("favorable", "adverse", "neutral", "unknown")
STATUSES = ("complete", "to-date", "partial", "estimated")
COMPLETE, TO_DATE, PARTIAL, ESTIMATED = range(len(STATUSES))
#: How the share of a period that is usually done by now can be told; the last two: by a list, or not needed.
PROFILES = ("best", "history", "year-ago", "weekday", "even", "listed", "as-was")

#: Reading options that have the names of `read`'s own.
READING = (
    *("covering", "until", "tz", "records_of", "spread", "periods_in_columns", "day_first", "date_format", "decimal"),
    *("thousands", "delimiter", "encoding", "header_row", "sheet", "table", "query", "empty", "on_refused"),
)


def values(literal: Any) -> tuple[Any, ...]:
    """The values of a Literal alias, in order; a tuple of values is its own."""
    return literal if isinstance(literal, tuple) else get_args(literal)


#: The days of the week as messages call them, from Monday.
WEEKDAYS = tuple(name.capitalize() for name in values(Weekday))


def check(name: str, value: object, literal: Any, error: type[LogochronError] = QuestionError) -> str:
    """`value`, where it is one of the values of an alias, or of a tuple.

    Raises
    ------
    error
        Otherwise: what must be, what came, and the nearest value.

    >>> check("better", "high", Better)
    Traceback (most recent call last):
    ...
    logochron.core.errors.QuestionError: `better` must be one of higher, lower, neither; got 'high'.
    Did you mean 'higher'?
    """
    allowed = values(literal)
    if isinstance(value, str) and value in allowed:
        return value
    refuse_brought(name, value, error)
    hint = nearest(value, allowed) if isinstance(value, str) else None
    raise error(
        f"`{name}` must be one of {', '.join(allowed)}; got {value!r}." + (f" Did you mean {hint!r}?" if hint else "")
    )


def refuse_brought(name: str, value: object, error: type[LogochronError] = QuestionError) -> None:
    """Answers a word that people bring along with ours, not with the nearest spelling."""
    if told := ours(value):
        raise error(f"`{name}` {value!r} is said otherwise here: {told}")


def as_written(value: object) -> Fraction | None:
    """A number as the decimal it is written as, or None where it is none.

    >>> as_written(0.1), as_written("much")
    (Fraction(1, 10), None)
    """
    try:
        return None if isinstance(value, bool) else Fraction(str(value))
    except (ValueError, ZeroDivisionError):
        return None


def check_count(name: str, value: object, least: int = 1) -> int:
    """A whole number of at least `least`."""
    if isinstance(value, bool) or not isinstance(value, Integral) or value < least:
        raise QuestionError(f"`{name}` must be a whole number from {least} up; got {value!r}")
    return int(value)


#: The plurals of our own words, as messages in English use them.
PLURALS = {
    **{"day": "days", "week": "weeks", "month": "months", "quarter": "quarters", "half": "halves", "year": "years"},
    **{"period": "periods", "record": "records", "row": "rows"},
}


def first_to_last(labels: list[str]) -> str:
    """The first and the last of some labels in order.

    >>> first_to_last(["2024", "2025", "2026"]), first_to_last(["2026"])
    ('2024 to 2026', '2026')
    """
    return labels[0] if len(labels) == 1 else f"{labels[0]} to {labels[-1]}"


def how_many(n: int, word: str) -> str:
    """A number of things with their word.

    >>> how_many(1, "record"), how_many(1200, "record")
    ('1 record', '1,200 records')
    """
    return f"{n:,} {word if n == 1 else PLURALS[word]}"
