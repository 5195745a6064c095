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
from logochron.core.book.measures import Measure
from logochron.core.check_kinds import kinds_checked
from logochron.core.days import iso
from logochron.core.errors import QuestionError, no_such
from logochron.core.options import COMPLETE, OTHERS, PARTIAL, PROFILES
from logochron.core.questions.calendar_effects import SideSpan, calendar_effects, holiday_effects
from logochron.core.questions.compare import Comparison, compared
from logochron.core.questions.land import Landing
from logochron.core.questions.landing_facts import LandingFacts
from logochron.core.questions.pace import Pace
from logochron.core.questions.receipt_spans import Taken, compared_alone, gathered_alone, spans_of
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.blocks import Blocks, RowBlock
from logochron.core.rows.prepare import Prepared
from logochron.core.rows.question_types import loaded, question_type, question_types
from logochron.core.rows.result import Result


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
    spans, figures, measure, period, item, cut, of, landing, answer
        What the text is made of. `figures` is the row itself, `answer` what it is of, `of` both sides as a comparison,
        `landing` what an estimate rests on.
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
        raise QuestionError(_not_explained(result))
    if position is not None and not result.type.has_column("position"):
        raise QuestionError("`position` goes with the answer of pace")
    choice = RowChoice(at, {**(items or {}), **item}, measure, holidays, position)
    receipt: Receipt = loaded(result.type.receipt)(result, choice)
    return receipt


def _not_explained(result: object) -> str:
    """What is said where a receipt is asked of something else."""
    *first, last = [one.name for one in question_types() if one.page != "still"]
    return f"`result` must be an answer of {', '.join(first)} or {last}; got {type(result).__name__}"


class RowChoice(NamedTuple):
    """The row that a receipt is of, as `explain` takes it."""

    at: Any
    item: Mapping[str, str]
    measure: str | None
    holidays: str | None
    position: int | None


def comparison_receipt(result: Comparison, choice: RowChoice) -> Receipt:
    """The receipt of a row of a comparison."""
    return _receipt(result, result, result.place(choice.at), choice)


def _as_comparison(prepared: Prepared, *, keep_top: bool = False) -> Comparison:
    """What was lined up as a comparison, with all its items unless only the order is another's."""
    question_type("compare").check_dimensions(prepared.asked.by)
    top = prepared.asked.top if keep_top else None
    return compared(replace(prepared, asked=replace(prepared.asked, sort=None, top=top)))


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
    made = _receipt(result, _as_comparison(result.prepared.at(taken), keep_top=True), 0, choice)
    label = f"{result.periods[parent]}, position {result.positions.numbers[place]}"
    return replace(made, period=label, cut="")


def landing_receipt(result: Landing, choice: RowChoice) -> Receipt:
    """The receipt of an estimate: both sides, and how it came about from them."""
    result = result.whole
    result.place(choice.at)
    made = _receipt(result, _as_comparison(result.prepared, keep_top=True), 0, choice)
    asked, by = made.measure, result.by[: len(choice.item)]
    block = _block(result, asked, by)
    place = _place(block, by, choice.item, result.periods[0], 0)
    row = block.row(0, place)
    figures = {**made.figures, **row}
    for name in ("direction", "verdict"):
        figures[name] = result.words[name][row[name]]
    figures["profile"] = PROFILES[row["profile"]] if row["profile"] >= 0 else None
    noted = [str(note) for note in result.note_table[row["note"]]]
    notes = tuple(dict.fromkeys((*noted, *made.notes)))
    return replace(made, figures=figures, landing=LandingFacts.of(result, asked, by, place), notes=notes)


def row_receipt(result: AlignedAnswer, choice: RowChoice) -> Receipt:
    """The receipt of a row of any other answer: both sides, and the row's own figures."""
    period = result.place(choice.at)
    made = _receipt(result, _as_comparison(result.prepared, keep_top=True), period, choice)
    by = result.by[: len(choice.item)]
    block = _block(result, made.measure, by)
    row = block.row(period, _place(block, by, choice.item, result.periods[period], period))
    own = row | {
        name: None if row[name] < 0 else texts[row[name]] for name, texts in result.words.items() if name in row
    }
    shown = {name: made.figures[name] for name in ("base", "base_period", "days", "base_days", "status")}
    notes = [str(note) for note in result.note_table[row["note"]]] if "note" in row else []
    return replace(made, figures=shown | own, notes=tuple(dict.fromkeys((*notes, *made.notes))))


def _block(result: AlignedAnswer, measure: Measure, by: tuple[str, ...]) -> RowBlock:
    """The rows of the items of some of the dimensions."""
    columns = result.total_columns if not by else result.columns if by == result.by else result.subtotal_columns
    return result.of_measure(columns, measure).blocks[len(by) - 1 if columns is result.subtotal_columns else 0]


def _receipt(answer: AlignedAnswer, result: Comparison, period: int, choice: RowChoice) -> Receipt:
    """The receipt of a row of an answer, told from both sides as a comparison."""
    item = choice.item
    asked = _measure(result, choice.measure)
    by = result.by[: len(item)]
    for name in item:
        if name not in result.by:
            raise QuestionError(f"`explain` {no_such('dimension', name, result.by, where='the answer')}")
    if set(item) != set(by):
        raise QuestionError(
            f"`explain` needs one label for each of {', '.join(result.by)}, or for the first of them; "
            f"got {', '.join(item)}"
        )
    block = _block(result, asked, by)
    place = _place(block, by, item, result.periods[period], period)
    row = block.row(period, place)
    figures = row | {name: None if row[name] < 0 else texts[row[name]] for name, texts in result.words.items()}
    named = tuple(np.array([item[name]], dtype=object) for name in by)
    taken = Taken(named)
    left_out: list[str] = []
    if OTHERS in item.values():
        taken = gathered_alone(result, asked, period)
    elif result.kept == "comparable" and by != result.by:
        taken, left_out = compared_alone(result, asked, period, named)
    spans = spans_of(result, asked, period, taken, figures)
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
            *holiday_effects(spans, choice.holidays),
        ),
        spans=spans,
        figures=figures,
        measure=asked,
        period=result.periods[period],
        item=dict(item),
        cut=_cut(result, period),
        of=result,
        answer=answer,
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
