"""Where will the running period end?"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any, ClassVar, NamedTuple

import numpy as np

from logochron.core.align.align import against_whole
from logochron.core.align.bases import Basis, Plan, Stepping
from logochron.core.align.period_spec import PeriodSpec, period_spec
from logochron.core.book.coverage import Coverage
from logochron.core.book.daybook import Daybook
from logochron.core.book.items import places_of
from logochron.core.book.measures import Measure
from logochron.core.book.selling_days import SellingDays
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import (
    DIRECTIONS,
    OTHERS,
    PARTIAL,
    PLURALS,
    PROFILES,
    VERDICTS,
    Grain,
    Kept,
    Profile,
    Rest,
    Within,
    check,
    check_count,
    values,
)
from logochron.core.days import in_words, iso
from logochron.core.errors import QuestionError
from logochron.core.judge.judging import JudgingLike
from logochron.core.questions.landing.backtest import Backtest, backtest_at_tenths
from logochron.core.questions.landing.estimates import LandingPath, Method, ended_paths, landing_path, past_points
from logochron.core.questions.landing.figures import (
    LandingCache,
    LandingFigures,
    Parts,
    days_left,
    needed_per_day,
    parts_of,
)
from logochron.core.questions.landing.profiles import LandingRows, ListedProfile, Points, listed_profile
from logochron.core.rows.answer import AlignedAnswer, block, in_order, known_on, laid_out
from logochron.core.rows.groupings import Grouping
from logochron.core.rows.plan_shapes import shaped
from logochron.core.rows.plans import AnyPlan, check_plan
from logochron.core.rows.prepare import Prepared, adding_up, ask, check_book, groupings_of, prepare, remembered
from logochron.core.rows.result import Block, Blocks
from logochron.core.rows.season_shares import held_whole
from logochron.core.said import Said

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, repr=False, eq=False)
class Landing(AlignedAnswer):
    """The answer of `land`.

    Attributes
    ----------
    table, subtotals, total
        Tidy frames of one row per measure and item; with `each` one per part of the period too. `low` to `high` is the
        range in which 80 % of outcomes lay, `typical_error` the median error of past estimates at the same point,
        `needed_per_day` what is to be sold on each selling day left to reach the plan, or the base where there is no
        plan (0 where it is reached).
    backtest
        `period, elapsed, profile, estimate, outcome, error`: what would have been estimated at each tenth of each past
        period, and what it came to; of the first measure, all items together. Empty where no period before is held
        whole, as `backtested.notes` says. Where a past point would fall on the last day of its period while the
        running one is not over, it is one day earlier: on its last day nothing is left to estimate.
    whole
        With `each` the same landing without parts; else itself.
    method, now, parts, target, given, cache, targets
        How estimates are made; the period and its report date; the parts; the plan as it is spread over days and as it
        came (the first of several); what was worked out of each measure and grouping; all plans by their names.
    """

    method: Method = field(repr=False)
    now: Points = field(repr=False)
    parts: Parts | None = field(repr=False)
    target: Daybook | None = field(repr=False)
    given: Daybook | None = field(repr=False)
    cache: LandingCache = field(repr=False)
    left_out: tuple[str, ...] = field(repr=False)
    ended: EndedPeriods | None = field(default=None, repr=False)
    targets: Mapping[str, Daybook] = field(default_factory=dict, repr=False)
    kind: ClassVar[str] = "land"

    @property
    def within(self) -> Grain:
        """The grain of the running period."""
        return self.spec.grain

    @property
    def period(self) -> str:
        """The label of the period that lands."""
        return str(self.alignment.labels[0])

    @property
    def days_left(self) -> int:
        """The selling days after the report date in the period."""
        return days_left(self.calendar, self.now, self.method.selling)

    @property
    def sold_daily(self) -> bool:
        """Whether all days left of the period are selling days."""
        return self.days_left == (0 if self.now.over[0] else int(self.now.ends[0] - self.now.cuts[0]))

    def figures_of(self, measure: Measure) -> LandingFigures:
        """What is estimated of a measure, all items together."""
        return self.cache.figures[measure.name, ()]

    def past_error(self, measure: Measure) -> tuple[float, int]:
        """The typical error of past estimates of the total, and how many there were."""
        sure = self.figures_of(measure).sure
        return float(sure.typical_error[0]), int(sure.past[0])

    def against_plan(self, measure: Measure, estimate: float, plan: float) -> tuple[str, str]:
        """Direction and verdict of an estimate beside a plan."""
        moved, judged = self.figures_of(measure).moved(np.array([estimate]), np.array([plan]))
        return DIRECTIONS[moved[0]], VERDICTS[judged[0]]

    @property
    def first_target(self) -> str:
        """The name of the plan that the columns are of; empty where it has none."""
        return next(iter(self.targets), "")

    def planned(self, measure: Measure) -> dict[str, float]:
        """By the name of each plan what it has for the whole period, all items together; NaN where it is not known."""
        rows = self.whole.figures_of(measure).rows
        span = self.now.starts[-1:], self.now.ends[-1:]
        return {name: float(rows.planned(plan, *span)[0][0, 0]) for name, plan in self.targets.items()}

    def needed(self, target: float, to_date: float) -> float:
        """What is to be sold on each day left to reach a target, 0 where it is reached."""
        return float(needed_per_day(np.array(target), np.array(to_date), self.days_left))

    @cached_property
    def whole(self) -> Landing:
        """The same landing of the whole period."""
        if self.parts is None:
            return self
        whole = landing_of(self.cache, self.method, self.now, self.target, self.given, None, self.left_out)
        return replace(whole, notes=self.notes, targets=self.targets)

    def path(self, measure: Measure, labels: tuple[str, ...] = ()) -> LandingPath:
        """The way of an item's running total to its landing, day by day; of all together where no label is named."""
        if self.ended is not None and not labels:
            return self.ended.path(measure, self.period)
        block, place = self.whole.block_of(measure, labels)
        row = block.row(0, place)
        chosen = PROFILES[row["profile"]] if row["profile"] >= 0 else self.method.profile
        by = self.by[: len(labels)]
        rest = None
        wanted = tuple(np.array([label], dtype=object) for label in labels)
        if OTHERS in labels:
            known, shown = self.book.day_sums(by).items.labels, tuple(block.columns[name][0] for name in by)
            others = places_of(shown, known) < 0
            wanted, rest = tuple(label[:0] for label in wanted), tuple(label[others] for label in known)
        rows = LandingRows(self.book, measure, by, wanted, rest)
        method = replace(self.method, profile="even" if chosen == "best" else chosen)
        ends = float(row["estimate"]), float(row["low"]), float(row["high"])
        return landing_path(method, rows, self.now, self.target, ends)

    def on_days(self, book: Daybook, by: tuple[str, ...]) -> Callable[[int], AlignedAnswer]:
        """Answers for a book as it was known on days: those of periods that are over then are made in one pass."""
        again = super().on_days(book, by)
        steady = isinstance(self.spec.basis, Plan | Stepping) and self.parts is None and self.method.listed is None
        if by or not steady or (self.given is not None and self.given.standing.spread not in (None, "even")):
            return again
        ended = EndedPeriods(self, book)
        return lambda last: ended.ending(last) or again(last)

    @cached_property
    def summed_items(self) -> dict[str, float]:
        """By measure the sum of the items' own estimates, NaN where none is known or they do not add up."""
        by_measure = {}
        for measure in self.measures:
            estimates = self.of_measure(self.whole.columns, measure)["estimate"]
            known = np.isfinite(estimates)
            ids = self.prepared.counts_ids(measure)
            by_measure[measure.name] = float(estimates[known].sum()) if known.any() and not ids else float("nan")
        return by_measure

    @cached_property
    def backtested(self) -> Backtest:
        """The back-test as an answer of its own."""
        measure = self.measures[0]
        rows = LandingRows(self.book, measure, (), ())
        columns, profile_test = backtest_at_tenths(self.method, rows, self.now, self.target)
        return Backtest(columns=columns, total_columns=Blocks([]), landing=self, measure=measure, **profile_test)

    @property
    def backtest(self) -> pd.DataFrame:
        """What would have been estimated at each tenth of past periods, and what they came to."""
        return self.backtested.table


@remembered
@kinds_checked
def land(
    book: Daybook,
    within: Within = "month",
    *,
    against: str | Basis = "year-ago",
    profile: Any = "best",
    rest: Rest = "scaled",
    each: Grain | None = None,
    at: Any = None,
    history: int = 12,
    plan: AnyPlan | None = None,
    selling_days: SellingDays | None = None,
    by: str | Sequence[str] | None = (),
    measures: str | Sequence[str] | None = None,
    calendar: Calendar | None = None,
    judging: JudgingLike = None,
    items: Kept = "all",
    top: int | None = None,
    sort: str | None = None,
) -> Landing:
    """Estimate how the running period will end, and how sure that is.

    Parameters
    ----------
    book
        The records, from `read`. The report date is its `report_day`.
    within
        The grain of the running period: week, month, quarter, half or year.
    against
        The earlier whole period it is held against: as in `compare`, but for any two spans; or ``"plan"``.
    profile
        The usual share of the period by now. ``"history"``: the average over the last `history` complete
        periods; ``"year-ago"``: that of the base; ``"weekday"``: the weights of the weekdays in the last 8 whole weeks;
        ``"even"``: the days elapsed; ``"best"``: the one of these whose typical error was smallest (where fewer than 3
        errors are known, the first of year-ago, history, weekday and even that tells anything); ``"selling-days"``:
        the selling days that are over; ``"season"``: the usual shares of the months that are over (of shorter periods
        the weekdays), as `season` tells them.

        Or a list of your own, each day's share of its period in parts or percent: the shares of day 1, 2 and so on;
        ``{day: share}``; ``{length: shares}`` for periods of several lengths; a table with ``date`` or ``day`` (and
        maybe ``days``, the length) and ``share``; a `pathlib.Path` of one.
    rest
        ``"scaled"``: what is sold to date divided by that share; ``"as-was"``: what is sold to date and what the base
        sold after the same point (no profile is used).
    each
        A shorter grain: a row for each part of the period, done or estimated. The rest is spread over the same days of
        the base.
    at
        The period, by its label or a day in it; the one that holds the report date where None.
    history
        Over how many complete periods before the profile ``"history"`` is averaged.
    plan
        The plan, from `read_plan`, or a `Constant`: a target beside the base, or the base itself where `against` is
        one. Of several by their names each is a target; the columns are of the first.
    selling_days
        On which days something can be sold, past the report date too: what is left to be reached is divided by those.
        Where None those of the book, else the weekdays on which the source has any record.
    by, measures, calendar, judging, top, sort
        As in `compare`; items are estimated on their own, and so is the total. `top` takes the largest to date, `sort`
        is by ``"estimate"``, ``"growth"``, ``"change"``, ``"to_date"`` or ``"label"``. Measures that divide are
        refused; where none is named they are left out. Bands do not apply.
    items
        ``"all"``; comparable items are asked of `compare`.

    Returns
    -------
    Landing
        Frozen; `.table`, `.subtotals`, `.total`, `.backtest` and `.notes`.

    Raises
    ------
    QuestionError
        Where the records do not hold the period from its start, a listed profile does not add up, or an option names
        nothing or does not go with another.

    Notes
    -----
    estimate = to date / share done by now. typical_error = median of |estimate / outcome - 1| over the past periods (60
    at most), each estimated at the same point from what was known then, the choice of the best profile included. low
    and high = estimate / the 90 % and 10 % quantile of estimate / outcome, from 6 past periods, rough from 3. On the
    last day of the period the estimate is its total.

    Examples
    --------
    >>> import logochron as lc
    >>> month = lc.land(lc.demo.book(), "month", measures="revenue")
    >>> month.total.period.tolist(), bool(month.total.low[0] < month.total.estimate[0] < month.total.high[0])
    (['2026-10'], True)
    """
    check_book(book)
    book = book.selling_on(selling_days)
    check("within", within, Within)
    check("rest", rest, Rest)
    check_count("history", history)
    spec = period_spec(each=within, against=against, calendar=calendar, at=at, last=1 if at is None else None)
    listed, named = _profile(profile)
    kept, left_out = _measures(book, measures)
    if check("items", items, Kept) == "comparable":
        raise QuestionError(
            "items='comparable' goes with compare, relate, drivers and pace: here items land on their own"
        )
    laid: tuple[str, ...] = ()
    if book.coverage.uncut:  # what is cut within a record needs its days
        laid = (
            Said(
                "records of {0} hold no days: each is spread evenly over its days, and how far off "
                "such estimates are cannot be told",
                PLURALS[book.coverage.uncut],
            ),
        )
        book = book.evenly()
    selection = ask("land", book, by=by, measures=kept, judging=judging, items=items, top=top, sort=sort)
    is_base = isinstance(spec.basis, Plan)
    plans = _plans(plan, spec, book, selection.measures)
    given = plans.get("") if len(plans) == 1 and "" in plans else next(iter(plans.values()), None)
    prepared = prepare(selection, spec, given if is_base else None, against_whole)
    now = _now(prepared)
    if listed is not None:
        listed.check(spec.calendar, spec.grain, now)
    target: Daybook | None = prepared.plan
    said: tuple[str, ...] = ()
    targets: dict[str, Daybook] = {}
    if not is_base:
        laid_out_plans = {name: shaped(one, book) for name, one in plans.items()}
        targets = {name: one for name, (one, _) in laid_out_plans.items()}
        target, said = next(iter(laid_out_plans.values()), (None, ()))
    method = Method(
        calendar=spec.calendar,
        within=spec.grain,
        basis=spec.basis,
        coverage=book.coverage,
        standing=book.standing,
        rest=rest,
        profile=named,
        listed=listed,
        history=_depth(spec, now, book.coverage, history),
        selling=book.selling,
    )
    parts = None if each is None else parts_of(method, now, each)
    landing = landing_of(
        LandingCache(groupings_of(prepared), {}),
        method,
        now,
        target,
        given,
        parts,
        (*_left_out(left_out), *said, *laid, *book.selling.said),
    )
    return replace(landing, targets=targets)


def _plans(plan: AnyPlan | None, spec: PeriodSpec, book: Daybook, measures: Sequence[Measure]) -> dict[str, Daybook]:
    """The plans that are targets, by their names; or the one that is the base."""
    if isinstance(spec.basis, Plan):
        named = check_plan(plan, spec.basis, book, measures, spec.calendar)
        assert named is not None
        return {"": named}
    names = list(plan) if isinstance(plan, Mapping) else [""] if plan is not None else []
    plans = {name: check_plan(plan, Plan(name), book, measures, spec.calendar) for name in names}
    return {name: one for name, one in plans.items() if one is not None}


def landing_of(
    cache: LandingCache,
    method: Method,
    now: Points,
    target: Daybook | None,
    given: Daybook | None,
    parts: Parts | None,
    left_out: tuple[str, ...],
) -> Landing:
    """The landing of what is lined up, whole or in parts; what is not worked out yet is, and is kept.

    `given` is the plan as it came, `target` as it is spread over days; `left_out`: what is to be said of that.
    """
    groupings = cache.groupings
    prepared = groupings.prepared
    points = past_points(method, now)

    def rows(measure: Measure, grouping: Grouping, others: bool) -> Block:
        key = measure.name, grouping.by
        if key not in cache.figures:
            gathered = None if groupings.chosen is None or not others else groupings.full.at(~groupings.chosen)
            items = LandingRows.of(prepared.book, measure, grouping, gathered)
            cache.figures[key] = LandingFigures(groupings, items, grouping, method, points, target)
        figures = cache.figures[key]
        columns, size = figures.columns() if parts is None else figures.part_columns(parts)
        return block(prepared, measure, grouping, in_order("land", prepared.selection.by, columns), others, size)

    notes = (*left_out, *prepared.notes())
    fields = laid_out("land", groupings, rows, periods=parts.labels if parts else None, notes=notes)
    return Landing(
        **fields,
        method=method,
        now=now,
        parts=parts,
        target=target,
        given=given,
        cache=cache,
        left_out=left_out,
    )


def _run(held: Bools) -> tuple[int, int]:
    """From where to before where all are held; nothing where there is a gap."""
    places = np.flatnonzero(held)
    if not len(places) or not held[places[0] : places[-1] + 1].all():
        return 0, 0
    return int(places[0]), int(places[-1]) + 1


class EndedPeriods:
    """The landings of all periods that are over, each as of its last day, of all items together: made in one pass.

    Each is what `land` says of the book as it was known on that day.
    """

    def __init__(self, answer: Landing, book: Daybook) -> None:
        selection = answer.selection.about(book, ())
        spec = replace(answer.spec, at=None, last=None)
        every = prepare(selection, spec, answer.given if isinstance(spec.basis, Plan) else None, against_whole)
        low, high = _run(held_whole(spec.calendar, spec.grain, every.aligned.ordinals, book.coverage))
        prepared = every.between(low, high) if low < high else every.at(np.arange(0))
        rows = prepared.aligned.rows
        points = Points(prepared.aligned.ordinals, rows.starts, rows.ends, rows.ends)
        history = answer.call.options["history"] if answer.call else answer.method.history
        method = replace(answer.method, coverage=book.coverage, standing=book.standing, history=history)
        cache = LandingCache(groupings_of(prepared), {})

        def rows_of(measure: Measure, grouping: Grouping, others: bool) -> Block:
            items = LandingRows.of(prepared.book, measure, grouping)
            figures = LandingFigures(cache.groupings, items, grouping, method, points, answer.target)
            cache.figures[measure.name, ()] = figures
            columns, size = figures.columns(each=True)
            return block(prepared, measure, grouping, in_order("land", (), columns), others, size)

        self.book = book
        self.periods = {last: n for n, last in enumerate(rows.ends.tolist())}
        fields = laid_out("land", cache.groupings, rows_of) if self.periods else {}
        #: All of them as one landing of several periods.
        self.every = replace(answer, **fields, method=method, now=points, cache=cache, ended=self)
        self._paths: dict[str, list[LandingPath]] = {}

    def ending(self, last: int) -> Landing | None:
        """The landing of the period whose last day this is; None where there is none."""
        place = self.periods.get(last)
        if place is None:
            return None
        every, book = self.every, known_on(self.book, last)
        part = every.prepared.between(place, place + 1)
        prepared = replace(
            part,
            selection=replace(part.selection, book=book),
            book=book.held_by(part.spec.calendar),
            spec=replace(part.spec, at=None, last=1),
        )
        now = every.now.at(np.array([place]))
        method = replace(every.method, history=_depth(prepared.spec, now, book.coverage, every.method.history))
        rows = every.total_columns.alone(place, place + 1)
        return replace(
            every,
            columns=rows,
            total_columns=rows,
            periods=prepared.periods,
            notes=(*every.left_out, *prepared.notes()),
            selection=prepared.selection,
            prepared=prepared,
            method=method,
            now=now,
            cache=every.cache._replace(figures={k: one.as_of(place, method) for k, one in every.cache.figures.items()}),
        )

    def path(self, measure: Measure, period: str) -> LandingPath:
        """The way of the running total of one of the periods."""
        every = self.every
        if measure.name not in self._paths:
            rows = every.figures_of(measure).rows
            self._paths[measure.name] = ended_paths(every.method, rows, every.now, every.target)
        return self._paths[measure.name][every.periods.index(period)]


def _now(prepared: Prepared) -> Points:
    """The one period, and the last day that is known of it.

    Raises
    ------
    QuestionError
        Where there is no such period, or the records do not hold it from its start.
    """
    aligned, spec = prepared.aligned, prepared.spec
    word = spec.calendar.word(spec.grain)
    if aligned.size != 1:
        raise QuestionError("`at` must name one {0} that is to land: {1!r} names {2}", word, spec.at, aligned.size)
    label, cover = aligned.labels[0], prepared.selection.book.coverage
    if not aligned.value_known[0]:
        raise QuestionError(
            "{0} is not recorded: the records run from {1} to {2}; name a {3} that they reach",
            label,
            iso(cover.first),
            iso(cover.last),
            word,
        )
    if aligned.status[0] == PARTIAL:
        raise QuestionError(
            "{0} has no running total: the records start on {1}, within it; choose a shorter "
            "period by `within`, or say covering= (--covering) if there was nothing to record "
            "before",
            label,
            in_words(cover.first),
        )
    return Points(aligned.ordinals, aligned.rows.starts, aligned.rows.ends, aligned.ends)


def _depth(spec: PeriodSpec, now: Points, coverage: Coverage, history: int) -> int:
    """How many complete periods before there are, at most so many; at least one."""
    touched = spec.calendar.touching(spec.grain, coverage.first, coverage.last)
    held = held_whole(spec.calendar, spec.grain, touched[touched < now.ordinals[0]], coverage)
    return max(min(history, int(held.sum())), 1)


def _profile(profile: Any) -> tuple[ListedProfile | None, str]:
    """The profile that is listed, if it is one, and the name of the profile."""
    if isinstance(profile, str):
        if profile not in values(Profile) and ("." in profile or "/" in profile):
            raise QuestionError("`profile` {0!r} is no name of one; a file is said as pathlib.Path({0!r})", profile)
        return None, check("profile", profile, Profile)
    return listed_profile(profile), "listed"


def _measures(book: Daybook, measures: str | Sequence[str] | None) -> tuple[list[str], list[str]]:
    """The measures that land, and those left out as they divide."""
    kept, divide = adding_up(book, measures)
    if divide and (measures is not None or not kept):
        raise QuestionError(
            "`land` estimates what adds up over days, and {0} divides: land what it is made of", ", ".join(divide)
        )
    return kept, divide


def _left_out(names: list[str]) -> tuple[str, ...]:
    return (Said("{0}: left out, as quotients do not add up over days", ", ".join(names)),) if names else ()


class LandingFacts(NamedTuple):
    """What an estimate rests on: the base to the same point, the errors of the profiles tried and of how many periods.

    `ratios` are the 10 % and 90 % quantiles of estimate / outcome of past periods; `a_day_earlier`: how many of those
    were looked at a day before their last one, on which the same point falls; `sold_daily`: whether all days left are
    selling days.
    """

    rest: str
    base_to_date: float
    tried: Mapping[str, tuple[float, int]]
    ratios: tuple[float, float]
    past: int
    days_left: int
    over: bool
    a_day_earlier: int = 0
    sold_daily: bool = True

    @classmethod
    def of(cls, result: Landing, measure: Measure, by: tuple[str, ...], item: int) -> LandingFacts:
        """The facts about one of the items by some dimensions."""
        figures = result.cache.figures[measure.name, by]
        past = int(figures.sure.past[item])
        return cls(
            result.method.rest,
            float(figures.estimates.base_cut[-1, item]),
            figures.tried(item),
            figures.quantiles(item),
            past,
            result.days_left,
            bool(result.now.over[0]),
            figures.a_day_earlier(item),
            result.sold_daily,
        )
