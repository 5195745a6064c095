"""What a period is held against: the one before, or the same place in an earlier year."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from logochron.core.calendars.base import Calendar, Earlier
from logochron.core.days import Days
from logochron.core.errors import QuestionError, nearest
from logochron.core.options import Grain, check_count


@dataclass(frozen=True)
class Prior:
    """The period `n` places earlier.

    >>> str(Prior(4))
    'prior:4'
    """

    n: int = 1

    def __post_init__(self) -> None:
        check_count("n", self.n)

    def __str__(self) -> str:
        return "prior" if self.n == 1 else f"prior:{self.n}"

    def earlier(self, calendar: Calendar, each: Grain, ordinals: Days) -> Earlier:
        """The base of each period."""
        return Earlier(ordinals - self.n, np.ones(ordinals.shape, bool), np.full(ordinals.shape, "", dtype=object))

    def in_words(self, each: Grain) -> str:
        """How a title calls it."""
        return f"the {each} before" if self.n == 1 else f"{self.n} {each}s before"

    @property
    def heading(self) -> str:
        """How a column calls it."""
        return "Before" if self.n == 1 else f"{self.n} before"


@dataclass(frozen=True)
class YearAgo:
    """The same place in the year, `n` years earlier.

    >>> str(YearAgo())
    'year-ago'
    """

    n: int = 1

    def __post_init__(self) -> None:
        check_count("n", self.n)

    def __str__(self) -> str:
        return "year-ago" if self.n == 1 else f"year-ago:{self.n}"

    def earlier(self, calendar: Calendar, each: Grain, ordinals: Days) -> Earlier:
        """The base of each period; a week 53 has none in a year of 52."""
        return calendar.year_ago(each, ordinals, self.n)

    def in_words(self, each: Grain) -> str:
        """How a title calls it."""
        return "a year ago" if self.n == 1 else f"{self.n} years ago"

    @property
    def heading(self) -> str:
        """How a column calls it."""
        return "Year ago" if self.n == 1 else f"{self.n} years ago"


Basis = Prior | YearAgo
_KINDS: dict[str, type[Prior] | type[YearAgo]] = {"prior": Prior, "year-ago": YearAgo}
_FORMS = "prior, prior:N, year-ago, year-ago:N"


def parse_basis(against: object) -> Basis:
    """The basis that a text such as ``year-ago:2`` names; an object is its own.

    Raises
    ------
    QuestionError
        Where it names none.
    """
    if isinstance(against, (Prior, YearAgo)):
        return against
    if isinstance(against, str):
        match = re.fullmatch(r"([a-z-]+)(?::(\d{1,5}))?", against)
        if match and match[1] in _KINDS and match[2] != "0":
            return _KINDS[match[1]](int(match[2] or 1))
        hint = nearest(against.split(":")[0], _KINDS)
        did = f" Did you mean {hint!r}?" if hint and hint != against else ""
    else:
        did = ""
    raise QuestionError(f"`against` must be one of {_FORMS} (N from 1 up); got {against!r}.{did}")
