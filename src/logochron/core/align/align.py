"""For a period that closed days may keep from being whole: the exact option that says they were."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.base_spans import BaseSpans, Objects, ValueSpans, any_part, base_spans, check_moved, one_span
from logochron.core.align.bases import Fixed, Stepping, YearAgo, YearAgoMean
from logochron.core.align.period_spec import PeriodSpec
from logochron.core.book.coverage import Coverage, closable
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.choices import COMPLETE, PARTIAL, PLURALS, TO_DATE, Grain, how_many
from logochron.core.days import Days, as_date, day_number, in_words, iso, whole_span
from logochron.core.errors import QuestionError, brief
from logochron.core.notes import Noted
from logochron.core.said import Hinted, Said


def closing_options(
    spec: PeriodSpec, aligned: Alignment, coverage: Coverage, recorded: Days, recorded_last: int
) -> tuple[str, ...]:
    """The option that closes each edge of the coverage, where it cuts a period that the answer takes.

    Parameters
    ----------
    recorded
        The days with records, sorted.
    recorded_last
        The last day that any of them stands for.
    """
    if spec.each == "day" and spec.window.parent is None or not aligned.size:
        return ()
    found = aligned.parts.found
    starts = np.concatenate([aligned.rows.starts, aligned.parts.starts[found]])
    ends = np.concatenate([aligned.rows.ends, aligned.parts.ends[found]])
    labels = aligned.labels if spec.each == "span" else None
    lines = edge_options(spec, labels, starts, ends, coverage, recorded, recorded_last)
    if few_have_base(spec, aligned):
        word, early = spec.calendar.word(spec.each), int(_too_early(aligned).sum())
        few = Said("{0:,} of {1:,} {2} have no base", early, aligned.size, PLURALS[word])
        lines.append(
            Hinted(
                Said(
                    "{0}: the records start on {1}",
                    few if early < aligned.size else Said("no {0} has a base", word),
                    in_words(coverage.first),
                ),
                Said("; against='prior' (--against prior) holds each against the {0} before", word),
            )
        )
    return tuple(lines)


def edge_options(
    spec: PeriodSpec,
    labels: Objects | None,
    starts: Days,
    ends: Days,
    coverage: Coverage,
    recorded: Days,
    recorded_last: int,
) -> list[str]:
    """The option that closes each edge of the coverage, where it cuts one of the spans from `starts` to `ends`.

    `labels` names the one span where that is no period.
    """
    first, last = coverage.first, coverage.last
    cut_off = starts[(starts < first) & (ends >= first)]
    lines: list[str] = []
    if len(cut_off) and closable(recorded, int(cut_off.max()), first - 1):
        start = int(cut_off.max())
        lines.append(
            Hinted(
                Said(
                    "{0} is only partly covered: the records start on {1}", _label(spec, labels, start), in_words(first)
                ),
                Said(
                    ". If there was nothing to record before, say covering=({0!r}, None) (--covering {0}..)", iso(start)
                ),
            )
        )
    open_ends = ends[(ends > last) & (starts <= last)]
    # a report date before the last record was chosen: nothing to close
    if len(open_ends) and last == recorded_last and closable(recorded, last + 1, int(open_ends.min())):
        end = int(open_ends.min())
        lines.append(
            Hinted(
                Said("{0} is only partly covered: the records end on {1}", _label(spec, labels, end), in_words(last)),
                Said(". If there is nothing more to record in it, say until={0!r} (--until {0})", iso(end)),
            )
        )
    return lines


def few_have_base(spec: PeriodSpec, aligned: Alignment) -> bool:
    """Whether the records hold no year ago of most rows, but rows before others: the reason is told once then."""
    if not isinstance(spec.basis, YearAgo) or spec.window.parent or spec.each in ("span", "year"):
        return False
    recorded = aligned.value_known & (aligned.status != PARTIAL)
    return int(recorded.sum()) > 1 and 2 * int(_too_early(aligned).sum()) > aligned.size


def _too_early(aligned: Alignment) -> Bools:
    """The rows whose base would lie before the records."""
    notes = [note.rows for note in aligned.notes if note.code == "no base: records start"]
    return np.any(notes, axis=0) if notes else np.zeros(aligned.size, dtype=bool)


def _label(spec: PeriodSpec, labels: Objects | None, day: int) -> str:
    """The period at an edge of which a day lies; the longer one where rows add up to date."""
    if labels is not None:
        return str(labels[0])
    calendar, each = spec.calendar, spec.grain
    held = calendar.ordinals(each, np.array([day]))
    if spec.window.parent is not None:
        parent = calendar.parents(each, spec.window.parent, held)
        return str(calendar.labels(spec.window.parent, parent)[0])
    return str(calendar.labels(each, held)[0])


#: More rows than this named by `at` are taken for a slip.
MOST_PERIODS = 100_000
#: So many periods may be counted back over whatever the records cover: what is not recorded is unknown.
_ALWAYS = 100
_FAR = np.iinfo(np.int64).max


class Alignment(NamedTuple):
    """One entry per period: the days really summed on both sides, and what is known of them.

    `starts` to `ends` are the value's days. The base has one or several parts, shape (parts, periods): its sum
    is that of the parts that are `part_known`, divided by their number. Where `base_known` is False the base's
    days mean nothing. `notes` are of whole periods. `rows` and `parts` are both sides before the report date cut
    them; `status` is an index into `STATUSES`.
    """

    rows: ValueSpans
    parts: BaseSpans
    starts: Days
    ends: Days
    status: NDArray[np.int8]
    value_known: Bools
    base_labels: Objects
    base_starts: Days
    base_ends: Days
    part_known: Bools
    base_known: Bools
    notes: tuple[Noted, ...] = ()

    @property
    def ordinals(self) -> Days:
        """The ordinals of the periods."""
        return self.rows.ordinals

    @property
    def labels(self) -> Objects:
        """The labels of the periods."""
        return self.rows.labels

    @property
    def size(self) -> int:
        """How many periods there are."""
        return len(self.rows.ordinals)

    def at(self, taken: Days) -> Alignment:
        """Some of the rows."""
        return Alignment(
            rows=self.rows.at(taken),
            parts=self.parts.at(taken),
            starts=self.starts[taken],
            ends=self.ends[taken],
            status=self.status[taken],
            value_known=self.value_known[taken],
            base_labels=self.base_labels[taken],
            base_starts=self.base_starts[:, taken],
            base_ends=self.base_ends[:, taken],
            part_known=self.part_known[:, taken],
            base_known=self.base_known[taken],
            notes=tuple(note.at(taken) for note in self.notes),
        )

    def value_spans(self) -> tuple[Days, Days]:
        """Starts and ends of the value's spans, shape (1, periods); what is unknown is an empty span."""
        return self.starts[None], np.where(self.value_known, self.ends, self.starts - 1)[None]

    def base_spans(self) -> tuple[Days, Days]:
        """Starts and ends of the base's spans, shape (parts, periods); what is unknown is an empty span."""
        known = self.part_known & self.base_known
        return self.base_starts, np.where(known, self.base_ends, self.base_starts - 1)

    def base_first(self) -> Days:
        """The first day of each base that is known."""
        return np.where(self.part_known, self.base_starts, _FAR).min(axis=0, initial=_FAR)

    def base_last(self) -> Days:
        """The last day of each base that is known."""
        return np.where(self.part_known, self.base_ends, -_FAR).max(axis=0, initial=-_FAR)


def align(spec: PeriodSpec, coverage: Coverage, recorded: Days, plan: Coverage | None = None) -> Alignment:
    """Line up each period with its base, both with the days the coverage holds.

    Parameters
    ----------
    recorded
        The days with records, sorted.
    plan
        The coverage of the plan, where the basis is one.

    Raises
    ------
    QuestionError
        Where an option names nothing or does not go with another.
    """
    rows, parts = _lined_up(spec, coverage, recorded)
    covered = (rows.own_starts <= coverage.last) & (rows.ends >= coverage.first)
    start_held = covered & (rows.starts >= coverage.first) & rows.whole
    whole = start_held & (rows.ends <= coverage.last)
    running = start_held & ~whole
    # a window of so many periods that leaves the coverage is unknown; a longer period's first part is shown
    value_known = covered & (start_held | (spec.window.n == 1))
    starts = np.where(value_known, np.maximum(rows.starts, coverage.first), rows.starts)
    ends = np.where(value_known, np.minimum(rows.ends, coverage.last), rows.ends)

    as_is = spec.partial == "as-is"
    if plan is not None:  # the same days
        base_starts, base_ends = starts[None], np.where(as_is, rows.ends, ends)[None]
    else:
        base_starts, base_ends = parts.starts, parts.ends.copy()
        if running.any() and not as_is:
            cut = np.minimum(_cut(spec, rows, parts, running, coverage.last), parts.ends[:, running])
            base_ends[:, running] = np.where(parts.uncut[:, running], parts.ends[:, running], cut)
    held_by = plan or coverage
    too_early = any_part(base_starts < held_by.first)
    if as_is:
        held = (base_starts <= held_by.last) & (base_ends >= held_by.first)
        base_starts, base_ends = np.maximum(base_starts, held_by.first), np.minimum(base_ends, held_by.last)
    else:
        held = (base_starts >= held_by.first) & (base_ends <= held_by.last)
        if isinstance(spec.basis, Fixed):  # the named period itself, not only as far as the row goes
            held &= parts.ends <= held_by.last
    part_known = parts.found & held
    fragment = covered & ~start_held
    enough = part_known.any(axis=0) if as_is else part_known.all(axis=0)
    aligned = Alignment(
        rows=rows,
        parts=parts,
        starts=starts,
        ends=ends,
        status=np.where(whole, COMPLETE, np.where(running, TO_DATE, PARTIAL)).astype(np.int8),
        value_known=value_known,
        base_labels=base_names(parts, part_known & enough if as_is else np.zeros_like(held)),
        base_starts=base_starts,
        base_ends=base_ends,
        part_known=part_known,
        base_known=enough & ~fragment,
    )
    if coverage.uncut and plan is None:
        cut = running & any_part(parts.found & (base_ends < parts.ends))
        note = Noted(cut & aligned.base_known, "no base: uncut", (PLURALS[coverage.uncut],))
        aligned = aligned._replace(base_known=aligned.base_known & ~cut)
        notes = _notes(spec, aligned, fragment, too_early, coverage, plan, uncut=note.rows)
        return aligned._replace(notes=(*notes, note))
    return aligned._replace(notes=_notes(spec, aligned, fragment, too_early, coverage, plan))


def against_whole(spec: PeriodSpec, coverage: Coverage, recorded: Days, plan: Coverage | None = None) -> Alignment:
    """The same with the bases whole, whatever of the period itself has passed; unknown where that is not held."""
    aligned = align(spec, coverage, recorded, plan)
    held_by = plan or coverage
    starts, ends = aligned.parts.starts, aligned.parts.ends
    part_known = aligned.parts.found & (starts >= held_by.first) & (ends <= held_by.last)
    whole = aligned._replace(
        ends=aligned.rows.ends,
        base_starts=starts,
        base_ends=ends,
        part_known=part_known,
        base_known=np.asarray(part_known.all(axis=0)),
    )
    fragment = aligned.status == PARTIAL
    too_early = any_part(starts < held_by.first)
    return whole._replace(ends=aligned.ends, notes=_notes(spec, whole, fragment, too_early, coverage, plan))


def _lined_up(spec: PeriodSpec, coverage: Coverage, recorded: Days) -> tuple[ValueSpans, BaseSpans]:
    """The rows and their bases, before the report date cuts them."""
    calendar, each = spec.calendar, spec.each
    if spec.weeks == "364-days":
        check_moved(spec.basis, calendar, each)
    if spec.skip_closed and (each != "day" or spec.window.parent):
        raise QuestionError("`skip_closed` is about days: it goes with each='day', without a longer grain in `running`")
    if each == "span":
        first, last = _one_span(spec.at)
        ends = np.array([first]), np.array([last])
        label = np.array([f"{iso(first)}..{iso(last)}"], dtype=object)
        rows = ValueSpans(np.zeros(1, dtype=np.int64), label, ends[0], ends[0], ends[1], np.ones(1, dtype=bool))
        parts = one_span(spec.basis, calendar, first, last, spec.weeks)
        if spec.partial == "drop" and not (first >= coverage.first and last <= coverage.last):
            return rows.none(), parts.none()
        return rows, parts
    _check_reach(spec, coverage)
    ordinals = _periods(spec, coverage)
    rows = ValueSpans(
        ordinals,
        calendar.labels(each, ordinals).astype(object),
        spec.window.starts(calendar, each, ordinals),
        calendar.first_days(each, ordinals),
        calendar.last_days(each, ordinals),
        spec.window.whole(calendar, each, ordinals),
    )
    inside = (recorded >= coverage.first) & (recorded <= coverage.last) & calendar.holds(recorded)
    closed_skipped = recorded[inside] if spec.skip_closed else None
    parts = base_spans(spec.basis, calendar, each, spec.window, rows, spec.weeks, closed_skipped)
    return rows, parts


def _check_reach(spec: PeriodSpec, coverage: Coverage) -> None:
    """Refuse counts that reach back further than the records could ever do."""
    calendar, grain, basis = spec.calendar, spec.grain, spec.basis
    counts: list[tuple[str, int, Grain]] = [("running", spec.window.n, grain)]
    if isinstance(basis, Stepping):
        of_years = isinstance(basis, (YearAgo, YearAgoMean))
        counts.append(("against", basis.n, "year" if of_years else spec.window.parent or grain))
    for option, n, step in counts:
        held = len(calendar.touching(step, coverage.first, coverage.last))
        if n > max(held, _ALWAYS):
            raise QuestionError(
                "`{0}` may reach over {1} at most, as the records cover {2}; got {3:,}",
                option,
                how_many(max(held, _ALWAYS), step),
                how_many(held, step),
                n,
            )


def _one_span(at: Any) -> tuple[int, int]:
    if at is None:
        raise QuestionError("each='span' (--each span) needs `at` FIRST..LAST, such as 2026-03-30..2026-04-12")
    return whole_span(at, "at")


def _periods(spec: PeriodSpec, coverage: Coverage) -> Days:
    """The ordinals of the rows: those of `at`, or all that touch the coverage; the last few of them."""
    calendar, each, at, last = spec.calendar, spec.grain, spec.at, spec.last
    ordinals = calendar.touching(each, coverage.first, coverage.last)
    if at is not None:
        low, high = named_periods(calendar, each, at)
        if high - low >= MOST_PERIODS:
            raise QuestionError("`at` {0!r} names {1:,} periods; name fewer", at, high - low + 1)
        if last and len(ordinals):  # `last` counts back from the end of `at`, over recorded periods
            low = min(low, int(ordinals[0]))
        ordinals = np.arange(low, high + 1)
    elif not len(ordinals):
        raise QuestionError(
            "the calendar lists no {0} in the days of the records, {1} to {2}",
            calendar.word(each),
            iso(coverage.first),
            iso(coverage.last),
        )
    if spec.partial == "drop":
        starts, ends = spec.window.starts(calendar, each, ordinals), calendar.last_days(each, ordinals)
        whole = spec.window.whole(calendar, each, ordinals)
        ordinals = ordinals[whole & (starts >= coverage.first) & (ends <= coverage.last)]
    return ordinals[-last:] if last else ordinals


def named_periods(calendar: Calendar, each: Grain, at: Any, name: str = "at") -> tuple[int, int]:
    """First and last ordinal that `at`, or the option of another `name`, names."""
    if not isinstance(at, str):
        ordinal = int(calendar.ordinals(each, np.array([day_number(at, name)]))[0])
        return ordinal, ordinal
    ends = at.split("..")
    if len(ends) > 2 or not all(end.strip() for end in ends):
        raise QuestionError("`{0}` must be a period, a day or a range FIRST..LAST; got {1}", name, brief(at))
    low, high = calendar.find(each, ends[0], name)[0], calendar.find(each, ends[-1], name)[1]
    if low > high:
        raise QuestionError("`{0}` ends before it starts: {1!r}", name, at)
    return low, high


def _cut(spec: PeriodSpec, rows: ValueSpans, parts: BaseSpans, running: Bools, report: int) -> Days:
    """The last day of each base of the unfinished rows, at the same point of their last period."""
    starts, base_starts = rows.own_starts[running], parts.own_starts[:, running]
    if spec.each == "span" or spec.weeks == "364-days":
        return base_starts + (report - starts)
    return spec.calendar.cut(spec.each, starts, base_starts, report)


def base_names(parts: BaseSpans, taken: Bools) -> Objects:
    """The name of each base: FIRST..LAST where its parts follow each other, else all of them.

    Of the parts that are `taken`, where any is said to be.
    """
    named = np.array(parts.labels != None, dtype=bool)  # noqa: E711  element by element
    taken = np.where(any_part(taken), taken, named)
    labels = parts.labels.copy()
    labels[~taken] = None
    if len(labels) == 1:
        return labels[0]
    pairs = taken[1:] & taken[:-1] & (parts.own_starts[1:] == parts.ends[:-1] + 1)
    several = taken.sum(axis=0) > 1
    run = several & (pairs.sum(axis=0) == taken.sum(axis=0) - 1)
    listed = labels[0]
    for k in range(1, len(labels)):
        both = taken[k] & taken[:k].any(axis=0)
        listed[both] = listed[both] + ", " + labels[k][both]
        only = taken[k] & ~both
        listed[only] = labels[k][only]
    places = np.flatnonzero(run)
    firsts, lasts = taken.argmax(axis=0)[run], (len(labels) - 1 - taken[::-1].argmax(axis=0))[run]
    listed[run] = parts.labels[firsts, places] + ".." + parts.labels[lasts, places]
    return listed


def _notes(
    spec: PeriodSpec,
    aligned: Alignment,
    fragment: Bools,
    too_early: Bools,
    coverage: Coverage,
    plan: Coverage | None,
    uncut: Bools | None = None,
) -> tuple[Noted, ...]:
    """What is to be said of each row.

    `too_early`: its base would start before what is held; `uncut`: it is of records that cannot be cut.
    """
    parts, value_known, base_known = aligned.parts, aligned.value_known, aligned.base_known
    held_by, whose = (coverage, "records") if plan is None else (plan, "plan")
    missing = parts.found.all(axis=0) & ~base_known
    if uncut is not None:
        missing &= ~uncut
    before = (fragment & aligned.rows.whole) | too_early
    notes = [Noted(~value_known, "not recorded")]
    cut_off = fragment & ~aligned.rows.whole
    if plan is not None and cut_off.any():  # the list of periods, not the plan, lacks the start of these
        grain = spec.window.parent or spec.grain
        first = spec.calendar.labels(grain, np.zeros(1, dtype=np.int64))[0]
        notes.append(Noted(cut_off, "no base: cut by the list", (str(first),)))
        missing = missing & ~cut_off
    notes += [
        Noted(missing & before, f"no base: {whose} {'starts' if plan else 'start'}", (as_date(held_by.first),)),
        Noted(missing & ~before, f"no base: {whose} {'ends' if plan else 'end'}", (as_date(held_by.last),)),
        # of a mean that takes what is there, a part that is not is no reason
        *(n._replace(rows=n.rows & ~base_known) if n.code.startswith("no base") else n for n in parts.notes),
    ]
    if plan is None:
        both = aligned.part_known & base_known & value_known
        if spec.each == "week" or (spec.calendar.whole_weeks and spec.each != "span"):
            notes.append(_weeks_differ(aligned, both))
        if spec.window.parent == "year":
            notes.append(Noted(any_part(parts.uncut & both), "against the whole year"))
        meets = (aligned.base_starts <= aligned.ends) & (aligned.base_ends >= aligned.starts)
        notes.append(Noted(any_part(meets & both), "shared days"))
    if coverage.by_word:
        beyond = value_known & (aligned.ends > coverage.recorded_last)
        if plan is None:
            beyond |= base_known & any_part(aligned.part_known & (aligned.base_ends > coverage.recorded_last))
        notes.append(Noted(beyond, "taken as complete", (as_date(coverage.last),)))
    return tuple(notes)


def _weeks_differ(aligned: Alignment, both: Bools) -> Noted:
    """Five weeks against four: where value and base are of unlike length."""
    weeks, base_weeks = (-(-days // 7) for days in (
        aligned.ends - aligned.starts + 1, aligned.base_ends - aligned.base_starts + 1))  # fmt: skip
    differ = both & (weeks != base_weeks)
    first = differ.argmax(axis=0)
    return Noted(any_part(differ), "weeks", (weeks, base_weeks[first, np.arange(aligned.size)]))
