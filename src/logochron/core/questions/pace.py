"""How does the running total stand at this place, against other years or a plan?"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.align import Alignment
from logochron.core.align.bases import Basis
from logochron.core.align.period_spec import PeriodSpec, period_spec
from logochron.core.align.positions import Positions
from logochron.core.align.positions import positions as lined_up_at
from logochron.core.book.coverage import Coverage
from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure
from logochron.core.book.sums import divided
from logochron.core.calendars.base import Calendar
from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import AtPositions, Grain, Kept, Within, check, first_to_last, how_many
from logochron.core.days import DayLike, Days, day_number, iso, to_dates
from logochron.core.errors import QuestionError, brief
from logochron.core.judge.judging import JudgingLike, direction, verdict
from logochron.core.notes import Note
from logochron.core.rows.answer import AlignedAnswer, Columns, block, dimensions, in_order, known_on, laid_out, one
from logochron.core.rows.figures import Floats
from logochron.core.rows.groupings import Grouping
from logochron.core.rows.plans import AnyPlan, check_plan
from logochron.core.rows.prepare import (
    Groupings,
    Prepared,
    Selection,
    ask,
    check_book,
    groupings_of,
    prepare,
    remembered,
)
from logochron.core.rows.result import Block, Blocks
from logochron.core.said import Said

if TYPE_CHECKING:
    import pandas as pd

#: Rows of an answer: with their table they are two gigabytes.
_MOST_ROWS = 10_000_000


@dataclass(frozen=True, repr=False, eq=False)
class Pace(AlignedAnswer):
    """The answer of `pace`: a line of running totals for each period, all lined up by position.

    Attributes
    ----------
    table, subtotals, total
        Tidy frames of one row per measure, period, position and item. `running` and `gap` are empty after the report
        date; `base` goes on to the end of the period. `status` is that of the whole period.
    standing
        One row a period at today's position: `period, position, running, rank` (1: the largest), of the first measure,
        all items together.
    notes
        Among others which periods have no line.
    positions
        How the periods were lined up.
    """

    positions: Positions = field(repr=False)
    kind: ClassVar[str] = "pace"

    def ask_anew(self, prepared: Prepared) -> Pace:
        """The same question about what is lined up otherwise."""
        return _pace_of(_groupings(prepared, self.positions), self.positions)

    def on_days(self, book: Daybook, by: tuple[str, ...]) -> Callable[[int], AlignedAnswer]:
        """Answers for a book as it was known on days, the sums of all of them from one pass."""
        again = super().on_days(book, by)
        plans = self.call.options["plan"] if self.call else None
        plan = check_plan(plans, self.spec.basis, book, self.measures, self.calendar) if self.call else None
        if by or self.call is None or (plan is not None and plan.standing.spread not in (None, "even")):
            return again
        try:
            return _OnDays(self, book, plan, again).answer
        except QuestionError:  # of all days together it is too much, or not to be said
            return again

    @property
    def opens_at(self) -> str | None:
        """None: its last period may be one that is left out."""
        return None

    @property
    def within(self) -> Grain:
        """The grain of the periods whose running totals are lined up."""
        return self.spec.grain

    @property
    def today(self) -> int:
        """The position at which the report date stands."""
        return int(self.positions.numbers[self.positions.today])

    @property
    def days(self) -> Days:
        """The day of each period at each position, shape (periods, positions)."""
        return self.alignment.ends.reshape(len(self.periods), -1)

    @cached_property
    def standing(self) -> pd.DataFrame:
        """One row a period at today's position, with its rank among them."""
        return self._frame(Blocks.plain(self.standing_columns()), "standing")

    def lines(self, column: str, measure: Measure, labels: Sequence[str] = ()) -> Floats:
        """A column of an item by period and position; all together where no label is named."""
        block, place = self.block_of(measure, labels)
        values = np.broadcast_to(block.columns[column], block.shape)[:, place]
        return values.reshape(len(self.periods), -1)

    def standing_columns(self, measure: Measure | None = None, labels: Sequence[str] = ()) -> Columns:
        """The rank of each period at today's position, 1 the largest running total, equal ones alike.

        Of an item, or all together where no label is named.
        """
        running = self.lines("running", measure or self.measures[0], labels)[:, self.positions.today]
        known = np.flatnonzero(np.isfinite(running))
        values = running[known]
        return {
            "period": known,
            "position": np.full(len(known), self.today),
            "running": values,
            "rank": (values[None] > values[:, None]).sum(axis=1) + 1,
        }

    def directions(self, measure: Measure, running: Floats, base: Floats) -> tuple[NDArray[np.int8], NDArray[np.int8]]:
        """Direction and verdict of each gap, as places in `DIRECTIONS` and `VERDICTS`."""
        known = np.isfinite(running) & np.isfinite(base)
        decimals = self.book.decimals(measure.name)
        sides = [np.where(known, side, 0.0) for side in (running, base)]
        if decimals is not None:  # as the whole numbers that they are
            sides = [np.rint(side * 10**decimals) for side in sides]
        judging, exact = self.judgings[measure.name], decimals is not None
        value, before = (side.astype(np.int64) if exact else side for side in sides)
        moved = direction(value - before, value, before, known, judging, exact)
        return moved, verdict(moved, measure.better, judging)

    def place(self, at: Any = None, position: int | None = None) -> int:
        """The row of a period and position, as `alignment` has them; today's of the last period where None.

        Raises
        ------
        QuestionError
            Where there is none.
        """
        parent = len(self.periods) - 1
        place = self.positions.today
        if at is not None:
            ordinals, word = self.positions.parents, self.calendar.word(self.within)
            labels = np.array(self.periods, dtype=object)
            rows = np.flatnonzero(labels == at) if isinstance(at, str) else np.zeros(0, dtype=np.intp)
            if not len(rows):
                day = day_number(at, "at")
                held = self.calendar.ordinals(self.within, np.array([day]))[0]
                rows = np.flatnonzero(ordinals == held)
                if not len(rows):
                    raise QuestionError(
                        "`at` must name a {0} of the answer, {1} to {2}, or a day in one; got {3}",
                        word,
                        self.periods[0],
                        self.periods[-1],
                        iso(day),
                    )
                place = max(int(np.searchsorted(self.days[rows[0]], day, side="right")) - 1, 0)
            parent = int(rows[0])
        if position is not None:
            held_by = np.flatnonzero(self.positions.numbers == position)
            if not len(held_by):
                raise QuestionError(
                    "`position` must be one of the answer, {0} to {1}; got {2}",
                    self.positions.numbers[0],
                    self.positions.numbers[-1],
                    brief(position),
                )
            place = int(held_by[0])
        return parent * len(self.positions.numbers) + place


@remembered
@kinds_checked
def pace(
    book: Daybook,
    within: Within = "year",
    *,
    against: str | Basis = "year-ago",
    plan: AnyPlan | None = None,
    last: int | None = None,
    exclude: DayLike | Sequence[DayLike] = (),
    positions: AtPositions = "all",
    by: str | Sequence[str] | None = (),
    measures: str | Sequence[str] | None = None,
    calendar: Calendar | None = None,
    judging: JudgingLike = None,
    items: Kept = "all",
    top: int | None = None,
    sort: str | None = None,
) -> Pace:
    """Line up the running totals of years (or other periods) by their position, each against its base.

    Parameters
    ----------
    book
        The records, from `read`. The report date is its `report_day`.
    within
        The periods that are run through: week, month, quarter, half or year.
    against
        ``"year-ago"`` or ``"year-ago:n"`` (the same place in the year), ``"year-ago-mean:n"``, ``"prior"`` or
        ``"prior:n"``, ``"mean:n"``, ``"fixed:2024"``, ``"plan"``; or the objects of these.
    plan
        The plan, from `read_plan`, where `against` is one.
    last
        Only so many periods, the last ones.
    exclude
        Labels of periods that get no line and no rank (one that stood still, say). They stay bases where `against`
        names them.
    positions
        ``"today"``: only the position at which the report date stands, which is what very many items take.
    by, measures, calendar, items, top, sort
        As in `compare`; `top` takes the largest running totals of today, `sort` is by ``"running"``, ``"growth"``,
        ``"gap"`` or ``"label"``.
    judging
        Levels; bands do not apply.

    Returns
    -------
    Pace
        Frozen; `.table`, `.subtotals`, `.total`, `.standing` and `.notes`.

    Raises
    ------
    QuestionError
        Where an option names nothing, no period is held from its start, records of whole periods have no running
        total `within` such, or the rows are more than 10,000,000.

    Notes
    -----
    gap = running - base at the same position; growth = gap / base, only where that is > 0. Civil periods are lined up
    by month and day: each month has as many positions as the longest such month among those compared, and a shorter one
    stays at its last total there. Weeks, retail and listed periods are lined up by day number.

    Examples
    --------
    >>> import logochron as lc
    >>> years = lc.pace(lc.demo.book(), "year", measures="revenue")
    >>> years.standing.period.tolist(), years.standing["rank"].tolist()
    (['2022', '2023', '2024', '2025', '2026'], [5, 4, 3, 2, 1])
    """
    check_book(book)
    check("within", within, Within)
    check("positions", positions, AtPositions)
    spec = period_spec(each=within, against=against, calendar=calendar, last=last)
    selection = ask("pace", book, by=by, measures=measures, judging=judging, items=items, top=top, sort=sort)
    named = _several(exclude)
    prepared, lined_up = _line_up(selection, spec, plan, named, positions)
    _check_size(prepared, lined_up)
    return _pace_of(_groupings(prepared, lined_up), lined_up)


def _check_size(prepared: Prepared, lined_up: Positions) -> None:
    """Refuse more rows than memory should hold, before they are worked out."""
    selection = prepared.selection
    items = prepared.book.day_sums(selection.by).items.size
    rows = items * prepared.aligned.size * len(selection.measures)
    if rows > _MOST_ROWS:
        periods, each = len(lined_up.parents), how_many(len(lined_up.numbers), "position")
        raise QuestionError(
            "{0:,} rows are too many for one answer, which is at most {1:,}: {2:,} items in "
            "{3:,} periods at {4} each. Ask for that of today only by positions='today' "
            "(--positions today), for fewer periods by last= (--last), or for some items by "
            "where= (--where)",
            rows,
            _MOST_ROWS,
            items,
            periods,
            each,
        )


def _several(exclude: DayLike | Sequence[DayLike]) -> list[DayLike]:
    """What is named to be left out, one or several."""
    return [exclude] if isinstance(exclude, str) or not isinstance(exclude, Iterable) else list(exclude)


def _line_up(
    selection: Selection, spec: PeriodSpec, plan: AnyPlan | None, exclude: Sequence[DayLike], asked: AtPositions
) -> tuple[Prepared, Positions]:
    """What is asked lined up by position."""
    lined_up: list[Positions] = []

    def line_up(spec: PeriodSpec, coverage: Coverage, _: Days, planned: Coverage | None) -> Alignment:
        lined_up.append(lined_up_at(spec, exclude, selection.book.standing, coverage, planned, asked))
        return lined_up[0].aligned

    return prepare(selection, spec, plan, line_up), lined_up[0]


def _groupings(prepared: Prepared, lined_up: Positions) -> Groupings:
    """The rows of what is lined up."""
    return groupings_of(prepared, chosen_by=(len(lined_up.parents) - 1) * len(lined_up.numbers) + lined_up.today)


def _pace_of(groupings: Groupings, lined_up: Positions) -> Pace:
    """The answer to what is lined up."""
    prepared = groupings.prepared

    def rows(measure: Measure, grouping: Grouping, others: bool) -> Block:
        return _rows(groupings, lined_up, measure, grouping, others)

    notes = (
        *lined_up.left_out,
        *_unknown(prepared.aligned),
        *(f"{name}: {why}" for name, why in groupings.items.why.items() if why is not None),
        *prepared.notes(lined_up.edges),
    )
    fields = laid_out("pace", groupings, rows, periods=lined_up.labels, notes=notes)
    return Pace(**fields, positions=lined_up)


class _OnDays:
    """The paces of a book as it was known on each day, all items together: cut from the sums of all its days.

    A day whose positions are not all among those of the last day is asked about anew.
    """

    def __init__(
        self, answer: Pace, book: Daybook, plan: Daybook | None, again: Callable[[int], AlignedAnswer]
    ) -> None:
        self.call, self.spec, self.plan, self.again = answer.call, answer.spec, plan, again
        self.selection = answer.selection.about(book, ())
        assert self.call is not None
        self.exclude, self.asked = _several(self.call.options["exclude"]), self.call.options["positions"]
        every = replace(answer.spec, last=None)
        prepared, self.lined_up = _line_up(self.selection, every, plan, self.exclude, "all")
        self.total = prepared.grouping(())

    def answer(self, last: int) -> AlignedAnswer:
        """The pace as of a day, by its number."""
        book = known_on(self.selection.book, last)
        selection = replace(self.selection, book=book)
        prepared, lined_up = _line_up(selection, self.spec, self.plan, self.exclude, self.asked)
        rows = self._rows(lined_up)
        if rows is None:
            return self.again(last)
        total = self.total.of_rows(rows)
        groupings = Groupings(prepared=prepared, items=total, subtotals=(), total=total, full=total)
        assert self.call is not None
        call = self.call.with_options(**selection.options)
        return replace(_pace_of(groupings, lined_up), call=call)

    def _rows(self, wanted: Positions) -> NDArray[np.int64] | None:
        """Where the spans of rows are among those of the last day; None where one of them is not."""
        known, size = self.lined_up, len(wanted.numbers)
        if len(known.numbers) == size:
            rows = (np.searchsorted(known.parents, wanted.parents)[:, None] * size + np.arange(size)).ravel()
        else:  # years without a 29 February have a position less
            rows = np.searchsorted(known.aligned.ends, wanted.aligned.ends)
        rows = np.minimum(rows, known.aligned.size - 1)
        same = np.ones(wanted.aligned.size, dtype=bool)
        for side in ("starts", "ends"):
            same &= getattr(known.aligned, side)[rows] == getattr(wanted.aligned, side)
        for side in ("base_starts", "base_ends"):
            alike = getattr(known.aligned, side)[:, rows] == getattr(wanted.aligned, side)
            same &= (alike | ~wanted.aligned.part_known).all(axis=0)
        return rows if same.all() else None


def _rows(groupings: Groupings, lined_up: Positions, measure: Measure, grouping: Grouping, others: bool) -> Block:
    """The rows of one measure and one grouping."""
    prepared = groupings.prepared
    aligned = prepared.aligned
    sides = groupings.sides(measure, grouping)
    running, base = sides.shown()
    known = sides.known
    positive = known & (sides.base > 0)
    with np.errstate(over="ignore", invalid="ignore"):  # what is not finite is empty
        gap = sides.value - sides.base
    based = aligned.base_known & (grouping.why[measure.name] is None)
    base_days = to_dates(np.where(aligned.base_known, aligned.base_ends.max(axis=0), 0))
    columns: Columns = {
        "measure": one(measure.name),
        "period": np.repeat(np.arange(len(lined_up.parents)), len(lined_up.numbers))[:, None],
        **dimensions(prepared.selection.by, grouping),
        "position": np.tile(lined_up.numbers, len(lined_up.parents))[:, None],
        "day": to_dates(aligned.ends)[:, None],
        "running": running,
        "base_day": np.where(based, base_days, np.datetime64("NaT", "D"))[:, None],
        "base": base,
        "gap": np.where(known & np.isfinite(gap), gap / sides.unit, np.nan),
        "growth": divided(gap, sides.base, positive),
        "status": aligned.status[:, None],
    }
    return block(prepared, measure, grouping, in_order("pace", prepared.selection.by, columns), others)


def _unknown(aligned: Alignment) -> tuple[str, ...]:
    """Which periods have no base, at once or from some day on."""
    said: dict[str, dict[str, str]] = {}
    for rows, code, args in aligned.notes:
        _, firsts = np.unique(aligned.ordinals[rows], return_index=True)
        for row in np.flatnonzero(rows)[firsts].tolist():  # a row for each period
            note = Note(code, tuple(arg[row] if isinstance(arg, np.ndarray) else arg for arg in args))
            said.setdefault(code, {})[str(aligned.labels[row])] = note.said
    lines = []
    for notes in said.values():
        first, *others = dict.fromkeys(notes.values())
        lines.append(Said("{0}: {1}{2}", first_to_last(list(notes)), first, Said(", and so on") if others else ""))
    return tuple(lines)
