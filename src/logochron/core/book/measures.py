"""Measures: what is summed, counted or worked out of other measures, and which way is good."""

from __future__ import annotations

import re
from dataclasses import KW_ONLY, dataclass, field
from typing import Literal

from logochron.core.book.filters import Where, check_where
from logochron.core.check_kinds import check_kinds
from logochron.core.errors import QuestionError, brief
from logochron.core.options import Better, check

#: What a measure may be; several words would contradict each other.
MeasureKind = Literal["sum", "count", "difference", "quotient"]


#: Words in the name of a column that count something, and those that make an amount of money of it after all.
_QUANTITY = re.compile(
    r"units?|pieces?|pcs|items?|quantity|quantities|qty|counts?|number|hours?|hrs|minutes|days|nights|visits|visitors|"
    r"guests|customers|orders?|tickets|bookings|transactions|lit(er|re)s|kg|tons|tonnes|weight|stück|menge|anzahl|stunden"
)
_MONEY = re.compile(
    r"prices?|costs?|revenues?|sales|amounts?|values?|turnover|fees?|margin|profit|discounts?|tax|vat|takings|income|"
    r"spend|budget|preis|kosten|umsatz|betrag|wert"
)


def is_quantity(column: str) -> bool:
    """Whether a column is called like a quantity, whose figures are in no currency.

    >>> is_quantity("units_sold"), is_quantity("unit price"), is_quantity("revenue")
    (True, False, False)
    """
    words = re.split(r"[\W_]+", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", column).casefold())
    return any(map(_QUANTITY.fullmatch, words)) and not any(map(_MONEY.fullmatch, words))


@dataclass(frozen=True)
class Measure:
    """A sum, a count, a difference or a quotient.

    Parameters
    ----------
    name
        What the measure is called in tables and titles.
    column
        The column it sums; the one called like the measure where left out.
    of, less
        A difference: `of` less `less`, each the name of another measure or of a column. Worked out of their sums.
    of, per
        A quotient: `of` per `per`, likewise: never the sum or the mean of the quotients of single records.
    count
        True counts the records.
    distinct
        A column: counts its different ids, each of which must lie on one day.
    where
        Takes only part of the rows, as in `read`: ``{"account": "costs"}``. Of a difference or quotient: the rows of
        all that it is made of.
    better
        Which direction is favorable: ``"higher"``, ``"lower"`` or ``"neither"``.
    unit
        The unit of its figures, for people ("EUR", "kg"). Where None, amounts of money take the currency that a view
        is told; a column called like a quantity has none.

    Raises
    ------
    QuestionError
        Where the name is empty, or what is said of it does not go together.

    Examples
    --------
    >>> Measure("costs", column="cost", better="lower").kind
    'sum'
    >>> Measure("price", of="revenue", per="units").kind
    'quotient'
    """

    name: str
    _: KW_ONLY
    column: str | None = None
    of: str | None = None
    less: str | None = None
    per: str | None = None
    count: bool = False
    distinct: str | None = None
    where: Where | None = field(default=None, hash=False)
    better: Better = "higher"
    unit: str | None = None

    def __post_init__(self) -> None:
        if not isinstance(self.name, str) or not self.name.strip():
            raise QuestionError(f"a measure needs a name; got {brief(self.name)}")
        check("better", self.better, Better)
        for option in ("column", "of", "less", "per", "distinct"):
            named = getattr(self, option)
            if named is not None and (not isinstance(named, str) or not named.strip()):
                raise QuestionError(f"measure {self.name!r}: `{option}` must be a name; got {brief(named)}")
        if not isinstance(self.count, bool):
            raise QuestionError(
                f"measure {self.name!r}: `count` must be True, it is of records; got {brief(self.count)}. "
                f"For different ids say distinct={str(self.count)!r}"
            )
        check_kinds(type(self), vars(self))
        check_where(self.where or {}, f"measure {self.name!r}, `where`")
        if self.of is None and (self.less or self.per):
            raise QuestionError(f"measure {self.name!r}: `less` and `per` need `of`, what they are taken of")
        if self.of is not None and (self.less is None) == (self.per is None):
            raise QuestionError(f"measure {self.name!r}: `of` goes with one of `less` and `per`")
        if sum((self.column is not None, self.of is not None, self.count, self.distinct is not None)) > 1:
            raise QuestionError(f"measure {self.name!r} can be only one of `column`, `of`, `count` and `distinct`")

    @property
    def is_money(self) -> bool:
        """Whether its figures are amounts of money, as far as the names of its columns tell."""
        if self.kind == "sum":
            return not is_quantity(self.column or self.name)
        return self.kind == "difference" and not (is_quantity(str(self.of)) and is_quantity(str(self.less)))

    @property
    def kind(self) -> MeasureKind:
        """What it is: a sum, a count, a difference or a quotient."""
        if self.count or self.distinct is not None:
            return "count"
        if self.of is None:
            return "sum"
        return "difference" if self.less is not None else "quotient"
