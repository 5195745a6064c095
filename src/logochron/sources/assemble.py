"""The counted rows of all sources as arrays: one coding of items, one row a day and tuple of items."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from fractions import Fraction
from operator import lt
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.items import Beyond
from logochron.core.book.kept_ids import KeptIds
from logochron.core.book.measures import Aggregate
from logochron.core.book.rates import Conversion
from logochron.core.book.record_spans import even_parts
from logochron.core.book.sums import Amounts, IdCounts
from logochron.core.days import Days
from logochron.core.errors import IntakeError
from logochron.sources.duckdb.connection import Engine
from logochron.sources.duckdb.count_ids import EngineIds
from logochron.sources.rolled_source import LeafGroups, ReadingSpec, RolledSource

#: So many decimals a sum has at most that is a whole number of the smallest part.
_FINEST = 7


class BookRows(NamedTuple):
    """The counted rows, one for each day and tuple of items."""

    days: Days
    records: Days
    codes: dict[str, Days]
    labels: dict[str, NDArray[np.object_]]
    amounts: dict[str, Amounts]
    recorded: Days
    ids: dict[str, IdCounts]
    kept_ids: dict[str, KeptIds]
    beyond: Beyond | None
    falls: dict[str, Beyond]
    conversion: Conversion | None = None


def assembled(
    engine: Engine,
    scans: Sequence[RolledSource],
    spec: ReadingSpec,
    starts: Days,
    ends: Days,
    inside: NDArray[np.bool_],
    taken: Sequence[NDArray[np.bool_]],
    beyond: Sequence[NDArray[np.bool_]],
    recorded: Days,
) -> BookRows:
    """The rows of all sources with one coding of items, one row a day and tuple.

    Parameters
    ----------
    starts, ends
        What the records of each distinct date stand for, source after source.
    inside
        Whether the records of each distinct date count.
    taken
        For each source which of its groups count.
    beyond
        For each source which of its groups would, were their days wanted.
    """
    sources = _Sources.of(scans, list(spec.dimensions))
    whole = [None if of.all() else of for of in taken]
    dates, codes = sources.groups(whole)
    days = starts[dates]
    rows = _joined([_of(s.groups.rows - s.groups.bad, t) for s, t in zip(scans, whole)])
    amounts = {
        aggregate.key: _amounts(scans, spec, aggregate, whole, sources.offsets, starts) for aggregate in spec.booked
    }
    if spec.standing.spread:
        counts = frozenset(aggregate.key for aggregate in spec.booked if aggregate.counts)
        days, rows, codes, amounts = _spread(days, ends[dates], rows, codes, amounts, counts)
    del dates
    tuples = _Tuples.of(days, codes, [len(labels) for labels in sources.labels.values()])
    falls = {
        aggregate.key: later
        for aggregate in spec.booked
        if (later := sources.later(_falling(scans, aggregate, taken, beyond), starts, ends)) is not None
    }
    ids = {}
    for aggregate in spec.ids:
        table = EngineIds(engine, aggregate.column, sources.labels)
        for scanned, low, high in zip(scans, sources.offsets, sources.offsets[1:]):
            scanned.ids(aggregate, starts[low:high], inside[low:high], table)
        ids[aggregate.key] = table.counts()
    return BookRows(
        days=days[tuples.at],
        records=tuples.added(rows),
        codes={name: values[tuples.at].astype(np.int64, copy=False) for name, values in codes.items()},
        labels=sources.labels,
        amounts={name: Amounts(tuples.added(a.values), a.scale, a.size) for name, a in amounts.items()},
        recorded=recorded,
        ids=ids,
        kept_ids=_kept_ids(engine, spec, sources, amounts, inside, beyond, starts, ends),
        beyond=sources.later(beyond, starts, ends),
        falls=falls,
    )


def _kept_ids(
    engine: Engine,
    spec: ReadingSpec,
    sources: _Sources,
    amounts: Mapping[str, Amounts],
    inside: NDArray[np.bool_],
    beyond: Sequence[NDArray[np.bool_]],
    starts: Days,
    ends: Days,
) -> dict[str, KeptIds]:
    """The ids that stay, laid down in the engine; parameters as in `assembled`."""
    if not spec.kept:
        return {}
    from logochron.sources.duckdb.engine_source import EngineSource
    from logochron.sources.duckdb.kept_ids import DatesOfIds, IdGathering

    scales = {key: column.scale for key, column in amounts.items()}
    dates = sources.dates_of(inside, beyond)
    kept: dict[str, KeptIds] = {}
    for name, column in spec.kept.items():
        gathering = IdGathering(engine, column, sources.labels, scales)
        for scanned, low, of in zip(sources.scans, sources.offsets.tolist(), dates):
            if isinstance(scanned, EngineSource):  # where others are read, no ids are kept
                at = low + np.flatnonzero(of)
                days = DatesOfIds(scanned.groups.dates[of], starts[at], ends[at])
                gathering.add(scanned.rolled, spec.booked, days, spec.scales)
        kept[name] = gathering.done()
    return kept


class _Sources(NamedTuple):
    """The groups of all sources, one after the other, with one coding of items.

    Attributes
    ----------
    offsets
        Where the dates of each source begin among all, and where the last ends.
    labels, codes
        The different labels of each dimension, in order; and of each dimension the codes of the groups of each source.
    """

    scans: Sequence[RolledSource]
    offsets: Days
    labels: dict[str, NDArray[np.object_]]
    codes: dict[str, list[NDArray[Any]]]

    @classmethod
    def of(cls, scans: Sequence[RolledSource], dimensions: Sequence[str]) -> _Sources:
        """Of sources that were scanned."""
        offsets = np.cumsum([0, *(len(scanned.groups.dates) for scanned in scans)])
        labels: dict[str, NDArray[np.object_]] = {}
        codes: dict[str, list[NDArray[Any]]] = {}
        for name in dimensions:
            named = [[label or "" for label in s.groups.labels[name]] for s in scans]
            in_order = len(named) == 1 and all(map(lt, named[0], named[0][1:]))  # as the engine gives them
            known = named[0] if in_order else sorted({label for part in named for label in part})
            labels[name] = np.array(known, dtype=object)
            codes[name] = [scanned.groups.label_codes[name] for scanned in scans]
            if named != [known]:  # else as the only source has them
                place = {label: i for i, label in enumerate(known)}
                recodes = [np.fromiter((place[label] for label in part), np.int64, len(part)) for part in named]
                codes[name] = [recode[of] for recode, of in zip(recodes, codes[name])]
        return cls(scans, offsets, labels, codes)

    def groups(self, which: Sequence[NDArray[np.bool_] | None]) -> tuple[Days, dict[str, Days]]:
        """The date and the codes of some groups of each source; of all where None."""
        dates = _joined([_of(s.groups.date_codes, of) + int(o) for s, o, of in zip(self.scans, self.offsets, which)])
        return dates, {name: _joined([_of(c, of) for c, of in zip(part, which)]) for name, part in self.codes.items()}

    def dates_of(self, inside: NDArray[np.bool_], beyond: Sequence[NDArray[np.bool_]]) -> list[NDArray[np.bool_]]:
        """For each source which of its distinct dates count, or are those of groups that would, were they wanted."""
        parts = [inside[low:high].copy() for low, high in zip(self.offsets, self.offsets[1:])]
        for part, scanned, later in zip(parts, self.scans, beyond):
            part[scanned.groups.date_codes[later]] = True
        return parts

    def later(self, which: Sequence[NDArray[np.bool_]], starts: Days, ends: Days) -> Beyond | None:
        """The items and the days of some groups; none where there are none."""
        if not any(of.any() for of in which):
            return None
        dates, codes = self.groups(which)
        return Beyond(codes, starts[dates], ends[dates])


class _Tuples(NamedTuple):
    """Groups by day and tuple of items, in order.

    `order` sorts the groups, `first` are the places in it where a day and tuple begins, `at` a group of each;
    `alone`: each group is a day and tuple of its own, and nothing is added up.
    """

    order: Days
    first: Days
    at: Days
    alone: bool

    @classmethod
    def of(cls, days: Days, codes: dict[str, Days], sizes: Sequence[int]) -> _Tuples:
        """Of groups with a day and a code of each dimension, of which there are so many."""
        key = days - days.min() if len(days) else days.copy()
        for values, size in zip(codes.values(), sizes):
            key *= max(size, 1)
            key += values
        order = np.argsort(key, kind="stable")
        key = key[order]
        begins = np.ones(len(key), dtype=bool)
        np.not_equal(key[1:], key[:-1], out=begins[1:])
        if begins.all():  # nothing more of this size is made
            return cls(order, order, order, alone=True)
        first = np.flatnonzero(begins)
        return cls(order, first, order[first], alone=False)

    def added(self, values: NDArray[Any]) -> NDArray[Any]:
        """What groups of one day and tuple add up to."""
        return values[self.order] if self.alone else np.add.reduceat(values[self.order], self.first)


def _falling(
    scans: Sequence[RolledSource],
    aggregate: Aggregate,
    taken: Sequence[NDArray[np.bool_]],
    beyond: Sequence[NDArray[np.bool_]],
) -> list[NDArray[np.bool_]]:
    """Which groups of each source that count, or would, hold a negative amount."""
    falls = (_leaf(scanned, aggregate).falls for scanned in scans)
    counted = (t | b for t, b in zip(taken, beyond))
    return [np.zeros_like(of) if fall is None else fall.astype(bool) & of for fall, of in zip(falls, counted)]


def _leaf(scanned: RolledSource, aggregate: Aggregate) -> LeafGroups:
    """What a source sums for an aggregate: its amounts as they stand."""
    return scanned.groups.aggregates[aggregate._replace(rates_at="").key]


def _of(values: NDArray[Any], taken: NDArray[np.bool_] | None) -> NDArray[Any]:
    """The values that are taken; all where None."""
    return values if taken is None else values[taken]


def _joined(parts: Sequence[NDArray[Any]]) -> NDArray[Any]:
    return parts[0] if len(parts) == 1 else np.concatenate(parts)


def _spread(
    starts: Days,
    ends: Days,
    rows: Days,
    codes: dict[str, Days],
    amounts: dict[str, Amounts],
    counts: frozenset[str],
) -> tuple[Days, Days, dict[str, Days], dict[str, Amounts]]:
    """The groups laid evenly on their days; each holds records of one amount, and each of those is laid apart.

    Counts stay on the first day: a record is no amount.
    """
    lengths = ends - starts + 1
    of, place, _ = even_parts(np.zeros_like(lengths), lengths)
    laid = {}
    for name, column in amounts.items():
        if name in counts:
            values = np.where(place == 0, column.values[of], 0)
        elif column.scale is None:
            values = column.values[of] / lengths[of]
        else:
            each = column.values.astype(np.int64) // np.maximum(rows, 1)
            values = even_parts(each, lengths)[2] * rows[of]
        laid[name] = Amounts(values, column.scale, column.size)
    counted = np.where(place == 0, rows[of], 0)
    return (starts[of] + place), counted, {name: code[of] for name, code in codes.items()}, laid


def _multiplied(part: LeafGroups, times: Fraction) -> LeafGroups:
    """Sums times a decimal number: whole numbers stay whole where they fit, with no more decimals than they need."""
    if part.scale is not None:
        tens = next((n for n in range(part.scale, 0, -1) if times.numerator % 10**n == 0), 0)
        finer = next((n for n in range(_FINEST) if 10**n % times.denominator == 0), None)
        if finer is not None:
            by = times.numerator // 10**tens * (10**finer // times.denominator)
            if part.size * by < 2.0**62:
                sums = part.sums.astype(np.int64, copy=False) * by
                return part._replace(sums=sums, size=part.size * by, scale=part.scale - tens + finer)
    sums = part.sums.astype(np.float64) if part.scale is None else part.sums / 10**part.scale
    size = part.size if part.scale is None else part.size / 10**part.scale
    return part._replace(sums=sums * float(times), size=size * float(times), scale=None)


def _amounts(
    scans: Sequence[RolledSource],
    spec: ReadingSpec,
    aggregate: Aggregate,
    taken: Sequence[NDArray[np.bool_] | None],
    offsets: Days,
    starts: Days,
) -> Amounts:
    """The sums of an aggregate from all sources, at one scale; as floats where whole numbers do not reach."""
    parts = [_leaf(s, aggregate) for s in scans]
    if (times := spec.scales.get(aggregate.column or "")) is not None:
        parts = [_multiplied(part, times) for part in parts]
    if spec.converts(aggregate):
        from logochron.sources.currencies import brought

        days = (starts[low + s.groups.date_codes] for s, low in zip(scans, offsets.tolist()))
        parts = [brought(part, s, spec, of, aggregate) for part, s, of in zip(parts, scans, days)]
    scale = max(part.scale or 0 for part in parts)
    size = sum(part.size * (1 if part.scale is None else 10 ** (scale - part.scale)) for part in parts)
    exact = all(part.scale is not None for part in parts) and size < 2.0**62
    columns = []
    for part, of in zip(parts, taken):
        values = _of(part.sums, of)
        if exact:
            more = 10 ** (scale - (part.scale or 0))
            values = values.astype(np.int64, copy=False)
            columns.append(values if more == 1 else values * more)
        else:
            columns.append(values.astype(np.float64) if part.scale is None else values / 10**part.scale)
    joined = _joined(columns)
    if not exact:
        with np.errstate(over="ignore"):
            size = float(np.abs(joined).sum())
        if not np.isfinite(size):
            raise IntakeError(
                "column {0!r}: its amounts are so large that their sum is no finite number; mend "
                "those that cannot be, or leave them out by where= (--where)",
                aggregate.column,
            )
    return Amounts(joined, scale if exact else None, size)
