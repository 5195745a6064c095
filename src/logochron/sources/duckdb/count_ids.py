"""Distinct ids counted by day, for every subset of the dimensions at once: grouping sets in the engine."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.measures import Aggregate
from logochron.core.book.sums import IdCounts, IdRows
from logochron.core.days import Days, iso
from logochron.core.errors import IntakeError
from logochron.sources.duckdb.connection import Engine
from logochron.sources.duckdb.rollup import RollUp
from logochron.sources.duckdb.sql import inner, texts_of
from logochron.sources.rolled_source import IdTable

_SHOWN = 3


class EngineIds:
    """The ids of one aggregate from all sources, in a table of the engine."""

    def __init__(self, engine: Engine, column: str, labels: Mapping[str, NDArray[np.object_]]) -> None:
        self.engine, self.column, self.dimensions = engine, column, list(labels)
        self.codes = [f"c{i}" for i in range(len(labels))]
        self.table = engine.fresh_name("ids")
        fields = ", ".join(f"{name} BIGINT" for name in ("day", *self.codes))
        engine.run(f"CREATE TEMP TABLE {self.table} ({fields}, id VARCHAR, n BIGINT)", column)
        for i, known in enumerate(labels.values()):
            coded = {"v": known.astype(object), "code": np.arange(len(known), dtype=np.int64)}
            self.lay_down(f"id_labels{i}", coded)

    def add(self, days: Days, codes: Mapping[str, Days], ids: NDArray[np.object_], records: Days) -> None:
        """Ids by day and item, each with the number of its records; an empty text where a record has none."""
        arrays = {"day": days, **{f"c{i}": codes[name] for i, name in enumerate(self.dimensions)}}
        with self.engine.given({"id_rows": arrays | {"id": ids, "n": records}}):
            self.engine.run(f"INSERT INTO {self.table} FROM id_rows", self.column)

    def lay_down(self, table: str, arrays: Mapping[str, NDArray[Any]]) -> None:
        """A table of the engine's own, so that it knows how small it is."""
        with self.engine.given({"id_codes": arrays}):
            self.engine.run(f"CREATE OR REPLACE TEMP TABLE {table} AS FROM id_codes", self.column)

    def counts(self) -> IdCounts:
        """How many different ids there are by day, for every subset of the dimensions.

        Raises
        ------
        IntakeError
            Where an id lies on two days: then counts of days do not add up to counts of spans.
        """
        self._check_days()
        ((empty,),) = self.engine.rows(
            f"SELECT coalesce(sum(n), 0)::BIGINT FROM {self.table} WHERE id = ''", self.column
        )
        columns = self.codes
        sets = [[name for i, name in enumerate(columns) if mask >> i & 1] for mask in range(1 << len(columns))]
        grouped = ", ".join(f"({', '.join(('day', *subset))})" for subset in sets)
        shown = "".join(f", {name}" for name in columns)
        which = f"grouping({', '.join(columns)})" if columns else "0"
        found = self.engine.arrays(
            f"SELECT day, {which}::BIGINT AS lacking, count(DISTINCT id) AS n{shown} FROM {self.table} WHERE id <> '' "
            f"GROUP BY GROUPING SETS ({grouped})"
        )
        self.engine.run(f"DROP TABLE {self.table}", self.column)
        rows = {}
        for subset in sets:
            # the engine tells a column that is not grouped by a set bit, the first column by the highest
            lacking = sum(1 << (len(columns) - 1 - i) for i, name in enumerate(columns) if name not in subset)
            of_set = found["lacking"].astype(np.int64) == lacking
            codes = {self.dimensions[columns.index(name)]: found[name][of_set].astype(np.int64) for name in subset}
            days, counts = (found[name][of_set].astype(np.int64) for name in ("day", "n"))
            rows[frozenset(codes)] = IdRows(days, codes, counts)
        return IdCounts(self.column, rows, int(empty))

    def _check_days(self) -> None:
        twice = self.engine.rows(
            f"SELECT id, min(day), max(day), count(*) OVER () FROM {self.table} WHERE id <> '' GROUP BY id "
            f"HAVING min(day) <> max(day) ORDER BY min(day), id LIMIT {_SHOWN}",
            self.column,
        )
        if not twice:
            return
        shown = "; ".join(f"{name!r} on {iso(int(low))} and {iso(int(high))}" for name, low, high, _ in twice)
        more = f" and {twice[0][3] - _SHOWN:,} more" if twice[0][3] > _SHOWN else ""
        raise IntakeError(
            f"column {self.column!r}: an id must lie on one day to be counted by calendar period, and these lie on "
            f"two: {shown}{more}. Count the records instead (count=True, --measure NAME=count), or make ids of id and "
            "day together"
        )


def collect_ids(
    engine: Engine,
    name: str,
    rolled: RollUp,
    aggregate: Aggregate,
    starts: Days,
    inside: NDArray[np.bool_],
    table: IdTable,
) -> None:
    """Adds the ids of one source with their records, once for each day and tuple of items; an empty one too.

    They stay in the engine.
    """
    query = rolled.query
    ids, has_id = query.id_aliases(aggregate.key)
    shown = "".join(f", {query.label_alias(dimension)}" for dimension in query.labels)
    # grouped as texts first: fewer rows are then looked up
    rows = (
        f"SELECT d{shown}, coalesce(trim({ids}::VARCHAR), '') AS id, count(*) AS n "
        f"FROM ({inner(query, sound=rolled.sound)}) WHERE ok AND {has_id} GROUP BY ALL"
    )
    lay_ids(engine, name, rolled, rows, starts, inside, table)


def lay_ids(
    engine: Engine, name: str, rolled: RollUp, rows: str, starts: Days, inside: NDArray[np.bool_], table: IdTable
) -> None:
    """Adds rows of the engine's (`d`, a label `h` each, `id`, `n`) to a table, dates and labels as its codes."""
    assert isinstance(table, EngineIds)
    days = {"v": texts_of(rolled.groups.dates[inside]), "day": starts[inside].astype(np.int64)}
    table.lay_down("id_days", days)
    joins, codes = "JOIN id_days ON coalesce(d::VARCHAR, '') = id_days.v", ""
    for i, dimension in enumerate(table.dimensions):
        label = rolled.query.label_alias(dimension)
        joins += f" JOIN id_labels{i} ON coalesce({label}::VARCHAR, '') = id_labels{i}.v"
        codes += f", id_labels{i}.code"
    engine.run(f"INSERT INTO {table.table} SELECT id_days.day{codes}, id, n FROM ({rows}) {joins}", name)
