"""How did a figure come about? Both spans day by day counted, both sums, the cut, the notes, what the calendar did."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, ClassVar, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core import ports
from logochron.core.align.align import Alignment
from logochron.core.book.daybook import Daybook
from logochron.core.book.formulas import RECORDS, Difference, Formula, Leaf, LeafSums, leaves, work_out
from logochron.core.book.measures import Measure
from logochron.core.calendars.base import Bools
from logochron.core.check_kinds import kinds_checked
from logochron.core.days import iso, weekday
from logochron.core.errors import QuestionError, no_such
from logochron.core.notes import note_of
from logochron.core.options import COMPLETE, PARTIAL, PROFILES
from logochron.core.questions.calendar_effects import SideSpan, calendar_effects, holiday_effects
from logochron.core.questions.compare import Comparison, compared
from logochron.core.questions.land import Landing
from logochron.core.questions.landing_facts import LandingFacts
from logochron.core.questions.pace import Pace
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.blocks import Blocks, RowBlock
from logochron.core.rows.columns import check_dimensions, columns_of
from logochron.core.rows.plan_side import selected_alike
from logochron.core.rows.prepare import OTHERS, Prepared
from logochron.core.rows.result import Result
from logochron.core.rows.tiers import Labels


@dataclass(frozen=True, repr=False, eq=False)
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
    spans, figures, measure, period, item, cut, landing
        What the text is made of. `figures` is the row itself, `landing` what an estimate rests on.
    """

    spans: tuple[SideSpan, ...]
    figures: Mapping[str, Any]
    measure: Measure
    period: str
    item: Mapping[str, str]
    cut: str
    of: Comparison = field(repr=False)
    landing: LandingFacts | None = field(default=None, kw_only=True)
    kind: ClassVar[str] = "explain"

    @cached_property
    def text(self) -> str:
        """The receipt in words."""
        return ports.receipt(self)

    def __str__(self) -> str:
        return self.text

    def __repr__(self) -> str:
        return self.text


class _Taken(NamedTuple):
    """The items that a sum takes: by some dimensions, the labels of each; all where no dimension is named."""

    labels: Labels

    def of(self, known: Labels, size: int) -> Bools:
        """Which of the items of a book are taken."""
        if not self.labels:
            return np.ones(size, dtype=bool)
        return np.isin(_keys(known), _keys(self.labels))


def _keys(labels: Labels) -> NDArray[np.object_]:
    """Tuples of labels as one text each."""
    keys = labels[0].astype(object)
    for label in labels[1:]:
        keys = keys + "\0" + label
    return keys


@kinds_checked
def explain(
    result: AlignedAnswer,
    /,
    at: Any = None,
    items: Mapping[str, str] | None = None,
    *,
    measure: str | None = None,
    holidays: str | None = None,
    position: int | None = None,
    **item: str,
) -> Receipt:
    """The receipt of one row of an answer, or of its total.

    Parameters
    ----------
    result
        An answer of `compare`, `relate`, `drivers`, `pace` or `land`.
    at
        The period: its label, or a day in it; the last one where None. Of `pace` a day names its position too.
    items
        The item as a mapping, ``{"harbor": "Alderquay"}``: also for dimensions called like a parameter here.
    measure
        The measure; the first where None.
    holidays
        A country, such as ``"PT"``, or a region of one, ``"DE-BY"``: its public holidays that lie on one side only are
        named. Needs the extra `holidays`.
    position
        Of `pace`: the position in the period; today's where None.
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
    if not isinstance(result, AlignedAnswer):
        raise QuestionError(
            f"`result` must be an answer of compare, relate, drivers, pace or land; got {type(result).__name__}"
        )
    item = {**(items or {}), **item}
    if position is not None and not isinstance(result, Pace):
        raise QuestionError("`position` goes with the answer of pace")
    if isinstance(result, Landing):
        return _landed(result, at, item, measure, holidays)
    if isinstance(result, Pace):
        return _at_position(result, at, position, item, measure, holidays)
    if not isinstance(result, Comparison):
        result = _as_comparison(result.prepared, keep_top=True)
    return _receipt(result, at, item, measure, holidays)


def _as_comparison(prepared: Prepared, *, keep_top: bool = False) -> Comparison:
    """What was lined up as a comparison, with all its items unless only the order is another's."""
    check_dimensions("compare", prepared.asked.by)
    top = prepared.asked.top if keep_top else None
    return compared(replace(prepared, asked=replace(prepared.asked, sort=None, top=top)))


def _at_position(
    result: Pace,
    at: Any,
    position: int | None,
    item: Mapping[str, str],
    measure: str | None,
    holidays: str | None,
) -> Receipt:
    """The receipt of a running total and its base at one position."""
    row = result.place(at, position)
    parent, place = divmod(row, len(result.positions.numbers))
    made = _receipt(_as_comparison(result.prepared.at(np.array([row]))), None, item, measure, holidays)
    label = f"{result.periods[parent]}, position {result.positions.numbers[place]}"
    return replace(made, period=label, cut="")


def _landed(result: Landing, at: Any, item: Mapping[str, str], measure: str | None, holidays: str | None) -> Receipt:
    """The receipt of an estimate: both sides, and how it came about from them."""
    result = result.whole
    result.place(at)
    if item:  # on its own, as where() would have it
        result = result.of_items(item)
    asked = _measure(result, measure)
    made = _receipt(_as_comparison(result.prepared), None, {}, asked.name, holidays)
    block, place = result.block_of(asked)
    row = block.row(0, place)
    figures = {**made.figures, **row}
    for name in ("direction", "verdict"):
        figures[name] = result.words[name][row[name]]
    figures["profile"] = PROFILES[row["profile"]] if row["profile"] >= 0 else None
    noted = [str(note) for note in result.note_table[row["note"]]]
    notes = tuple(dict.fromkeys((*noted, *made.notes)))
    return replace(made, figures=figures, landing=LandingFacts.of(result, asked), notes=notes)


def _receipt(
    result: Comparison, at: Any, item: Mapping[str, str], measure: str | None, holidays: str | None
) -> Receipt:
    """The receipt of a row of a comparison."""
    asked = _measure(result, measure)
    period = result.place(at)
    by = result.by[: len(item)]
    for name in item:
        if name not in result.by:
            raise QuestionError(f"`explain` {no_such('dimension', name, result.by, where='the answer')}")
    if set(item) != set(by):
        raise QuestionError(
            f"`explain` needs one label for each of {', '.join(result.by)}, or for the first of them; "
            f"got {', '.join(item)}"
        )
    columns = result.total_columns if not item else result.columns if by == result.by else result.subtotal_columns
    block = result.of_measure(columns, asked).blocks[len(item) - 1 if columns is result.subtotal_columns else 0]
    place = _place(block, by, item, result.periods[period], period)
    row = block.row(period, place)
    figures = row | {name: None if row[name] < 0 else texts[row[name]] for name, texts in result.words.items()}
    named = tuple(np.array([item[name]], dtype=object) for name in by)
    taken = _Taken(named)
    left_out: list[str] = []
    if OTHERS in item.values():
        taken = _gathered(result, asked, period)
    elif result.kept == "comparable" and by != result.by:
        taken, left_out = _compared(result, asked, period, named)
    spans = _spans(result, asked, period, taken, figures)
    notes = [str(note) for note in result.note_table[row["note"]]]
    if left_out:
        notes.append(f"not comparable, left out: {', '.join(left_out)}")
    arrays = Blocks.plain(_arrays(spans))
    return Receipt(
        columns=arrays,
        total_columns=arrays,
        periods=(),
        notes=(
            *notes,
            *calendar_effects(result.calendar, result.each, spans),
            *holiday_effects(spans, holidays),
        ),
        spans=spans,
        figures=figures,
        measure=asked,
        period=result.periods[period],
        item=dict(item),
        cut=_cut(result, period),
        of=result,
    )


def _place(block: RowBlock, by: tuple[str, ...], item: Mapping[str, str], label: str, period: int) -> int:
    """The place of an item among those of a block."""
    fits = np.ones(block.shape[1], dtype=bool)
    for name in by:
        known = block.columns[name][0]
        if not (known == item[name]).any():
            raise QuestionError(f"`{name}`: {no_such('item', item[name], sorted(set(known)), where=name)}")
        fits &= known == item[name]
    place = int(fits.argmax())
    shown = block.order is None or (block.order == period * block.shape[1] + place).any()
    if not fits.any() or not shown or period >= block.shape[0]:
        raise QuestionError(f"the answer has no row of {', '.join(item.values())} in {label}")
    return place


def _measure(result: AlignedAnswer, name: str | None) -> Measure:
    known = {m.name: m for m in result.measures}
    if name is not None and name not in known:
        raise QuestionError(no_such("measure", name, known, where="the answer"))
    return known[name] if name is not None else result.measures[0]


def _spans(
    result: Comparison, measure: Measure, period: int, taken: _Taken, figures: Mapping[str, Any]
) -> tuple[SideSpan, ...]:
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
            parts, records = _summed(result.by, book, measure, start, end, taken)
            days = np.arange(start, end + 1)
            held = days[result.calendar.holds(days)]
            weekdays = tuple(np.bincount(weekday(held), minlength=7).tolist())
            made.append(SideSpan(side, start, end, len(held), weekdays, records, *_worked(book, measure, parts)))
    return tuple(made)


def _summed(
    dims: tuple[str, ...], book: Daybook, measure: Measure, start: int, end: int, taken: _Taken
) -> tuple[dict[str, LeafSums], int]:
    """The sums by leaf and the number of records of one span, of the items that are taken."""
    keys = [leaf.key for leaf in leaves(book.formulas[measure.name])]  # a base unknown has no span
    by = dims[: len(taken.labels)]
    found = book.sums(by, [*dict.fromkeys([*keys, RECORDS])], (np.array([[start]]), np.array([[end]])))
    kept = taken.of(book.day_sums(by).items.labels, found[RECORDS][0].shape[1])
    parts = {key: LeafSums(found[key][0][:, kept].sum(axis=1), book.scale_of(key)) for key in keys}
    return parts, int(found[RECORDS][0][:, kept].sum())


def _worked(
    book: Daybook, measure: Measure, parts: Mapping[str, LeafSums]
) -> tuple[float, tuple[tuple[str, float], ...]]:
    """The figure of one span, and what it is made of."""
    formula = book.formulas[measure.name]
    if isinstance(formula, Leaf):
        return _one(formula, parts), ()
    other = formula.less if isinstance(formula, Difference) else formula.per
    named = ((str(measure.of), formula.of), (str(measure.less or measure.per), other))
    return _one(formula, parts), tuple((name, _one(part, parts)) for name, part in named)


def _one(formula: Formula, parts: Mapping[str, LeafSums]) -> float:
    return float(work_out(formula, parts).shown.item())


def _compared(result: Comparison, measure: Measure, period: int, under: Labels) -> tuple[_Taken, list[str]]:
    """The items below a subtotal with an amount on either side: those compared, and the names of the others."""
    block = result.of_measure(result.ungathered.columns, measure).blocks[0]
    labels = tuple(block.columns[name][0] for name in result.by)
    rows = _with_amount(block, period)
    for known, wanted in zip(labels, under):
        rows &= known == wanted[0]
    kept = rows & ~_bears(result.ungathered, block, period, "not comparable")
    left_out = [" / ".join(named) for named in zip(*(label[rows & ~kept] for label in labels))]
    return _Taken(tuple(label[kept] for label in labels)), left_out


def _gathered(result: Comparison, measure: Measure, period: int) -> _Taken:
    """The items that `top` gathers, but for those that are not compared."""
    full = result.of_measure(result.ungathered.columns, measure).blocks[0]
    shown = result.of_measure(result.columns, measure).blocks[0]
    labels, others = (tuple(block.columns[name][0] for name in result.by) for block in (full, shown))
    rows = ~np.isin(_keys(labels), _keys(others)) & ~_bears(result.ungathered, full, period, "not comparable")
    return _Taken(tuple(label[rows] for label in labels))


def _with_amount(block: RowBlock, period: int) -> Bools:
    """Which items have an amount on either side."""
    value, base = (np.broadcast_to(block.columns[name], block.shape)[period] for name in ("value", "base"))
    return np.asarray((np.nan_to_num(value) != 0) | (np.nan_to_num(base) != 0))


def _bears(result: Comparison, block: RowBlock, period: int, code: str) -> Bools:
    """Which items bear a note in a period."""
    bearing = np.array([note_of(notes, code) is not None for notes in result.note_table])
    return np.asarray(bearing[block.columns["note"][period]])


def _arrays(spans: tuple[SideSpan, ...]) -> dict[str, NDArray[Any]]:
    columns = {name: np.array([getattr(span, name) for span in spans], dtype=object) for name in columns_of("explain")}
    for name in ("start", "end"):
        columns[name] = columns[name].astype(np.int64).astype("datetime64[D]")
    for name in ("days", "weekend_days", "records"):
        columns[name] = columns[name].astype(np.int64)
    columns["sum"] = columns["sum"].astype(np.float64)
    return columns


def _cut(result: Comparison, period: int) -> str:
    """Where the period is cut and why; empty where it is whole."""
    aligned: Alignment = result.alignment
    cover, status = result.book.coverage, aligned.status[period]
    if status == COMPLETE:
        return ""
    if not aligned.value_known[period]:
        return "the records do not cover it"
    if status == PARTIAL:
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
