"""The groups of a roll-up brought here, and the different ids counted by them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.measures import Aggregate
from logochron.core.book.sums import IdCounts, IdRows
from logochron.core.days import Days, iso
from logochron.core.errors import IntakeError
from logochron.sources.duckdb.connection import Engine
from logochron.sources.duckdb.rollup import RollUp
from logochron.sources.duckdb.sql import Plans, Query, inner, texts_of
from logochron.sources.scanned import NO_DAY, Codes, Groups, IdTable, LeafGroups

#: Days laid out one by one, to number those that occur: years 1 to 9999 are 3.65 million.
_MOST_DAYS = 10_000_000


def groups_of(engine: Engine, query: Query, plans: Plans, stats: Mapping[str, Any]) -> Groups:
    """The engine's table `g` as groups."""
    fields = ["n", "keep", "bad"]
    for i, amount in enumerate(query.amounts):
        way, scale = plans[amount.key]
        whole = {"whole": f"TRY_CAST(s{i} AS BIGINT)", "decimal": f"TRY_CAST(s{i} * {10**scale} AS BIGINT)"}
        fields += [f"coalesce({whole.get(way, f's{i}')}, 0) AS s{i}", f"coalesce(below{i}, false) AS below{i}"]
    arrays, coded = fetched(engine, query, fields, query.labels)
    aggregates = {}
    for i, amount in enumerate(query.amounts):
        way, scale = plans[amount.key]
        aggregates[amount.key] = LeafGroups(
            sums=arrays[f"s{i}"],
            size=float(stats[f"size{i}"] or 0.0),
            scale=None if way == "float" else scale,
            empties=int(stats.get(f"empty{i}") or 0),
            falls=arrays[f"below{i}"],
        )
    keep, bad = arrays["keep"].astype(bool), arrays["bad"].astype(np.int64)
    return grouped(query, coded, arrays, keep=keep, bad=bad, aggregates=aggregates, named=stats["named"])


def fetched(
    engine: Engine, query: Query, fields: Sequence[str], dimensions: Iterable[str], *, day: str = ""
) -> tuple[dict[str, NDArray[Any]], dict[str, Coded]]:
    """Columns of the engine's table `g`, which ends with this; its dates and the labels of some dimensions as codes.

    Texts cross to Python once each, not once a row. `day`: the day number of a group, where its date is no text.
    """
    coded = {} if day else {"d": _coded(engine, "d", "v")}
    for dimension in dimensions:
        alias = query.label_alias(dimension)
        coded[alias] = _coded(engine, alias, "v::VARCHAR", own_codes=dimension in query.kinds)
    shown = [*fields, *(code.sql for code in coded.values())]
    if day:
        shown.append(f"coalesce({day}, {NO_DAY})::BIGINT AS c_d")
    arrays = engine.arrays(f"SELECT {', '.join(shown)} FROM g {' '.join(code.join for code in coded.values())}")
    engine.run("DROP TABLE g", "the source")
    return arrays, coded


def grouped(
    query: Query,
    coded: Mapping[str, Coded],
    arrays: Mapping[str, NDArray[Any]],
    *,
    keep: NDArray[np.bool_],
    bad: Days,
    aggregates: Mapping[str, LeafGroups],
    named: Mapping[tuple[str, str], int],
) -> Groups:
    codes = {alias: code.of(arrays[f"c_{alias}"]) for alias, code in coded.items()}
    aliases = {dimension: query.label_alias(dimension) for dimension in query.labels}
    dates, date_codes = (coded["d"].texts, codes["d"]) if "d" in coded else _days_coded(arrays["c_d"])
    return Groups(
        dates=dates,
        date_codes=date_codes,
        keep=keep,
        labels={dimension: coded[alias].texts for dimension, alias in aliases.items()},
        label_codes={dimension: codes[alias] for dimension, alias in aliases.items()},
        rows=arrays["n"].astype(np.int64, copy=False),
        bad=bad,
        aggregates=aggregates,
        named_rows=named,
    )


def _days_coded(days: Days) -> tuple[NDArray[Any], Codes]:
    """The distinct days in order, None for those that are none, and the code of each row."""
    low, high = int(days.min(initial=0, where=days != NO_DAY)), int(days.max(initial=0))
    if high - low > _MOST_DAYS or NO_DAY in days:
        known, codes = np.unique(days, return_inverse=True)
        dates = known.astype(object)
        dates[known == NO_DAY] = None
        return dates, codes.astype(np.int32)
    met = np.zeros(high - low + 1, dtype=bool)
    met[days - low] = True
    return np.flatnonzero(met) + low, (np.cumsum(met, dtype=np.int32) - 1)[days - low]


class Coded(NamedTuple):
    """A column as codes: its distinct texts in order, and how the code of a row is come by."""

    texts: NDArray[Any]
    sql: str
    join: str
    places: Codes | None = None  # of the engine's own codes, the first of none; None where those of the join are ours

    def of(self, found: Codes) -> Codes:
        """The code of each row."""
        return found if self.places is None else self.places[found]


def _coded(engine: Engine, name: str, text: str, *, own_codes: bool = False) -> Coded:
    """The distinct values of a column of the groups, numbered in the order of their texts.

    `own_codes`: the engine numbers the values itself, so that rows need no look-up there.
    """
    numbered = "v, w, (row_number() OVER (ORDER BY w NULLS FIRST) - 1)::BIGINT AS code"
    engine.run(
        f"CREATE OR REPLACE TEMP TABLE t_{name} AS SELECT {numbered} "
        f"FROM (SELECT v, {text} AS w FROM (SELECT DISTINCT {name} AS v FROM g))",
        "the source",
    )
    own = "coalesce(enum_code({})::INTEGER + 1, 0)"
    more = f", {own.format('v')} AS own" if own_codes else ""
    found = engine.arrays(f"SELECT w{more} FROM t_{name} ORDER BY code")
    if not own_codes:
        join = f"JOIN t_{name} ON g.{name} IS NOT DISTINCT FROM t_{name}.v"
        return Coded(found["w"], f"t_{name}.code::INTEGER AS c_{name}", join)
    places = np.zeros(int(found["own"].max(initial=0)) + 1, dtype=np.int32)
    places[found["own"]] = np.arange(len(found["w"]))
    return Coded(found["w"], f"{own.format(name)} AS c_{name}", "", places)


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


def plain(values: Any) -> NDArray[Any] | None:
    """Values without a mask: unknown numbers as NaN, anything else unknown as None; none where they are no array."""
    if type(values) is np.ndarray:  # most are; numpy.ma is loaded for others only
        return values
    if not isinstance(values, np.ndarray):
        return None
    unknown = np.ma.getmaskarray(values)
    bare: NDArray[Any] = np.ma.getdata(values)
    if unknown.any():
        bare = bare.astype(np.float64 if bare.dtype.kind == "f" else object)
        bare[unknown] = np.nan if bare.dtype.kind == "f" else None
    return bare
