"""A receipt as a table and lines: how a figure came about, with the numbers put in."""

from __future__ import annotations

import io
import math
from collections.abc import Sequence
from operator import sub, truediv

import numpy as np

from logochron.core.book.measures import adds_up
from logochron.core.questions.explain import Receipt, SideSpan
from logochron.core.rows.question_types import loaded
from logochron.views.decimals import divided_decimals
from logochron.views.formats import Formats, capital, words
from logochron.views.tables.cells import ALL, Cell, Row, Shown, TableColumn, TableSpec
from logochron.views.tables.receipt_arithmetic import Arithmetic
from logochron.views.words.basis_words import window_words
from logochron.views.words.periods import row_period
from logochron.views.words.titles import against_words, selection_words, unit

_WEEKDAYS = ("Mo", "Tu", "We", "Th", "Fr", "Sa", "Su")


def receipt_text(receipt: Receipt, formats: Formats | None = None) -> str:
    """The receipt in words, as it stands on a terminal."""
    from rich.console import Console

    from logochron.views.tables.terminal import print_table

    formats = formats or Formats()
    console = Console(file=io.StringIO(), highlight=False, no_color=True, width=10_000)
    print_table(console, receipt_tables(receipt, formats)[0], plain=formats.plain)
    return str(console.file.getvalue())  # type: ignore[attr-defined]


def receipt_tables(receipt: Receipt, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """The spans, and below them the arithmetic, the cut, the notes."""
    decimals = _decimals(receipt, formats)
    rows = [_row(span, decimals, formats) for span in receipt.spans]
    who = "".join(f", {label}" for label in receipt.item.values()) or (", all together" if receipt.of.by else "")
    window = window_words(receipt.of.question.window, receipt.of.calendar, receipt.of.each, formats)
    title = (
        f"{capital(words(receipt.measure.name))} {_when(receipt, formats)}{', ' + window if window else ''}{who}"
        f"{selection_words(receipt.of)}{formats.dot}against {against_words(receipt.of, formats)}"
    )
    return [
        TableSpec(
            title=title,
            unit=unit(receipt.measure, formats),
            columns=(
                TableColumn("side", "", "text", firm=True),
                TableColumn("span", "Span", "text", firm=True),
                TableColumn("days", "Days", "count"),
                *(TableColumn(day, day, "count") for day in _WEEKDAYS),
                TableColumn("records", "Records", "count"),
                TableColumn("sum", "Sum", "amount", decimals=decimals),
            ),
            rows=tuple(rows),
            dropped=(_WEEKDAYS, ("records",), ("days",)),
            lines=(*_arithmetic(receipt, decimals, formats), *_notes(receipt, formats)),
            empty="No day of this period is recorded.",
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
            "side": Cell("text", span.side),
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
            what = {None: "", "day": " days", "trading-day": " trading days"}[per]
            text = f"{side} = {f'({added})' if len(spans) > 1 else added} / {by}{what} = {{{len(spans)}}}"
            terms, least = [span.sum for span in spans], [decimals] * len(spans)
            lines.append(sums.line(text, terms, float(figures[side]), lambda *t, by=by: sum(t) / by, least=least))
    own: list[str] = loaded(receipt.answer.type.arithmetic)(receipt, sums)
    return [*lines, *own]


def _made_of(receipt: Receipt, decimals: int, formats: Formats) -> list[str]:
    """How the figure of each span is made of others, where it is a difference or a quotient.

    A quotient over several spans is that of their sums.
    """
    quotient = receipt.measure.kind == "quotient"
    sums, places = Arithmetic(formats, decimals), 2 if quotient else max(2, decimals)
    sign = "/" if quotient else sums.minus

    def line(side: str, parts: Sequence[tuple[str, float]], figure: float) -> str:
        told = f" {sign} ".join(f"{words(name)} {{{n}}}" for n, (name, _) in enumerate(parts))
        text, terms = f"{side} = {told} = {{{len(parts)}}}", [part for _, part in parts]
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
    lines = [f"base period: {receipt.figures['base_period']}"] if receipt.figures["base_period"] else []
    if receipt.cut and receipt.landing is None:
        lines.append(f"cut: {receipt.cut}")
    return [*lines, *(f"note: {note}" for note in receipt.notes)]
