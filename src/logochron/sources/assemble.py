"""The counted rows of all sources as arrays: one coding of items, one row a day and tuple of items."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.distinct_ids import IdCounts
from logochron.core.book.formulas import Leaf
from logochron.core.book.record_spans import Standing, even_parts
from logochron.core.book.span_sums import Amounts
from logochron.core.days import Days
from logochron.core.errors import IntakeError
from logochron.sources.engine.connection import Engine
from logochron.sources.engine.count_ids import count_ids
from logochron.sources.engine.sql import Plan
from logochron.sources.scanned import Scanned, Wanted


class Rows(NamedTuple):
    """The counted rows, one for each day and tuple of items."""

    days: Days
    records: Days
    codes: dict[str, Days]
    labels: dict[str, NDArray[np.object_]]
    amounts: dict[str, Amounts]
    recorded: Days
    ids: dict[str, IdCounts]


def gathered(
    engine: Engine,
    scans: Sequence[Scanned],
    wanted: Wanted,
    starts: Days,
    ends: Days,
    inside: NDArray[np.bool_],
    taken: Sequence[NDArray[np.bool_]],
    recorded: Days,
    standing: Standing,
) -> Rows:
    """The rows of all sources with one coding of items, one row a day and tuple.

    Parameters
    ----------
    starts, ends
        What the records of each distinct date stand for, source after source.
    inside
        Whether the records of each distinct date count.
    taken
        For each source which of its groups count.
    """
    offsets = np.cumsum([0, *(len(scanned.groups.dates) for scanned in scans)])
    dates = np.concatenate([(s.groups.date_codes + o)[t] for s, o, t in zip(scans, offsets, taken)])
    days = starts[dates]
    codes: dict[str, Days] = {}
    labels: dict[str, NDArray[np.object_]] = {}
    for name in wanted.dimensions:
        known = sorted({label or "" for s in scans for label in s.groups.labels[name]})
        place = {label: i for i, label in enumerate(known)}
        parts = []
        for s, t in zip(scans, taken):
            recode = np.array([place[label or ""] for label in s.groups.labels[name]], dtype=np.int64)
            parts.append(recode[s.groups.label_codes[name][t]])
        codes[name] = np.concatenate(parts)
        labels[name] = np.array(known, dtype=object)
    rows = np.concatenate([(s.groups.rows - s.groups.bad)[t] for s, t in zip(scans, taken)])
    amounts = {leaf.key: _joined(scans, leaf, taken) for leaf in wanted.summed}
    counts = frozenset(leaf.key for leaf in wanted.summed if leaf.counts)
    if standing.spread:
        days, rows, codes, amounts = _spread(days, ends[dates], rows, codes, amounts, counts)
    key = days - days.min() if len(days) else days
    for name in wanted.dimensions:
        key = key * max(len(labels[name]), 1) + codes[name]
    order = np.argsort(key, kind="stable")
    first = np.flatnonzero(np.diff(key[order], prepend=-1) != 0) if len(key) else order
    return Rows(
        days=days[order][first],
        records=np.add.reduceat(rows[order], first) if len(first) else rows,
        codes={name: values[order][first] for name, values in codes.items()},
        labels=labels,
        amounts={
            name: Amounts(np.add.reduceat(a.values[order], first) if len(first) else a.values, a.scale, a.size)
            for name, a in amounts.items()
        },
        recorded=recorded,
        ids={leaf.key: count_ids(engine, scans, leaf, starts, inside, labels) for leaf in wanted.ids},
    )


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


def _joined(scans: Sequence[Scanned], leaf: Leaf, taken: Sequence[NDArray[np.bool_]]) -> Amounts:
    """The sums of a leaf from all sources, at one scale; as floats where whole numbers do not reach."""
    key = leaf.key
    plans: list[Plan] = [s.groups.plans[key] for s in scans]
    scale = max(plan.scale for plan in plans)
    size = sum(
        s.groups.sizes[key] * (10 ** (scale - plan.scale) if plan.way != "float" else 1)
        for s, plan in zip(scans, plans)
    )
    exact = all(plan.way != "float" for plan in plans) and size < 2.0**62
    parts = []
    for s, plan, t in zip(scans, plans, taken):
        values = s.groups.sums[key][t]
        if exact:
            parts.append(values.astype(np.int64) * 10 ** (scale - plan.scale))
        else:
            parts.append(values / 10**plan.scale if plan.way != "float" else values.astype(np.float64))
    joined = np.concatenate(parts)
    if not np.isfinite(joined).all():
        raise IntakeError(f"column {leaf.column!r}: a sum is too large to be a finite number")
    return Amounts(joined, scale if exact else None, size if exact else float(np.abs(joined).sum()))
