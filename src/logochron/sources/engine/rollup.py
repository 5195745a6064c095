"""The roll-up: one pass of the engine over a source, to sums by date text and items."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np

from logochron.sources.engine.connection import Engine, UnsoundRecords
from logochron.sources.engine.sql import (
    Amount,
    Judge,
    Plans,
    Query,
    Summing,
    day_number,
    double,
    inner,
    is_empty,
    quoted,
)
from logochron.sources.scanned import Groups, LeafGroups

#: Whole numbers up to this are all doubles.
_EXACT = 2.0**53


class Rolled(NamedTuple):
    """What a roll-up found: by which query, and whether it is known that no record has a flaw."""

    query: Query
    groups: Groups
    sound: bool


def roll_up(engine: Engine, query: Query, plans: Plans, name: str, judge: Judge | None = None) -> Rolled:
    """Sums by date text and items: at once where every row is sound, else carefully.

    `judge` is asked for the writing of the amounts where they turn out not to be plain numbers; the query it
    gave is returned.
    """
    while True:
        stats = _swift_pass(engine, query, plans, name)
        if stats is not None:
            return Rolled(query, _groups(engine, query, plans, stats, sound=True), sound=True)
        stats = _careful_pass(engine, query, plans, name)
        if judge and any(stats[f"odd{i}"] for i in range(len(query.amounts))):
            asked, asked_plans = judge(query, plans)
            judge = None
            if asked != query:
                query, plans = asked, asked_plans
                continue
        while True:
            bettered = {a.key: _better(plans[a.key], stats, i) for i, a in enumerate(query.amounts)}
            if bettered == plans:
                return Rolled(query, _groups(engine, query, plans, stats), sound=False)
            plans = bettered
            stats = _careful_pass(engine, query, plans, name)


def _swift_pass(engine: Engine, query: Query, plans: Plans, name: str) -> dict[str, Any] | None:
    """The roll-up of sources without a flaw, None where there is one: plain sums, and aggregates that prove them.

    Every amount is there and a whole number of its scale's unit. As doubles such numbers add up exactly while the sum
    of their sizes stays under 2**53, which the largest of a group times its rows proves; at half of that a double still
    tells neighboring whole numbers apart.
    """
    if query.empty_is_zero or query.where:
        return None
    shown = ["d", *(f"h{i}" for i in range(len(query.labels)))]
    fields = [
        f"{query.date_key or query.date} AS d",
        *(f"{sql} AS h{i}" for i, sql in enumerate(query.labels.values())),
    ]
    rolled, stats = [], {"n": "sum(n)"}
    for i, amount in enumerate(query.amounts):
        unit = 10 ** plans[amount.key].scale
        fields.append(f"{double(amount, False)} AS y{i}")
        whole = f"round(y{i} * {unit})"
        rolled += [
            f"sum({whole}) AS s{i}",
            f"count(y{i}) AS there{i}",
            f"bool_and({whole} / {unit} = y{i}) AS whole{i}",
            f"max(abs(y{i})) AS largest{i}",
        ]
        stats |= {
            f"size{i}": f"sum(abs(s{i}))::DOUBLE",
            f"sound{i}": f"coalesce(bool_and(there{i} = n AND whole{i}), true)",
            # what is not finite stays so
            f"bound{i}": f"max((coalesce(largest{i}, 0) * {unit} + 1) * greatest(n, 2))::DOUBLE",
        }
        signs = [sign for sign, told in (("_", query.underscores), (".", amount.maybe_grouped)) if told]
        if signs and amount.is_text:
            fields.append(f"({' OR '.join(_in_taken(amount, sign) for sign in signs)}) AS u{i}")
            rolled.append(f"bool_or(u{i}) AS signs{i}")
            stats[f"signs{i}"] = f"coalesce(bool_or(signs{i}), false)"
        if query.apart:
            rolled.append(f"y{i} AS a{i}")
    labels = _labels(query)
    for i, (column, label) in enumerate(labels):
        fields.append(f"{query.conditions[column]} = {quoted(label)} AS q{i}")
        rolled.append(f"count(*) FILTER (q{i}) AS named{i}")
        stats[f"named{i}"] = f"sum(named{i})"
    sql = ", ".join([*shown, "count(*) AS n", *rolled])
    try:
        engine.run(
            f"CREATE OR REPLACE TEMP TABLE g AS SELECT {sql} FROM (SELECT {', '.join(fields)} FROM {query.strict}) "
            "GROUP BY ALL; DROP TABLE IF EXISTS reject_errors",
            name,
        )
    except UnsoundRecords:
        return None  # the careful pass tells why
    found = _statistics(engine, stats)
    for i in range(len(query.amounts)):
        fits = (found[f"bound{i}"] or 0.0) < _EXACT and (found[f"size{i}"] or 0.0) < _LIMITS["decimal"]
        if not fits or not found[f"sound{i}"] or found.get(f"signs{i}"):
            return None
    return found | {"named": _named(labels, found)}


def _in_taken(amount: Amount, sign: str) -> str:
    """Whether a text that is taken contains a sign."""
    within = f"contains({amount.sql}, {quoted(sign)})"
    return f"(({amount.taken}) AND {within})" if amount.taken else within


def _labels(query: Query) -> list[tuple[str, str]]:
    """The columns and labels that conditions name, each pair once."""
    return list(dict.fromkeys((c, label) for c, *named in query.named for labels in named for label in labels))


def _named(labels: Sequence[tuple[str, str]], found: Mapping[str, Any]) -> dict[tuple[str, str], int]:
    """In how many rows each of them occurs."""
    return {pair: found[f"named{i}"] or 0 for i, pair in enumerate(labels)}


def _statistics(engine: Engine, stats: Mapping[str, str]) -> dict[str, Any]:
    """One row over all groups, by name."""
    (found,) = engine.connection.execute(f"SELECT {', '.join(stats.values())} FROM g").fetchall()
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
        # a text tells its decimals itself; a double is compared with what it became
        finer = (
            rf"regexp_matches(r{i}, '\.[0-9]{{{plan.scale}}}[0-9]*[1-9]|[eE]')"
            if amount.is_text
            else f"{number}::DOUBLE IS DISTINCT FROM {y}"
        )
        finer = f"{ok} AND ({finer} OR {number} IS NULL AND {y} <> 0)"
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


#: Sizes past which a way of summing is not exact any more; differences must fit as well.
_LIMITS = {"whole": 2.0**52, "decimal": 2.0**62}


def _better(plan: Summing, found: Mapping[str, Any], i: int) -> Summing:
    """The plan itself where it served, else the next safer one."""
    if plan.way == "float":
        return plan
    size, finer = found[f"size{i}"] or 0.0, bool(found[f"finer{i}"])
    fits = size < _LIMITS[plan.way]
    if fits and not finer:
        return plan
    if plan.way == "whole":
        if fits and plan.scale < 6 and size * 10 ** (6 - plan.scale) < _LIMITS["whole"]:
            return Summing("whole", 6)
        return Summing("decimal", 6 if fits else plan.scale)
    return Summing("decimal", 6) if finer and plan.scale < 6 else Summing("float")


def _groups(engine: Engine, query: Query, plans: Plans, stats: Mapping[str, Any], *, sound: bool = False) -> Groups:
    """The groups with dates and labels as codes: texts cross to Python once each, not once a row."""
    coded = ["d", *(f"h{i}" for i in range(len(query.labels)))]
    distinct = []
    for name in coded:
        # labels of a few kinds are grouped as they lie, and become texts here
        text = "v" if name == "d" else "v::VARCHAR"
        if name == "d" and sound and query.date_key:
            text = day_number("v")
        numbered = "v, w, (row_number() OVER (ORDER BY w NULLS FIRST) - 1)::BIGINT AS code"
        engine.connection.execute(
            f"CREATE OR REPLACE TEMP TABLE t_{name} AS SELECT {numbered} "
            f"FROM (SELECT v, {text} AS w FROM (SELECT DISTINCT {name} AS v FROM g))"
        )
        distinct.append(engine.arrays(f"SELECT w FROM t_{name} ORDER BY code")["w"])
    joins = " ".join(f"JOIN t_{name} ON g.{name} IS NOT DISTINCT FROM t_{name}.v" for name in coded)
    fields = ["n", *(f"t_{name}.code AS c_{name}" for name in coded)]
    fields += [] if sound else ["keep", "bad"]
    for i, amount in enumerate(query.amounts):
        way, scale = plans[amount.key]
        whole = {"whole": f"TRY_CAST(s{i} AS BIGINT)", "decimal": f"TRY_CAST(s{i} * {10**scale} AS BIGINT)"}
        fields.append(f"coalesce({whole.get(way, f's{i}')}, 0) AS s{i}")
    arrays = engine.arrays(f"SELECT {', '.join(fields)} FROM g {joins}")
    engine.connection.execute("DROP TABLE g")
    rows = arrays["n"].astype(np.int64, copy=False)
    leaves = {}
    for i, amount in enumerate(query.amounts):
        way, scale = plans[amount.key]
        leaves[amount.key] = LeafGroups(
            sums=arrays[f"s{i}"],
            size=float(stats[f"size{i}"] or 0.0),
            scale=None if way == "float" else scale,
            empties=int(stats.get(f"empty{i}") or 0),
        )
    return Groups(
        dates=distinct[0],
        date_codes=arrays["c_d"].astype(np.int64, copy=False),
        keep=np.ones(len(rows), dtype=bool) if sound else arrays["keep"].astype(bool),
        labels=dict(zip(query.labels, distinct[1:])),
        label_codes={name: arrays[f"c_h{i}"].astype(np.int64, copy=False) for i, name in enumerate(query.labels)},
        rows=rows,
        bad=np.zeros_like(rows) if sound else arrays["bad"].astype(np.int64),
        leaves=leaves,
        named_rows=stats["named"],
    )
