"""Ids too many to list: they stay in the engine, and come back as a few groups."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.items import QUIET_DAYS, QUIET_GAPS
from logochron.core.book.kept_ids import LIFE_GROUPS, DaySpan, LifeSpans, LifeSums
from logochron.core.book.measures import Aggregate, AggregateSums, Difference, Formula
from logochron.core.book.sums import RECORDS
from logochron.core.days import Days
from logochron.core.judge.judging import SLACK
from logochron.sources.duckdb.connection import Engine
from logochron.sources.duckdb.count_ids import CodedIds
from logochron.sources.duckdb.rollup import RollUp
from logochron.sources.duckdb.sql import inner, texts_of
from logochron.sources.rolled_source import KEPT, WATCHED

#: By aggregate the scale of its sums; None where they are floats.
Scales = Mapping[str, int | None]


class IdGathering(CodedIds):
    """The ids of one column from all sources, until they are laid down together.

    Parameters
    ----------
    scales
        Those of the book, which the sums of each source are brought to.
    """

    def __init__(self, engine: Engine, column: str, labels: Mapping[str, NDArray[np.object_]], scales: Scales) -> None:
        super().__init__(engine, column, labels)
        self.scales = scales

    def add(
        self, rolled: RollUp, amounts: Sequence[Aggregate], dates: DatesOfIds, times: Mapping[str, Fraction]
    ) -> None:
        """The records of one source that count, and those of days that are not wanted.

        Parameters
        ----------
        times
            What the amounts of a column are multiplied by.
        """
        query = rolled.query
        texts = {"v": texts_of(dates.texts), "day": dates.days.astype(np.int32), "last": dates.ends.astype(np.int32)}
        labels = [query.label_alias(name) for name in query.labels if not name.startswith(WATCHED)]
        joins = self._joins(self.laid_down("id_days", texts), labels)
        shown = ["of_day.day", "of_day.last", *(f"of_{i}.code::INTEGER AS c{i}" for i in range(len(labels)))]
        ids, _ = query.id_aliases(KEPT + self.column)
        shown.append(f"coalesce({ids}::VARCHAR, '') AS id")
        places = {amount.key: i for i, amount in enumerate(query.amounts)}
        for k, aggregate in enumerate(amounts):
            i = places[aggregate.key]
            leaf = rolled.groups.aggregates[aggregate.key]
            scale, factor = self.scales[aggregate.key], times.get(aggregate.column, Fraction(1))
            if scale is None or leaf.scale is None:  # then it is so in the book
                value = f"coalesce(y{i}, 0.0) * {float(factor)!r}"
            else:
                units = f"(TRY_CAST(r{i} AS DECIMAL(38, {leaf.scale})) * {10**leaf.scale})::HUGEINT"
                more = int(factor * 10**scale / 10**leaf.scale)  # whole: the book's parts are no coarser
                value = f"coalesce({units}, 0) * {more}"
            shown.append(f"CASE WHEN t{i} THEN {value} END AS s{k}")
        self._rows.append(f"SELECT {', '.join(shown)} FROM ({inner(query)}) {joins} WHERE ok")

    def done(self) -> EngineKeptIds:
        """All of them in one table: by day and items how many records an id has, and their sums."""
        rows = " UNION ALL ".join(self._rows)
        codes = [f"c{i}" for i in range(len(self._labels))]
        sums = [
            f"coalesce(fsum(s{k}), 0.0) AS s{k}" if scale is None else f"coalesce(sum(s{k}), 0)::BIGINT AS s{k}"
            for k, scale in enumerate(self.scales.values())
        ]
        held, table = self.engine.fresh_name("held_ids"), self.engine.fresh_name("kept_ids")
        keys = ", ".join(["day", "last", *codes, "id"])
        by_id = f"SELECT {', '.join([keys, 'count(*) AS n', *sums])} FROM ({rows}) GROUP BY {keys}"
        self.engine.run(f"CREATE TEMP TABLE {held} AS {by_id}", self.column)
        # from here on an id is its number: no text of it is needed again
        numbers = f"SELECT id, (row_number() OVER () - 1)::INTEGER AS number FROM (SELECT DISTINCT id FROM {held})"
        numbered = f"SELECT {held}.* REPLACE (number AS id) FROM {held} JOIN ({numbers}) USING (id)"
        self.engine.run(f"CREATE TEMP TABLE {table} AS {numbered}", self.column)
        self._drop(held)
        return EngineKeptIds(EngineTable(self.engine, table), self.dimensions, dict(self.scales))


class DatesOfIds(NamedTuple):
    """The distinct dates of a source that count or would, were they wanted, and the days they stand for."""

    texts: NDArray[Any]
    days: Days
    ends: Days


class EngineTable:
    """A table of an engine, for one question at a time; handed to another process as its columns."""

    def __init__(self, engine: Engine, name: str) -> None:
        self.engine, self.name, self.lock = engine, name, threading.Lock()

    def rows(self, sql: str) -> list[tuple[Any, ...]]:
        """The rows of a small answer."""
        with self.lock:
            return self.engine.rows(sql, "the source", small=True)

    def __reduce__(self) -> tuple[Any, ...]:
        with self.lock:
            return _table_of, (self.engine.arrays(f"SELECT * FROM {self.name}"),)


def _table_of(columns: Mapping[str, NDArray[Any]]) -> EngineTable:
    """The table of some columns, in an engine of its own."""
    engine, name = Engine(), "kept_ids"
    with engine.given({"columns": columns}):
        engine.run(f"CREATE TEMP TABLE {name} AS FROM columns", name)
    return EngineTable(engine, name)


@dataclass(frozen=True, repr=False, eq=False)
class EngineKeptIds:
    """The ids of one column in a table of the engine's: see `KeptIds`.

    `taken` are the codes that count of some dimensions, `aside` the days whose sums do not count.
    """

    table: EngineTable
    dimensions: tuple[str, ...]
    scales: Scales
    taken: tuple[tuple[int, tuple[int, ...]], ...] = ()
    aside: tuple[int, ...] = ()

    def taking(self, dimension: str, taken: NDArray[np.bool_]) -> EngineKeptIds:
        """Those of some items of a dimension."""
        codes = tuple(np.flatnonzero(taken).tolist())
        return replace(self, taken=(*self.taken, (self.dimensions.index(dimension), codes)))

    def on(self, held: Callable[[Days], NDArray[np.bool_]]) -> EngineKeptIds:
        """The same with the sums of some days only."""
        days = np.array([day for (day,) in self.table.rows(f"SELECT DISTINCT day FROM {self.table.name}")], np.int64)
        return replace(self, aside=(*self.aside, *days[~held(days)].tolist()))

    def lives(self, spans: LifeSpans) -> LifeSums:
        """The ids gathered by what became of them."""
        keys, places = spans.keys, {key: k for k, key in enumerate(self.scales)}
        where = " AND ".join(_among(f"c{i}", codes) for i, codes in self.taken) or "true"
        counts = f"NOT ({_among('day', self.aside)})"
        value, base = (" + ".join(_within(span) for span in side) or "0" for side in (spans.value, spans.base))
        fields = ["id", "day", "last", f"CASE WHEN {counts} THEN {value} ELSE 0 END AS now"]
        fields += [f"CASE WHEN {counts} THEN {base} ELSE 0 END AS before"]
        by_id = ["min(day) AS first", "max(last) AS last", "max(day) - first AS lasted"]
        by_id.append(f"count({'DISTINCT day' if self.dimensions else '*'}) AS days")  # else each day has one row
        by_id += ["max(now) > 0 AS now", "max(before) > 0 AS before"]
        by_group = []
        for k, key in enumerate(keys):
            add = "fsum" if self._scale(key) is None else "sum"
            fields.append(f"{'n' if key == RECORDS else f's{places[key]}'} AS x{k}")
            by_id += [f"coalesce({add}(x{k} * now), 0) AS v{k}", f"coalesce({add}(x{k} * before), 0) AS b{k}"]
            by_group += [f"{add}(v{k})", f"{add}(b{k})"]
        inner_rows = f"SELECT {', '.join(fields)} FROM {self.table.name} WHERE {where}"
        ids = f"SELECT {', '.join(by_id)} FROM ({inner_rows}) GROUP BY id"
        group = self._group(spans)
        rows = self.table.rows(
            f"SELECT {group} AS life, count(*), {', '.join(by_group)} FROM ({ids}) WHERE now OR before "
            "GROUP BY life ORDER BY life"
        )
        value_sums, base_sums = (
            {key: self._sums(key, [row[2 + 2 * k + side] for row in rows]) for k, key in enumerate(keys)}
            for side in (0, 1)
        )
        return LifeSums(
            groups=np.array([row[0] for row in rows], dtype=np.int64),
            items=np.array([row[1] for row in rows], dtype=np.int64),
            value=value_sums,
            base=base_sums,
        )

    def _scale(self, key: str) -> int | None:
        return 0 if key == RECORDS else self.scales[key]

    def _sums(self, key: str, sums: Sequence[Any]) -> AggregateSums:
        scale = self._scale(key)
        kind: Any = np.float64 if scale is None else np.int64
        return AggregateSums(np.array([list(map(kind, sums))], dtype=kind), scale)

    def _group(self, spans: LifeSpans) -> str:
        """The place of the group of an id, by its days and both its figures."""
        places = {name: place for place, name in enumerate(LIFE_GROUPS)}
        value, base = (self._figure(spans, spans.formula, side) for side in "vb")
        if value[1] is None or base[1] is None:
            v, b = (_as_float(*of) for of in (value, base))
            part = float(spans.tolerance)
            level = f"abs({v} - {b}) <= {part!r} * abs({b}) + {SLACK!r} * greatest(abs({v}), abs({b}))"
        else:
            v, b = _at_one_scale(value, base)
            level = f"abs({v} - {b}) * {spans.tolerance.denominator} <= abs({b}) * {spans.tolerance.numerator}"
        gap = "(lasted::DOUBLE / (days - 1))"
        silence = f"({spans.report} - last)"
        quiet = f"days > 1 AND {silence} > {QUIET_DAYS} AND {silence} > {QUIET_GAPS}.0 * {gap}"
        return (
            f"CASE WHEN now AND before THEN CASE WHEN {level} THEN {places['same']} WHEN {v} > {b} THEN {places['up']} "
            f"ELSE {places['down']} END "
            f"WHEN now THEN CASE WHEN first > {spans.base_last} THEN {places['new']} ELSE {places['back']} END "
            f"WHEN last < {spans.start} AND {quiet} THEN {places['ended']} ELSE {places['paused']} END"
        )

    def _figure(self, spans: LifeSpans, formula: Formula, side: str) -> tuple[str, int | None]:
        """A figure of an id in the engine's words, and its scale; as `work_out` does it."""
        if isinstance(formula, Aggregate):
            column, scale = f"{side}{spans.keys.index(formula.key)}", self._scale(formula.key)
            if side == "b" and spans.divisor is not None:
                return f"({_as_float(column, scale)} / {max(spans.divisor, 1)})", None
            return (column if scale is None else f"{column}::HUGEINT"), scale
        assert isinstance(formula, Difference)  # what divides has no parts
        of, less = (self._figure(spans, part, side) for part in (formula.of, formula.less))
        if of[1] is None or less[1] is None:
            return f"({_as_float(*of)} - {_as_float(*less)})", None
        a, b = _at_one_scale(of, less)
        return f"({a} - {b})", max(of[1], less[1])


def _as_float(sql: str, scale: int | None) -> str:
    return sql if scale is None else f"({sql}::DOUBLE / {10**scale})"


def _at_one_scale(a: tuple[str, int | None], b: tuple[str, int | None]) -> tuple[str, str]:
    """Two whole numbers in parts of the same unit."""
    most = max(a[1] or 0, b[1] or 0)
    first, second = (f"({sql} * {10 ** (most - (scale or 0))})" for sql, scale in (a, b))
    return first, second


def _within(span: DaySpan) -> str:
    return f"(day BETWEEN {span[0]} AND {span[1]})::INTEGER"


def _among(column: str, numbers: Sequence[int]) -> str:
    return f"{column} IN ({', '.join(map(str, numbers))})" if numbers else "false"
