"""What a title, a column and a receipt call a basis and a window."""

from __future__ import annotations

from logochron.core.align.bases import Basis, Fixed, MeanOf, Plan, Prior, Span, YearAgo, YearAgoMean
from logochron.core.align.windows import Window
from logochron.core.calendars.base import Calendar
from logochron.core.days import iso
from logochron.views.words.catalog import plural


def several(word: str) -> str:
    """The plural of what a basis steps in."""
    return plural(word) or word


def in_words(basis: Basis, word: str) -> str:
    """How a title calls a basis that steps in periods called `word`.

    >>> in_words(Prior(3), "half"), in_words(YearAgo(), "month")
    ('3 halves before', 'a year ago')
    """
    match basis:
        case Prior(n=1):
            return f"the {word} before"
        case Prior(n=n):
            return f"{n} {several(word)} before"
        case YearAgo(n=1):
            return "a year ago"
        case YearAgo(n=n):
            return f"{n} years ago"
        case MeanOf(n=n):
            return f"the mean of the {n} {several(word)} before"
        case YearAgoMean(n=n):
            return f"the mean of the same {word} in the {n} years before"
        case Fixed(label=label):
            return label
        case Span(first=first, last=last):
            return f"{iso(first)}..{iso(last)}"
        case Plan():
            return "plan"


def heading(basis: Basis) -> str:
    """How a column calls a basis.

    >>> heading(MeanOf(4))
    'Mean of 4'
    """
    match basis:
        case Prior(n=1):
            return "Before"
        case Prior(n=n):
            return f"{n} before"
        case YearAgo(n=1):
            return "Year ago"
        case YearAgo(n=n):
            return f"{n} years ago"
        case MeanOf(n=n):
            return f"Mean of {n}"
        case YearAgoMean(n=n):
            return f"Mean of {n} years"
        case Fixed(label=label):
            return label
        case Span():
            return "Against"
        case Plan():
            return "Plan"


def window_words(window: Window, calendar: Calendar, each: str) -> str:
    """How a title calls what a row adds up; empty for the period itself."""
    if window.parent is not None:
        return f"{calendar.word(window.parent)} to date"
    return f"running {window.n} {several(calendar.word(each))}" if window.n > 1 else ""
