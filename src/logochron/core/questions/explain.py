"""How did a figure come about? Both spans day by day counted, both sums, the cut, the notes, what the calendar did."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core import ports as hooks
from logochron.core.align.align import Alignment
from logochron.core.book.daybook import Daybook
from logochron.core.book.formulas import RECORDS, Difference, Formula, Leaf, Part, leaves, work_out
from logochron.core.book.measures import Measure
from logochron.core.calendars.months import is_leap_day
from logochron.core.days import Days, iso, to_days, weekday
from logochron.core.errors import QuestionError, no_such
from logochron.core.questions.compare import Comparison, comparison_of
from logochron.core.rows.answer import Answer
from logochron.core.rows.plan_side import selected_alike
from logochron.core.rows.prepare import OTHERS
from logochron.core.rows.result import Result

#: The columns of `Receipt.table`.
COLUMNS = ("side", "start", "end", "days", "weekend_days", "records", "sum")
_SATURDAY = 5
#: Tuples of items, and whether a sum takes them.
Wanted = dict[tuple[str, ...], bool]
_WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")


@dataclass(frozen=True)
class Span:
    """One run of days behind a figure: its days by weekday from Monday, its records and their sum."""

    side: str
    start: int
    end: int
    days: int
    weekdays: tuple[int, ...]
    records: int
    sum: float
    parts: tuple[tuple[str, float], ...] = ()  # of a difference or quotient what it is made of, by name

    @property
    def weekend_days(self) -> int:
        """Saturdays and Sundays."""
        return sum(self.weekdays[_SATURDAY:])


@dataclass(frozen=True, repr=False)
class Receipt(Result):
    """The answer of `explain`.

    Attributes
    ----------
    table
        One row a span: `side` (value or base), `start`, `end`, `days`, `weekend_days`, `records`, `sum`.
    text
        The whole in words.
    notes
        The row's notes, and what the calendar did: week 53, a leap day, weekends and public holidays that lie on
        one side only.
    spans, figures, measure, period, item, cut
        What the text is made of. `figures` is the row itself.
    """

    spans: tuple[Span, ...]
    figures: Mapping[str, Any]
    measure: Measure
    period: str
    item: Mapping[str, str]
    cut: str
    of: Comparison = field(repr=False)
    kind: str = field(default="explain", init=False)

    @cached_property
    def text(self) -> str:
        """The receipt in words."""
        return hooks.receipt(self)

    def __str__(self) -> str:
        return self.text

    def __repr__(self) -> str:
        return self.text


def explain(
    result: Answer,
    at: Any = None,
    *,
    measure: str | None = None,
    holidays: str | None = None,
    **item: str,
) -> Receipt:
    """The receipt of one row of an answer, or of its total.

    Parameters
    ----------
    result
        An answer of `compare`, `relate` or `drivers`.
    at
        The period: its label, or a day in it; the last one where None.
    measure
        The measure; the first where None.
    holidays
        A country, such as ``"PT"``, or a region of one, ``"DE-BY"``: its public holidays that lie on one side only are
        named. Needs the extra `holidays`.
    **item
        One label for each dimension of the answer, or for the first ones: the subtotal; no item: the total.

    Raises
    ------
    QuestionError
        Where the row is not in the answer.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(), each="month", measures="revenue")
    >>> lc.explain(months, "2026-05").table.side.tolist()
    ['value', 'base']
    """
    if not isinstance(result, Answer):
        raise QuestionError(f"`result` must be an answer of compare, relate or drivers; got {type(result).__name__}")
    if not isinstance(result, Comparison):
        result = comparison_of(result, result.lined.top)
    asked = _measure(result, measure)
    period = result.place(at)
    by = result.by[: len(item)]
    columns = result.total_columns if not item else result.columns if by == result.by else result.subtotal_columns
    rows = (columns["measure"] == asked.name) & (columns["period"] == period)
    for name in item:
        if name not in result.by:
            raise QuestionError(f"`explain` {no_such('dimension', name, result.by, where='the answer')}")
    if set(item) != set(by):
        raise QuestionError(
            f"`explain` needs one label for each of {', '.join(result.by)}, or for the first of them; "
            f"got {', '.join(item)}"
        )
    for name, label in item.items():
        known = sorted({str(one) for one in columns[name][columns["measure"] == asked.name] if one is not None})
        if label not in known:
            raise QuestionError(f"`{name}`: {no_such('item', label, known, where=name)}")
        rows &= columns[name] == label
    for name in result.by[len(by) :]:
        rows &= columns[name] == None  # noqa: E711  element by element
    if not rows.any():
        raise QuestionError(f"the answer has no row of {', '.join(item.values())} in {result.periods[period]}")
    place = int(rows.argmax())
    figures = {name: values[place] for name, values in columns.items()}
    named = tuple(item[name] for name in by)
    held = _compared(result, asked, period, named) if result.kept == "comparable" and by != result.by else None
    wanted = held if held is not None else {named: True}
    if OTHERS in named:
        wanted = _others(result, asked, period)
    spans = _spans(result, asked, period, wanted, figures)
    arrays = _arrays(spans)
    notes = [note for note in str(figures["note"]).split("; ") if note]
    left_out = [" / ".join(labels) for labels, taken in (held or {}).items() if not taken]
    if left_out:
        notes.append(f"not comparable, left out: {', '.join(left_out)}")
    return Receipt(
        columns=arrays,
        total_columns=arrays,
        periods=(),
        notes=(*notes, *_effects(result, spans), *_holidays(spans, holidays)),
        spans=spans,
        figures=figures,
        measure=asked,
        period=result.periods[period],
        item=dict(item),
        cut=_cut(result, period, figures),
        of=result,
    )


def _measure(result: Comparison, name: str | None) -> Measure:
    known = {m.name: m for m in result.measures}
    if name is not None and name not in known:
        raise QuestionError(no_such("measure", name, known, where="the answer"))
    return known[name] if name is not None else result.measures[0]


def _spans(
    result: Comparison, measure: Measure, period: int, wanted: Wanted, figures: Mapping[str, Any]
) -> tuple[Span, ...]:
    """Both sides with their records and sums; of the items that the row holds."""
    aligned = result.alignment
    sides = [("value", result.book, aligned.value_spans(), aligned.value_known[None])]
    base = result.book if result.plan is None else selected_alike(result.plan, result.book)[0]
    base_known = aligned.part_known & aligned.base_known & bool(np.isfinite(figures["base"]))
    sides.append(("base", base, aligned.base_spans(), base_known))
    made = []
    for side, book, (starts, ends), known in sides:
        for part in np.flatnonzero(known[:, period]):
            start, end = int(starts[part, period]), int(ends[part, period])
            parts, records = _summed(result.by, book, measure, start, end, wanted)
            days = np.arange(start, end + 1)
            held = days[result.calendar.holds(days)]
            weekdays = tuple(np.bincount(weekday(held), minlength=7).tolist())
            made.append(Span(side, start, end, len(held), weekdays, records, *_worked(book, measure, parts)))
    return tuple(made)


def _summed(
    dims: tuple[str, ...], book: Daybook, measure: Measure, start: int, end: int, wanted: Wanted
) -> tuple[dict[str, Part], int]:
    """The sums by leaf and the number of records of one span, of the items that are wanted."""
    keys = [leaf.key for leaf in leaves(book.formulas[measure.name])]  # a base unknown has no span
    by = dims[: len(next(iter(wanted), ()))]
    found = book.sums(by, [*dict.fromkeys([*keys, RECORDS])], (np.array([[start]]), np.array([[end]])))
    kept = np.full(found[RECORDS][0].shape[1], bool(wanted))
    if by:
        kept = np.array([wanted.get(labels, False) for labels in zip(*book.ledger(by).items.labels)], dtype=bool)
    parts = {key: Part(found[key][0][:, kept].sum(axis=1), book.scale_of(key)) for key in keys}
    return parts, int(found[RECORDS][0][:, kept].sum())


def _worked(book: Daybook, measure: Measure, parts: Mapping[str, Part]) -> tuple[float, tuple[tuple[str, float], ...]]:
    """The figure of one span, and what it is made of."""
    formula = book.formulas[measure.name]
    if isinstance(formula, Leaf):
        return _one(formula, parts), ()
    other = formula.less if isinstance(formula, Difference) else formula.per
    named = ((str(measure.of), formula.of), (str(measure.less or measure.per), other))
    return _one(formula, parts), tuple((name, _one(part, parts)) for name, part in named)


def _one(formula: Formula, parts: Mapping[str, Part]) -> float:
    found = work_out(formula, parts)
    return float(found.values[0]) / 10 ** (found.scale or 0) if found.known[0] else float("nan")


def _compared(result: Comparison, measure: Measure, period: int, under: tuple[str, ...]) -> Wanted:
    """The items that have an amount on either side, and whether the total of the period holds them."""
    taken = _of(result.ungathered.columns, result.by, measure, period)
    return {labels: "not comparable" not in note for labels, note in taken.items() if labels[: len(under)] == under}


def _others(result: Comparison, measure: Measure, period: int) -> Wanted:
    """The items that `top` gathers, and whether they are compared."""
    shown = _of(result.columns, result.by, measure, period)
    return {
        labels: "not comparable" not in note
        for labels, note in _of(result.ungathered.columns, result.by, measure, period).items()
        if labels not in shown
    }


def _of(columns: Mapping[str, NDArray[Any]], by: tuple[str, ...], measure: Measure, period: int) -> dict[Any, str]:
    """The notes of the items of one measure and period that have an amount on either side."""
    any_amount = (np.nan_to_num(columns["value"]) != 0) | (np.nan_to_num(columns["base"]) != 0)
    rows = np.flatnonzero((columns["period"] == period) & (columns["measure"] == measure.name) & any_amount)
    return {tuple(columns[name][row] for name in by): str(columns["note"][row]) for row in rows}


def _arrays(spans: tuple[Span, ...]) -> dict[str, NDArray[Any]]:
    columns = {name: np.array([getattr(span, name) for span in spans], dtype=object) for name in COLUMNS}
    for name in ("start", "end"):
        columns[name] = columns[name].astype(np.int64).astype("datetime64[D]")
    for name in ("days", "weekend_days", "records"):
        columns[name] = columns[name].astype(np.int64)
    columns["sum"] = columns["sum"].astype(np.float64)
    return columns


def _cut(result: Comparison, period: int, figures: Mapping[str, Any]) -> str:
    """Where the period is cut and why; empty where it is whole."""
    aligned: Alignment = result.alignment
    cover = result.book.coverage
    if figures["status"] == "complete":
        return ""
    if not aligned.value_known[period]:
        return "the records do not cover it"
    if figures["status"] == "partial":
        return f"the records start on {iso(cover.first)}, within it: what is there is shown, and held against nothing"
    cut = f"the report date {iso(cover.last)} falls inside it"
    if result.question.partial == "as-is":
        return f"{cut}; partial='as-is' cuts nothing, so the base is whole"
    if not aligned.base_known[period]:
        return cut
    if result.plan is not None:
        return f"{cut}: the plan is taken over the same days"
    if aligned.parts.uncut[:, period].any():
        return f"{cut}; the base has no such place, so it is taken whole"
    return f"{cut}: the base is cut at the same point"


def _effects(result: Comparison, spans: tuple[Span, ...]) -> list[str]:
    """What the calendar did: where one side has a weekend day or a 29 February more than the other."""
    sides = {side: [span for span in spans if span.side == side] for side in ("value", "base")}
    if len(sides["value"]) != 1 or len(sides["base"]) != 1:
        return []
    (value,), (base,) = sides["value"], sides["base"]
    effects = []
    differ = [mine - theirs for mine, theirs in zip(value.weekdays, base.weekdays)]
    if len(set(differ)) > 1 and max(map(abs, differ)) == 1:
        said = [f"a {name} {'more' if more > 0 else 'less'}" for name, more in zip(_WEEKDAYS, differ) if more]
        effects.append(f"weekdays: {', '.join(said)} in the value than in the base")
    leaps = [is_leap_day(np.arange(span.start, span.end + 1)).any() for span in (value, base)]
    for mine, theirs, which in ((leaps[0], leaps[1], "value"), (leaps[1], leaps[0], "base")):
        if mine and not theirs:
            effects.append(f"29 February lies in the {which} only")
    weeks = [", ".join(_weeks_53(result, span)) for span in (value, base)]
    for week, other, which in ((weeks[0], weeks[1], "value"), (weeks[1], weeks[0], "base")):
        if week and not other:
            effects.append(f"week 53 ({week}) lies in the {which} only")
    return effects


def _weeks_53(result: Comparison, span: Span) -> list[str]:
    """The 53rd weeks that a span touches, where the calendar counts weeks."""
    calendar = result.calendar
    if "week" not in calendar.grains or not (calendar.whole_weeks or result.each == "week"):
        return []
    weeks: Days = np.unique(calendar.ordinals("week", np.arange(span.start, span.end + 1)))
    return [str(label) for label in calendar.labels("week", weeks[calendar.places("week", weeks)[1] == 53])]


def _holidays(spans: tuple[Span, ...], code: str | None) -> list[str]:
    """The public holidays that lie on one side and not, by name, on the other."""
    if code is None or {span.side for span in spans} != {"value", "base"}:
        return []
    found = hooks.holidays(code, min(s.start for s in spans), max(s.end for s in spans))
    days: Days = to_days(np.array(sorted(found), dtype=np.int64))
    on: dict[str, dict[str, int]] = {"value": {}, "base": {}}
    for span in spans:
        for day in days[(days >= span.start) & (days <= span.end)].tolist():
            on[span.side][found[day]] = day
    lines = []
    for side, other in (("value", "base"), ("base", "value")):
        named = [f"{name} ({iso(day)})" for name, day in on[side].items() if name not in on[other]]
        if named:
            lines.append(f"public holidays of {code} in the {side} only: {', '.join(named)}")
    return lines or [f"the same public holidays of {code} on both sides"]
