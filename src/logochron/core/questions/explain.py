"""The receipt of a figure: its spans day by day, what it is made of, and what else is to be known of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, ClassVar, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core import ports
from logochron.core.align.align import Alignment
from logochron.core.align.bases import Basis
from logochron.core.book.daybook import Daybook
from logochron.core.book.items import places_of
from logochron.core.book.measures import Aggregate, AggregateSums, Difference, Formula, Measure, aggregates, work_out
from logochron.core.book.rates import Rated
from logochron.core.book.sums import RECORDS
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.calendars.period_names import is_leap_day
from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import COMPLETE, OTHERS, PARTIAL, PROFILES, WEEKDAYS
from logochron.core.days import Days, iso, to_days, weekday
from logochron.core.errors import QuestionError, no_such
from logochron.core.notes import note_of
from logochron.core.questions.compare import Comparison, comparison_of
from logochron.core.questions.landing.answer import Landing, LandingFacts
from logochron.core.questions.overview import Overview
from logochron.core.questions.pace import Pace
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.currency_effect import steady_of
from logochron.core.rows.groupings import Labels
from logochron.core.rows.plans import selected_alike
from logochron.core.rows.prepare import Prepared
from logochron.core.rows.question_types import loaded, question_type, question_types
from logochron.core.rows.result import Blocks, Result, RowBlock
from logochron.core.said import Joined, Said


class Taken(NamedTuple):
    """The items that a sum takes: by some dimensions, the labels of each; all where no dimension is named."""

    labels: Labels

    def of(self, known: Labels, size: int) -> Bools:
        """Which of the items of a book are taken."""
        if not self.labels:
            return np.ones(size, dtype=bool)
        return places_of(self.labels, known) >= 0


def spans_of(
    result: Comparison, measure: Measure, period: int, taken: Taken, figures: Mapping[str, Any]
) -> tuple[SideSpan, ...]:
    """Both sides with their records and sums; of the items that the row holds."""
    aligned = result.alignment
    sides = [("value", result.book, aligned.value_spans(), aligned.value_known[None])]
    base = result.book if result.plan is None else selected_alike(result.plan, result.book)[0]
    base_known = aligned.part_known & aligned.base_known & bool(np.isfinite(figures["base"]))
    sides.append(("base", base, aligned.base_spans(), base_known))
    spans = []
    for side, book, (starts, ends), known in sides:
        for part in np.flatnonzero(known[:, period]):
            start, end = int(starts[part, period]), int(ends[part, period])
            parts, records = _summed(result.by, book, measure, start, end, taken)
            days = np.arange(start, end + 1)
            held = days[result.calendar.holds(days)]
            weekdays = tuple(np.bincount(weekday(held), minlength=7).tolist())
            spans.append(SideSpan(side, start, end, len(held), weekdays, records, *_worked(book, measure, parts)))
    return tuple(spans)


def _summed(
    dims: tuple[str, ...], book: Daybook, measure: Measure, start: int, end: int, taken: Taken
) -> tuple[dict[str, AggregateSums], int]:
    """The sums by aggregate and the number of records of one span, of the items that are taken."""
    keys = [aggregate.key for aggregate in aggregates(book.formulas[measure.name])]  # a base unknown has no span
    by = dims[: len(taken.labels)]
    sums = book.sums(by, [*dict.fromkeys([*keys, RECORDS])], (np.array([[start]]), np.array([[end]])))
    kept = taken.of(book.day_sums(by).items.labels, sums[RECORDS][0].shape[1])
    parts = {key: AggregateSums(sums[key][0][:, kept].sum(axis=1), book.scale_of(key)) for key in keys}
    return parts, int(sums[RECORDS][0][:, kept].sum())


def _worked(
    book: Daybook, measure: Measure, parts: Mapping[str, AggregateSums]
) -> tuple[float, tuple[tuple[str, float], ...]]:
    """The figure of one span, and what it is made of."""
    formula = book.formulas[measure.name]
    if isinstance(formula, Aggregate):
        return _one(formula, parts), ()
    other = formula.less if isinstance(formula, Difference) else formula.per
    named = ((str(measure.of), formula.of), (str(measure.less or measure.per), other))
    return _one(formula, parts), tuple((name, _one(part, parts)) for name, part in named)


def _one(formula: Formula, parts: Mapping[str, AggregateSums]) -> float:
    return float(work_out(formula, parts).shown.item())


def compared_alone(result: Comparison, measure: Measure, period: int, under: Labels) -> tuple[Taken, list[str]]:
    """The items below a subtotal with an amount on either side: those compared, and the names of the others."""
    block = result.of_measure(result.ungathered.columns, measure).blocks[0]
    labels = tuple(block.columns[name][0] for name in result.by)
    rows = _with_amount(block, period)
    for known, wanted in zip(labels, under):
        rows &= known == wanted[0]
    kept = rows & ~_bears(result.ungathered, block, period, "not comparable")
    left_out = [" / ".join(named) for named in zip(*(label[rows & ~kept] for label in labels))]
    return Taken(tuple(label[kept] for label in labels)), left_out


def gathered_alone(result: Comparison, measure: Measure, period: int) -> Taken:
    """The items that `top` gathers, but for those that are not compared."""
    full = result.of_measure(result.ungathered.columns, measure).blocks[0]
    shown = result.of_measure(result.columns, measure).blocks[0]
    labels, others = (tuple(block.columns[name][0] for name in result.by) for block in (full, shown))
    rows = (places_of(others, labels) < 0) & ~_bears(result.ungathered, full, period, "not comparable")
    return Taken(tuple(label[rows] for label in labels))


def _with_amount(block: RowBlock, period: int) -> Bools:
    """Which items have an amount on either side."""
    value, base = (np.broadcast_to(block.columns[name], block.shape)[period] for name in ("value", "base"))
    return np.asarray((np.nan_to_num(value) != 0) | (np.nan_to_num(base) != 0))


def _bears(result: Comparison, block: RowBlock, period: int, code: str) -> Bools:
    """Which items bear a note in a period."""
    bearing = np.array([note_of(notes, code) is not None for notes in result.note_table])
    return np.asarray(bearing[block.columns["note"][period]])


_SATURDAY = 5


@dataclass(frozen=True)
class SideSpan:
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


def calendar_effects(calendar: Calendar, each: str, spans: tuple[SideSpan, ...]) -> list[str]:
    """What the calendar did: where one side has a weekend day or a 29 February more than the other."""
    sides = {side: [span for span in spans if span.side == side] for side in ("value", "base")}
    if len(sides["value"]) != 1 or len(sides["base"]) != 1:
        return []
    (value,), (base,) = sides["value"], sides["base"]
    effects: list[str] = []
    differ = [mine - theirs for mine, theirs in zip(value.weekdays, base.weekdays)]
    if len(set(differ)) > 1 and max(map(abs, differ)) == 1:
        said = [
            Said("a {0} more" if more > 0 else "a {0} less", Said(name)) for name, more in zip(WEEKDAYS, differ) if more
        ]
        effects.append(Said("weekdays: {0} in the value than in the base", Joined(said)))
    leaps = [is_leap_day(np.arange(span.start, span.end + 1)).any() for span in (value, base)]
    for mine, theirs, which in ((leaps[0], leaps[1], "value"), (leaps[1], leaps[0], "base")):
        if mine and not theirs:
            effects.append(Said("29 February lies in the {0} only", Said(which)))
    weeks = [", ".join(_weeks_53(calendar, each, span)) for span in (value, base)]
    for week, other, which in ((weeks[0], weeks[1], "value"), (weeks[1], weeks[0], "base")):
        if week and not other:
            effects.append(Said("week 53 ({0}) lies in the {1} only", week, Said(which)))
    return effects


def _weeks_53(calendar: Calendar, each: str, span: SideSpan) -> list[str]:
    """The 53rd weeks that a span touches, where the calendar counts weeks."""
    if "week" not in calendar.grains or not (calendar.whole_weeks or each == "week"):
        return []
    weeks: Days = np.unique(calendar.ordinals("week", np.arange(span.start, span.end + 1)))
    return [str(label) for label in calendar.labels("week", weeks[calendar.places("week", weeks)[1] == 53])]


def holiday_effects(spans: tuple[SideSpan, ...], code: str | None) -> list[str]:
    """The public holidays that lie on one side and not, by name, on the other."""
    if code is None or {span.side for span in spans} != {"value", "base"}:
        return []
    holidays = ports.holidays(code, min(s.start for s in spans), max(s.end for s in spans))
    days: Days = to_days(np.array(sorted(holidays), dtype=np.int64))
    on: dict[str, dict[str, int]] = {"value": {}, "base": {}}
    for span in spans:
        for day in days[(days >= span.start) & (days <= span.end)].tolist():
            on[span.side][holidays[day]] = day
    lines: list[str] = []
    for side, other in (("value", "base"), ("base", "value")):
        named = [Said("{0} ({1})", name, iso(day)) for name, day in on[side].items() if name not in on[other]]
        if named:
            lines.append(Said("public holidays of {0} in the {1} only: {2}", code, Said(side), Joined(named)))
    return lines or [Said("the same public holidays of {0} on both sides", code)]


class SpanRates(NamedTuple):
    """The rates that the amounts of a span were converted at."""

    side: str
    start: int
    end: int
    rates: tuple[Rated, ...]


def rates_of(result: Comparison, measure: Measure, spans: tuple[SideSpan, ...]) -> tuple[SpanRates, ...]:
    """The rates of each span, where amounts of the measure were converted."""
    found = []
    for span in spans:
        book = result.plan if span.side == "base" and result.plan is not None else result.book
        conversion = book.conversion
        if conversion is None or measure.name not in book.formulas:
            continue
        amounts = [one for one in aggregates(book.formulas[measure.name]) if one.column in conversion.columns]
        for at in dict.fromkeys(one.rates_at for one in amounts):
            if rated := tuple(conversion.rated(at, span.start, span.end)):
                found.append(SpanRates(span.side, span.start, span.end, rated))
    return tuple(dict.fromkeys(found))


class SteadyChange(NamedTuple):
    """The change of a measure at constant rates: what is missing to the change is the currency effect."""

    measure: Measure
    change: float


def steady_change(
    result: Comparison, measure: Measure, period: int, taken: Taken, figures: Mapping[str, Any]
) -> SteadyChange | None:
    """The change at constant rates, where the book has the measure at such, and both sides are known."""
    steady = steady_of(result.book, measure)
    if steady is None or result.plan is not None or result.per is not None or not np.isfinite(figures["change"]):
        return None
    spans = spans_of(result, steady, period, taken, figures)
    value, base = ([span.sum for span in spans if span.side == side] for side in ("value", "base"))
    return SteadyChange(steady, sum(value) - sum(base) / max(len(base), 1))


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
    spans, figures, measure, period, item, cut, of, landing, answer, rates, steady
        What the text is made of. `figures` is the row itself, `answer` what it is of, `of` both sides as a comparison,
        `landing` what an estimate rests on, `rates` those of currencies, `steady` the change at constant ones.
    """

    spans: tuple[SideSpan, ...]
    figures: Mapping[str, Any]
    measure: Measure
    period: str
    item: Mapping[str, str]
    cut: str
    of: Comparison = field(repr=False)
    answer: AlignedAnswer = field(repr=False)
    landing: LandingFacts | None = field(default=None, kw_only=True)
    rates: tuple[SpanRates, ...] = field(default=(), kw_only=True)
    steady: SteadyChange | None = field(default=None, kw_only=True)
    kind: ClassVar[str] = "explain"

    @cached_property
    def text(self) -> str:
        """The receipt in words."""
        return ports.receipt(self)

    def __str__(self) -> str:
        return self.text

    def __repr__(self) -> str:
        return self.text


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
    window: str | None = None,
    against: str | Basis | None = None,
    **item: str,
) -> Receipt:
    """The receipt of one row of an answer, or of its total.

    Parameters
    ----------
    result
        An answer of `compare`, `overview`, `relate`, `drivers`, `pace` or `land`.
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
    window, against
        Of `overview`: the window, and what it is held against; those that lead where None.
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
        raise QuestionError(_not_explained(result))
    if position is not None and not result.type.has_column("position"):
        raise QuestionError("`position` goes with the answer of pace")
    if (window is not None or against is not None) and not result.type.has_column("window"):
        raise QuestionError("`window` and `against` go with the answer of overview")
    choice = RowChoice(at, {**(items or {}), **item}, measure, holidays, position, window, against)
    receipt: Receipt = loaded(result.type.receipt)(result, choice)
    return receipt


def _not_explained(result: object) -> str:
    """What is said where a receipt is asked of something else."""
    *first, last = [one.name for one in question_types() if one.page != "still"]
    return Said("`result` must be an answer of {0} or {1}; got {2}", ", ".join(first), last, type(result).__name__)


class RowChoice(NamedTuple):
    """The row that a receipt is of, as `explain` takes it."""

    at: Any
    item: Mapping[str, str]
    measure: str | None
    holidays: str | None
    position: int | None
    window: str | None = None
    against: str | Basis | None = None


def overview_receipt(result: Overview, choice: RowChoice) -> Receipt:
    """The receipt of a row of an overview: that of the comparison whose row it is."""
    return comparison_receipt(result.comparison(choice.window, choice.against), choice)


def comparison_receipt(result: Comparison, choice: RowChoice) -> Receipt:
    """The receipt of a row of a comparison."""
    return _receipt(result, result, result.place(choice.at), choice)


def _as_comparison(prepared: Prepared, *, keep_top: bool = False) -> Comparison:
    """What was lined up as a comparison, with all its items unless only the order is another's."""
    question_type("compare").check_dimensions(prepared.selection.by)
    top = prepared.selection.top if keep_top else None
    return comparison_of(replace(prepared, selection=replace(prepared.selection, sort=None, top=top)))


def position_receipt(result: Pace, choice: RowChoice) -> Receipt:
    """The receipt of a running total and its base at one position."""
    row = result.place(choice.at, choice.position)
    many = len(result.positions.numbers)
    parent, place = divmod(row, many)
    # all items of the answer: those that any running total holds; and `top` chooses by today's
    aligned = result.alignment
    rows = np.arange(aligned.size).reshape(-1, many)
    last_known = [np.where(known.reshape(-1, many), rows, -1).max(axis=1) for known in (
        aligned.value_known, aligned.base_known)]  # fmt: skip
    held = np.unique(np.concatenate(last_known))
    taken = np.array([row, *held[held >= 0].tolist(), result.place()])
    receipt = _receipt(result, _as_comparison(result.prepared.at(taken), keep_top=True), 0, choice)
    label = Said("{0}, position {1}", result.periods[parent], result.positions.numbers[place])
    return replace(receipt, period=label, cut="")


def landing_receipt(result: Landing, choice: RowChoice) -> Receipt:
    """The receipt of an estimate: both sides, and how it came about from them."""
    result = result.whole
    result.place(choice.at)
    receipt = _receipt(result, _as_comparison(result.prepared, keep_top=True), 0, choice)
    measure, by = receipt.measure, result.by[: len(choice.item)]
    block = _block(result, measure, by)
    place = _place(block, by, choice.item, result.periods[0], 0)
    row = block.row(0, place)
    figures = {**receipt.figures, **row}
    for name in ("direction", "verdict"):
        figures[name] = result.words[name][row[name]]
    figures["profile"] = PROFILES[row["profile"]] if row["profile"] >= 0 else None
    noted = [note.said for note in result.note_table[row["note"]]]
    notes = tuple(dict.fromkeys((*noted, *receipt.notes)))
    return replace(receipt, figures=figures, landing=LandingFacts.of(result, measure, by, place), notes=notes)


def row_receipt(result: AlignedAnswer, choice: RowChoice) -> Receipt:
    """The receipt of a row of any other answer: both sides, and the row's own figures."""
    period, prepared = result.place(choice.at), result.prepared
    if result.in_own_order:
        if choice.item:
            raise QuestionError("a group of many items has no receipt: explain the total, or one item without `gather`")
        prepared = replace(prepared, selection=prepared.selection.about(prepared.selection.book, ()))
    receipt = _receipt(result, _as_comparison(prepared, keep_top=True), period, choice)
    by = result.by[: len(choice.item)]
    block = _block(result, receipt.measure, by)
    row = block.row(period, _place(block, by, choice.item, result.periods[period], period))
    own = row | {
        name: None if row[name] < 0 else texts[row[name]] for name, texts in result.words.items() if name in row
    }
    shown = {name: receipt.figures[name] for name in ("base", "base_period", "days", "base_days", "status")}
    notes = [note.said for note in result.note_table[row["note"]]] if "note" in row else []
    return replace(receipt, figures=shown | own, notes=tuple(dict.fromkeys((*notes, *receipt.notes))))


def _block(result: AlignedAnswer, measure: Measure, by: tuple[str, ...]) -> RowBlock:
    """The rows of the items of some of the dimensions."""
    columns = result.total_columns if not by else result.columns if by == result.by else result.subtotal_columns
    return result.of_measure(columns, measure).blocks[len(by) - 1 if columns is result.subtotal_columns else 0]


def _receipt(answer: AlignedAnswer, result: Comparison, period: int, choice: RowChoice) -> Receipt:
    """The receipt of a row of an answer, told from both sides as a comparison."""
    item = choice.item
    measure = _measure(result, choice.measure)
    by = result.by[: len(item)]
    for name in item:
        if name not in result.by:
            raise QuestionError("`explain` {0}", no_such("dimension", name, result.by, where="the answer"))
    if set(item) != set(by):
        raise QuestionError(
            "`explain` needs one label for each of {0}, or for the first of them; got {1}",
            ", ".join(result.by),
            ", ".join(item),
        )
    block = _block(result, measure, by)
    place = _place(block, by, item, result.periods[period], period)
    row = block.row(period, place)
    figures = row | {name: None if row[name] < 0 else texts[row[name]] for name, texts in result.words.items()}
    named = tuple(np.array([item[name]], dtype=object) for name in by)
    taken = Taken(named)
    left_out: list[str] = []
    if OTHERS in item.values():
        taken = gathered_alone(result, measure, period)
    elif result.kept == "comparable" and by != result.by:
        taken, left_out = compared_alone(result, measure, period, named)
    spans = spans_of(result, measure, period, taken, figures)
    notes = [note.said for note in result.note_table[row["note"]]]
    if left_out:
        notes.append(Said("not comparable, left out: {0}", ", ".join(left_out)))
    arrays = Blocks.plain(_arrays(spans))
    return Receipt(
        columns=arrays,
        total_columns=arrays,
        periods=(),
        notes=(
            *notes,
            *calendar_effects(result.calendar, result.each, spans),
            *holiday_effects(spans, choice.holidays),
        ),
        spans=spans,
        figures=figures,
        measure=measure,
        period=result.periods[period],
        item=dict(item),
        cut=_cut(result, period),
        of=result,
        answer=answer,
        rates=rates_of(result, measure, spans),
        steady=steady_change(result, measure, period, taken, figures),
    )


def _place(block: RowBlock, by: tuple[str, ...], item: Mapping[str, str], label: str, period: int) -> int:
    """The place of an item among those of a block."""
    fits = np.ones(block.shape[1], dtype=bool)
    for name in by:
        known = block.columns[name][0]
        if not (known == item[name]).any():
            raise QuestionError("`{0}`: {1}", name, no_such("item", item[name], sorted(set(known)), where=name))
        fits &= known == item[name]
    place = int(fits.argmax())
    shown = block.order is None or (block.order == period * block.shape[1] + place).any()
    if not fits.any() or not shown or period >= block.shape[0]:
        raise QuestionError("the answer has no row of {0} in {1}", ", ".join(item.values()), label)
    return place


def _measure(result: AlignedAnswer, name: str | None) -> Measure:
    known = {m.name: m for m in result.measures}
    if name is not None and name not in known:
        raise QuestionError(no_such("measure", name, known, where="the answer"))
    return known[name] if name is not None else result.measures[0]


def _arrays(spans: tuple[SideSpan, ...]) -> dict[str, NDArray[Any]]:
    columns = {
        name: np.array([getattr(span, name) for span in spans], dtype=object)
        for name in question_type("explain").columns
    }
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
        return Said("the records do not cover it")
    if status == PARTIAL:
        return Said(
            "the records start on {0}, within it: what is there is shown, and held against nothing", iso(cover.first)
        )
    cut = Said("the report date {0} falls inside it", iso(cover.last))
    if result.spec.partial == "as-is":
        return Said("{0}; partial='as-is' cuts nothing, so the base is whole", cut)
    if not aligned.base_known[period]:
        return cut
    if result.plan is not None:
        return Said("{0}: the plan is taken over the same days", cut)
    if aligned.parts.uncut[:, period].any():
        return Said("{0}; the base has no such place, so it is taken whole", cut)
    return Said("{0}: the base is cut at the same point", cut)
