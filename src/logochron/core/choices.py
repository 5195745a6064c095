"""The values that options take: one place for the check, its message and the command line's choices."""

from __future__ import annotations

import re
from collections.abc import Collection
from fractions import Fraction
from numbers import Integral
from typing import Any, Literal, get_args

from logochron.core.errors import INSTEAD, LogochronError, OwnWord, QuestionError, brief, did_you_mean, nearest
from logochron.core.said import HowMany, Said
from logochron.core.synonyms import COMMAND, synonym

Grain = Literal["day", "week", "month", "quarter", "half", "year"]
Within = Literal["week", "month", "quarter", "half", "year"]
Each = Literal["day", "week", "month", "quarter", "half", "year", "span"]
Partial = Literal["to-date", "drop", "as-is"]
Better = Literal["higher", "lower", "neither"]
LevelAs = Literal["favorable", "adverse", "neutral"]
BandOn = Literal["growth", "value", "share", "change"]
MarkSet = Literal["triangles", "arrows", "thumbs", "words", "ascii"]
Color = Literal["text", "fill"]
MarkPlace = Literal["before", "after"]
Weekday = Literal["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"]
YearNamed = Literal["ending", "starting"]
YearEnds = Literal["nearest", "last"]
Gaps = Literal["refused", "allowed"]
Weeks = Literal["same-number", "364-days"]
Per = Literal["day", "trading-day", "selling-day"]
Gather = Literal["life"]
AtPositions = Literal["all", "today"]
Kept = Literal["all", "comparable"]
OnRefused = Literal["stop", "skip"]
Spread = Literal["even"]
PlanSpread = Literal["even", "year-ago", "selling-days", "season"]
Profile = Literal["best", "history", "year-ago", "weekday", "even", "selling-days", "season"]
Rest = Literal["scaled", "as-was"]
AcrossFigure = Literal["value", "growth", "change", "share"]
Layout = Literal["down", "across"]
Empty = Literal["refused", "zero"]
Marked = Literal["all", "adverse", "none"]
#: How a sheet of paper lies.
Paper = Literal["across", "upright"]
#: Whether panels share one scale of amounts, or each has its own.
PanelScale = Literal["shared", "own"]
MarksOf = Literal["direction", "verdict"]
Form = Literal["table", "csv", "json", "jsonl", "md", "words", "cards"]

#: What the items are called that `top` leaves out; what parts the labels of an item of several dimensions.
OTHERS, JOINED = "all others", " / "
#: Which way a figure moved, whether that is good, how much of a period is covered: inside, the place in these.
DIRECTIONS = ("rising", "falling", "level", "unknown")
RISING, FALLING, LEVEL, UNKNOWN = range(len(DIRECTIONS))
VERDICTS = ("favorable", "adverse", "neutral", "unknown")
STATUSES = ("complete", "to-date", "partial", "estimated")
COMPLETE, TO_DATE, PARTIAL, ESTIMATED = range(len(STATUSES))
#: How the usual share of a period by now can be told; the last two: by a list, or not needed.
PROFILES = ("best", "history", "year-ago", "weekday", "even", "selling-days", "season", "listed", "as-was")


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
    raise error("`{0}` must be one of {1}; got {2}.{3}", name, ", ".join(allowed), brief(value), did_you_mean(hint))


def refuse_brought(
    name: str,
    value: object,
    error: type[LogochronError] = QuestionError,
    *,
    option: str | None = None,
    known: Collection[str] | None = None,
) -> None:
    """Answers a word that people bring along with ours, not with the nearest spelling.

    `option`: which one it is the value of, where that is not its name; `known`: its values, where not every question
    has all of them.
    """
    option = name if option is None else option
    ours = synonym(value, "figure" if option == "figure" else "value", option)
    if ours is None or (known and COMMAND not in ours.change and ours.change.get(option) not in (None, *known)):
        return
    same = set(ours.change) == {option} and isinstance(ours.change[option], str)
    remedy = {INSTEAD: (value, ours.change[option])} if same else ours.change
    raise error(Said("`{0}` {1!r} is here: {2}", name, value, ours.ours), remedies=[OwnWord(remedy)])


#: What a number may be, for messages: others take as long to reckon with as they have digits.
BOUNDS = Said("of at most 100 digits, with an exponent within 300")
MOST_DIGITS, _MOST_EXPONENT, _EXPONENT = 100, 300, re.compile(r"e([+-]?\d+)\s*$", re.IGNORECASE)
#: The largest whole number that counts something.
_MOST_COUNTED = 10**15


def rational(text: str) -> Fraction:
    """A number as it is written, exactly: a decimal, with or without an exponent.

    Raises
    ------
    ValueError
        Where it is none, or longer than `BOUNDS`.

    >>> rational("0.1"), rational("1e-2")
    (Fraction(1, 10), Fraction(1, 100))
    >>> rational("1e99999999")
    Traceback (most recent call last):
    ...
    ValueError: it must be of at most 100 digits, with an exponent within 300
    """
    text = text.strip().replace("\N{MINUS SIGN}", "-")
    exponent = _EXPONENT.search(text[-MOST_DIGITS:])
    # an exponent as long as that needs no reading
    far = exponent is not None and (len(exponent[1]) > 5 or abs(int(exponent[1])) > _MOST_EXPONENT)
    if far or len(text) > 2 * MOST_DIGITS or sum(map(str.isdigit, text)) > MOST_DIGITS:
        raise ValueError(Said("it must be {0}", BOUNDS))
    number = Fraction(text)
    if number and not Fraction(1, 10**_MOST_EXPONENT) <= abs(number) <= 10**_MOST_EXPONENT:
        raise ValueError(Said("it must be {0}", BOUNDS))
    return number


def as_written(value: object) -> Fraction | None:
    """A number as the decimal it is written as, or None where it is none, or longer than `BOUNDS`.

    >>> as_written(0.1), as_written("much")
    (Fraction(1, 10), None)
    """
    if isinstance(value, Fraction):
        return value if max(abs(value.numerator), value.denominator) < 10 ** (2 * _MOST_EXPONENT) else None
    try:
        return None if isinstance(value, bool) else rational(str(value))
    except (ValueError, ZeroDivisionError):  # Python itself writes no whole number of over 4,300 digits
        return None


def check_count(name: str, value: object, least: int = 1) -> int:
    """A whole number of at least `least`."""
    whole = isinstance(value, Integral) and not isinstance(value, bool)
    number = int(value) if isinstance(value, Integral) else 0
    if not whole or not least <= number <= _MOST_COUNTED:
        more = Said(" to {0:,}", _MOST_COUNTED) if number > _MOST_COUNTED else Said(" up")
        raise QuestionError("`{0}` must be a whole number from {1}{2}; got {3}", name, least, more, brief(value))
    return number


#: The plurals of our own words, as messages in English use them.
PLURALS = {
    "day": Said("days"),
    "week": Said("weeks"),
    "month": Said("months"),
    "quarter": Said("quarters"),
    "half": Said("halves"),
    "year": Said("years"),
    "period": Said("periods"),
    "record": Said("records"),
    "row": Said("rows"),
    "empty amount": Said("empty amounts"),
    "position": Said("positions"),
    "section": Said("sections"),
}


def first_to_last(labels: list[str]) -> str:
    """The first and the last of some labels in order.

    >>> first_to_last(["2024", "2025", "2026"]), first_to_last(["2026"])
    ('2024 to 2026', '2026')
    """
    return labels[0] if len(labels) == 1 else Said("{0} to {1}", labels[0], labels[-1])


def how_many(n: int, word: str) -> str:
    """A number of things with their word.

    >>> how_many(1, "record"), how_many(1200, "record")
    ('1 record', '1,200 records')
    """
    return HowMany(f"{n:,} {word if n == 1 else PLURALS[word]}", n, word)
