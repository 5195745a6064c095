"""What rates moved: the change of a measure at the rates of its days, less that of the same at constant rates."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Aggregate, Difference, Formula, Measure, adds_up, aggregates
from logochron.core.book.sums import subtracted
from logochron.core.rows.figures import Floats, Sides

#: What the row of it is called.
CURRENCY_EFFECT = "currency effect"


@dataclass(frozen=True, eq=False)
class CurrencyEffect:
    """The currency effect in the change of a measure.

    Attributes
    ----------
    steady
        The same measure at constant rates.
    change, points
        The effect, and what it adds to the growth of the measure in all; NaN where it is not known.
    steady_growth
        The growth at constant rates.
    items
        The change of each item at constant rates, where the rows of items are known.
    """

    steady: Measure
    change: float
    points: float
    steady_growth: float
    items: Floats = field(default_factory=lambda: np.zeros(0))


def steady_of(book: Daybook, measure: Measure) -> Measure | None:
    """The measure of a book that is another one at constant rates; None where there is none, or it is one itself."""
    conversion, formula = book.conversion, book.formulas[measure.name]
    if conversion is None or conversion.rates.undated or conversion.span("") or not adds_up(formula):
        return None
    if any(one.rates_at for one in aggregates(formula)) or not any(
        one.column in conversion.columns for one in aggregates(formula)
    ):
        return None
    alike = (other for other in book.measures if book.formulas[other.name] != formula)
    return next((other for other in alike if _unrated(book.formulas[other.name]) == formula), None)


def _unrated(formula: Formula) -> Formula:
    """A formula whose amounts are at the rates of their days."""
    if isinstance(formula, Aggregate):
        return formula._replace(rates_at="")
    if isinstance(formula, Difference):
        return Difference(_unrated(formula.of), _unrated(formula.less))
    return formula


def effect_sides(reported: Sides, steady: Sides) -> Sides:
    """Both sides of the effect: what is reported less what it is at constant rates."""
    value, scale = subtracted(reported.value, reported.scale, steady.value, steady.scale)
    base, base_scale = subtracted(reported.base, reported.scale, steady.base, steady.scale)
    if scale != base_scale:
        value, base, scale = value / 10 ** (scale or 0), base / 10 ** (base_scale or 0), None
    return reported._replace(
        value=value,
        base=base,
        value_known=reported.value_known & steady.value_known,
        base_known=reported.base_known & steady.base_known,
        scale=scale,
        yet_to_start=np.zeros((1, 1), dtype=bool),
        has_ended=np.zeros((1, 1), dtype=bool),
    )
