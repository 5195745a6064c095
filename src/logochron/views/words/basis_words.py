"""What a title, a column and a receipt call a basis and a window."""

from __future__ import annotations

from logochron.core.align.bases import Basis, Fixed, MeanOf, Plan, Prior, Span, YearAgo, YearAgoMean
from logochron.core.align.period_spec import Window
from logochron.core.calendars.base import Calendar
from logochron.core.days import iso
from logochron.views.catalog import in_context, message, plural
from logochron.views.formats import Formats

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
    say, words = formats.say, several(word, formats)
    match basis:
        case Prior(n=1):
            return say(_BEFORE[word])
        case Prior(n=n):
            return say("{n} {periods} before", n=n, periods=words)
        case YearAgo(n=1):
            return say("a year ago")
        case YearAgo(n=n):
            return say("{n} years ago", n=n)
        case MeanOf(n=n):
            return say("the mean of the {n} {periods} before", n=n, periods=words)
        case YearAgoMean(n=n):
            return say("the mean of the same {period} in the {n} years before", n=n, period=period_word(word, formats))
        case Fixed(label=label):
            return label
        case Span(first=first, last=last):
            return f"{iso(first)}..{iso(last)}"
        case Plan():
            return say("plan")


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
        case Plan():
            return say("Plan")


def window_words(window: Window, calendar: Calendar, each: str, formats: Formats | None = None) -> str:
    """How a title calls what a row adds up; empty for the period itself."""
    formats = formats or Formats()
    if window.parent is not None:
        return formats.say("{period} to date", period=period_word(calendar.word(window.parent), formats))
    if window.n > 1:
        return formats.say("running {n} {periods}", n=window.n, periods=several(calendar.word(each), formats))
    return ""
