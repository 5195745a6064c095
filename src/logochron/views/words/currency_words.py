"""What rates of currencies did, in words: their effect on a change, and which rates were taken."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure, aggregates
from logochron.core.book.rates import Rated
from logochron.core.rows.currency_effect import CurrencyEffect, steady_of
from logochron.views.catalog import message
from logochron.views.formats import Formats, words
from logochron.views.words.titles import unit

if TYPE_CHECKING:
    from logochron.core.questions.compare import Comparison

_EFFECT = message("The currency effect is {change} ({points}); at {rates} {measure} moved by {growth}")
_EFFECT_CHANGE = message("The currency effect is {change}; it is measured against {rates}")
_ONE_RATE = message("{currency} {rate}")
_RATES = message("{currency} {low} ({low_day}) to {high} ({high_day})")


def compared_effect(result: Comparison, measure: Measure, period: int) -> CurrencyEffect | None:
    """The currency effect in a total, where the answer has the measure at constant rates too."""
    steady = steady_of(result.book, measure)
    if steady not in result.measures:
        return None
    totals = (result.of_measure(result.total_columns, one) for one in (measure, steady))
    mine, constant = (total.blocks[0].row(period, 0) for total in totals)
    change, base = float(mine["change"] - constant["change"]), float(mine["base"])
    return CurrencyEffect(steady, change, change / base if base > 0 else np.nan, float(constant["growth"]))


def currency_sentence(
    effect: CurrencyEffect | None, measure: Measure, book: Daybook, formats: Formats, decimals: int | None = None
) -> str:
    """What rates added or took, and how the measure moved without them; empty where that is not known.

    `decimals`: of the amount; compact where None.
    """
    if effect is None or not np.isfinite(effect.change):
        return ""
    if decimals is None:
        amount = formats.amount(effect.change, unit(measure, formats), signed=True)
    else:
        amount = formats.number(effect.change, decimals, signed=True)
    fields = {
        "change": amount if effect.change else "0",
        "points": formats.say("{n} points", n=formats.points(effect.points)),
        "rates": rates_words(book, effect.steady, formats),
        "growth": formats.growth(effect.steady_growth),
        "measure": words(measure.name),
    }
    known = np.isfinite(effect.points) and np.isfinite(effect.steady_growth)
    return formats.say(_EFFECT if known else _EFFECT_CHANGE, **fields)


def rates_words(book: Daybook, steady: Measure, formats: Formats) -> str:
    """At which constant rates a measure is converted."""
    at = next(one.rates_at for one in aggregates(book.formulas[steady.name]) if one.rates_at)
    return formats.say("the rates of {period}", period=at)


def rates_taken(rated: Sequence[Rated], formats: Formats) -> str:
    """The rates of currencies over a span: the least and the greatest, and when."""
    texts = []
    for one in rated:
        low, high = (formats.number(rate, _decimals(rate)) for rate in (one.least, one.greatest))
        if one.least == one.greatest:
            texts.append(formats.say(_ONE_RATE, currency=one.currency, rate=low))
            continue
        fields = {
            "low": low,
            "low_day": formats.day(one.least_on),
            "high": high,
            "high_day": formats.day(one.greatest_on),
        }
        texts.append(formats.say(_RATES, currency=one.currency, **fields))
    return ", ".join(texts)


def _decimals(rate: float) -> int:
    """Decimals of a rate: six digits or so, none that it does not have."""
    most = max(6 - len(str(int(rate))), 2) if rate >= 1 else 6
    return next((n for n in range(most) if round(rate, n) == rate), most)
