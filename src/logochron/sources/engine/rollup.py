"""The roll-up: one pass of the engine over a source, to sums by date text and items."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.days import Days
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
from logochron.sources.scanned import NO_DAY, Codes, Groups, LeafGroups, Priced

#: Whole numbers up to this are all doubles; sums up to this leave room for differences of whole numbers.
_EXACT, MOST_SUM = 2.0**53, 2.0**62
#: Days laid out one by one, to number those that occur: years 1 to 9999 are 3.65 million.
_MOST_DAYS = 10_000_000
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
        groups = _swift_pass(engine, query, plans, name)
        if groups is not None:
            return Rolled(query, groups, sound=True)
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


def _swift_pass(engine: Engine, query: Query, plans: Plans, name: str) -> Groups | None:
    """The roll-up of sources without a flaw, None where there may be one: plain sums that prove themselves.

    Every amount is there and a whole number of its scale's unit, and small: any other makes the sum of its group
    far too large. As doubles such numbers add up exactly while the sum of their sizes stays under 2**53, which the
    limit times the rows of a group proves.
    """
    if query.empty_is_zero or query.where:
        return None
    shown = ["d", *(f"h{i}" for i in range(len(query.labels)))]
    fields = [f"{query.date_key or query.date} AS d"]
    fields += [f"{sql} AS h{i}" for i, sql in enumerate(query.labels.values())]
    rolled, units, totals, stats = [], [], [], {"most": "max(n)"}
    for i, amount in enumerate(query.amounts):
        fields.append(f"{_with_signs(amount, query)} AS y{i}")
        whole, added, total = _proof(i, plans[amount.key].scale, as_decimal=amount.is_text)
        units.append(whole)
        rolled.append(added)
        totals.append(f"{total} AS s{i}")
        stats |= {f"top{i}": f"max(abs({total}))", f"size{i}": f"sum(abs({total}))"}
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
    found = _statistics(engine, stats)  # looked at before anything is fetched in vain
    places = range(len(query.amounts))
    exact = all((found[f"top{i}"] or 0.0) <= _EXACT and (found[f"size{i}"] or 0.0) < MOST_SUM for i in places)
    if not exact or (found["most"] or 0) * _SMALL > _EXACT:
        return None
    arrays, coded = _fetched(engine, query, ["n", *totals], days=bool(query.date_key))
    many = len(arrays["n"])
    return _grouped(
        query,
        coded,
        arrays,
        keep=np.ones(many, dtype=bool),
        bad=np.zeros(many, dtype=np.int64),
        leaves={
            a.key: LeafGroups(arrays[f"s{i}"].astype(np.int64), found[f"size{i}"] or 0.0, plans[a.key].scale)
            for i, a in enumerate(query.amounts)
        },
        named=_named(labels, found),
    )


def _proof(i: int, scale: int, *, as_decimal: bool) -> tuple[str, str, str]:
    """An amount `y` as a whole number `x` of units, its sum, far too large where an amount is none, and that in units.

    Doubles are quickest where amounts lie as such. Amounts read from text are proved by the engine's decimals: its
    rounding of doubles slows the reading of text beside it down.
    """
    unit = 10**scale
    if as_decimal:
        flaw = f"'{'9' * (18 - scale)}.{'9' * scale}'::DECIMAL(18, {scale})"
        sound = f"x{i}::DOUBLE = y{i} AND abs(y{i}) < {_SMALL / unit}"
        x, shown = f"y{i}::DECIMAL(18, {scale})", f"(s{i} * {unit})::DOUBLE"
    else:
        flaw = "'infinity'::DOUBLE"
        sound = f"x{i} / {unit} = y{i} AND abs(x{i}) < {_SMALL}"
        x, shown = f"round(y{i} * {unit})", f"s{i}"
    return f"{x} AS x{i}", f"sum(CASE WHEN {sound} THEN x{i} ELSE {flaw} END) AS s{i}", shown


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


def groups_of(engine: Engine, query: Query, plans: Plans, stats: Mapping[str, Any]) -> Groups:
    """The engine's table `g` as groups."""
    fields = ["n", "keep", "bad"]
    for i, amount in enumerate(query.amounts):
        way, scale = plans[amount.key]
        whole = {"whole": f"TRY_CAST(s{i} AS BIGINT)", "decimal": f"TRY_CAST(s{i} * {10**scale} AS BIGINT)"}
        fields.append(f"coalesce({whole.get(way, f's{i}')}, 0) AS s{i}")
    arrays, coded = _fetched(engine, query, fields)
    leaves = {}
    for i, amount in enumerate(query.amounts):
        way, scale = plans[amount.key]
        leaves[amount.key] = LeafGroups(
            sums=arrays[f"s{i}"],
            size=float(stats[f"size{i}"] or 0.0),
            scale=None if way == "float" else scale,
            empties=int(stats.get(f"empty{i}") or 0),
        )
    keep, bad = arrays["keep"].astype(bool), arrays["bad"].astype(np.int64)
    return _grouped(query, coded, arrays, keep=keep, bad=bad, leaves=leaves, named=stats["named"])


def _fetched(
    engine: Engine, query: Query, fields: Sequence[str], *, days: bool = False
) -> tuple[dict[str, NDArray[Any]], dict[str, _Coded]]:
    """Columns of the engine's table `g`, which ends with this; its dates and labels as codes.

    Texts cross to Python once each, not once a row. `days`: the dates are the engine's own days.
    """
    coded = {} if days else {"d": _coded(engine, "d", "v")}
    for dimension in query.labels:
        alias = query.label_alias(dimension)
        coded[alias] = _coded(engine, alias, "v::VARCHAR", own_codes=dimension in query.kinds)
    shown = [*fields, *(code.sql for code in coded.values())]
    if days:
        shown.append(f"coalesce({day_number('d')}, {NO_DAY})::BIGINT AS c_d")
    arrays = engine.arrays(f"SELECT {', '.join(shown)} FROM g {' '.join(code.join for code in coded.values())}")
    engine.run("DROP TABLE g", "the source")
    return arrays, coded


def _grouped(
    query: Query,
    coded: Mapping[str, _Coded],
    arrays: Mapping[str, NDArray[Any]],
    *,
    keep: NDArray[np.bool_],
    bad: Days,
    leaves: Mapping[str, LeafGroups],
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
        leaves=leaves,
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
