"""How does each item stand this month, quarter and year to date, beside each base?"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any, ClassVar, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.align import Alignment, align, named_periods
from logochron.core.align.bases import Basis, MeanOf, Plan, Span, YearAgo, YearAgoMean, parse_basis
from logochron.core.align.overview_windows import OverviewWindow
from logochron.core.align.period_spec import PeriodSpec, Window, calendar_asked
from logochron.core.align.stacked import stacked
from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure
from logochron.core.book.selling_days import SellingDays
from logochron.core.book.sums import Spans
from logochron.core.calendars.base import Calendar
from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import PLURALS, Kept, Per, Weeks, check
from logochron.core.days import iso
from logochron.core.errors import QuestionError, brief, no_such
from logochron.core.judge.judging import JudgingLike
from logochron.core.notes import Noted, NoteTable
from logochron.core.questions.compare import Comparison, comparison_of, comparison_rows
from logochron.core.rows.answer import AlignedAnswer, Columns, in_order, known_on, laid_out
from logochron.core.rows.groupings import Grouping, Side, lengths_of, summed_together
from logochron.core.rows.plan_shapes import shaped
from logochron.core.rows.plans import AnyPlan, check_plan, with_missing
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
from logochron.core.rows.result import Block

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, repr=False, eq=False)
class Overview(AlignedAnswer):
    """The answer of `overview`.

    Attributes
    ----------
    table, subtotals, total
        Tidy frames of one row per measure, window, item and basis; `start` to `base_end` are the days really summed.
    wide
        One row per measure and item, its figures by window.
    notes
        What is to be known beside the figures.
    windows, bases
        The names of the windows and what they are held against, in order.
    """

    windows: tuple[str, ...] = field(kw_only=True)
    bases: tuple[Basis, ...] = field(kw_only=True)
    lead: str = field(kw_only=True)
    specs: Mapping[str, PeriodSpec] = field(kw_only=True, repr=False)
    plans: AnyPlan | None = field(default=None, kw_only=True, repr=False)
    kind: ClassVar[str] = "overview"

    def comparison(self, window: str | None = None, against: str | Basis | None = None) -> Comparison:
        """What `compare` says of one window and basis: the rows of this answer are its rows.

        Parameters
        ----------
        window, against
            One of the windows and one of the bases; the leading window and the first basis where None.

        Raises
        ------
        QuestionError
            Where the answer has none such.
        """
        window = self.lead if window is None else window
        if window not in self.windows:
            raise QuestionError(no_such("window", str(window), self.windows, where="the answer"))
        basis = self.bases[0] if against is None else parse_basis(against)
        if basis not in self.bases:
            raise QuestionError(no_such("basis", str(basis), list(map(str, self.bases)), where="the answer"))
        if (window, basis) not in self._comparisons:
            selection = replace(self.selection, sort=None)
            spec = spec_against(self.specs[window], basis)
            plan = self.plans if isinstance(basis, Plan) else None
            self._comparisons[window, basis] = comparison_of(prepare(selection, spec, plan))
        return self._comparisons[window, basis]

    @cached_property
    def _comparisons(self) -> dict[tuple[str, Basis], Comparison]:
        return {}

    def span_in(self, window: str, basis: int = 0) -> Mapping[str, Any]:
        """The row of all items together in a window, beside the basis at a place: its days, and those of its base."""
        return self.total_columns.blocks[0].row(self.windows.index(window) * len(self.bases) + basis, 0)

    def rows_alerted(self, column: str, of: Mapping[str, str]) -> list[int]:
        """Those of one window and basis, of all where none is named; what no base has a say in is told once."""
        windows = [of["window"]] if "window" in of else self.windows
        bases = [of["basis"]] if "basis" in of else list(map(str, self.bases))
        if column in ("value", "share", "status"):
            bases = bases[:1]
        for kind, wanted, known in (("window", windows, self.windows), ("basis", bases, list(map(str, self.bases)))):
            for name in wanted:
                if name not in known:
                    raise QuestionError("alert: {0}", no_such(kind, name, known, where="the answer"))
        many, named = len(self.bases), list(map(str, self.bases))
        return [self.windows.index(window) * many + named.index(basis) for window in windows for basis in bases]

    def alerted(self, columns: Mapping[str, Any], i: int) -> str:
        """Which window and basis a row is of, in words of this answer."""
        return f"{self.windows[int(columns['window'][i])]} ({self.bases[int(columns['basis'][i])]})"

    @property
    def opens_at(self) -> str | None:
        """The label of the period that a page opens with."""
        return self.periods[-1] if self.periods else None

    @cached_property
    def wide(self) -> pd.DataFrame:
        """One row per measure and item, a column for each figure of each window.

        The index is `measure` and the dimensions, the columns are `window` and `figure`: the value, and for each basis
        its base, change and growth (``"year-ago"``, ``"year-ago change"``, ``"year-ago growth"``). Rows stand as in
        `table`.
        """
        import pandas as pd

        table, keys = self.table, ["measure", *self.by]
        columns: dict[tuple[str, str], Any] = {}
        index = None
        for window in self.windows:
            for n, basis in enumerate(self.bases):
                rows = table[(table["window"] == window) & (table["basis"] == str(basis))].reset_index(drop=True)
                index = pd.MultiIndex.from_frame(rows[keys]) if index is None else index
                if not n:
                    columns[window, "value"] = rows["value"].to_numpy()
                columns[window, str(basis)] = rows["base"].to_numpy()
                for name in ("change", "growth"):
                    columns[window, f"{basis} {name}"] = rows[name].to_numpy()
        frame = pd.DataFrame(columns, index=index)
        frame.columns.names = ["window", "figure"]
        return frame


@remembered
@kinds_checked
def overview(
    book: Daybook,
    *,
    by: str | Sequence[str] | None = (),
    windows: str | Sequence[str] = ("month", "quarter", "year"),
    against: str | Basis | Sequence[str | Basis] = ("year-ago",),
    plan: AnyPlan | None = None,
    at: Any = None,
    weeks: Weeks = "same-number",
    per: Per | None = None,
    selling_days: SellingDays | None = None,
    measures: str | Sequence[str] | None = None,
    calendar: Calendar | None = None,
    judging: JudgingLike = None,
    items: Kept = "all",
    top: int | None = None,
    sort: str | None = None,
    lead: str | None = None,
) -> Overview:
    """How each item stands this month, quarter and year to date (or in other windows), beside each of several bases.

    Parameters
    ----------
    book
        The records, from `read`. The report date is its `report_day`.
    by
        Dimensions to split by: a row for each tuple of items that has records in any of the spans.
    windows
        ``"day"``, ``"week"``, ``"month"``, ``"quarter"``, ``"half"``, ``"year"``: the running period to date (whole if
        the report date ends it); ``"last-week"`` to ``"last-year"``: the last whole one; ``"12-month"``: so many
        periods that end with the running one (any number of any grain).
    against
        One basis or several, each as `compare` has them. ``"plan"`` is added where only `plan` says it.
    plan
        The plan, from `read_plan`, or several by their names.
    at
        The moment: a day, or a period whose last day is meant; the report date where None.
    weeks, per, selling_days
        As in `compare`.
    measures, calendar, judging, items
        As in `compare`.
    top, sort
        So many items, and their order, both by the figures of the window that leads; ``"-value"``, the largest first,
        where `sort` is None.
    lead
        The window that items are ordered and chosen by; the last one where None.

    Returns
    -------
    Overview
        Frozen; `.table`, `.wide`, `.subtotals`, `.total` and `.notes`.

    Raises
    ------
    QuestionError
        Where an option names nothing or does not go with another, or no window can be told of.

    Notes
    -----
    Each figure is that of `compare` for the period of the window that holds the report date, cut as there. What a
    window lacks (a plan without days, a base that is not covered) is unknown there, and leaves the others alone.

    Examples
    --------
    >>> import logochron as lc
    >>> now = lc.overview(lc.demo.book(), by="harbor", measures="revenue", windows=("month", "year"))
    >>> now.total[["window", "period", "value"]].to_numpy().tolist()
    [['month', '2026-10', 24215.82], ['year', '2026', 451406.67]]
    """
    check_book(book)
    book = book.selling_on(selling_days)
    calendar = calendar_asked(calendar)
    check("weeks", weeks, Weeks)
    if per is not None:
        check("per", per, Per)
    of_windows = _windows(windows, calendar)
    bases = _bases(against, plan)
    if lead is not None and lead not in of_windows:
        raise QuestionError("`lead`: {0}", no_such("window", lead, list(of_windows), where="`windows`"))
    book = _as_of(book, calendar, at)
    selection = ask(
        "overview", book, by=by, measures=measures, judging=judging, items=items, top=top,
        sort=sort or ("-value" if by else None),
    )  # fmt: skip
    report = book.coverage.last
    specs = {
        name: PeriodSpec(
            each=one.grain,
            calendar=calendar,
            window=Window(n=one.n),
            weeks=weeks,
            at=str(calendar.labels(one.grain, np.array([one.period(calendar, report)]))[0]),
            per=per,
        )
        for name, one in of_windows.items()
    }
    return _overview_of(selection, specs, bases, plan, lead or list(specs)[-1])


def _windows(windows: str | Sequence[str], calendar: Calendar) -> dict[str, OverviewWindow]:
    """The windows asked for, by name, each once."""
    named = [OverviewWindow.of(name) for name in ([windows] if isinstance(windows, str) else windows)]
    if not named:
        raise QuestionError("`windows` must name one window or more, such as month, quarter, year (--windows)")
    for one in named:
        calendar.check_grain(one.grain, "windows")
    by_name = {one.name: one for one in named}
    if len(by_name) < len(named):
        raise QuestionError("`windows` names a window twice: {0}", ", ".join(one.name for one in named))
    return by_name


def _bases(against: str | Basis | Sequence[str | Basis], plan: AnyPlan | None) -> tuple[Basis, ...]:
    """The bases asked for; a plan that is given and not named is one more."""
    given = [against] if isinstance(against, (str, Basis)) else list(against)
    bases = [parse_basis(one) for one in given]
    if plan is not None and not any(isinstance(basis, Plan) for basis in bases):
        bases += [Plan(name) for name in plan] if isinstance(plan, Mapping) else [Plan()]
    if not bases:
        raise QuestionError("`against` must name one basis or more, such as year-ago")
    if span := next((basis for basis in bases if isinstance(basis, Span)), None):
        raise QuestionError("`against` {0} goes with compare and each='span': an overview is of periods", span)
    if len(set(bases)) < len(bases):
        raise QuestionError("`against` names a basis twice: {0}", ", ".join(map(str, bases)))
    return tuple(bases)


def _as_of(book: Daybook, calendar: Calendar, at: Any) -> Daybook:
    """The book as it was known at a moment."""
    if at is None:
        return book
    low, high = named_periods(calendar, "day", at)
    first, last = (
        int(calendar.first_days("day", np.array([low]))[0]),
        int(calendar.last_days("day", np.array([high]))[0]),
    )
    report = book.coverage.last
    if first > report:
        raise QuestionError("`at` {0} lies past the report date, {1}", brief(at), iso(report))
    return known_on(book, min(last, report))


@dataclass(frozen=True, kw_only=True, eq=False)
class _Part(Prepared):
    """The rows of bases of one kind, whose sums come from the pass that all parts share.

    `place` is that among the parts, `rows` are the places of its rows among those of the answer.
    """

    shared: _SharedSums
    place: int
    rows: NDArray[np.intp]

    @property
    def planned(self) -> bool:
        """Whether any part is beside a plan: then all of them have its items."""
        return any(plan is not None for plan, _ in self.shared.sides)

    def grouping(self, by: Sequence[str], also: Sequence[Measure] = ()) -> Grouping:
        """The rows by some dimensions, all items."""
        return self.shared.groupings(tuple(by))[self.place]


class _SharedSums:
    """Sums by item of all parts of an overview, once for each set of dimensions."""

    def __init__(self, book: Daybook, measures: Sequence[Measure], sides: Sequence[Side]) -> None:
        self.book, self.measures, self.sides = book, measures, sides
        self._known: dict[tuple[str, ...], list[Grouping]] = {}

    def groupings(self, by: tuple[str, ...]) -> list[Grouping]:
        """The rows of each part by some dimensions."""
        if by not in self._known:
            self._known[by] = summed_together(self.book, by, self.measures, self.sides)
        return self._known[by]


def _overview_of(
    selection: Selection, specs: Mapping[str, PeriodSpec], bases: tuple[Basis, ...], plans: AnyPlan | None, lead: str
) -> Overview:
    """The overview of windows beside bases."""
    parts, notes = _parts(selection, specs, bases, plans)
    many, leading = len(bases), list(specs).index(lead) * len(bases)
    groupings = [
        groupings_of(part, chosen_by=int(np.flatnonzero(part.rows // many == leading // many)[0])) for part in parts
    ]
    labels = [str(spec.at) for spec in specs.values()]
    periods = tuple(dict.fromkeys(labels))
    rows_of_windows = np.arange(len(labels) * many)
    own: Columns = {
        "period": np.repeat([periods.index(label) for label in labels], many)[:, None],
        "window": (rows_of_windows // many)[:, None],
        "basis": (rows_of_windows % many)[:, None],
    }
    first = groupings[0]

    def rows(measure: Measure, grouping: Grouping, others: bool) -> Block:
        which = next(n for n, one in enumerate(_every_grouping(first)) if one is grouping)
        blocks = [comparison_rows(one, measure, _every_grouping(one)[which], others) for one in groupings]
        shape = len(rows_of_windows), grouping.size
        columns = _joined([dict(block.columns) for block in blocks], parts, selection.by) | own
        order = _order(selection.sort, columns, shape, leading, many, others)
        if others and parts[0].counts_ids(measure):  # an id that lies in two items would count twice
            order = order[order % grouping.size != grouping.size - 1]
        columns = in_order("overview", selection.by, columns)
        return Block(shape, columns, order, selection.measures.index(measure))

    fields = laid_out("overview", first, rows, periods=periods, notes=notes)
    fields["words"] |= {"window": tuple(specs), "basis": tuple(map(str, bases))}
    fields["selection"] = selection
    return Overview(**fields, windows=tuple(specs), bases=bases, lead=lead, specs=specs, plans=plans)


def _every_grouping(groupings: Groupings) -> list[Grouping]:
    """The groupings of a part in an order that is the same in all parts."""
    return [groupings.items, groupings.total, *groupings.subtotals]


def _parts(
    selection: Selection, specs: Mapping[str, PeriodSpec], bases: tuple[Basis, ...], plans: AnyPlan | None
) -> tuple[list[_Part], tuple[str, ...]]:
    """The rows of each kind of basis lined up, and what is to be said of all.

    Means are divided, single periods are not, and each plan is a book of its own: hence the parts.
    """
    book, many = selection.book, len(bases)
    kinds: dict[object, list[int]] = {}
    for n, basis in enumerate(bases):
        kind = basis if isinstance(basis, Plan) else isinstance(basis, (MeanOf, YearAgoMean))
        kinds.setdefault(kind, []).append(n)
    refused = _Refused({}, {})
    lines: dict[str, None] = {}
    sides: list[Side] = []
    asked: list[PeriodSpec] = []
    for which in kinds.values():
        basis = bases[which[0]]
        given = plans if isinstance(basis, Plan) else None
        plan, said = check_plan(given, basis, book, selection.measures, next(iter(specs.values())).calendar), ()
        if plan is not None:
            plan, said = shaped(plan, book)  # type: ignore[assignment]
        lined_up = []
        for name, spec in specs.items():
            for n in which:
                of_row = spec_against(spec, bases[n])
                aligned = _aligned(of_row, book, plan, refused, (name, str(bases[n])))
                lined_up.append(aligned)
                lines |= dict.fromkeys(_prepared(selection, of_row, book, plan, aligned, said).notes())
        sides.append((plan, stacked(lined_up)))
        asked.append(of_row)
    refused.check(specs, list(map(str, bases)))
    held = book.held_by(asked[0].calendar)
    shared, noted = _SharedSums(held, selection.measures, sides), NoteTable()
    parts = [
        _Part(
            **vars(_prepared(replace(selection, sort=None), spec, held, plan, aligned)) | {"noted": noted},
            shared=shared,
            place=place,
            rows=np.array([w * many + n for w in range(len(specs)) for n in which]),
        )
        for place, ((plan, aligned), spec, which) in enumerate(zip(sides, asked, kinds.values()))
    ]
    return parts, tuple(lines)


def spec_against(spec: PeriodSpec, basis: Basis) -> PeriodSpec:
    """A window beside a basis; only a year ago can lie 364 days back."""
    return replace(spec, basis=basis, weeks=spec.weeks if isinstance(basis, YearAgo) else "same-number")


def _prepared(
    selection: Selection,
    spec: PeriodSpec,
    book: Daybook,
    plan: Daybook | None,
    aligned: Alignment,
    said: tuple[str, ...] = (),
) -> Prepared:
    lengths = lengths_of(selection.book, spec.calendar, aligned, spec.per)
    return Prepared(selection=selection, spec=spec, book=book, plan=plan, aligned=aligned, lengths=lengths, said=said)


class _Refused(NamedTuple):
    """Why a window cannot be told of, by its name; and why it has no base, by its name and the basis."""

    values: dict[str, QuestionError]
    bases: dict[tuple[str, str], QuestionError]

    def check(self, windows: Mapping[str, Any], bases: Sequence[str]) -> None:
        """Refuse what goes with no window at all; what only some lack is unknown there."""
        if len(self.values) == len(windows):
            raise next(iter(self.values.values()))
        for basis in bases:
            reasons = [self.bases[name, basis] for name in windows if (name, basis) in self.bases]
            if len(reasons) == len(windows):
                raise reasons[0]


def _aligned(
    spec: PeriodSpec, book: Daybook, plan: Daybook | None, refused: _Refused, named: tuple[str, str]
) -> Alignment:
    """One window beside one basis, unknown on the side that cannot be told of; why is added to what is refused."""
    coverage, planned = book.coverage, plan.coverage if plan else None
    try:
        aligned = align(spec, coverage, book.recorded, planned)
    except QuestionError as error:  # the basis does not go with this window; what else is wrong is told by the next
        aligned = align(replace(spec, basis=YearAgo(), weeks="same-number"), coverage, book.recorded)
        refused.bases[named] = error
        word = spec.calendar.word(spec.each)
        aligned = _without_base(aligned, "no base: of no such period", str(spec.basis), word)
    to_date = book.settled.last if book.settled.uncut else None
    try:
        _check_spans(book, aligned.value_spans(), to_date)
    except QuestionError as error:
        refused.values[named[0]] = error
        nothing = np.zeros(1, dtype=bool)
        return _without_base(aligned, "not recorded")._replace(value_known=nothing)
    holder = plan or book
    try:
        _check_spans(holder, aligned.base_spans(), to_date)
    except QuestionError as error:
        refused.bases[named] = error
        aligned = _without_base(aligned, "no base: uncut", PLURALS[holder.standing.records_of])
    return with_missing(plan, aligned) if plan else aligned


def _check_spans(book: Daybook, spans: Spans, to_date: int | None) -> None:
    """Refuse spans that the records of a book cannot tell of."""
    starts, ends = spans
    book.standing.check_spans(starts.ravel(), ends.ravel(), to_date)


def _without_base(aligned: Alignment, code: str, *args: Any) -> Alignment:
    """The same with its base unknown, and why."""
    kept = tuple(note for note in aligned.notes if note.code in ("not recorded", "taken as complete"))
    why = Noted(np.ones(aligned.size, dtype=bool), code, args)
    return aligned._replace(
        part_known=np.zeros_like(aligned.part_known),
        base_known=np.zeros_like(aligned.base_known),
        notes=(*(note for note in kept if note.code != code), why),
    )


def _joined(of_parts: Sequence[Columns], parts: Sequence[_Part], by: Sequence[str]) -> Columns:
    """The columns of all parts, their rows in the order of the answer's; labels are the same in all."""
    order = np.argsort(np.concatenate([part.rows for part in parts]))

    def joined(name: str) -> NDArray[Any]:
        if name == "measure" or name in by:
            return of_parts[0][name]
        width = max(columns[name].shape[1] for columns in of_parts)
        rows = [np.broadcast_to(of[name], (len(part.rows), width)) for of, part in zip(of_parts, parts)]
        return np.concatenate(rows)[order]

    return {name: joined(name) for name in of_parts[0]}


def _order(
    sort: str | None, columns: Columns, shape: tuple[int, int], leading: int, many: int, others: bool
) -> NDArray[np.int64]:
    """The order of the rows: window by window, item by item, by the figures of one row; `many` bases of each."""
    rows, size = shape
    last = size - others  # what gathers others stays last
    items = np.arange(size)
    name, down = (sort or "label").removeprefix("-"), (sort or "").startswith("-")
    if name != "label":
        figures = np.broadcast_to(columns[name], shape)[leading, :last]
        items[:last] = np.argsort(-figures if down else figures, kind="stable")  # what is unknown comes last
    elif down:
        items[:last] = items[:last][::-1]
    places = np.arange(rows).reshape(-1, 1, many) * size + items[:, None]
    return np.asarray(places.ravel())
