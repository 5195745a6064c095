"""The roll-up: one pass of the engine over a source, to sums by date text and items."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np

from logochron.sources.duckdb.connection import Engine, UnsoundRecords
from logochron.sources.duckdb.groups import fetched, grouped, groups_of
from logochron.sources.duckdb.sql import (
    MOST_DECIMALS,
    Amount,
    Judge,
    Plans,
    Query,
    Summing,
    Way,
    condition,
    double,
    inner,
    is_empty,
    quoted,
)
from logochron.sources.duckdb.statistics import Fold, LabelSets, extent, fold, label_sets
from logochron.sources.rolled_source import Groups, LeafGroups, Priced
from logochron.sources.values.amounts import sums_are_exact

#: Whole numbers up to this are all doubles; sums up to this leave room for differences of whole numbers.
_EXACT, MOST_SUM = 2.0**53, 2.0**62
#: Below so many units amounts add up without a look at each.
_SMALL = 2**32


class RollUp(NamedTuple):
    """What a roll-up found: by which query, whether it is known that no record has a flaw, and in which currencies."""

    query: Query
    groups: Groups
    sound: bool
    priced: tuple[Priced, ...] = ()


def roll_up(engine: Engine, query: Query, plans: Plans, name: str, judge: Judge | None = None) -> RollUp:
    """Sums by date text and items: at once where every row is sound, else carefully.

    `judge` is asked for the writing of the amounts where they turn out not to be plain numbers; the query it
    gave is returned.
    """
    while True:
        groups = _flawless_pass(engine, query, plans, name)
        if groups is not None:
            return RollUp(query, groups, sound=True)
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
        return RollUp(query, groups_of(engine, query, plans, stats), sound=False)


def _flawless_pass(engine: Engine, query: Query, plans: Plans, name: str, *, trusted: bool = True) -> Groups | None:
    """The roll-up of sources without a flaw, None where there may be one: plain sums that prove themselves.

    Every amount that counts is there and a whole number of its scale's unit, and small: any other makes the sum of
    its group far too large (see `_proof`), and such numbers add up exactly (see `_adds_up_exactly`).

    Parameters
    ----------
    trusted
        Whether amounts in memory, which were looked at there, need no proof of their own, and counts are folded into
        sums where the statistics of the source promise that it will do.
    """
    if query.empty_is_zero:
        return None
    scales = [plans[amount.key].scale for amount in query.amounts]
    known = extent(engine, query, name)
    sets = label_sets(engine, query, name)
    folded = fold(known, 10 ** scales[0], sets) if scales and trusted else None
    reaches = {
        i: reach
        for i, (amount, scale) in enumerate(zip(query.amounts, scales))
        if amount.reach and (reach := amount.reach(10**scale)) is not None
    }
    tops = {i: reach.largest for i, reach in reaches.items()} if trusted else {}
    least = known.least if known else [float("-inf")] * len(scales)
    # what is known to have no negative amount is not asked for one
    falling = [i for i in range(len(scales)) if (reaches[i].falls if i in reaches else not least[i] >= 0)]
    sums = _flawless_sums(query, scales, sets, folded, tops, falling)
    if not _laid(engine, sums, sets, name):
        return None
    stats = _statistics(engine, sums.stats)  # looked at before anything is fetched in vain
    places = range(len(query.amounts))
    exact = all((stats[f"top{i}"] or 0.0) <= _EXACT and (stats[f"size{i}"] or 0.0) < MOST_SUM for i in places)
    if not exact or stats.get("lost"):
        return None
    most = stats["most"] or 0
    # sum and count may have run into each other where a group is large, or the statistics are wrong
    ran_over = folded is not None and (most >= folded.most or stats["rows"] != folded.rows)
    if ran_over or not all(sums_are_exact(most, top) for top in tops.values()):
        return _flawless_pass(engine, query, plans, name, trusted=False)
    if len(scales) > bool(folded) + len(tops) and not _adds_up_exactly(most):
        return None
    return _flawless_groups(engine, query, plans, sets, sums, stats, falling)


def _adds_up_exactly(most: int) -> bool:
    """Whether doubles add up so many whole numbers below `_SMALL` without any rounding, in any order.

    A double holds every whole number up to 2**53, and the sum of two whole numbers is rounded only where it lies past
    that (IEEE 754-2019, clauses 3.3 and 4.3). No partial sum is larger in size than so many times the largest.
    """
    return most * _SMALL <= _EXACT


def _laid(engine: Engine, sums: _FlawlessSums, sets: LabelSets | None, name: str) -> bool:
    """Lay the groups down as the table `g`; not where the engine finds a record unsound."""
    before, after = (sets.in_a_table(sums.added), "RESET perfect_ht_threshold") if sets else ("", "")
    statement = f"CREATE OR REPLACE TEMP TABLE g AS {sums.sql}; DROP TABLE IF EXISTS reject_errors"
    try:
        engine.run("; ".join(filter(None, (before, statement, after))), name)
    except UnsoundRecords:
        if after:
            engine.run(after, name)
        return False  # the careful pass tells why
    return True


def _flawless_groups(
    engine: Engine,
    query: Query,
    plans: Plans,
    sets: LabelSets | None,
    sums: _FlawlessSums,
    stats: Mapping[str, Any],
    falling: Sequence[int],
) -> Groups:
    """The groups of the table `g` brought here."""
    below = [f"coalesce(m{i}, 0) < 0 AS m{i}" for i in falling]
    fields = ["n", *sums.totals, *below, *(["l"] if sets else []), *(["keep"] if query.where else [])]
    arrays, coded = fetched(engine, query, fields, () if sets else query.labels, day=query.key_day)
    if sets:
        codes, meant = sets.parts(arrays["l"])
        arrays |= codes
        coded |= meant
    many = len(arrays["n"])
    return grouped(
        query,
        coded,
        arrays,
        keep=arrays["keep"].astype(bool) if query.where else np.ones(many, dtype=bool),
        bad=np.zeros(many, dtype=np.int64),
        aggregates={
            a.key: LeafGroups(
                arrays[f"s{i}"].astype(np.int64),
                stats[f"size{i}"] or 0.0,
                plans[a.key].scale,
                falls=arrays.get(f"m{i}"),
            )
            for i, a in enumerate(query.amounts)
        },
        named=_named(_labels(query), stats),
    )


class _FlawlessSums(NamedTuple):
    """A swift pass in the engine's words: its groups, their sums in units, and one row over all of them.

    `added`: how many columns a group has.
    """

    sql: str
    added: int
    totals: list[str]
    stats: dict[str, str]


def _flawless_sums(
    query: Query,
    scales: Sequence[int],
    sets: LabelSets | None,
    folded: Fold | None,
    tops: Mapping[int, float],
    falling: Sequence[int],
) -> _FlawlessSums:
    keys = {"d": query.date_key or query.date}
    keys |= {"l": sets.sql} if sets else {f"h{i}": sql for i, sql in enumerate(query.labels.values())}
    stats = {"most": "max(n)", "rows": "sum(n)"} | ({"lost": "count(*) - count(l)"} if sets else {})
    amounts, source = query.amounts, query.strict
    keep = condition(query.where, query.conditions) if query.where else ""
    if keep and query.quick:  # rows that are left out are counted apart
        keys, source = {"keep": "true"} | keys, f"(FROM {query.strict} WHERE {keep})"
    elif keep:
        keys = {"keep": keep} | {h: sql if h == "d" else f"CASE WHEN {keep} THEN {sql} END" for h, sql in keys.items()}
        amounts = [a._replace(taken=f"{keep} AND ({a.taken})" if a.taken else keep) for a in amounts]
    if keep:
        stats["most"] = "max(n) FILTER (keep)"
    fields = [f"{sql} AS {key}" for key, sql in keys.items()]
    rolled, units, totals = [] if folded else ["count(*) AS n"], [], []
    for i, amount in enumerate(amounts):
        fields.append(f"{_with_signs(amount, query)} AS y{i}")
        if i in tops:
            added, total = f"sum(y{i}) AS s{i}", f"round(s{i} * {10 ** scales[i]})"
        else:
            whole, added, total = _proof(i, scales[i], as_decimal=amount.is_text, folded=None if i else folded)
            units.append(whole)
        rolled.append(added)
        totals.append(f"{total} AS s{i}")
        stats |= {f"top{i}": f"max(abs({total}))", f"size{i}": f"sum(abs({total}))"}
        if query.apart:
            rolled.append(f"y{i} AS a{i}")
    rolled += [f"min(y{i}) AS m{i}" for i in falling]
    for i, (column, label) in enumerate(_labels(query)):
        fields.append(f"{query.conditions[column]} = {quoted(label)} AS q{i}")
        rolled.append(f"count(*) FILTER (q{i}) AS named{i}")
        stats[f"named{i}"] = f"sum(named{i})"
    # the whole numbers are worked out once, beside the doubles
    rows = f"SELECT {', '.join(['*', *units])} FROM (SELECT {', '.join(fields)} FROM {source})"
    sql = f"SELECT {', '.join([*keys, *rolled])} FROM ({rows}) GROUP BY ALL"
    if folded:
        counted = f"SELECT *, round(s0 / {folded.one}) AS n FROM ({sql})"
        sql = f"SELECT * REPLACE (s0 - n * {folded.one} AS s0) FROM ({counted})"
    if keep and query.quick:
        sql += f" UNION ALL BY NAME {_left_out(query, keep)}"
    return _FlawlessSums(sql, len(rolled), totals, stats)


def _left_out(query: Query, keep: str) -> str:
    """The rows that are left out, counted by day."""
    fields = [f"{query.date_key or query.date} AS d", "false AS keep", "count(*) AS n"]
    fields += [f"0 AS s{i}" for i in range(len(query.amounts))]
    for i, (column, label) in enumerate(_labels(query)):
        fields.append(f"count(*) FILTER ({query.conditions[column]} = {quoted(label)}) AS named{i}")
    return f"SELECT {', '.join(fields)} FROM {query.strict} WHERE NOT ({keep}) GROUP BY ALL"


def _proof(i: int, scale: int, *, as_decimal: bool, folded: Fold | None) -> tuple[str, str, str]:
    """An amount `y` as a whole number `x` of units, its sum, far too large where an amount is none, and that in units.

    Doubles are quickest where amounts lie as such. Amounts read from text are proved by the engine's decimals: its
    rounding of doubles slows the reading of text beside it down. `folded`: it is counted by its sum besides.
    """
    unit = 10**scale
    if as_decimal:
        flaw = f"'{'9' * (18 - scale)}.{'9' * scale}'::DECIMAL(18, {scale})"
        sound = f"x{i}::DOUBLE = y{i} AND abs(y{i}) < {_SMALL / unit}"
        x, shown = f"y{i}::DECIMAL(18, {scale})", f"(s{i} * {unit})::DOUBLE"
    else:
        flaw = "'infinity'::DOUBLE"
        sound = f"x{i} / {unit} = y{i} AND abs(x{i}) < {folded.limit if folded else _SMALL}"
        x, shown = f"round(y{i} * {unit})", f"s{i}"
    added = f"x{i} + {folded.one}" if folded else f"x{i}"
    return f"{x} AS x{i}", f"sum(CASE WHEN {sound} THEN {added} ELSE {flaw} END) AS s{i}", shown


def _with_signs(amount: Amount, query: Query) -> str:
    """An amount as a double, unknown where a sign in it may mean something else than the engine takes it for."""
    signs = [sign for sign, possible in (("_", query.underscores), (".", amount.maybe_grouped)) if possible]
    if not signs or not amount.is_text:
        return double(amount, False)
    odd = " OR ".join(f"contains({amount.sql}, {quoted(sign)})" for sign in signs)
    taken = f"({amount.taken}) AND ({odd})" if amount.taken else odd
    return f"CASE WHEN {taken} THEN NULL ELSE {double(amount, False)} END"


def _labels(query: Query) -> list[tuple[str, str]]:
    """The columns and labels that conditions name, each pair once."""
    return list(dict.fromkeys((c, label) for c, *named in query.named for labels in named for label in labels))


def _named(labels: Sequence[tuple[str, str]], stats: Mapping[str, Any]) -> dict[tuple[str, str], int]:
    """In how many rows each of them occurs."""
    return {pair: stats[f"named{i}"] or 0 for i, pair in enumerate(labels)}


def _statistics(engine: Engine, stats: Mapping[str, str], relation: str = "g") -> dict[str, Any]:
    """One row over all groups, or over another relation, by name."""
    (row,) = engine.rows(f"SELECT {', '.join(stats.values())} FROM {relation}", "the source")
    return dict(zip(stats, row))


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
    row = _statistics(engine, stats)
    return row | {"named": _named(labels, row)}


def _measured(i: int, amount: Amount, plan: Summing) -> list[str]:
    """Whether an amount is negative, the sum, that of sizes, and whether one has decimals finer than the scale."""
    y, ok = f"y{i}", f"(ok AND t{i})"
    unit = 10**plan.scale
    below = [f"bool_or({ok} AND {y} < 0) AS below{i}"]
    if plan.way == "whole":
        x = f"CASE WHEN {ok} THEN round({y} * {unit}) END"
        return [
            *below,
            f"sum({x}) AS s{i}",
            f"sum(abs({x})) AS size{i}",
            f"bool_or({ok} AND round({y} * {unit}) / {unit} <> {y}) AS finer{i}",
        ]
    if plan.way == "decimal":
        number = f"TRY_CAST(r{i} AS DECIMAL(38, {plan.scale}))"
        x = f"CASE WHEN {ok} THEN coalesce({number}, 0) END"
        finer = f"{ok} AND ({_decimals(i, amount)} > {plan.scale} OR {number} IS NULL AND {y} <> 0)"
        return [
            *below,
            f"sum({x}) AS s{i}",
            f"sum(abs({x}))::DOUBLE * {unit} AS size{i}",
            f"bool_or({finer}) AS finer{i}",
        ]
    x = f"CASE WHEN {ok} THEN {y} END"
    return [
        *below,
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


def _served(plan: Summing, stats: Mapping[str, Any], i: int) -> bool:
    """Whether the sums of a column are what its plan promises."""
    size = stats[f"size{i}"] or 0.0
    return plan.way == "float" or (size < LIMITS[plan.way] and not stats[f"finer{i}"])


def _needed(engine: Engine, query: Query, places: Sequence[int]) -> dict[str, Summing]:
    """The plans of columns by what they hold: the decimals that their own digits need, and the sum of their sizes."""
    expressions: dict[str, str] = {}
    for i in places:
        ok = f"(keep AND ok AND t{i})"
        need = f"max({_decimals(i, query.amounts[i])}) FILTER ({ok})"
        expressions |= {f"need{i}": need, f"whole{i}": f"sum(abs(y{i})) FILTER ({ok})"}
    stats = _statistics(engine, expressions, f"({inner(query)})")
    plans = {}
    for i in places:
        scale = max(stats[f"need{i}"] or 0, 0)
        size = (stats[f"whole{i}"] or 0.0) * 10.0 ** min(scale, MOST_DECIMALS)
        fitting = [way for way in LIMITS if size < LIMITS[way] and scale <= MOST_DECIMALS]
        plans[query.amounts[i].key] = Summing(fitting[0], scale) if fitting else Summing("float")
    return plans


def _as_doubles(engine: Engine, query: Query, places: Sequence[int]) -> dict[str, Summing]:
    """The plans of columns whose sums lie at the very limit of whole numbers."""
    return {query.amounts[i].key: Summing("float") for i in places}
