"""Measures: what is summed, counted or divided, and the formulas they are worked out by."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import KW_ONLY, dataclass, field, replace
from typing import Any, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.filters import Condition, Where, check_where, conditions
from logochron.core.book.sums import RECORDS, Sums, at_one_scale, divided, subtracted
from logochron.core.calendars.base import Bools
from logochron.core.check_kinds import check_kinds
from logochron.core.choices import Better, check
from logochron.core.errors import QuestionError, brief
from logochron.core.said import Said


class Aggregate(NamedTuple):
    """What is summed from the records: a column, their number, or the distinct ids of a column; of some rows.

    `rates_at`: the day or period whose rates its amounts are converted at, where that is said.
    """

    column: str
    counts: Literal["", "records", "ids"] = ""
    where: tuple[Condition, ...] = ()
    rates_at: str = ""

    @property
    def key(self) -> str:
        """What its sums are kept under: the column itself where that says it all."""
        if self.where or self.counts == "ids" or self.rates_at:
            return "\0" + repr(tuple(self))
        return RECORDS if self.counts else self.column


@dataclass(frozen=True)
class Difference:
    """One formula less another."""

    of: Formula
    less: Formula


@dataclass(frozen=True)
class Quotient:
    """One formula per another, which is called `name`."""

    of: Formula
    per: Formula
    name: str


Formula = Aggregate | Difference | Quotient


def formulas(measures: Sequence[Measure]) -> dict[str, Formula]:
    """The formula of each measure. A name that measures bear is theirs, any other a column.

    Raises
    ------
    QuestionError
        Where a measure is made of itself, or a name is borne twice.
    """
    known: dict[str, Measure] = {}
    for measure in measures:
        if known.setdefault(measure.name, measure) is not measure:
            raise QuestionError("two measures are called {0!r}", measure.name)

    def formula(measure: Measure, above: tuple[str, ...], where: tuple[Condition, ...], rates_at: str) -> Formula:
        chain = (*above, measure.name)
        at = measure.rates_at or rates_at
        if measure.name in above:
            raise QuestionError(
                "a measure cannot be made of itself, in a cycle: {0}; give one of them another name", " -> ".join(chain)
            )
        held = tuple(sorted({*where, *conditions(measure.where or {})}))

        def part(name: str | None) -> Formula:
            assert name is not None
            return formula(known[name], chain, held, at) if name in known else Aggregate(name, "", held, at)

        if measure.kind == "difference":
            return Difference(part(measure.of), part(measure.less))
        if measure.kind == "quotient":
            return Quotient(part(measure.of), part(measure.per), str(measure.per))
        if measure.kind == "count":
            return Aggregate("", "records", held) if measure.count else Aggregate(str(measure.distinct), "ids", held)
        return Aggregate(measure.column or measure.name, "", held, at)

    return {name: formula(measure, (), (), "") for name, measure in known.items()}


def aggregates(formula: Formula) -> tuple[Aggregate, ...]:
    """All that a formula sums from the records, each once."""
    if isinstance(formula, Aggregate):
        return (formula,)
    other = formula.less if isinstance(formula, Difference) else formula.per
    return tuple(dict.fromkeys((*aggregates(formula.of), *aggregates(other))))


def all_aggregates(formulas: Mapping[str, Formula], names: Sequence[str] | None = None) -> tuple[Aggregate, ...]:
    """All that some formulas sum from the records, each once."""
    wanted = formulas if names is None else names
    return tuple(dict.fromkeys(aggregate for name in wanted for aggregate in aggregates(formulas[name])))


def adds_up(formula: Formula) -> bool:
    """Whether the figure of all is the sum of those of its parts: not where anything is divided."""
    if isinstance(formula, Difference):
        return adds_up(formula.of) and adds_up(formula.less)
    return isinstance(formula, Aggregate)


def counts_ids(formula: Formula) -> bool:
    """Whether distinct ids are counted in it, which may lie in two items."""
    return any(aggregate.counts == "ids" for aggregate in aggregates(formula))


class AggregateSums(NamedTuple):
    """Sums of one aggregate: whole numbers at `scale`, or floats where that is None."""

    values: Sums
    scale: int | None


class Worked(NamedTuple):
    """A formula worked out. `lacking`: where it is unknown, since what is named there is not above 0."""

    values: NDArray[Any]
    scale: int | None
    lacking: tuple[tuple[Bools, str], ...] = ()

    @property
    def shown(self) -> NDArray[np.float64]:
        """The figures in whole units, NaN where they are unknown."""
        return np.where(self.known, self.values / 10 ** (self.scale or 0), np.nan)

    @property
    def known(self) -> Bools:
        """Where it is known, of a shape that fits."""
        whole = self.scale is not None  # whole numbers are always known
        known = np.ones((1, 1), dtype=bool) if whole and not self.lacking else np.isfinite(self.values)
        for rows, _ in self.lacking:
            known = known & ~rows
        return known


def work_out(formula: Formula, parts: Mapping[str, AggregateSums], divisor: NDArray[Any] | None = None) -> Worked:
    """The figures of a formula from the sums of its aggregates.

    Parameters
    ----------
    parts
        By the key of each aggregate its sums, all of one shape.
    divisor
        What sums are divided by (days, the parts of a mean), of a shape that fits; quotients are left as they are.

    Notes
    -----
    A difference of whole numbers is one; a quotient is one division, unknown where the divisor is not above 0.
    """
    if isinstance(formula, Aggregate):
        values, scale = parts[formula.key]
        if divisor is None:
            return Worked(values, scale)
        return Worked(values / 10 ** (scale or 0) / np.where(divisor > 0, divisor, 1), None)
    if isinstance(formula, Difference):
        of, less = (work_out(part, parts, divisor) for part in (formula.of, formula.less))
        values, scale = subtracted(of.values, of.scale, less.values, less.scale)
        return Worked(values, scale, of.lacking + less.lacking)
    of, per = (work_out(part, parts) for part in (formula.of, formula.per))
    values, other, _ = at_one_scale(of.values, of.scale, per.values, per.scale)
    known = per.known
    lacking = (*of.lacking, *per.lacking, (known & (other <= 0), formula.name))
    return Worked(divided(values, other, other > 0), None, lacking)


#: What a measure may be; several words would contradict each other.
MeasureKind = Literal["sum", "count", "difference", "quotient"]


#: Words in the name of a column that count something, and those that make an amount of money of it after all.
_QUANTITY = re.compile(
    r"units?|pieces?|pcs|items?|quantity|quantities|qty|counts?|number|hours?|hrs|minutes|days|nights|visits|visitors|"
    r"guests|customers|clients|members|users|people|persons|employees|staff|heads?|seats|rooms|beds|stores|shops|boats|"
    r"cars|vehicles|orders?|tickets|bookings|transactions|invoices|receipts|baskets|carts|sessions|clicks|calls|leads|"
    r"trips|rides|packs|boxes|bottles|pairs|sets|sqm|m2|km|miles|lit(er|re)s|kg|tons|tonnes|weight|stück|menge|anzahl|"
    r"stunden|kunden|besuche|buchungen|belege|aufträge"
)
_MONEY = re.compile(
    r"prices?|costs?|revenues?|sales|amounts?|values?|turnover|fees?|margin|profit|discounts?|tax|vat|takings|income|"
    r"spend|budget|net|gross|cogs|ebit|ebitda|expenses?|preis|kosten|umsatz|betrag|wert|ertrag|gewinn|erlöse?|rohertrag|"
    r"netto|brutto|aufwand"
)


def is_quantity(column: str) -> bool:
    """Whether a column is called like a quantity, whose figures are in no currency.

    >>> is_quantity("units_sold"), is_quantity("unit price"), is_quantity("revenue")
    (True, False, False)
    """
    words = _words_of(column)
    return any(map(_QUANTITY.fullmatch, words)) and not any(map(_MONEY.fullmatch, words))


def _words_of(column: str) -> list[str]:
    return re.split(r"[\W_]+", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", column).casefold())


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
        A column: counts its different ids; one that returns on other days counts once a span and item.
    where
        Takes only part of the rows, as in `read`: ``{"account": "costs"}``. Of a difference or quotient: the rows of
        all that it is made of.
    better
        Which direction is favorable: ``"higher"``, ``"lower"`` or ``"neither"``.
    unit
        The unit of its figures, for people ("EUR", "kg"). Where None, amounts of money take the currency that a view
        is told; a column called like a quantity has none. ``"%"``: 0.489 is read as 48.9 %, its changes in points; so
        is a quotient of money by money.
    rates_at
        Converts its amounts at constant rates, where `read` is given ``rates=``: those of a day or the mean ones of a
        period (``"2025"``), so that its growth is of sales alone. Of a difference or quotient: what it is made of.

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
    rates_at: str | None = None

    def __post_init__(self) -> None:
        if not isinstance(self.name, str) or not self.name.strip():
            raise QuestionError("a measure needs a name; got {0}", brief(self.name))
        check("better", self.better, Better)
        for option in ("column", "of", "less", "per", "distinct"):
            named = getattr(self, option)
            if named is not None and (not isinstance(named, str) or not named.strip()):
                raise QuestionError("measure {0!r}: `{1}` must be a name; got {2}", self.name, option, brief(named))
        if not isinstance(self.count, bool):
            raise QuestionError(
                "measure {0!r}: `count` must be True, it is of records; got {1}. For different ids say distinct={2!r}",
                self.name,
                brief(self.count),
                str(self.count),
            )
        check_kinds(type(self), vars(self))
        if self.rates_at is not None and (self.count or self.distinct is not None):
            raise QuestionError("measure {0!r}: `rates_at` is of amounts, and it counts", self.name)
        check_where(self.where or {}, Said("measure {0!r}, `where`", self.name))
        if self.of is None and (self.less or self.per):
            raise QuestionError("measure {0!r}: `less` and `per` need `of`, what they are taken of", self.name)
        if self.of is not None and (self.less is None) == (self.per is None):
            raise QuestionError("measure {0!r}: `of` goes with one of `less` and `per`", self.name)
        if sum((self.column is not None, self.of is not None, self.count, self.distinct is not None)) > 1:
            raise QuestionError("measure {0!r} can be only one of `column`, `of`, `count` and `distinct`", self.name)

    @property
    def is_money(self) -> bool:
        """Whether its figures are amounts of money, as far as the names of its columns tell."""
        if self.kind == "sum":
            return not is_quantity(self.column or self.name)
        return self.kind == "difference" and not (is_quantity(str(self.of)) and is_quantity(str(self.less)))

    @property
    def in_percent(self) -> bool:
        """Whether its figures are parts that people read in percent, and their changes in points."""
        return self.unit == "%"

    @property
    def kind(self) -> MeasureKind:
        """What it is: a sum, a count, a difference or a quotient."""
        if self.count or self.distinct is not None:
            return "count"
        if self.of is None:
            return "sum"
        return "difference" if self.less is not None else "quotient"


#: How the code of a currency is written.
_CURRENCY = re.compile(r"[A-Z]{3}")


def is_currency_code(unit: str) -> bool:
    """Whether a unit is written as the code of a currency is."""
    return bool(_CURRENCY.fullmatch(unit))


def in_currency(measures: Sequence[Measure], to: str, columns: Collection[str]) -> tuple[Measure, ...]:
    """The measures, of which those of converted columns bear their currency as a unit."""

    def unit_of(measure: Measure) -> str | None:
        named = {"sum": (measure.column or measure.name,), "difference": (measure.of, measure.less)}.get(measure.kind)
        known = {one.name: one for one in measures}
        meant = [known[str(part)].column or part if part in known else part for part in named or ()]
        return to if meant and all(part in columns for part in meant) else None

    return tuple(one if one.unit is not None else replace(one, unit=unit_of(one)) for one in measures)


def with_units(measures: Sequence[Measure]) -> tuple[Measure, ...]:
    """The measures, of which quotients of money by money are in percent.

    Money is what is called so: a price by a column of any other name stays a quotient.

    >>> [one.unit for one in with_units([Measure("margin", of="profit", per="revenue"), Measure("revenue")])]
    ['%', None]
    >>> [one.unit for one in with_units([Measure("price", of="revenue", per="n")])]
    [None]
    """
    known = {measure.name: measure for measure in measures}

    def is_money(name: str | None, above: tuple[str, ...] = ()) -> bool:
        measure = known.get(str(name))
        if measure is None or name in above:  # a cycle is refused elsewhere
            return _is_called_money(str(name))
        if measure.unit is not None:
            return is_currency_code(measure.unit)
        if measure.kind == "difference":
            return all(is_money(part, (*above, measure.name)) for part in (measure.of, measure.less))
        return measure.kind == "sum" and _is_called_money(measure.column or measure.name)

    return tuple(
        replace(one, unit="%")
        if one.unit is None and one.kind == "quotient" and is_money(one.of) and is_money(one.per)
        else one
        for one in measures
    )


def _is_called_money(name: str) -> bool:
    """Whether a column is called like an amount of money."""
    return any(map(_MONEY.fullmatch, _words_of(name)))
