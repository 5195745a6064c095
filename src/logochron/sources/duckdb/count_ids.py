"""Distinct ids gathered by the engine: those of one day and tuple of items as counts, the others one by one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import prod
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.measures import Aggregate
from logochron.core.book.sums import IdCounts, IdRows
from logochron.core.days import Days
from logochron.sources.duckdb.connection import Engine
from logochron.sources.duckdb.rollup import RollUp
from logochron.sources.duckdb.sql import inner, texts_of
from logochron.sources.rolled_source import WATCHED, IdTable

#: What ids are that do not lie in one place, or are to be looked at again.
_SPACED, _EMPTY, _RETURNING = "spaced", "empty", "returning"
#: The first and the last place of each id of some rows.
_SPANS = "SELECT id, min(place) AS place, max(place) AS last FROM ({}) GROUP BY id"
#: Days of years 1 to 9999 are whole numbers below this in size.
_DAYS = 1 << 22


class CodedIds:
    """Rows of ids from all sources, and the tables that make codes of their labels and days of their dates.

    Parameters
    ----------
    labels
        Of each dimension the labels that its codes stand for.
    """

    def __init__(self, engine: Engine, column: str, labels: Mapping[str, NDArray[np.object_]]) -> None:
        self.engine, self.column, self.dimensions = engine, column, tuple(labels)
        self._tables: list[str] = []
        self._rows: list[str] = []
        self._labels = []
        for known in labels.values():
            coded = {"v": known.astype(object), "code": np.arange(len(known), dtype=np.int64)}
            self._labels.append(self.laid_down("id_labels", coded))

    def laid_down(self, kind: str, arrays: Mapping[str, NDArray[Any]]) -> str:
        """A table of the engine's own, so that it knows how small it is."""
        name = self.engine.fresh_name(kind)
        with self.engine.given({"id_codes": arrays}):
            self.engine.run(f"CREATE TEMP TABLE {name} AS FROM id_codes", self.column)
        self._tables.append(name)
        return name

    def _joins(self, dates: str, labels: Sequence[str]) -> str:
        """Joins rows of a date `d` and some labels to `of_day`, of a table of dates, and to `of_0`, ... with codes."""
        joins = f"JOIN {dates} AS of_day ON coalesce(d::VARCHAR, '') = of_day.v"
        for i, (label, of) in enumerate(zip(labels, self._labels)):
            joins += f" JOIN {of} AS of_{i} ON coalesce({label}::VARCHAR, '') = of_{i}.v"
        return joins

    def _drop(self, *more: str) -> None:
        """Give up the tables that were laid down on the way."""
        for name in (*more, *self._tables):
            self.engine.run(f"DROP TABLE {name}", self.column)


class EngineIds(CodedIds):
    """The ids of one aggregate from all sources, as the queries that give their rows."""

    def __init__(self, engine: Engine, column: str, labels: Mapping[str, NDArray[np.object_]]) -> None:
        super().__init__(engine, column, labels)
        self.sizes = [max(len(known), 1) for known in labels.values()]

    def add(self, rows: str, labels: Sequence[str], dates: NDArray[np.object_], days: Days) -> None:
        """Rows of the engine's (`d`, a label each, `id`); the texts of dates that count, and their days.

        An id is unknown or spaces where a record has none.
        """
        table = self.laid_down("id_days", {"v": dates, "day": days.astype(np.int64)})
        place = f"(of_day.day + {_DAYS})::{'BIGINT' if self._fits else 'HUGEINT'}"
        for i, size in enumerate(self.sizes):
            place = f"({place} * {size} + of_{i}.code)"
        self._rows.append(f"SELECT {place} AS place, id, n FROM ({rows}) {self._joins(table, labels)}")

    @property
    def _fits(self) -> bool:
        """Whether the place of a day and tuple is a whole number of 64 bits."""
        return prod(self.sizes) * 2 * _DAYS < 2**63

    def counts(self) -> IdCounts:
        """How many ids lie on one day and in one tuple only, and each other one on each of its days."""
        rows = " UNION ALL ".join(self._rows)
        kinds = self._by_kind(rows)
        if _SPACED in kinds:  # the texts of all ids are made anew only where they have to be
            rows = f"SELECT place, trim(id) AS id, n FROM ({rows})"
            kinds = self._by_kind(rows)
        several, empty = "SELECT 0 AS place, 0 AS value WHERE false", 0
        if _RETURNING in kinds:
            returning = f"{_SPANS.format(rows)} HAVING min(place) <> max(place) AND coalesce(id, '') <> ''"
            held = self.engine.fresh_name("held")
            numbered = f"SELECT id, row_number() OVER () - 1 AS value FROM ({returning})"
            self.engine.run(f"CREATE TEMP TABLE {held} AS {numbered}", self.column)
            self._tables.append(held)
            several = f"SELECT DISTINCT place, value FROM ({rows}) JOIN {held} USING (id)"
        if _EMPTY in kinds:
            none = f"SELECT sum(n)::BIGINT FROM ({rows}) WHERE coalesce(id, '') = ''"
            ((empty,),) = self.engine.rows(none, self.column)
        alone = self._found("SELECT place, value FROM id_kinds WHERE kind = ''")
        counts = IdCounts(self.column, alone, self._found(several), int(empty))
        self._drop("id_kinds")
        return counts

    def _by_kind(self, rows: str) -> set[str]:
        """Counts ids by what they are, those that lie in one place by that, in the table `id_kinds`; what they are."""
        kinds = {
            _SPACED: "starts_with(id, ' ') OR ends_with(id, ' ')",
            _EMPTY: "coalesce(id, '') = ''",
            _RETURNING: "place <> last",
        }
        kind = " ".join(f"WHEN {condition} THEN '{name}'" for name, condition in kinds.items())
        self.engine.run(
            f"CREATE OR REPLACE TEMP TABLE id_kinds AS SELECT CASE {kind} ELSE '' END AS kind, "
            f"CASE WHEN kind = '' THEN place END AS place, count(*) AS value FROM ({_SPANS.format(rows)}) GROUP BY ALL",
            self.column,
        )
        return {kind for (kind,) in self.engine.rows("SELECT DISTINCT kind FROM id_kinds", self.column)}

    def _found(self, rows: str) -> IdRows:
        """Rows of a place and a value brought here."""
        shown, step = ["value"], 1
        for i, size in reversed(list(enumerate(self.sizes))):
            shown.append(f"(place // {step} % {size})::BIGINT AS c{i}")
            step *= size
        shown.append(f"(place // {step} - {_DAYS})::BIGINT AS day")
        found = self.engine.arrays(f"SELECT {', '.join(shown)} FROM ({rows})")
        codes = {name: found[f"c{i}"] for i, name in enumerate(self.dimensions)}
        return IdRows(found["day"], codes, found["value"].astype(np.int64))


def collect_ids(
    rolled: RollUp,
    aggregate: Aggregate,
    starts: Days,
    inside: NDArray[np.bool_],
    table: IdTable,
) -> None:
    """Adds the ids of the records of one source; an empty one too. They stay in the engine."""
    query = rolled.query
    ids, has_id = query.id_aliases(aggregate.key)
    labels = [query.label_alias(name) for name in query.labels if not name.startswith(WATCHED)]
    shown = ", ".join(["d", *labels, f"{ids}::VARCHAR AS id", "1 AS n"])
    rows = f"SELECT {shown} FROM ({inner(query, sound=rolled.sound)}) WHERE ok AND {has_id}"
    table.add(rows, labels, texts_of(rolled.groups.dates[inside]), starts[inside])
