"""A receipt as a table for people, and the arithmetic below it, line by line."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from operator import add, sub, truediv
from typing import Any

import numpy as np

from logochron.core.book.measures import Measure, adds_up
from logochron.core.choices import OTHERS
from logochron.core.questions.drivers import Drivers
from logochron.core.questions.explain import Receipt, SideSpan
from logochron.core.questions.landing.answer import LandingFacts
from logochron.core.questions.relate import Relation
from logochron.core.rows.question_types import loaded
from logochron.views.catalog import message, translated
from logochron.views.decimals import divided_decimals
from logochron.views.formats import MINUS, Formats, capital, words
from logochron.views.tables.cells import ALL, Cell, Row, Shown, TableColumn, TableSpec
from logochron.views.tables.item_rows import figure_text
from logochron.views.tables.plain_text import table_text
from logochron.views.words.currency_words import rates_taken, rates_words
from logochron.views.words.titles import (
    against_line,
    beside_words,
    column_words,
    row_period,
    selection_words,
    unit,
    window_words,
)
from logochron.views.words.told import told

#: So many digits more are tried at most, and so far may a result be rounded, as a part of its size.
_MOST, _ROUNDED = 10, 0.005
#: Decimals of shares and of quotients that estimates are reckoned with, where no more are needed.
_SHARES = 4
_BETTER = {
    "higher": message("more is better"),
    "lower": message("less is better"),
    "neither": message("neither way is better"),
}


class Arithmetic:
    """How figures with so many decimals, or more, are put into a line.

    >>> Arithmetic(Formats(), 0).line("{0} / {1} = {2}", [10.0, 11.0], 10 / 11, truediv)
    '10 / 11 = 0.91'
    """

    def __init__(self, formats: Formats, decimals: int) -> None:
        self.formats, self.decimals = formats, decimals
        self.minus = "-" if formats.plain else MINUS

    def line(
        self,
        text: str,
        terms: Sequence[float],
        result: float,
        reckon: Callable[..., float],
        *,
        least: Sequence[int] | None = None,
        signed: bool = False,
        part: bool = False,
        bearing: Sequence[int] = (),
    ) -> str:
        """A text with its terms and its result put in, in this order; negative terms but the first in brackets.

        Parameters
        ----------
        reckon
            Gives the result from the terms.
        least
            The decimals of each term that are shown at least; the usual where None.
        signed, part
            Whether the result bears its sign, or is a percentage (of two decimals at least).
        bearing
            Which terms bear their sign.
        """
        places, of_result = self._digits(terms, result, reckon, least or [self.decimals] * len(terms), part=part)
        shown = [self.formats.number(t, n, signed=k in bearing) for k, (t, n) in enumerate(zip(terms, places))]
        shown = [f"({one})" if n and term < 0 else one for n, (one, term) in enumerate(zip(shown, terms))]
        if part:
            outcome = self.formats.growth(result, of_result) if signed else self.formats.part(result, of_result)
        else:
            outcome = self.formats.number(result, of_result, signed=signed)
        return text.format(*shown, outcome)

    def _digits(
        self, terms: Sequence[float], result: float, reckon: Callable[..., float], least: Sequence[int], *, part: bool
    ) -> tuple[list[int], int]:
        size, out = (100.0, 2) if part else (1.0, self.decimals)
        result *= size
        for _ in range(_MOST):  # a result that is small needs digits of its own
            if abs(round(result, out) - result) <= _ROUNDED * abs(result):
                break
            out += 1
        places = list(least)
        for more in range(_MOST + 1):
            places = [n if _is_whole(term, n) else n + more for term, n in zip(terms, least)]
            shown = [round(term, n) for term, n in zip(terms, places)]
            try:
                came = round(reckon(*shown) * size, out)
            except ZeroDivisionError:
                continue
            if abs(came - round(result, out)) < 0.5 * 10.0**-out:
                break
        return places, out

    def text(self, message_of: str, **named: str) -> str:
        """A message in the language of the formats with its names put in; the places of figures stay open."""
        text = translated(self.formats.language, message_of)
        for name, value in {"minus": self.minus, **named}.items():
            text = text.replace(f"{{{name}}}", value)
        return text

    def change(self, what: str, value: float, base: float, change: float) -> str:
        """A change from what it is the difference of."""
        text = self.text(_CHANGE, what=self.formats.say(what))
        return self.line(text, [value, base], change, sub, signed=True)

    def growth(self, change: float, base: float, growth: float) -> str:
        """A growth from change and base."""
        text = self.text(_GROWTH)
        return self.line(text, [change, base], growth, truediv, part=True, signed=True, bearing=[0])


def change_lines(figures: Mapping[str, Any], what: str, value: float, measure: Measure, sums: Arithmetic) -> list[str]:
    """Change, growth, direction and verdict of a figure beside its base."""
    base, change, growth = (float(figures[name]) for name in ("base", "change", "growth"))
    lines = []
    if np.isfinite(change):
        lines.append(sums.change(what, value, base, change))
    if np.isfinite(growth):
        lines.append(sums.growth(change, base, growth))
    elif np.isfinite(change):
        lines.append(sums.formats.say("growth: none, as the base is not above 0"))
    return [*lines, _judged(figures, measure, sums.formats)]


def _judged(figures: Mapping[str, Any], measure: Measure, formats: Formats) -> str:
    return formats.say(
        "direction: {direction}; verdict: {verdict} ({better})",
        direction=formats.say(figures["direction"]),
        verdict=formats.say(figures["verdict"]),
        better=formats.say(_BETTER[measure.better]),
    )


def comparison_lines(receipt: Receipt, sums: Arithmetic) -> list[str]:
    """How a row of a comparison came about, and a running total."""
    return change_lines(receipt.figures, "value", float(receipt.figures["value"]), receipt.measure, sums)


def landing_lines(receipt: Receipt, sums: Arithmetic) -> list[str]:
    """How an estimate came about, and how it stands beside its base."""
    assert receipt.landing is not None
    figures, estimate = receipt.figures, float(receipt.figures["estimate"])
    lines = estimate_lines(receipt.landing, figures, sums)
    return [*lines, *change_lines(figures, "estimate", estimate, receipt.measure, sums)]


def plain_lines(receipt: Receipt, sums: Arithmetic) -> list[str]:
    """The figures of a row of any other answer, as they are."""
    of, lines = receipt.answer.type, []
    for name in of.named_columns():
        column = of.column(name)
        if (column.is_figure or column.kind == "count") and name in receipt.figures and name != "days":
            value = float(receipt.figures[name])
            heading = column_words(column, sums.formats)
            heading = heading.lower() if sums.formats.language == "en" else heading
            lines.append(f"{heading} = {figure_text(column, value, sums.formats, sums.decimals)}")
    return lines


def relation_lines(receipt: Receipt, sums: Arithmetic) -> list[str]:
    """How a row of a relation came about: what it stands beside, gap and ratio, now and before."""
    answer: Relation = receipt.answer  # type: ignore[assignment]
    figures, formats = receipt.figures, sums.formats
    value, reference, gap, ratio, before, moved, base = (
        float(figures[name]) for name in ("value", "reference", "gap", "ratio", "ratio_before", "ratio_change", "base")
    )
    beside = beside_words(answer, formats)
    if not np.isfinite(reference):
        return [formats.say("reference, {beside}: not known", beside=beside), _direction(figures, formats)]
    named = f" ({figures['reference_item']})" if answer.beside == "largest" and figures["reference_item"] else ""
    amount = formats.number(reference, sums.decimals)
    lines = [formats.say("reference, {beside} = {amount}", beside=f"{beside}{named}", amount=amount)]
    if answer.beside == "mean" and answer.within is None:
        block = answer.of_measure(answer.total_columns, receipt.measure).blocks[0]
        whole = float(block.row(answer.periods.index(receipt.period), 0)["value"])
        many = round(whole / reference) if reference else 0
        if many > 1 and np.isclose(whole / max(many, 1), reference):
            text = sums.text(message("reference, the mean = total / items = {0} / {1} = {2}"))
            lines = [sums.line(text, [whole, many], reference, truediv, least=[sums.decimals, 0])]
    if np.isfinite(gap):
        text = sums.text(message("gap = value {minus} reference = {0} {minus} {1} = {2}"))
        lines.append(sums.line(text, [value, reference], gap, sub, signed=True))
    if np.isfinite(ratio):
        text = sums.text(message("ratio = value / reference = {0} / {1} = {2}"))
        lines.append(sums.line(text, [value, reference], ratio, truediv, part=True))
    elif np.isfinite(value):
        lines.append(formats.say("ratio: none, as the reference is not above 0"))
    if np.isfinite(before) and base and before:
        text = sums.text(message("ratio before = base / its reference = {0} / {1} = {2}"))
        lines.append(sums.line(text, [base, base / before], before, truediv, part=True))
    elif np.isfinite(before):
        lines.append(formats.say("ratio before = {part}", part=formats.part(before, 2)))
    if np.isfinite(moved):
        points = formats.say("{n} points", n=formats.number(moved * 100, 2, signed=True))
        lines.append(sums.text(message("ratio change = ratio {minus} ratio before = {points}"), points=points))
    return [*lines, _direction(figures, formats)]


def _direction(figures: Mapping[str, Any], formats: Formats) -> str:
    return formats.say("direction: {direction}", direction=formats.say(figures["direction"]))


def drivers_lines(receipt: Receipt, sums: Arithmetic) -> list[str]:
    """What a row of drivers contributed to the growth of all; and by volume, mix and price."""
    answer: Drivers = receipt.answer  # type: ignore[assignment]
    figures, formats = receipt.figures, sums.formats
    whole = answer.of_measure(answer.total_columns, receipt.measure).blocks[0].row(0, 0)
    lines = change_lines(figures, "value", float(figures["value"]), receipt.measure, sums)
    change, base = float(figures["change"]), float(whole["base"])
    if np.isfinite(figures["contribution"]):
        text = sums.text(message("contribution = change / base of all = {0} / {1} = {2} points"))
        points, least = float(figures["contribution"]) * 100, [sums.decimals] * 2
        lines.append(Arithmetic(formats, 2).line(text, [change, base], points, lambda c, b: c / b * 100, least=least,
                                                 signed=True, bearing=[0]))  # fmt: skip
    parts = [float(figures[name]) for name in ("volume", "mix", "price")]
    if answer.quantity is None or not np.isfinite(parts).all():
        return lines
    q1, q0, many, before = (float(side[name]) for side in (figures, whole) for name in ("quantity", "base_quantity"))
    n = 0 if all(map(float.is_integer, (q1, q0, many, before))) else 2
    units = [formats.number(one, n) for one in (q1, q0, many, before)]
    named = dict(zip(("now", "before", "all_now", "all_before"), units), quantity=words(answer.quantity.name))
    lines.append(formats.say(_UNITS if not receipt.item else _UNITS_OF_ALL, **named))
    single = len(receipt.item) == len(answer.by) and OTHERS not in receipt.item.values()
    if single and not any(note == "no quantity" for note in receipt.notes) and q0 > 0:
        b, v = float(figures["base"]), float(figures["value"])
        d = sums.decimals
        effects: tuple[tuple[str, list[float], list[int], Callable[..., float]], ...] = (
            (message("volume = ({0} {minus} {1}) / {1} x {2}"), [many, before, b], [n, n, d],
             lambda m, q, base: (m - q) / q * base),
            (message("mix = ({0} {minus} {1} x {2} / {3}) x {4} / {2}"), [q1, many, q0, before, b], [n, n, n, n, d],
             lambda now, m, own, q, base: (now - m * own / q) * base / own),
            (message("price = {0} {minus} {3} / {1} x {2}"), [v, q0, q1, b], [d, n, n, d],
             lambda value, own, now, base: value - base / own * now),
        )  # fmt: skip
        for (text, terms, least, reckon), effect in zip(effects, parts):
            text_of_units = f"{sums.text(text)} = {{{len(terms)}}}"
            lines.append(sums.line(text_of_units, terms, effect, reckon, least=least, signed=True))
    text = sums.text(message("volume + mix + price = {0} + {1} + {2} = {3}"))
    return [*lines, sums.line(text, parts, change, lambda *all_of: sum(all_of), signed=True)]


def estimate_lines(facts: LandingFacts, figures: Mapping[str, Any], sums: Arithmetic) -> list[str]:
    """The arithmetic of an estimate and of its range."""
    formats, decimals = sums.formats, sums.decimals

    def amount(value: float) -> str:
        return formats.number(float(value), decimals)

    to_date, estimate, profile = float(figures["to_date"]), float(figures["estimate"]), figures["profile"]
    if facts.over:
        return [formats.say("estimate = {amount}: the period is over, it is the total", amount=amount(estimate))]
    if not np.isfinite(estimate):
        return [formats.say("estimate: none, {amount} to date", amount=amount(to_date))]
    base = float(figures["base"])
    if facts.rest == "as-was":
        rest = base - facts.base_to_date
        text = sums.text(message("rest = base {minus} base to the same point = {0} {minus} {1} = {2}"))
        lines = [sums.line(text, [base, facts.base_to_date], rest, sub)]
        text = sums.text(message("estimate = to date + rest = {0} + {1} = {2}"))
        lines.append(sums.line(text, [to_date, rest], estimate, add))
    else:
        share = float(figures["expected_share"])
        text = sums.text(message("estimate = to date / usual share by now = {0} / {1} = {2}"))
        lines = [sums.line(text, [to_date, share], estimate, truediv, least=[decimals, _SHARES])]
        if profile == "year-ago":
            of_shares = Arithmetic(formats, _SHARES)
            text = sums.text(message("usual share by now = base to the same point / base = {0} / {1} = {2}"))
            least = [decimals, decimals]
            lines.insert(0, of_shares.line(text, [facts.base_to_date, base], share, truediv, least=least))
        errors = [f"{name} {formats.part(error)} ({past})" for name, (error, past) in facts.tried.items() if past]
        if len(facts.tried) > 1:
            lines.append(formats.say(_CHOSEN if errors else _UNTRIED, profile=profile, errors=", ".join(errors)))
        else:
            lines.append(formats.say("profile: {profile}", profile=profile))
    if np.isfinite(figures["typical_error"]):
        error = formats.part(float(figures["typical_error"]))
        lines.append(sums.text(_TYPICAL, error=error, past=str(facts.past)))
        if facts.a_day_earlier:
            some = facts.a_day_earlier < facts.past
            many = formats.say("{n} of them", n=facts.a_day_earlier) if some else formats.say("all")
            lines.append(formats.say(_EARLIER, many=many))
    if np.isfinite(figures["low"]):
        low, high = facts.ratios
        for name, quantile, ratio in (("low", "90 %", high), ("high", "10 %", low)):
            end = float(figures[name])
            text = sums.text(_QUANTILE, name=formats.say(name), quantile=quantile)
            if np.isclose(estimate / ratio, end):
                lines.append(sums.line(text, [estimate, ratio], end, truediv, least=[decimals, _SHARES]))
            else:
                lines.append(formats.say(_AT_LEAST, name=formats.say(name), amount=amount(end)))
    for what in ("base", "plan"):
        if facts.days_left and np.isfinite(figures[what]):
            target, days = float(figures[what]), facts.days_left
            required = _REQUIRED if facts.sold_daily else _REQUIRED_SELLING
            text = sums.text(required, what=formats.say(what), days=str(days))
            needed = (target - to_date) / days
            if target > to_date:
                lines.append(sums.line(text, [target, to_date], needed, lambda a, b, days=days: (a - b) / days))
            else:
                lines.append(formats.say(_NONE_REQUIRED, what=formats.say(what)))
    return lines


_CHANGE = message("change = {what} {minus} base = {0} {minus} {1} = {2}")
_GROWTH = message("growth = change / base = {0} / {1} = {2}")
_UNITS = message("{quantity}: {now} against {before}")
_UNITS_OF_ALL = message("{quantity}: {now} against {before}; of all {all_now} against {all_before}")
_CHOSEN = message("profile: {profile}, as typical errors at this point were (past periods): {errors}")
_UNTRIED = message("profile: {profile}, as no past period is known")
_TYPICAL = message("typical error = {error}, the median of |estimate / outcome {minus} 1|, past periods: {past}")
_EARLIER = message(
    "past periods: {many} looked at a day earlier, as the same point there is their last day, on which nothing is left "
    "to estimate"
)
_QUANTILE = message("{name} = estimate / the {quantile} quantile of estimate / outcome = {0} / {1} = {2}")
_AT_LEAST = message("{name} = {amount}: what is sold to date, as no amount is negative")
_CURRENCY = message("currency effect = change {minus} change at {rates} = {0} {minus} {1} = {2}")
_RATES = message("rates in the {side}, {days}: {rates}")
_PER_DAYS = {"day": message("days"), "trading-day": message("trading days"), "selling-day": message("selling days")}
_NONE_REQUIRED = message("required per day for the {what}: none, it is reached")
_REQUIRED = message("required per day for the {what}: ({0} {minus} {1}) / {days} days = {2}")
_REQUIRED_SELLING = message("required per selling day for the {what}: ({0} {minus} {1}) / {days} selling days = {2}")


def _is_whole(value: float, decimals: int) -> bool:
    """Whether a figure has no more decimals than so many."""
    return bool(np.isclose(round(value, decimals), value, rtol=1e-14, atol=0.0))


#: A Monday: 5 January 1970.
_MONDAY = 4
_WEEKDAYS = ("Mo", "Tu", "We", "Th", "Fr", "Sa", "Su")


def receipt_text(receipt: Receipt, formats: Formats | None = None) -> str:
    """The receipt in words, as it stands on a terminal."""
    formats = formats or Formats()
    return table_text(receipt_tables(receipt, formats)[0], plain=formats.plain)


def receipt_tables(receipt: Receipt, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """The spans, and below them the arithmetic, the cut, the notes."""
    decimals = _decimals(receipt, formats)
    rows = [_row(span, decimals, formats) for span in receipt.spans]
    together = ", " + formats.say("all together") if receipt.of.by else ""
    who = "".join(f", {label}" for label in receipt.item.values()) or together
    window = window_words(receipt.of.spec.window, receipt.of.calendar, receipt.of.each, formats)
    title = (
        f"{capital(words(receipt.measure.name))} {_when(receipt, formats)}{', ' + window if window else ''}{who}"
        f"{selection_words(receipt.of)}{formats.dot}{against_line(receipt.of, formats)}"
    )
    return [
        TableSpec(
            title=title,
            unit=unit(receipt.measure, formats),
            columns=(
                TableColumn("side", "", "text", firm=True),
                TableColumn("span", formats.say("Span"), "text", firm=True),
                TableColumn("days", formats.say("Days"), "count"),
                *(TableColumn(day, formats.weekday(_MONDAY + n)[:2], "count") for n, day in enumerate(_WEEKDAYS)),
                TableColumn("records", formats.say("Records"), "count"),
                TableColumn("sum", formats.say("Sum"), "amount", decimals=decimals),
            ),
            rows=tuple(rows),
            dropped=(_WEEKDAYS, ("records",), ("days",)),
            lines=(*_arithmetic(receipt, decimals, formats), *_notes(receipt, formats)),
            empty=message("No day of this period is recorded."),
        )
    ]


def _when(receipt: Receipt, formats: Formats) -> str:
    """When the figure was, in words; of a landing and of a place in a running total by its label."""
    value = next((span for span in receipt.spans if span.side == "value"), None)
    if value is None or receipt.landing is not None or receipt.period not in receipt.of.periods:
        return receipt.period
    return row_period(receipt.of, {"start": value.start, "end": value.end}, formats, receipt.figures["status"]).when


def _decimals(receipt: Receipt, formats: Formats) -> int:
    if formats.decimals is not None:
        return formats.decimals
    books = [receipt.of.book, *([receipt.of.plan] if receipt.of.plan else [])]
    scales: list[int | None] = []
    for book in books:
        if receipt.measure.name in book.formulas:
            scales.append(book.decimals(receipt.measure.name))
    if None in scales:
        return divided_decimals(max((abs(span.sum) for span in receipt.spans if np.isfinite(span.sum)), default=0.0))
    return min(max(scale or 0 for scale in scales), 6)


def _row(span: SideSpan, decimals: int, formats: Formats) -> Row:
    counts = {"days": span.days, **dict(zip(_WEEKDAYS, span.weekdays)), "records": span.records}
    return Row(
        {
            "side": Cell("text", formats.say(span.side)),
            "span": Cell("text", formats.span(span.start, span.end)),
            **{name: Cell("count", formats.number(n, 0), n) for name, n in counts.items()},
            "sum": Cell("amount", formats.number(span.sum, decimals), span.sum),
        }
    )


def _arithmetic(receipt: Receipt, decimals: int, formats: Formats) -> list[str]:
    """The figures with the numbers put in."""
    figures = receipt.figures
    per = receipt.of.per
    additive = adds_up(receipt.of.book.formulas[receipt.measure.name])  # quotients are divided by no days
    divided = additive and (per is not None or sum(span.side == "base" for span in receipt.spans) > 1)
    places = max(decimals, 2) if divided else decimals

    sums = Arithmetic(formats, places)
    lines = _made_of(receipt, decimals, formats)
    if divided:
        for side, days in (("value", "days"), ("base", "base_days")):
            spans = [span for span in receipt.spans if span.side == side]
            if not np.isfinite(figures[side]) or not spans or (side == "value" and per is None):
                continue
            added = " + ".join(f"{{{n}}}" for n in range(len(spans)))
            by = len(spans) if per is None else int(figures[days])
            what = "" if per is None else " " + formats.say(_PER_DAYS[per])
            side_said = formats.say(side)
            text = f"{side_said} = {f'({added})' if len(spans) > 1 else added} / {by}{what} = {{{len(spans)}}}"
            terms, least = [span.sum for span in spans], [decimals] * len(spans)
            lines.append(sums.line(text, terms, float(figures[side]), lambda *t, by=by: sum(t) / by, least=least))
    own: list[str] = loaded(receipt.answer.type.arithmetic)(receipt, sums)
    return [*lines, *own, *_currency(receipt, sums)]


def _currency(receipt: Receipt, sums: Arithmetic) -> list[str]:
    """The currency effect, and the rates that amounts were converted at."""
    formats, lines = sums.formats, []
    if receipt.steady is not None:
        change, steady = float(receipt.figures["change"]), receipt.steady.change
        rates = rates_words(receipt.of.book, receipt.steady.measure, formats)
        text = sums.text(_CURRENCY, rates=rates)
        lines.append(sums.line(text, [change, steady], change - steady, sub, signed=True, bearing=[0]))
    always = {tuple((r.currency, r.least, r.greatest) for r in taken.rates) for taken in receipt.rates}
    if len(always) == 1 and all(low == high for ((_, low, high), *_) in always):  # constant rates
        return [*lines, formats.say("rates: {rates}", rates=rates_taken(receipt.rates[0].rates, formats))]
    for taken in receipt.rates:
        fields = {"side": formats.say(taken.side), "days": formats.span(taken.start, taken.end)}
        lines.append(formats.say(_RATES, rates=rates_taken(taken.rates, formats), **fields))
    return lines


def _made_of(receipt: Receipt, decimals: int, formats: Formats) -> list[str]:
    """How the figure of each span is made of others, where it is a difference or a quotient.

    A quotient over several spans is that of their sums.
    """
    quotient = receipt.measure.kind == "quotient"
    sums, places = Arithmetic(formats, decimals), 2 if quotient else max(2, decimals)
    sign = "/" if quotient else sums.minus

    def line(side: str, parts: Sequence[tuple[str, float]], figure: float) -> str:
        sum_text = f" {sign} ".join(f"{words(name)} {{{n}}}" for n, (name, _) in enumerate(parts))
        text, terms = f"{formats.say(side)} = {sum_text} = {{{len(parts)}}}", [part for _, part in parts]
        return sums.line(text, terms, figure, truediv if quotient else sub, least=[places] * len(terms))

    lines = []
    for side in ("value", "base"):
        spans = [span for span in receipt.spans if span.side == side and span.parts]
        if quotient and len(spans) > 1:
            names = [name for name, _ in spans[0].parts]
            added = [math.fsum(span.parts[n][1] for span in spans) for n in range(len(names))]
            lines.append(line(side, list(zip(names, added)), float(receipt.figures[side])))
        else:
            lines += [line(side, span.parts, span.sum) for span in spans if np.isfinite(span.sum)]
    return lines


def _notes(receipt: Receipt, formats: Formats) -> list[str]:
    base = receipt.figures["base_period"]
    lines = [formats.say("base period: {period}", period=base)] if base else []
    if receipt.cut and receipt.landing is None:
        lines.append(formats.say("cut: {cut}", cut=told(receipt.cut, formats)))
    return [*lines, *(formats.say("note: {note}", note=told(note, formats)) for note in receipt.notes)]
