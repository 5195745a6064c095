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
    zero_if_empty,
)
from logochron.sources.duckdb.statistics import Fold, LabelSets, extent, fold, label_sets
from logochron.sources.rolled_source import FIRST_ROWS, Groups, LeafGroups, Priced
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
        groups = _flawed_apart(engine, query, plans, name)
        if groups is not None:
            return RollUp(query, groups, sound=False)
        stats = _careful_pass(engine, query, plans, name)
        if judge and any(stats.get(f"odd{i}") for i in range(len(query.amounts))):
            asked, asked_plans = judge(query, plans)
            judge = None
            if asked != query:
                query, plans = asked, asked_plans
                continue
        plans, stats = _served_plans(engine, query, plans, stats, name)
        return RollUp(query, groups_of(engine, query, plans, stats), sound=False)


def _served_plans(
    engine: Engine, query: Query, plans: Plans, stats: dict[str, Any], name: str
) -> tuple[Plans, dict[str, Any]]:
    """The plans that lose nothing, and the statistics of the careful pass by them."""
    for bettered in (_met, _needed, _as_doubles):  # the last always serves
        failed = [i for i, a in enumerate(query.amounts) if not _served(plans[a.key], stats, i)]
        if not failed:
            break
        better = bettered(engine, query, plans, stats, failed)
        plans = {**plans, **better}
        at_hand = all(better[key].way == "float" for key in better) and bettered is _met  # as the sums of doubles are
        if better and not at_hand:
            stats = _careful_pass(engine, query, plans, name)
    return plans, stats


def seen_plans(engine: Engine, query: Query, plans: Plans, keys: Sequence[str], name: str) -> Plans:
    """The plans with the scales that the first rows need, of amounts that are doubles."""
    scales = {i: plans[amount.key].scale for i, amount in enumerate(query.amounts) if amount.key in keys}
    if not scales:
        return plans
    few = query._replace(relation=f"(SELECT * FROM {query.relation} LIMIT {FIRST_ROWS})")
    needs = {f"need{i}": f"max({_need(f'y{i}', scale)}) FILTER (ok AND t{i})" for i, scale in scales.items()}
    found = _statistics(engine, needs, f"({inner(few)})", name)
    told = {query.amounts[i].key: _of_need(found[f"need{i}"]) for i in scales if found[f"need{i}"] is not None}
    return {**plans, **{key: plan for key, plan in told.items() if plan}}


def _flawed_apart(engine: Engine, query: Query, plans: Plans, name: str) -> Groups | None:
    """The roll-up of numbers of which some are none, all others without a flaw: None where that is not so."""
    if any(amount.is_text for amount in query.amounts):
        return None
    unread = " OR ".join(f"NOT coalesce(isfinite({double(a, query.empty_is_zero)}), false)" for a in query.amounts)
    kept = f"{condition(query.where, query.conditions)} AND ({unread})"
    if not unread or (query.quick and not engine.rows(f"SELECT 1 FROM {query.strict} WHERE {kept} LIMIT 1", name)):
        return None
    return _flawless_pass(engine, query, plans, name, unread=unread)


def _flawless_pass(
    engine: Engine, query: Query, plans: Plans, name: str, *, unread: str = "", trusted: bool = True
) -> Groups | None:
    """The roll-up of sources without a flaw, None where there may be one: plain sums that prove themselves.

    Every amount that counts is there and a whole number of its scale's unit, and small: any other makes the sum of
    its group far too large (see `_proof`), and such numbers add up exactly (see `_adds_up_exactly`).

    Parameters
    ----------
    unread
        The condition of rows with an amount that cannot be read, which are counted apart and add nothing.
    trusted
        Whether amounts in memory, which were looked at there, need no proof of their own, and counts are folded into
        sums where the statistics of the source promise that it will do.
    """
    if any(plan.way != "whole" for plan in plans.values()):
        return None
    scales = [plans[amount.key].scale for amount in query.amounts]
    known = extent(engine, query, name)
    sets = label_sets(engine, query, name)
    folded = fold(known, 10 ** scales[0], sets) if scales and trusted and not unread else None
    reaches = {
        i: reach
        for i, (amount, scale) in enumerate(zip(query.amounts, scales))
        if amount.reach and (reach := amount.reach(10**scale)) is not None
    }
    tops = {i: reach.largest for i, reach in reaches.items()} if trusted else {}
    least = known.least if known else [float("-inf")] * len(scales)
    # what is known to have no negative amount is not asked for one
    falling = [i for i in range(len(scales)) if (reaches[i].falls if i in reaches else not least[i] >= 0)]
    sums = _flawless_sums(query, scales, sets, folded, tops, falling, unread)
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
        return _flawless_pass(engine, query, plans, name, unread=unread, trusted=False)
    if len(scales) > bool(folded) + len(tops) and not _adds_up_exactly(most):
        return None
    return _flawless_groups(engine, query, plans, sets, sums, stats, falling, flawed=bool(unread))


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
    *,
    flawed: bool,
) -> Groups:
    """The groups of the table `g` brought here."""
    below = [f"coalesce(m{i}, 0) < 0 AS m{i}" for i in falling]
    empties = range(len(query.amounts) if query.empty_is_zero else 0)
    fields = ["n", *sums.totals, *below, *(["l"] if sets else []), *(["keep"] if query.where else [])]
    fields += ["coalesce(bad, 0) AS bad"] if flawed else []
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
        bad=arrays["bad"].astype(np.int64) if flawed else np.zeros(many, dtype=np.int64),
        aggregates={
            a.key: LeafGroups(
                arrays[f"s{i}"].astype(np.int64),
                stats[f"size{i}"] or 0.0,
                plans[a.key].scale,
                empties=int(stats[f"empty{i}"] or 0) if i in empties else 0,
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
    unread: str,
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
    # told in full wherever it is asked of a row: a column of the source may be called like what stands for it
    bad = f"{keep or 'true'} AND ({unread})"
    if unread:
        fields.append(f"{bad} AS flawed")
        rolled.append("count(*) FILTER (flawed) AS bad")
    for i, amount in enumerate(amounts):
        value = _with_signs(amount, query)
        if query.empty_is_zero:
            fields.append(f"{value} AS v{i}")
            value = zero_if_empty(value, amount)
        fields.append(f"CASE WHEN {bad} THEN 0.0 ELSE {value} END AS y{i}" if unread else f"{value} AS y{i}")
        if query.empty_is_zero:
            rolled.append(f"count(*) FILTER (v{i} IS NULL{' AND NOT flawed' if unread else ''}) AS e{i}")
            stats[f"empty{i}"] = f"sum(e{i})"
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
        flaw = f"error('a flaw')::DECIMAL(18, {scale})"
        sound = f"x{i}::DOUBLE = y{i} AND abs(y{i}) < {_SMALL / unit}"
        x, shown = f"y{i}::DECIMAL(18, {scale})", f"(s{i} * {unit})::DOUBLE"
    else:
        flaw = "error('a flaw')::DOUBLE"
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


def _statistics(
    engine: Engine, stats: Mapping[str, str], relation: str = "g", name: str = "the source"
) -> dict[str, Any]:
    """One row over all groups, or over another relation, by name."""
    (row,) = engine.rows(f"SELECT {', '.join(stats.values())} FROM {relation}", name)
    return dict(zip(stats, row))


def _careful_pass(engine: Engine, query: Query, plans: Plans, name: str) -> dict[str, Any]:
    """The roll-up that looks at each row: which are unreadable, odd, or finer than their scale."""
    labels, conditions = _labels(query), list(query.conditions)
    fields, stats = ["d"], {"n": "sum(n)"}
    if query.where:
        fields += ["keep", *(f"CASE WHEN keep THEN h{i} END AS h{i}" for i in range(len(query.labels)))]
    else:
        fields += [f"h{i}" for i in range(len(query.labels))]
    refused = "keep AND NOT ok" if query.where else "NOT ok"
    fields += ["count(*) AS n", f"count(*) FILTER ({refused}) AS bad"]
    shown = []
    for i, amount in enumerate(query.amounts):
        counts = f"ok AND t{i}" if amount.taken else "ok"
        shown += [f"CASE WHEN {counts} THEN y{i} END AS v{i}", f"round(v{i} * {10 ** plans[amount.key].scale}) AS x{i}"]
        measured = _measured(i, amount, plans[amount.key], counts)
        fields += [f"{sql} AS {field}" for field, sql in measured.items()]
        stats |= {f"size{i}": f"sum(size{i})::DOUBLE"}
        stats |= {field: f"max({field})" for field in measured if field.startswith(("need", "finer"))}
        taken = f"keep AND t{i}"
        if query.empty_is_zero:
            fields.append(f"count(*) FILTER ({taken} AND {_is_no_amount(i, amount)}) AS empty{i}")
            stats[f"empty{i}"] = f"sum(empty{i})"
        if amount.is_text:
            point = f" OR contains(o{i}, '.')" if amount.maybe_grouped else ""
            unread = f"CASE WHEN y{i} IS NULL THEN NOT {is_empty(f'o{i}')} ELSE false END{point}"
            fields.append(f"bool_or({taken} AND ({unread})) AS odd{i}")
            stats[f"odd{i}"] = f"bool_or(odd{i})"
        if query.apart:
            fields.append(f"r{i} AS a{i}")
    for i, (column, label) in enumerate(labels):
        fields.append(f"count(*) FILTER (w{conditions.index(column)} = {quoted(label)}) AS named{i}")
        stats[f"named{i}"] = f"sum(named{i})"
    rows = f"SELECT {', '.join(['*', *shown])} FROM ({inner(query, keyed=True)})"
    grouped = f"SELECT {', '.join(fields)} FROM ({rows}) GROUP BY ALL"
    always = "" if query.where else ", true AS keep"
    engine.run("DROP TABLE IF EXISTS reject_errors; DROP TABLE IF EXISTS reject_scans", name)
    engine.run(f"CREATE OR REPLACE TEMP TABLE g AS SELECT *{always} FROM ({grouped})", name)
    row = _statistics(engine, stats)
    return row | {"named": _named(labels, row)}


def _is_no_amount(i: int, amount: Amount) -> str:
    """Whether an amount is empty, its text looked at only where it came to nothing."""
    return f"CASE WHEN y{i} = 0 THEN {is_empty(f'o{i}')} ELSE false END" if amount.is_text else f"o{i} IS NULL"


def _measured(i: int, amount: Amount, plan: Summing, counts: str) -> dict[str, str]:
    """By field whether an amount is negative, the sum, that of sizes, and whether one is finer than the scale.

    Of numbers the decimals that they need, where those are more, and the sum as doubles.
    """
    x, v, unit = f"x{i}", f"v{i}", 10**plan.scale
    fields = {f"below{i}": f"bool_or({v} < 0)"}
    if plan.way == "float" or not amount.is_text:
        fields[f"f{i}"] = f"fsum({v})"
    if plan.way == "whole":
        finer = {f"finer{i}": f"bool_or({x} / {unit} <> {v})"}
        if not amount.is_text:
            finer = {f"need{i}": f"max({_need(v, plan.scale)})"}
        return {**fields, f"s{i}": f"sum({x})", f"size{i}": f"sum(abs({x}))", **finer}
    if plan.way == "decimal":
        number = f"TRY_CAST(r{i} AS DECIMAL(38, {plan.scale}))"
        x = f"CASE WHEN {counts} THEN coalesce({number}, 0) END"
        lost = f"{counts} AND ({_decimals(i, amount)} > {plan.scale} OR {number} IS NULL AND y{i} <> 0)"
        size = f"sum(abs({x}))::DOUBLE * {unit}"
        return {**fields, f"s{i}": f"sum({x})", f"size{i}": size, f"finer{i}": f"bool_or({lost})"}
    return {**fields, f"size{i}": f"sum(abs({v}))"}


def _need(y: str, scale: int) -> str:
    """How many decimals a double needs, of at least `scale`: `_ENDLESS` where more than are summed.

    It needs k where it is the double next to a whole number of 10**-k, as its shortest writing has no more than k
    decimals then. Past 2**53 of them that tells nothing: `_UNTOLD`.
    """
    ways = [f"WHEN round({y} * {10**k}) / {10**k} = {y} THEN {k}" for k in range(scale, MOST_DECIMALS + 1)]
    untold = f"WHEN abs({y}) >= {_EXACT / 10**MOST_DECIMALS} THEN {_UNTOLD}"
    return f"CASE {' '.join([ways[0], untold, *ways[1:]])} WHEN {y} IS NULL THEN NULL ELSE {_ENDLESS} END"


def _decimals(i: int, amount: Amount) -> str:
    """How many decimals an amount has: a text says it itself, of a double its shortest writing."""
    text = f"trim({'r' if amount.is_text else 'y'}{i}::VARCHAR)"
    digits = rf"length(regexp_extract({text}, '[.]([0-9]*?)0*([eE]|$)', 1))"
    return rf"({digits} - coalesce(TRY_CAST(regexp_extract({text}, '[eE]([+-]?[0-9]+)', 1) AS INTEGER), 0))"


#: Sizes past which a way of summing is not exact any more; differences must fit as well.
LIMITS: dict[Way, float] = {"whole": 2.0**52, "decimal": MOST_SUM}


def _served(plan: Summing, stats: Mapping[str, Any], i: int) -> bool:
    """Whether the sums of a column are what its plan promises."""
    if plan.way == "float":
        return True
    finer = stats.get(f"finer{i}") or (stats.get(f"need{i}") or 0) > plan.scale
    return (stats[f"size{i}"] or 0.0) < LIMITS[plan.way] and not finer


#: Needs of a double that are none: more decimals than are summed, and those that only its writing tells.
_ENDLESS, _UNTOLD = MOST_DECIMALS + 1, MOST_DECIMALS + 2


def _of_need(need: int) -> Summing | None:
    """How to sum amounts that need so many decimals, where that tells it."""
    return None if need == _UNTOLD else Summing("float") if need == _ENDLESS else Summing("whole", need)


def _met(
    engine: Engine, query: Query, plans: Plans, stats: Mapping[str, Any], places: Sequence[int]
) -> dict[str, Summing]:
    """The plans of columns of numbers by the decimals that the careful pass saw."""
    met = {}
    for i in places:
        key, need = query.amounts[i].key, stats.get(f"need{i}") or _UNTOLD
        plan = _of_need(need)
        scale = plans[key].scale
        if plan and (plan.way == "float" or (stats[f"size{i}"] or 0.0) * 10 ** (plan.scale - scale) < LIMITS["whole"]):
            met[key] = plan
    return met


def _needed(
    engine: Engine, query: Query, plans: Plans, stats: Mapping[str, Any], places: Sequence[int]
) -> dict[str, Summing]:
    """The plans of columns by what they hold: the decimals that their own digits need, and the sum of their sizes."""
    expressions: dict[str, str] = {}
    for i in places:
        ok = f"(keep AND ok AND t{i})"
        need = f"max({_decimals(i, query.amounts[i])}) FILTER ({ok})"
        expressions |= {f"need{i}": need, f"whole{i}": f"sum(abs(y{i})) FILTER ({ok})"}
    found = _statistics(engine, expressions, f"({inner(query)})")
    better = {}
    for i in places:
        scale = max(found[f"need{i}"] or 0, 0)
        size = (found[f"whole{i}"] or 0.0) * 10.0 ** min(scale, MOST_DECIMALS)
        fitting = [way for way in LIMITS if size < LIMITS[way] and scale <= MOST_DECIMALS]
        better[query.amounts[i].key] = Summing(fitting[0], scale) if fitting else Summing("float")
    return better


def _as_doubles(
    engine: Engine, query: Query, plans: Plans, stats: Mapping[str, Any], places: Sequence[int]
) -> dict[str, Summing]:
    """The plans of columns whose sums lie at the very limit of whole numbers."""
    return {query.amounts[i].key: Summing("float") for i in places}
