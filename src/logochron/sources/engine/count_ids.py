"""Distinct ids counted by day, for every subset of the dimensions at once: grouping sets in the engine."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.distinct_ids import IdCounts, IdRows
from logochron.core.book.formulas import Leaf
from logochron.core.days import Days, iso
from logochron.core.errors import IntakeError
from logochron.sources.engine.connection import Engine
from logochron.sources.engine.sql import inner
from logochron.sources.scanned import Scanned, texts_of

_SHOWN = 3


def count_ids(
    engine: Engine,
    scans: Sequence[Scanned],
    leaf: Leaf,
    starts: Days,
    inside: NDArray[np.bool_],
    labels: Mapping[str, NDArray[np.object_]],
) -> IdCounts:
    """The numbers of distinct ids of all sources together, of the rows that count.

    Parameters
    ----------
    starts, inside
        The day of each distinct date and whether its records count, source after source.
    labels
        Of each dimension, as their codes order them.

    Raises
    ------
    IntakeError
        Where an id lies on two days: then counts of days do not add up to counts of spans.
    """
    names = list(labels)
    columns = [f"c{i}" for i in range(len(names))]
    ids = engine.fresh_name("ids")
    fields = ", ".join(f"{name} BIGINT" for name in ("day", *columns))
    engine.run(f"CREATE TEMP TABLE {ids} ({fields}, id VARCHAR, n BIGINT)", leaf.column)
    for i, known in enumerate(labels.values()):
        coded = {"v": known.astype(object), "code": np.arange(len(known), dtype=np.int64)}
        _lay_down(engine, f"id_labels{i}", coded, leaf)
    offset = 0
    for scanned in scans:
        of = slice(offset, offset + len(scanned.groups.dates))
        offset = of.stop
        _collect(engine, scanned, leaf, starts[of], inside[of], names, ids)
    ((empty,),) = engine.rows(f"SELECT coalesce(sum(n), 0)::BIGINT FROM {ids} WHERE id = ''", leaf.column)
    twice = engine.rows(
        f"SELECT id, min(day), max(day), count(*) OVER () FROM {ids} WHERE id <> '' GROUP BY id "
        f"HAVING min(day) <> max(day) ORDER BY min(day), id LIMIT {_SHOWN}",
        leaf.column,
    )
    if twice:
        shown = "; ".join(f"{name!r} on {iso(int(low))} and {iso(int(high))}" for name, low, high, _ in twice)
        more = f" and {twice[0][3] - _SHOWN:,} more" if twice[0][3] > _SHOWN else ""
        raise IntakeError(
            f"column {leaf.column!r}: an id must lie on one day to be counted by calendar period, and these lie on "
            f"two: {shown}{more}. Count the records instead (count=True, --measure NAME=count), or make ids of id and "
            "day together"
        )
    sets = [[name for i, name in enumerate(columns) if mask >> i & 1] for mask in range(1 << len(columns))]
    grouped = ", ".join(f"({', '.join(('day', *subset))})" for subset in sets)
    shown_columns = "".join(f", {name}" for name in columns)
    which = f"grouping({', '.join(columns)})" if columns else "0"
    found = engine.arrays(
        f"SELECT day, {which}::BIGINT AS lacking, count(DISTINCT id) AS n{shown_columns} FROM {ids} WHERE id <> '' "
        f"GROUP BY GROUPING SETS ({grouped})"
    )
    engine.run(f"DROP TABLE {ids}", leaf.column)
    rows = {}
    for subset in sets:
        # the engine tells a column that is not grouped by a set bit, the first column by the highest
        lacking = sum(1 << (len(columns) - 1 - i) for i, name in enumerate(columns) if name not in subset)
        of_set = found["lacking"].astype(np.int64) == lacking
        codes = {names[columns.index(name)]: found[name][of_set].astype(np.int64) for name in subset}
        rows[frozenset(codes)] = IdRows(
            found["day"][of_set].astype(np.int64), codes, found["n"][of_set].astype(np.int64)
        )
    return IdCounts(leaf.column, rows, int(empty))


def _collect(
    engine: Engine,
    scanned: Scanned,
    leaf: Leaf,
    starts: Days,
    inside: NDArray[np.bool_],
    names: Sequence[str],
    ids: str,
) -> None:
    """Adds the ids of one source with their records, once for each day and tuple of items; an empty one too."""
    query = scanned.query
    j = list(query.ids).index(leaf.key)
    days = {"v": texts_of(scanned.groups.dates[inside]), "day": starts[inside].astype(np.int64)}
    _lay_down(engine, "id_days", days, leaf)
    joins, shown, codes = "JOIN id_days ON coalesce(d::VARCHAR, '') = id_days.v", "", ""
    for i, name in enumerate(names):
        label = f"h{list(query.labels).index(name)}"
        joins += f" JOIN id_labels{i} ON coalesce({label}, '') = id_labels{i}.v"
        shown += f", {label}"
        codes += f", id_labels{i}.code"
    # grouped as texts first: fewer rows are then looked up
    rows = (
        f"SELECT d{shown}, coalesce(trim(z{j}::VARCHAR), '') AS id, count(*) AS n "
        f"FROM ({inner(query, sound=scanned.groups.sound)}) WHERE ok AND zt{j} GROUP BY ALL"
    )
    engine.run(f"INSERT INTO {ids} SELECT id_days.day{codes}, id, n FROM ({rows}) {joins}", scanned.source.name)


def _lay_down(engine: Engine, table: str, arrays: Mapping[str, NDArray[Any]], leaf: Leaf) -> None:
    """A table of the engine's own, so that it knows how small it is."""
    engine.connection.register("id_codes", arrays)
    engine.run(f"CREATE OR REPLACE TEMP TABLE {table} AS FROM id_codes", leaf.column)
    engine.connection.unregister("id_codes")
