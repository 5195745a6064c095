"""The groups of a roll-up brought here: dates and labels numbered, sums as arrays."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.days import Days
from logochron.sources.duckdb.connection import Engine
from logochron.sources.duckdb.sql import Plans, Query
from logochron.sources.rolled_source import NO_DAY, Codes, Groups, LeafGroups

#: Days laid out one by one, to number those that occur: years 1 to 9999 are 3.65 million.
_MOST_DAYS = 10_000_000


def groups_of(engine: Engine, query: Query, plans: Plans, stats: Mapping[str, Any]) -> Groups:
    """The engine's table `g` as groups."""
    fields = ["n", "keep", "bad"]
    for i, amount in enumerate(query.amounts):
        way, scale = plans[amount.key]
        sums = {"whole": f"TRY_CAST(s{i} AS BIGINT)", "decimal": f"TRY_CAST(s{i} * {10**scale} AS BIGINT)"}
        # past the fifteenth digit lies what the amounts themselves do not say
        sums["float"] = f"printf('%.15g', f{i})::DOUBLE"
        fields += [f"coalesce({sums[way]}, 0) AS s{i}", f"coalesce(below{i}, false) AS below{i}"]
    arrays, coded = fetched(engine, query, fields, query.labels, day=query.key_day)
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

    def of(self, codes: Codes) -> Codes:
        """The code of each row."""
        return codes if self.places is None else self.places[codes]


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
    columns = engine.arrays(f"SELECT w{more} FROM t_{name} ORDER BY code")
    if not own_codes:
        join = f"JOIN t_{name} ON g.{name} IS NOT DISTINCT FROM t_{name}.v"
        return Coded(columns["w"], f"t_{name}.code::INTEGER AS c_{name}", join)
    places = np.zeros(int(columns["own"].max(initial=0)) + 1, dtype=np.int32)
    places[columns["own"]] = np.arange(len(columns["w"]))
    return Coded(columns["w"], f"{own.format(name)} AS c_{name}", "", places)
