"""Which periods a question is about, which days stand for each, and which days stand for its base."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.bases import Basis
from logochron.core.calendars.base import Calendar
from logochron.core.coverage import Coverage, closable
from logochron.core.days import Days, day_number, in_words, iso
from logochron.core.errors import QuestionError
from logochron.core.options import Grain, Partial
from logochron.core.reckon import Bools

#: More rows than this named by `at` are taken for a slip.
MOST_PERIODS = 100_000


class Alignment(NamedTuple):
    """One entry per period: the days really summed on both sides, and what is known of them.

    `starts` to `ends` are the value's days, `base_starts` to `base_ends` the base's (day numbers). Where
    `base_known` is False the base's days mean nothing. `notes` are pairs of rows and a text (or texts).
    """

    ordinals: Days
    labels: NDArray[Any]
    starts: Days
    ends: Days
    status: NDArray[np.object_]
    value_known: Bools
    base_ordinals: Days
    base_found: Bools
    base_labels: NDArray[np.object_]
    base_starts: Days
    base_ends: Days
    base_known: Bools
    notes: tuple[tuple[Bools, Any], ...]

    def spans(self) -> tuple[Days, Days]:
        """Starts and ends of all value spans, then of all base spans; what is unknown is an empty span."""
        starts = np.concatenate([self.starts, self.base_starts])
        ends = np.concatenate([self.ends, self.base_ends])
        known = np.concatenate([self.value_known, self.base_known])
        return starts, np.where(known, ends, starts - 1)


def align(
    coverage: Coverage,
    calendar: Calendar,
    each: Grain,
    basis: Basis,
    partial: Partial,
    at: Any,
    last: int | None,
) -> Alignment:
    """Line up each period with its base, both with the days the coverage holds."""
    ordinals = _periods(coverage, calendar, each, partial, at, last)
    nominal_starts, nominal_ends = calendar.starts(each, ordinals), calendar.ends(each, ordinals)
    covered = (nominal_starts <= coverage.last) & (nominal_ends >= coverage.first)
    start_held = covered & (nominal_starts >= coverage.first)
    whole = start_held & (nominal_ends <= coverage.last)
    running = start_held & ~whole
    starts = np.where(covered, np.maximum(nominal_starts, coverage.first), nominal_starts)
    ends = np.where(covered, np.minimum(nominal_ends, coverage.last), nominal_ends)

    earlier = basis.earlier(calendar, each, ordinals)
    base_starts, base_ends = calendar.starts(each, earlier.ordinals), calendar.ends(each, earlier.ordinals)
    base_labels = calendar.labels(each, earlier.ordinals).astype(object)
    base_labels[~earlier.found] = None
    if partial == "to-date" and running.any():
        cut = calendar.cut(each, nominal_starts[running], base_starts[running], coverage.last)
        base_ends[running] = np.minimum(cut, base_ends[running])
    base_held = (base_starts >= coverage.first) & (base_ends <= coverage.last)
    before = base_starts < coverage.first
    if partial == "as-is":
        base_held = (base_starts <= coverage.last) & (base_ends >= coverage.first)
        base_starts, base_ends = np.maximum(base_starts, coverage.first), np.minimum(base_ends, coverage.last)
    fragment = covered & ~start_held
    base_known = earlier.found & base_held & ~fragment

    first_words, last_words = iso(coverage.first), iso(coverage.last)
    no_base = earlier.found & ~base_known
    notes: list[tuple[Bools, Any]] = [
        (~covered, "not recorded"),
        (no_base & (before | fragment), f"no base: the records start on {first_words}"),
        (no_base & ~(before | fragment), f"no base: the records end on {last_words}"),
        (np.asarray(earlier.notes != "").astype(bool), earlier.notes),
    ]
    if coverage.by_word:
        beyond = (covered & (ends > coverage.recorded_last)) | (base_known & (base_ends > coverage.recorded_last))
        notes.append((beyond, f"complete by word to {last_words}"))
    return Alignment(
        ordinals=ordinals,
        labels=calendar.labels(each, ordinals),
        starts=starts,
        ends=ends,
        status=np.where(whole, "complete", np.where(running, "to-date", "partial")).astype(object),
        value_known=covered,
        base_ordinals=earlier.ordinals,
        base_found=earlier.found,
        base_labels=base_labels,
        base_starts=base_starts,
        base_ends=base_ends,
        base_known=base_known,
        notes=tuple(notes),
    )


def _periods(coverage: Coverage, calendar: Calendar, each: Grain, partial: Partial, at: Any, last: int | None) -> Days:
    """The ordinals of the rows: those of `at`, or all that touch the coverage; the last few of them."""
    low, high = (int(o) for o in calendar.ordinals(each, np.array([coverage.first, coverage.last])))
    if at is not None:
        at_low, at_high = _named(calendar, each, at)
        if at_high - at_low >= MOST_PERIODS:
            raise QuestionError(f"`at` {at!r} names {at_high - at_low + 1:,} periods; name fewer")
        # `last` counts back from the end of `at`, over recorded periods
        low = min(at_low, max(low, at_high - last + 1)) if last else at_low
        high = at_high
    ordinals = np.arange(low, high + 1)
    if partial == "drop":
        starts, ends = calendar.starts(each, ordinals), calendar.ends(each, ordinals)
        ordinals = ordinals[(starts >= coverage.first) & (ends <= coverage.last)]
    return ordinals[-last:] if last else ordinals


def _named(calendar: Calendar, each: Grain, at: Any) -> tuple[int, int]:
    """First and last ordinal that `at` names."""
    if not isinstance(at, str):
        ordinal = int(calendar.ordinals(each, np.array([day_number(at, "at")]))[0])
        return ordinal, ordinal
    ends = at.split("..")
    if len(ends) > 2 or not all(end.strip() for end in ends):
        raise QuestionError(f"`at` must be a period, a day or a range FIRST..LAST; got {at!r}")
    low, high = calendar.find(each, ends[0])[0], calendar.find(each, ends[-1])[1]
    if low > high:
        raise QuestionError(f"`at` ends before it starts: {at!r}")
    return low, high


def closing_options(
    coverage: Coverage, recorded: Days, recorded_last: int, calendar: Calendar, each: Grain, aligned: Alignment
) -> tuple[str, ...]:
    """For a period that closed days may keep from being whole: the exact option that says they were."""
    if each == "day" or not len(aligned.ordinals):
        return ()
    lines = []
    edges = calendar.ordinals(each, np.array([coverage.first, coverage.last]))
    start, end = int(calendar.starts(each, edges[:1])[0]), int(calendar.ends(each, edges[1:])[0])
    first, last = coverage.first, coverage.last
    touched = set(aligned.ordinals.tolist()) | set(aligned.base_ordinals[aligned.base_found].tolist())
    label = calendar.labels(each, edges)
    if int(edges[0]) in touched and closable(recorded, start, first - 1):
        lines.append(
            f"{label[0]} is held in part: the records start on {in_words(first)}. If there was nothing to record "
            f"before, say covering=({iso(start)!r}, None) (--covering {iso(start)}..)"
        )
    # a report date before the last record was chosen: nothing to close
    if last == recorded_last and int(edges[1]) in touched and closable(recorded, last + 1, end):
        lines.append(
            f"{label[1]} is held in part: the records end on {in_words(last)}. If there is nothing more to record "
            f"in it, say until={iso(end)!r} (--until {iso(end)})"
        )
    return tuple(lines)
