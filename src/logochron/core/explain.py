"""How did a figure come about? Both spans day by day counted, both sums, the cut, the notes, what the calendar did."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core import hooks
from logochron.core.alignment import Alignment
from logochron.core.calendars.months import is_leap_day
from logochron.core.compare import Comparison
from logochron.core.daybook import RECORDS, Daybook
from logochron.core.days import Days, iso, to_days, weekday
from logochron.core.errors import QuestionError, no_such
from logochron.core.measures import Measure
from logochron.core.planned import selected_alike
from logochron.core.results import Result

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
    result: Comparison,
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
        An answer of `compare`.
    at
        The period: its label, or a day in it; the last one where None.
    measure
        The measure; the first where None.
    holidays
        A country, such as ``"PT"``, or a region of one, ``"DE-BY"``: its public holidays that lie on one side only are
        named. Needs the extra `holidays`.
    **item
        One label for each dimension of the answer; no item: the total.

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
    if not isinstance(result, Comparison):
        raise QuestionError(f"`result` must be an answer of compare; got {type(result).__name__}")
    asked = _measure(result, measure)
    period = result.place(at)
    columns = result.columns if item else result.total_columns
    rows = (columns["measure"] == asked.name) & (columns["period"] == period)
    for name in item:
        if name not in result.by:
            raise QuestionError(f"`explain` {no_such('dimension', name, result.by, where='the answer')}")
    if item and set(item) != set(result.by):
        raise QuestionError(f"`explain` needs one label for each of {', '.join(result.by)}; got {', '.join(item)}")
    for name, label in item.items():
        known = sorted({str(one) for one in columns[name][columns["measure"] == asked.name]})
        if label not in known:
            raise QuestionError(f"`{name}`: {no_such('item', label, known, where=name)}")
        rows &= columns[name] == label
    if not rows.any():
        raise QuestionError(f"the answer has no row of {', '.join(item.values())} in {result.periods[period]}")
    place = int(rows.argmax())
    figures = {name: values[place] for name, values in columns.items()}
    held = _compared(result, asked, period) if result.kept == "comparable" and not item else None
    wanted = {tuple(item[name] for name in result.by): True} if item else held
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
    result: Comparison, measure: Measure, period: int, wanted: Wanted | None, figures: Mapping[str, Any]
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
            sums, records = _summed(result, book, measure, start, end, wanted)
            days = np.arange(start, end + 1)
            held = days[result.calendar.holds(days)]
            weekdays = tuple(np.bincount(weekday(held), minlength=7).tolist())
            made.append(Span(side, start, end, len(held), weekdays, records, sums))
    return tuple(made)


def _summed(
    result: Comparison, book: Daybook, measure: Measure, start: int, end: int, wanted: Wanted | None
) -> tuple[float, int]:
    """The sum and the number of records of one span, of the items that are wanted."""
    column = {m.name: m.source_column for m in book.measures}[measure.name]  # a base unknown has no span
    by = () if wanted is None else result.by
    found = book.sums(by, [column, RECORDS], (np.array([[start]]), np.array([[end]])))
    kept = np.ones(found[RECORDS][0].shape[1], dtype=bool)
    if wanted is not None:
        kept = np.array([wanted.get(labels, False) for labels in zip(*book.ledger(by).items.labels)], dtype=bool)
    sums, records = (found[name][0][0][kept].sum() for name in (column, RECORDS))
    return float(sums) / 10 ** (book.amounts[column].scale or 0), int(records)


def _compared(result: Comparison, measure: Measure, period: int) -> Wanted:
    """The items that have an amount on either side, and whether the total of the period holds them."""
    columns = result.columns
    any_amount = (np.nan_to_num(columns["value"]) != 0) | (np.nan_to_num(columns["base"]) != 0)
    rows = np.flatnonzero((columns["period"] == period) & (columns["measure"] == measure.name) & any_amount)
    return {
        tuple(columns[name][row] for name in result.by): "not comparable" not in columns["note"][row] for row in rows
    }


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
