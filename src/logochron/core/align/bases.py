"""What a period is held against: earlier ones, their mean, a named one, a plan, or any span of days."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from logochron.core.calendars.base import Calendar, Earlier
from logochron.core.choices import Grain, check_count, refuse_brought
from logochron.core.days import DayLike, Days, iso, whole_span
from logochron.core.errors import QuestionError, brief, did_you_mean, nearest
from logochron.core.said import Said


@dataclass(frozen=True)
class _Counted:
    """A basis that counts back by `n`."""

    n: int
    kind: ClassVar[str]

    def __post_init__(self) -> None:
        check_count("n", self.n)

    def __str__(self) -> str:
        return f"{self.kind}:{self.n}"


@dataclass(frozen=True)
class Prior(_Counted):
    """The period `n` places earlier.

    >>> str(Prior(4))
    'prior:4'
    """

    n: int = 1
    kind = "prior"

    def __str__(self) -> str:
        return self.kind if self.n == 1 else super().__str__()

    def steps(self, calendar: Calendar, grain: Grain, ordinals: Days) -> Earlier:
        """The base of each period, shape (1, periods)."""
        return Earlier.all_found(ordinals[None] - self.n)


@dataclass(frozen=True)
class YearAgo(_Counted):
    """The same place in the year, `n` years earlier.

    >>> str(YearAgo())
    'year-ago'
    """

    n: int = 1
    kind = "year-ago"

    def __str__(self) -> str:
        return self.kind if self.n == 1 else super().__str__()

    def steps(self, calendar: Calendar, grain: Grain, ordinals: Days) -> Earlier:
        """The base of each period, shape (1, periods); a week 53 has none in a year of 52."""
        return Earlier.stacked([calendar.year_ago(grain, ordinals, self.n)])


@dataclass(frozen=True)
class MeanOf(_Counted):
    """The average of the `n` periods before, each cut alike.

    >>> str(MeanOf(4))
    'mean:4'
    """

    kind = "mean"

    def steps(self, calendar: Calendar, grain: Grain, ordinals: Days) -> Earlier:
        """The bases of each period, shape (n, periods), oldest first."""
        return Earlier.all_found(ordinals[None] - np.arange(self.n, 0, -1)[:, None])


@dataclass(frozen=True)
class YearAgoMean(_Counted):
    """The average of the same place in the `n` years before.

    >>> str(YearAgoMean(3))
    'year-ago-mean:3'
    """

    kind = "year-ago-mean"

    def steps(self, calendar: Calendar, grain: Grain, ordinals: Days) -> Earlier:
        """The bases of each period, shape (n, periods), oldest first."""
        return Earlier.stacked([calendar.year_ago(grain, ordinals, k) for k in range(self.n, 0, -1)])


@dataclass(frozen=True)
class Fixed:
    """One named period of the same grain.

    >>> str(Fixed("2024-05"))
    'fixed:2024-05'
    """

    label: str

    def __post_init__(self) -> None:
        if not isinstance(self.label, str) or not self.label.strip():
            raise QuestionError("`against` fixed:LABEL needs the label of a period; got {0}", brief(self.label))

    def __str__(self) -> str:
        return f"fixed:{self.label}"

    def ordinal(self, calendar: Calendar, each: Grain) -> int:
        """The period it names.

        Raises
        ------
        QuestionError
            Where it names none, or several.
        """
        low, high = calendar.find(each, self.label, "against")
        if low != high:
            labels = calendar.labels(each, np.array([low, high]))
            raise QuestionError(
                "`against` fixed:LABEL must name one {0}; {1!r} holds {2}, {3} to {4}",
                calendar.word(each),
                self.label,
                high - low + 1,
                labels[0],
                labels[1],
            )
        return low


@dataclass(frozen=True)
class Plan:
    """The plan's sum over the same days; of several plans the one that is named.

    >>> str(Plan()), str(Plan("budget"))
    ('plan', 'plan:budget')
    """

    name: str = ""

    def __str__(self) -> str:
        return f"plan:{self.name}" if self.name else "plan"


@dataclass(frozen=True, init=False)
class Span:
    """Any span of days, for `each="span"`.

    >>> str(Span("2025-04-14", "2025-04-27"))
    'span:2025-04-14..2025-04-27'
    """

    first: int
    last: int

    def __init__(self, first: DayLike, last: DayLike) -> None:
        ends = whole_span((first, last), "against")
        object.__setattr__(self, "first", ends[0])
        object.__setattr__(self, "last", ends[1])

    def __str__(self) -> str:
        return f"span:{iso(self.first)}..{iso(self.last)}"


Stepping = Prior | YearAgo | MeanOf | YearAgoMean
Basis = Stepping | Fixed | Plan | Span
_COUNTED: dict[str, type[Stepping]] = {kind.kind: kind for kind in (Prior, YearAgo, MeanOf, YearAgoMean)}
#: What may be left out of its count.
_ONE = ("prior", "year-ago")
FORMS = "prior, prior:N, year-ago, year-ago:N, mean:N, year-ago-mean:N, fixed:PERIOD, plan, plan:NAME, span:FIRST..LAST"


def names_plan(basis: str) -> bool:
    """Whether the text of a basis is a plan, maybe one of several by its name.

    >>> names_plan("plan:budget"), names_plan("prior:2")
    (True, False)
    """
    return basis.partition(":")[0] == "plan"


def parse_basis(against: object) -> Basis:
    """The basis that a text such as ``year-ago:2`` names; an object is its own.

    Raises
    ------
    QuestionError
        Where it names none.
    """
    if isinstance(against, Basis):
        return against
    did = ""
    if isinstance(against, str):
        kind, colon, rest = (part.strip() for part in against.partition(":"))
        if kind in _COUNTED and (re.fullmatch(r"0*[1-9]\d{0,17}", rest) or (not colon and kind in _ONE)):
            return _COUNTED[kind](int(rest or 1))
        if kind == "fixed" and rest:
            return Fixed(rest)
        if kind == "span" and rest:
            return Span(*map(iso, whole_span(rest, "against")))
        if kind == "plan" and (rest or not colon):
            return Plan(rest)
        for word in (against, kind):
            refuse_brought("against", word)
        hint = nearest(kind, [*_COUNTED, "fixed", "plan", "span"])
        did = did_you_mean(hint if hint != kind else None)
        if kind in _COUNTED and not rest:
            did = Said(" Of how many? Say {0}:3, for instance.", kind)
    raise QuestionError("`against` must be one of {0} (N from 1 up); got {1}.{2}", FORMS, brief(against), did)
