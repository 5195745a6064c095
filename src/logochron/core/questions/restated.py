"""Which figures of complete periods changed since they were reported?"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.daybook import Daybook
from logochron.core.book.items import Items
from logochron.core.calendars.base import Bools
from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import STATUSES
from logochron.core.errors import QuestionError, brief, no_such
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.figures import Floats
from logochron.core.rows.question_types import QuestionType, question_type, question_types
from logochron.core.rows.result import Blocks, Result
from logochron.core.said import Said

#: So far may floats of the same records lie apart, as parts of their size, where their sums are not exact.
_SAME = 1e-9
#: Floats below so much show so many decimals as they are: those of a table are taken for exact sums where they do.
_PLAIN = ((9e9, 6), (9e13, 2))
_NEVER_REPORTED = Said("not reported then")
_GONE = Said("no longer recorded")
_UNKNOWN_THEN = Said("was not known then")
_UNKNOWN_NOW = Said("is not known now")


class Reported(NamedTuple):
    """The figures of an answer, as far as they can be held against those of another: a row each.

    `labels` are by dimension, None where it is added up. `exact`: in which rows each of the two is an exact sum.
    """

    by: tuple[str, ...]
    measure: NDArray[np.object_]
    period: NDArray[np.object_]
    labels: tuple[NDArray[np.object_], ...]
    status: NDArray[np.object_]
    value: Floats
    base: Floats
    exact: Mapping[str, Bools]

    @property
    def keys(self) -> list[NDArray[np.object_]]:
        """Measure, period and labels of each row, and which dimensions are added up: any text may be a label."""
        added_up = [np.asarray(one == None, dtype=bool) for one in self.labels]  # noqa: E711
        nothing = np.array("", dtype=object)
        labels = [np.where(none, nothing, one) for none, one in zip(added_up, self.labels)]
        places = sum((none * 2**k for k, none in enumerate(added_up)), np.zeros(len(self.measure), dtype=np.int64))
        return [self.measure, self.period, *labels, places.astype(str).astype(object)]

    def take(self, rows: NDArray[Any]) -> Reported:
        """Some of the rows."""
        kept = (self.measure[rows], self.period[rows], tuple(one[rows] for one in self.labels), self.status[rows])
        exact = {side: of[rows] for side, of in self.exact.items()}
        return Reported(self.by, *kept, self.value[rows], self.base[rows], exact)


def seeming_exact(value: Floats, base: Floats) -> dict[str, Bools]:
    """In which rows the figures of a table look like exact sums."""
    return {"value": _plain(value), "base": _plain(base)}


def _plain(values: Floats) -> Bools:
    """Which figures are whole numbers of some decimals, as floats show them."""
    plain = np.zeros(len(values), dtype=bool)
    for limit, decimals in _PLAIN:
        small = np.abs(values) < limit
        plain |= small & (np.round(np.where(small, values, 0.0), decimals) == values)
    return plain


@dataclass(frozen=True, repr=False, eq=False)
class Restatement(Result):
    """The answer of `restated`: `.table` has a row for each figure that changed, none where all stand.

    `measure, period, *dims, column (value or base), reported, now, difference, note`.
    """

    by: tuple[str, ...] = ()
    kind: ClassVar[str] = "restated"

    def __repr__(self) -> str:
        return f"<Restatement: {self.columns.rows:,} figures changed>"


@kinds_checked
def restated(earlier: Any, now: Any) -> Restatement:
    """The figures of complete periods that are no longer what was reported.

    Parameters
    ----------
    earlier, now
        Two answers to the same question, or a table written by one (`.table`, a data frame of its columns).

    Returns
    -------
    Restatement
        A row for each value or base that changed: what was reported, what it is now, their difference. Periods that
        were to date or partly covered then are not restated.

    Raises
    ------
    QuestionError
        Where one of them holds no such figures, or they are answers to different questions.

    Notes
    -----
    Exact sums that differ at all have changed; others count as the same where they differ by less than 1e-9 of their
    size. An item without a row in one of the answers is 0 there in a complete period: a 0 in the other is no change.

    Examples
    --------
    >>> import logochron as lc
    >>> book = lc.demo.book()
    >>> months = lc.compare(book, each="month", at="2026", measures="revenue")
    >>> lc.restated(months, months).table.empty
    True
    """
    return restatement(reported(earlier, "earlier"), reported(now, "now"))


def reported(answer: Any, named: str = "earlier") -> Reported:
    """The figures of an answer, or of a table written by one.

    Raises
    ------
    QuestionError
        Where it holds none.
    """
    if isinstance(answer, AlignedAnswer) and answer.type.restated is not None:
        return _of_answer(answer, *answer.type.restated)
    if hasattr(answer, "columns") and hasattr(answer, "__getitem__") and not isinstance(answer, Result):
        return _of_frame(answer, named)
    came = Said("the answer of {0}", answer.kind) if isinstance(answer, Result) else brief(answer)
    known = ", ".join(one.name for one in question_types() if one.restated is not None)
    raise QuestionError("`{0}` must be an answer of {1}, or a table written by one; got {2}", named, known, came)


def _of_answer(answer: AlignedAnswer, value: str, base: str | None) -> Reported:
    groupings = [answer.total_columns, answer.subtotal_columns, answer.columns] if answer.by else [answer.total_columns]
    parts = [_of_grouping(answer, grouping, value, base) for grouping in groupings if grouping]
    return _joined(_keys(answer.type, answer.by), parts)


def _keys(of: QuestionType, by: Sequence[str]) -> tuple[str, ...]:
    """What names a figure besides its measure and period: the dimensions, and columns of words that tell rows apart."""
    return (*by, *(name for name in ("window", "basis") if of.has_column(name)))


def _of_grouping(answer: AlignedAnswer, columns: Blocks, value: str, base: str | None) -> Reported:
    n = columns.rows
    if answer.type.has_column("period"):
        periods = np.array([*answer.periods, None], dtype=object)[columns["period"]]
        status = answer.texts(columns, "status")
    else:
        periods = np.full(n, answer.periods[0], dtype=object)
        status = np.full(n, STATUSES[answer.alignment.status[0]], dtype=object)
    measures, keys = answer.texts(columns, "measure"), _keys(answer.type, answer.by)
    reported = Reported(
        keys,
        measures,
        periods,
        tuple(answer.texts(columns, name) for name in keys),
        status,
        np.asarray(columns[value], dtype=float),
        np.full(n, np.nan) if base is None else np.asarray(columns[base], dtype=float),
        _exact(answer, measures),
    )
    if not answer.type.has_column("position"):
        return reported
    return reported.take(columns["position"] == columns["position"].max(initial=0))  # running totals at their ends


def _exact(answer: AlignedAnswer, measures: NDArray[np.object_]) -> dict[str, Bools]:
    """In which rows value and base are exact sums: neither quotients, nor means, nor divided by days."""
    divided = answer.per is not None
    mean = divided or len(answer.alignment.part_known) > 1

    def of(book: Daybook, inexact: bool) -> Bools:
        return np.isin(measures, [name for name, exact in book.exact.items() if exact and not inexact])

    return {"value": of(answer.book, divided), "base": of(answer.plan or answer.book, mean)}


def _of_frame(frame: Any, named: str) -> Reported:
    known = [str(name) for name in frame.columns]
    # the answer with the most columns of those whose columns are all there
    fitting = [one for one in question_types() if one.restated and set(one.named_columns(at_will=False)) <= set(known)]
    written = max(fitting, key=lambda one: len(one.columns), default=question_type("compare"))
    value = (written.restated or ("value", None))[0]
    for name in ("measure", "period", "status", value):
        if name not in known:
            raise QuestionError("`{0}`: {1}", named, no_such("column", name, known, where="the table"))
    by = _keys(written, [name for name in known if name not in written.named_columns()])

    def texts(name: str) -> NDArray[np.object_]:
        values = np.asarray(frame[name].astype(object), dtype=object)
        empty = np.asarray(frame[name].isna(), dtype=bool)
        return np.where(empty, np.array(None, dtype=object), values.astype(str).astype(object))

    def figures(name: str) -> Floats:
        if name not in known:
            return np.full(len(frame), np.nan)
        return np.asarray(frame[name], dtype=float)

    value_then, base_then = figures(value), figures("base")
    exact = seeming_exact(value_then, base_then)
    labels = tuple(map(texts, by))
    return Reported(by, texts("measure"), texts("period"), labels, texts("status"), value_then, base_then, exact)


def _joined(by: tuple[str, ...], parts: Sequence[Reported]) -> Reported:
    def all_of(name: str) -> NDArray[Any]:
        return np.concatenate([getattr(part, name) for part in parts])

    labels = tuple(np.concatenate([part.labels[n] for part in parts]) for n in range(len(by)))
    exact = {side: np.concatenate([part.exact[side] for part in parts]) for side in ("value", "base")}
    return Reported(
        by, all_of("measure"), all_of("period"), labels, all_of("status"), all_of("value"), all_of("base"), exact
    )


def restatement(earlier: Reported, now: Reported) -> Restatement:
    """What changed between the figures of two answers.

    Raises
    ------
    QuestionError
        Where they are split by different dimensions.
    """
    if earlier.by != now.by:
        sides = (", ".join(side.by) or "nothing" for side in (earlier, now))
        raise QuestionError(
            "the answers must be to the same question: one is split by {}, the other by {}".format(*sides)
        )
    question_type("restated").check_dimensions(now.by)
    n = len(earlier.measure)
    items = Items.named([np.concatenate(pair) for pair in zip(earlier.keys, now.keys)], n + len(now.measure))
    then_at, now_at = (np.full(items.size, -1, dtype=np.int64) for _ in range(2))
    then_at[items.of_rows[:n]] = np.arange(n)
    now_at[items.of_rows[n:]] = np.arange(len(now.measure))
    complete = _complete(earlier, items.labels[1])
    shared = complete & np.isin(items.labels[1], np.unique(now.period.astype(str)))
    changed_sides = [_changed(side, earlier, now, then_at, now_at, shared) for side in ("value", "base")]
    places = np.concatenate([places for places, _ in changed_sides])
    columns = {name: np.concatenate([side[name] for _, side in changed_sides]) for name in changed_sides[0][1]}
    order = np.lexsort((columns["column"] == "base", places, items.labels[1][places]))
    rows = np.where(now_at[places] >= 0, now_at[places] + n, then_at[places])
    labels = {
        name: np.concatenate([then, today])[rows][order]
        for name, then, today in zip(now.by, earlier.labels, now.labels)
    }
    table: Mapping[str, NDArray[Any]] = {
        "measure": items.labels[0][places][order],
        "period": items.labels[1][places][order],
        **labels,
        **{name: side[order] for name, side in columns.items()},
    }
    periods = tuple(dict.fromkeys(table["period"].tolist()))
    return Restatement(columns=Blocks.plain(table), total_columns=Blocks([]), periods=periods, notes=(), by=now.by)


def _complete(earlier: Reported, periods: NDArray[np.object_]) -> NDArray[np.bool_]:
    """Which of some periods were complete then: a period has one status in all its rows."""
    whole = np.unique(earlier.period[earlier.status == "complete"].astype(str))
    other = np.unique(earlier.period[(earlier.status != "complete")].astype(str))
    return np.isin(periods, whole) & ~np.isin(periods, other)


def _changed(
    side: str,
    earlier: Reported,
    now: Reported,
    then_at: NDArray[np.int64],
    now_at: NDArray[np.int64],
    shared: NDArray[np.bool_],
) -> tuple[NDArray[np.int64], dict[str, NDArray[Any]]]:
    """The places of the rows of which one side changed, and what is told of each."""

    def at(figures: Reported, places: NDArray[np.int64]) -> tuple[Floats, Bools]:
        values: Floats = getattr(figures, side)
        return np.append(values, np.nan)[places], np.append(figures.exact[side], False)[places]  # -1: no row

    (then, exact_then), (today, exact_now) = at(earlier, then_at), at(now, now_at)
    known_then, known_now = np.isfinite(then), np.isfinite(today)
    with np.errstate(invalid="ignore"):
        both_exact = exact_then & exact_now
        slack = np.where(both_exact, 0.0, _SAME * np.maximum(np.abs(today), np.abs(then)))
        far = np.abs(today - then) > slack
    differs = np.where(known_then & known_now, far, known_then != known_now)
    # without a record in a complete period an item is 0 there, whether or not it has a row
    for missing, other in ((then_at < 0, today), (now_at < 0, then)):
        differs &= ~(missing & (other == 0))
    changed = shared & differs
    places = np.flatnonzero(changed)
    note = np.full(len(places), "", dtype=object)
    note[~known_then[places]] = _UNKNOWN_THEN
    note[~known_now[places]] = _UNKNOWN_NOW
    note[then_at[places] < 0] = _NEVER_REPORTED
    note[now_at[places] < 0] = _GONE
    return places, {
        "column": np.full(len(places), side, dtype=object),
        "reported": then[places],
        "now": today[places],
        "difference": np.where(both_exact, np.round(today - then, 6), today - then)[places],  # of six decimals at most
        "note": note,
    }
