"""The roll-up: one pass of the engine over a source, to sums by date text and items."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.sources.engine.connection import Engine, UnsoundRecords
from logochron.sources.engine.sql import (
    MOST_DECIMALS,
    Amount,
    Judge,
    Plans,
    Query,
    Summing,
    Way,
    day_number,
    double,
    inner,
    is_empty,
    quoted,
)
from logochron.sources.scanned import Codes, Groups, LeafGroups, Priced

#: Whole numbers up to this are all doubles; sums up to this leave room for differences of whole numbers.
_EXACT, MOST_SUM = 2.0**53, 2.0**62
#: Below so many units amounts are added up swiftly.
_SMALL = 2**32


class Rolled(NamedTuple):
    """What a roll-up found: by which query, whether it is known that no record has a flaw, and in which currencies."""

    query: Query
    groups: Groups
    sound: bool
    priced: tuple[Priced, ...] = ()


def roll_up(engine: Engine, query: Query, plans: Plans, name: str, judge: Judge | None = None) -> Rolled:
    """Sums by date text and items: at once where every row is sound, else carefully.

    `judge` is asked for the writing of the amounts where they turn out not to be plain numbers; the query it
    gave is returned.
    """
    while True:
        stats = _swift_pass(engine, query, plans, name)
        if stats is not None:
            return Rolled(query, groups_of(engine, query, plans, stats, sound=True), sound=True)
        stats = _careful_pass(engine, query, plans, name)
        if judge and any(stats[f"odd{i}"] for i in range(len(query.amounts))):
            asked, asked_plans = judge(query, plans)
            judge = None
            if asked != query:
                query, plans = asked, asked_plans
                continue
        for bettered in (_needed, _as_doubles):  # which always serve
            failed = [i for i, a in enumerate(query.amounts) if not _served(plans[a.key], stats, i)]
            if not failed:
                break
            plans = {**plans, **bettered(engine, query, failed)}
            stats = _careful_pass(engine, query, plans, name)
        return Rolled(query, groups_of(engine, query, plans, stats), sound=False)


def _swift_pass(engine: Engine, query: Query, plans: Plans, name: str) -> dict[str, Any] | None:
    """The roll-up of sources without a flaw, None where there may be one: plain sums that prove themselves.

    Every amount is there and a whole number of its scale's unit, and small: any other makes the sum of its group
    infinite. As doubles such numbers add up exactly while the sum of their sizes stays under 2**53, which the limit
    times the rows of a group proves.
    """
    if query.empty_is_zero or query.where:
        return None
    shown = ["d", *(f"h{i}" for i in range(len(query.labels)))]
    fields = [f"{query.date_key or query.date} AS d"]
    fields += [f"{sql} AS h{i}" for i, sql in enumerate(query.labels.values())]
    rolled, stats = [], {"n": "sum(n)", "most": "max(n)"}
    units = []
    for i, amount in enumerate(query.amounts):
        fields.append(f"{_with_signs(amount, query)} AS y{i}")
        units.append(f"round(y{i} * {10 ** plans[amount.key].scale}) AS x{i}")
        unit = 10 ** plans[amount.key].scale
        sound = f"x{i} / {unit} = y{i} AND abs(x{i}) < {_SMALL}"
        rolled.append(f"sum(CASE WHEN {sound} THEN x{i} ELSE 'infinity'::DOUBLE END) AS s{i}")
        stats[f"size{i}"] = f"sum(abs(s{i}))::DOUBLE"
        if query.apart:
            rolled.append(f"y{i} AS a{i}")
    labels = _labels(query)
    for i, (column, label) in enumerate(labels):
        fields.append(f"{query.conditions[column]} = {quoted(label)} AS q{i}")
        rolled.append(f"count(*) FILTER (q{i}) AS named{i}")
        stats[f"named{i}"] = f"sum(named{i})"
    sql = ", ".join([*shown, "count(*) AS n", *rolled])
    # the whole numbers are worked out once, beside the doubles
    rows = f"SELECT {', '.join(['*', *units])} FROM (SELECT {', '.join(fields)} FROM {query.strict})"
    try:
        engine.run(
            f"CREATE OR REPLACE TEMP TABLE g AS SELECT {sql} FROM ({rows}) GROUP BY ALL; "
            "DROP TABLE IF EXISTS reject_errors",
            name,
        )
    except UnsoundRecords:
        return None  # the careful pass tells why
    found = _statistics(engine, stats)
    sizes = [found[f"size{i}"] or 0.0 for i in range(len(query.amounts))]
    if (found["most"] or 0) * _SMALL > _EXACT or not all(size < MOST_SUM for size in sizes):
        return None
    return found | {"named": _named(labels, found)}


def _with_signs(amount: Amount, query: Query) -> str:
    """An amount as a double, unknown where a sign in it may mean something else than the engine takes it for."""
    signs = [sign for sign, told in (("_", query.underscores), (".", amount.maybe_grouped)) if told]
    if not signs or not amount.is_text:
        return double(amount, False)
    odd = " OR ".join(f"contains({amount.sql}, {quoted(sign)})" for sign in signs)
    taken = f"({amount.taken}) AND ({odd})" if amount.taken else odd
    return f"CASE WHEN {taken} THEN NULL ELSE {double(amount, False)} END"


def _labels(query: Query) -> list[tuple[str, str]]:
    """The columns and labels that conditions name, each pair once."""
    return list(dict.fromkeys((c, label) for c, *named in query.named for labels in named for label in labels))


def _named(labels: Sequence[tuple[str, str]], found: Mapping[str, Any]) -> dict[tuple[str, str], int]:
    """In how many rows each of them occurs."""
    return {pair: found[f"named{i}"] or 0 for i, pair in enumerate(labels)}


def _statistics(engine: Engine, stats: Mapping[str, str], relation: str = "g") -> dict[str, Any]:
    """One row over all groups, or over another relation, by name."""
    (found,) = engine.rows(f"SELECT {', '.join(stats.values())} FROM {relation}", "the source")
    return dict(zip(stats, found))


def _careful_pass(engine: Engine, query: Query, plans: Plans, name: str) -> dict[str, Any]:
    """The roll-up that looks at each row: which are unreadable, odd, or finer than their scale."""
    shown = [f"CASE WHEN keep THEN h{i} END AS h{i}" for i in range(len(query.labels))]
    measured = []
    for i, amount in enumerate(query.amounts):
        measured += _measured(i, amount, plans[amount.key])
    labels = _labels(query)
    conditions = list(query.conditions)
    counted = [
        f"count(*) FILTER (w{conditions.index(column)} = {quoted(label)}) AS named{i}"
        for i, (column, label) in enumerate(labels)
    ]
    empties = [
        f"count(*) FILTER (keep AND t{i} AND {is_empty(f'o{i}::VARCHAR')}) AS empty{i}"
        for i in range(len(query.amounts))
        if query.empty_is_zero
    ]
    odd = []
    for i, amount in enumerate(query.amounts):
        point = f" OR contains(o{i}, '.')" if amount.maybe_grouped else ""
        unread = f"y{i} IS NULL AND NOT {is_empty(f'o{i}')}{point}" if amount.is_text else "false"
        odd.append(f"bool_or(keep AND t{i} AND ({unread})) AS odd{i}")
    apart = [f"r{i} AS a{i}" for i in range(len(query.amounts)) if query.apart]
    fields = ["d", "keep", *shown, "count(*) AS n", "count(*) FILTER (keep AND NOT ok) AS bad"]
    sql = ", ".join([*fields, *measured, *counted, *empties, *odd, *apart])
    engine.run("DROP TABLE IF EXISTS reject_errors; DROP TABLE IF EXISTS reject_scans", name)
    engine.run(f"CREATE OR REPLACE TEMP TABLE g AS SELECT {sql} FROM ({inner(query)}) GROUP BY ALL", name)
    stats = {"n": "sum(n)"}
    for i in range(len(query.amounts)):
        stats |= {
            f"size{i}": f"sum(size{i})::DOUBLE",
            f"finer{i}": f"bool_or(finer{i})",
            f"odd{i}": f"bool_or(odd{i})",
        }
    stats |= {f"named{i}": f"sum(named{i})" for i in range(len(labels))}
    stats |= {f"empty{i}": f"sum(empty{i})" for i in range(len(empties))}
    found = _statistics(engine, stats)
    return found | {"named": _named(labels, found)}


def _measured(i: int, amount: Amount, plan: Summing) -> list[str]:
    """The sum, the sum of sizes, and whether an amount has decimals finer than the scale."""
    y, ok = f"y{i}", f"(ok AND t{i})"
    unit = 10**plan.scale
    if plan.way == "whole":
        x = f"CASE WHEN {ok} THEN round({y} * {unit}) END"
        return [
            f"sum({x}) AS s{i}",
            f"sum(abs({x})) AS size{i}",
            f"bool_or({ok} AND round({y} * {unit}) / {unit} <> {y}) AS finer{i}",
        ]
    if plan.way == "decimal":
        number = f"TRY_CAST(r{i} AS DECIMAL(38, {plan.scale}))"
        x = f"CASE WHEN {ok} THEN coalesce({number}, 0) END"
        finer = f"{ok} AND ({_decimals(i, amount)} > {plan.scale} OR {number} IS NULL AND {y} <> 0)"
        return [
            f"sum({x}) AS s{i}",
            f"sum(abs({x}))::DOUBLE * {unit} AS size{i}",
            f"bool_or({finer}) AS finer{i}",
        ]
    x = f"CASE WHEN {ok} THEN {y} END"
    return [
        f"printf('%.15g', fsum({x}))::DOUBLE AS s{i}",
        f"sum(abs({x})) AS size{i}",
        f"false AS finer{i}",
    ]


def _decimals(i: int, amount: Amount) -> str:
    """How many decimals an amount has: a text says it itself, of a double its shortest writing."""
    text = f"trim({'r' if amount.is_text else 'y'}{i}::VARCHAR)"
    digits = rf"length(regexp_extract({text}, '[.]([0-9]*?)0*([eE]|$)', 1))"
    return rf"({digits} - coalesce(TRY_CAST(regexp_extract({text}, '[eE]([+-]?[0-9]+)', 1) AS INTEGER), 0))"


#: Sizes past which a way of summing is not exact any more; differences must fit as well.
LIMITS: dict[Way, float] = {"whole": 2.0**52, "decimal": MOST_SUM}


def _served(plan: Summing, found: Mapping[str, Any], i: int) -> bool:
    """Whether the sums of a column are what its plan promises."""
    size = found[f"size{i}"] or 0.0
    return plan.way == "float" or (size < LIMITS[plan.way] and not found[f"finer{i}"])


def _needed(engine: Engine, query: Query, places: Sequence[int]) -> dict[str, Summing]:
    """The plans of columns by what they hold: the decimals that their own digits need, and the sum of their sizes."""
    asked: dict[str, str] = {}
    for i in places:
        ok = f"(keep AND ok AND t{i})"
        need = f"max({_decimals(i, query.amounts[i])}) FILTER ({ok})"
        asked |= {f"need{i}": need, f"whole{i}": f"sum(abs(y{i})) FILTER ({ok})"}
    found = _statistics(engine, asked, f"({inner(query)})")
    plans = {}
    for i in places:
        scale = max(found[f"need{i}"] or 0, 0)
        size = (found[f"whole{i}"] or 0.0) * 10.0 ** min(scale, MOST_DECIMALS)
        fitting = [way for way in LIMITS if size < LIMITS[way] and scale <= MOST_DECIMALS]
        plans[query.amounts[i].key] = Summing(fitting[0], scale) if fitting else Summing("float")
    return plans


def _as_doubles(engine: Engine, query: Query, places: Sequence[int]) -> dict[str, Summing]:
    """The plans of columns whose sums lie at the very limit of whole numbers."""
    return {query.amounts[i].key: Summing("float") for i in places}


def groups_of(engine: Engine, query: Query, plans: Plans, stats: Mapping[str, Any], *, sound: bool = False) -> Groups:
    """The engine's table `g`, its dates and labels as codes: texts cross to Python once each, not once a row."""
    date = day_number("v") if sound and query.date_key else "v"
    coded = {"d": _coded(engine, "d", date)}
    for dimension in query.labels:
        coded[query.label_alias(dimension)] = _coded(
            engine, query.label_alias(dimension), "v::VARCHAR", own_codes=dimension in query.kinds
        )
    fields = ["n", *(code.sql for code in coded.values())]
    fields += [] if sound else ["keep", "bad"]
    for i, amount in enumerate(query.amounts):
        way, scale = plans[amount.key]
        whole = {"whole": f"TRY_CAST(s{i} AS BIGINT)", "decimal": f"TRY_CAST(s{i} * {10**scale} AS BIGINT)"}
        # sound sums are whole numbers already, and all there
        fields.append(f"s{i}" if sound else f"coalesce({whole.get(way, f's{i}')}, 0) AS s{i}")
    joins = " ".join(code.join for code in coded.values())
    arrays = engine.arrays(f"SELECT {', '.join(fields)} FROM g {joins}")
    engine.run("DROP TABLE g", "the source")
    codes = {name: code.of(arrays[f"c_{name}"]) for name, code in coded.items()}
    rows = arrays["n"].astype(np.int64, copy=False)
    leaves = {}
    for i, amount in enumerate(query.amounts):
        way, scale = plans[amount.key]
        leaves[amount.key] = LeafGroups(
            sums=arrays[f"s{i}"].astype(np.int64) if sound else arrays[f"s{i}"],
            size=float(stats[f"size{i}"] or 0.0),
            scale=None if way == "float" else scale,
            empties=int(stats.get(f"empty{i}") or 0),
        )
    aliases = {dimension: query.label_alias(dimension) for dimension in query.labels}
    return Groups(
        dates=coded["d"].texts,
        date_codes=codes["d"],
        keep=np.ones(len(rows), dtype=bool) if sound else arrays["keep"].astype(bool),
        labels={dimension: coded[alias].texts for dimension, alias in aliases.items()},
        label_codes={dimension: codes[alias] for dimension, alias in aliases.items()},
        rows=rows,
        bad=np.zeros_like(rows) if sound else arrays["bad"].astype(np.int64),
        leaves=leaves,
        named_rows=stats["named"],
    )


class _Coded(NamedTuple):
    """A column as codes: its distinct texts in order, and how the code of a row is come by."""

    texts: NDArray[Any]
    sql: str
    join: str
    places: Codes | None = None  # of the engine's own codes, the first of none; None where those of the join are ours

    def of(self, found: Codes) -> Codes:
        """The code of each row."""
        return found if self.places is None else self.places[found]


def _coded(engine: Engine, name: str, text: str, *, own_codes: bool = False) -> _Coded:
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
        return _Coded(found["w"], f"t_{name}.code::INTEGER AS c_{name}", join)
    places = np.zeros(int(found["own"].max(initial=0)) + 1, dtype=np.int32)
    places[found["own"]] = np.arange(len(found["w"]))
    return _Coded(found["w"], f"{own.format(name)} AS c_{name}", "", places)
