"""How does each item stand beside the total, the largest, the mean or a named item?"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, ClassVar, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.bases import Basis, Plan, parse_basis
from logochron.core.align.period_spec import period_spec
from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure, adds_up
from logochron.core.book.sums import at_one_scale, divided, subtracted
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import FALLING, JOINED, LEVEL, RISING, UNKNOWN, Each, Kept, Partial, Weeks
from logochron.core.days import Days
from logochron.core.errors import QuestionError, brief, no_such
from logochron.core.judge.judging import SLACK, Judging, JudgingLike
from logochron.core.rows.answer import (
    AlignedAnswer,
    Columns,
    block,
    in_order,
    laid_out,
    note_periods,
    opening,
    row_notes,
)
from logochron.core.rows.figures import Floats, Sides, note_sides
from logochron.core.rows.groupings import Grouping
from logochron.core.rows.prepare import Groupings, Prepared, ask, check_book, groupings_of, life_of, prepare, remembered
from logochron.core.rows.result import Block

_KINDS = ("total", "largest", "mean")


@dataclass(frozen=True, repr=False, eq=False)
class Relation(AlignedAnswer):
    """The answer of `relate`.

    Attributes
    ----------
    table, subtotals, total
        Tidy frames of one row per measure, period and item; `ratio` is value / reference, `ratio_before` the same in
        the base's span.
    beside, within
        What items are held beside, and in which dimension's items.
    """

    beside: str
    within: str | None
    kind: ClassVar[str] = "relate"

    def ask_anew(self, prepared: Prepared) -> Relation:
        """The same question about what is lined up otherwise."""
        return _related(prepared, self.beside, self.within)

    def of_items(self, picked: Mapping[str, str], book: Daybook, by: tuple[str, ...]) -> Relation:
        """As of other answers; asked anew where the item that all stand beside may not be among them."""
        if self.beside.startswith("item:"):
            answer: Relation = self.again(book=book, by=by, within=self.within)
            return answer
        return super().of_items(picked, book, by)

    def alone(self, picked: Mapping[str, str], book: Daybook) -> Relation:
        """The answer for some items alone; the dimension whose items others stand in stays as long as it can."""
        rest = tuple(name for name in self.by if name not in picked)
        if self.within in picked:  # its one item is that which the others stand in
            answer: Relation = self.again(book=book, by=[n for n in self.by if n in rest or n == self.within])
            return answer
        if self.within is not None and len(rest) < 2:
            return replace(self, within=None).of_items(picked, book, rest)
        return self.of_items(picked, book, rest)


class _Groups(NamedTuple):
    """The items that share a reference: all of them, or those that lie in one item of `within`.

    `codes` is the group of each item, `whole` each group added up.
    """

    within: str | None
    codes: Days
    whole: Grouping

    def of(self, grouping: Grouping) -> tuple[Days, Bools]:
        """The group of each row of a grouping, and whether it lies in one."""
        place, lies = np.zeros(grouping.size, dtype=np.int64), np.ones(grouping.size, dtype=bool)
        if self.within is None:
            return place, lies
        if self.within not in grouping.by or not self.whole.size:
            return place, ~lies
        labels = grouping.labels[grouping.by.index(self.within)].astype(str)
        known = self.whole.labels[0].astype(str)
        place = np.minimum(np.searchsorted(known, labels), len(known) - 1)
        return place, known[place] == labels


class _References(NamedTuple):
    """What items are held beside: a side for each period and group, and its name."""

    sides: Sides
    names: NDArray[np.object_]


@remembered
@kinds_checked
def relate(
    book: Daybook,
    each: Each,
    *,
    by: str | Sequence[str],
    beside: str = "total",
    within: str | None = None,
    against: str | Basis = "year-ago",
    running: Any = None,
    partial: Partial = "to-date",
    weeks: Weeks = "same-number",
    at: Any = None,
    last: int | None = None,
    measures: str | Sequence[str] | None = None,
    calendar: Calendar | None = None,
    judging: JudgingLike = None,
    items: Kept = "all",
    top: int | None = None,
    sort: str | None = None,
) -> Relation:
    """Hold each item beside the total, the largest, the mean or a named item, now and in an earlier period.

    Parameters
    ----------
    book, each, running, partial, weeks, at, last, measures, calendar, items, top
        As in `compare`.
    by
        The dimensions whose items are held beside each other.
    beside
        ``"total"``; ``"largest"``, the item with the largest value of the span, ties by label; ``"mean"``, the total
        divided by the items with a row (of a quotient the total's); or ``"item:NAME"`` (its labels joined by
        ``" / "`` where it has several).
    within
        One of `by`: each item is held beside the total, largest, mean or named item of the same item of that.
    against
        The earlier period of `ratio_before`, any that `compare` takes but a plan.
    judging
        `level_within` is taken of `ratio_before`; bands do not apply.
    sort
        ``"value"``, ``"label"``, ``"ratio"``, ``"gap"`` or ``"ratio_change"``, with a leading ``-`` for descending.

    Returns
    -------
    Relation
        Frozen; `.table`, `.subtotals`, `.total` and `.notes`.

    Raises
    ------
    QuestionError
        Where an option names nothing; an item that does not exist is told with the nearest.

    Notes
    -----
    gap = value - reference; ratio = value / reference, only where the reference is > 0; ratio_before likewise in the
    base's span, with the same reference item; ratio_change = ratio - ratio_before, and direction its sign.

    Examples
    --------
    >>> import logochron as lc
    >>> held = lc.relate(lc.demo.book(), "month", by="harbor", measures="revenue", at="2026-09")
    >>> round(float(held.table.ratio.sum()), 9)
    1.0
    """
    if _names_reference(against):
        raise QuestionError("`against` is an earlier period; say beside={0!r} (--beside {0})", against)
    basis = parse_basis(against)
    if isinstance(basis, Plan):
        raise QuestionError("`against` must be an earlier period here: against='plan' is asked of compare")
    check_book(book)
    spec = period_spec(
        each=each,
        against=basis,
        calendar=calendar,
        running=running,
        partial=partial,
        weeks=weeks,
        at=at,
        last=last,
    )
    selection = ask("relate", book, by=by, measures=measures, judging=judging, items=items, top=top, sort=sort)
    if not selection.by:
        raise QuestionError("`relate` holds items beside each other: name a dimension in `by` (--by)")
    if within is not None and (within not in selection.by or len(selection.by) < 2):
        raise QuestionError(
            "`within` must be one of two or more dimensions in `by` ({0}); got {1}",
            ", ".join(selection.by),
            brief(within),
        )
    prepared = prepare(selection, spec, None)
    return _related(prepared, _checked(prepared, beside, within), within)


def _related(prepared: Prepared, beside: str, within: str | None) -> Relation:
    """The answer to what is lined up."""
    groupings, selection = groupings_of(prepared), prepared.selection
    groups = _groups(groupings, within)
    held = {m.name: _references(groupings, m, beside, groups) for m in selection.measures}

    def rows(measure: Measure, grouping: Grouping, others: bool) -> Block:
        return _rows(groupings, measure, grouping, held[measure.name], groups, others)

    return Relation(**laid_out("relate", groupings, rows), beside=beside, within=within)


def _names_reference(text: object) -> bool:
    return isinstance(text, str) and (text in _KINDS or text.startswith("item:"))


def _checked(prepared: Prepared, beside: str, within: str | None) -> str:
    """What items are held beside, a named one as the book calls it; refused where it names nothing."""
    if beside in _KINDS:
        return beside
    if not _names_reference(beside):
        raise QuestionError(
            "`beside` must be {0} or item:NAME; got {1}. The earlier period is `against`",
            ", ".join(_KINDS),
            brief(beside),
        )
    known = _names(prepared.book.day_sums(prepared.selection.by).items.labels, prepared.selection.by, within)
    named = beside.removeprefix("item:")
    for name in (named, named.strip()):
        if name in known:
            return f"item:{name}"
    raise QuestionError("`beside`: {0}", no_such("item", named.strip(), sorted(set(known)), where="the book"))


def _names(labels: Sequence[NDArray[np.object_]], by: tuple[str, ...], within: str | None) -> list[str]:
    """What each tuple is called beside the item of `within` it lies in."""
    shown = [label.astype(str) for name, label in zip(by, labels) if name != within]
    return [JOINED.join(names) for names in zip(*shown)]


def _groups(groupings: Groupings, within: str | None) -> _Groups:
    """The groups of the items, their sums reckoned once for all measures."""
    by = () if within is None else (within,)
    codes = groupings.full.under(by).of_rows
    for grouping in (groupings.total, *groupings.subtotals):
        if grouping.by == by:
            return _Groups(within, codes, grouping)
    # ids lie in several items: the groups' own are counted, in the same order
    if groupings.full_compared is None:
        return _Groups(within, codes, groupings.prepared.grouping(by))
    return _Groups(
        within, codes, groupings.full.gathered(by, life_of(groupings.prepared.book, by), groupings.full_compared)
    )


def _references(groupings: Groupings, measure: Measure, beside: str, groups: _Groups) -> _References:
    """What the items of each group are held beside in each period."""
    items, compared, codes = groupings.full, groupings.full_compared, groups.codes
    if not items.size:  # nothing is held against nothing
        none = np.zeros((groupings.prepared.aligned.size, 1))
        unknown = Sides(none, none, none > 0, none > 0, None)
        return _References(unknown, np.full(none.shape, None, dtype=object))
    n_groups = groups.whole.size
    shape = (groupings.prepared.aligned.size, n_groups)
    if beside in ("total", "mean"):
        sides = groupings.sides(measure, groups.whole)
        if beside == "mean" and adds_up(groupings.prepared.book.formulas[measure.name]):
            kept = np.ones((shape[0], items.size), dtype=bool) if compared is None else compared
            n = np.maximum(_by_group(kept, codes, n_groups), 1)
            sides = sides._replace(value=sides.value / sides.unit / n, base=sides.base / sides.unit / n, scale=None)
        return _References(sides, np.full(shape, beside, dtype=object))
    sides = groupings.sides(measure, items)
    names = np.array(_names(items.labels, groupings.prepared.selection.by, groups.within), dtype=object)
    if beside == "largest":
        size = np.where(sides.value_known, sides.value / sides.unit, -np.inf)
        size = size if compared is None else np.where(compared, size, -np.inf)
        place = _largest(size, codes, n_groups)
    else:
        wanted = np.flatnonzero(names == beside.removeprefix("item:"))
        place = np.full(shape, -1)
        place[:, codes[wanted]] = wanted
    rows, found = np.arange(shape[0])[:, None], place >= 0
    return _References(
        sides._replace(
            value=sides.value[rows, place],
            base=sides.base[rows, place],
            value_known=np.broadcast_to(sides.value_known, sides.value.shape)[rows, place] & found,
            base_known=np.broadcast_to(sides.base_known, sides.base.shape)[rows, place] & found,
            lacking=(),
            base_lacking=(),
        ),
        _named(names[place], found),
    )


def _named(names: NDArray[np.object_], known: Bools) -> NDArray[np.object_]:
    """The names where they are known, None elsewhere."""
    texts = names.copy()
    texts[~known] = None
    return texts


def _by_group(taken: Bools, codes: Days, n: int) -> NDArray[np.int64]:
    """How many items of each group are taken in each period."""
    counts = np.zeros((taken.shape[0], n), dtype=np.int64)
    np.add.at(counts.T, codes, taken.T)
    return counts


def _largest(size: NDArray[np.float64], codes: Days, n: int) -> NDArray[np.int64]:
    """The place of the largest item of each group in each period, the first of several; -1 where none is known."""
    # by group, then from the largest down; the sorts are stable, and items in text order
    order = np.argsort(-size, axis=1, kind="stable")
    order = np.take_along_axis(order, np.argsort(codes[order], axis=1, kind="stable"), axis=1)
    firsts = np.searchsorted(np.sort(codes), np.arange(n))
    place = order[:, firsts]
    known = np.isfinite(np.take_along_axis(size, place, axis=1))
    return np.where(known, place, -1)


def _rows(
    groupings: Groupings, measure: Measure, grouping: Grouping, held: _References, groups: _Groups, others: bool
) -> Block:
    """The rows of one measure and one grouping."""
    prepared = groupings.prepared
    sides = groupings.sides(measure, grouping)
    notes = row_notes(prepared, grouping)
    note_sides(sides, notes)
    note_periods(prepared, notes, None)
    of, found = groups.of(grouping)
    ref = held.sides
    reference, before = ref.value.take(of, axis=1), ref.base.take(of, axis=1)
    ref_known, ref_base_known = (
        np.broadcast_to(known, ref.value.shape).take(of, axis=1) for known in (ref.value_known, ref.base_known)
    )
    shown = ref_known & found  # though of a quotient without a divisor there is no value beside it
    known, base_known = sides.value_known & shown, sides.base_known & ref_base_known & found
    if sides.compared is not None:
        known, base_known = known & sides.compared, base_known & sides.compared
    gap, scale = subtracted(sides.value, sides.scale, reference, ref.scale)
    ratio = _ratio(sides.value, sides.scale, reference, ref.scale, known)
    ratio_before = _ratio(sides.base, sides.scale, before, ref.scale, base_known)
    moved = ratio - ratio_before
    columns: Columns = opening(prepared, measure, grouping) | {
        "value": sides.shown()[0],
        "reference_item": _named(held.names.take(of, axis=1), shown),
        "reference": np.where(shown, reference / ref.unit, np.nan),
        "gap": np.where(known, gap / 10 ** (scale or 0), np.nan),
        "ratio": ratio,
        "ratio_before": ratio_before,
        "ratio_change": moved,
        "direction": _direction(moved, ratio, ratio_before, prepared.selection.judgings[measure.name]),
        "status": prepared.aligned.status[:, None],
        "note": notes.places,
    }
    return block(prepared, measure, grouping, in_order("relate", prepared.selection.by, columns), others)


def _direction(moved: Floats, ratio: Floats, before: Floats, judging: Judging) -> NDArray[np.int8]:
    """The direction of each change of a ratio: level within a part of the ratio before."""
    slack = SLACK * np.fmax(np.abs(ratio), np.abs(before))
    near = np.abs(moved) <= float(judging.tolerance) * before + slack
    return np.where(np.isfinite(moved), np.where(near, LEVEL, np.where(moved > 0, RISING, FALLING)), UNKNOWN).astype(
        np.int8
    )


def _ratio(
    value: NDArray[Any], scale: int | None, reference: NDArray[Any], its_scale: int | None, known: Bools
) -> Floats:
    """value / reference, only where both are known and the reference is > 0."""
    value, reference, _ = at_one_scale(value, scale, reference, its_scale)
    return divided(value, reference, known & (reference > 0))
