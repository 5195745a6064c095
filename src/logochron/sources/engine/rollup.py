"""The roll-up: one pass of the engine over a source, to sums by date text and items."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.errors import IntakeError
from logochron.sources.engine.connection import Engine
from logochron.sources.engine.sql import Amount, Groups, Judge, Plan, Query, double, inner, is_empty, quoted


def roll_up(
    engine: Engine, query: Query, plans: Mapping[str, Plan], name: str, judge: Judge | None = None
) -> tuple[Query, Groups]:
    """Sums by date text and items: at once where every row is sound, else carefully.

    `judge` is asked for the writing of the amounts where they turn out not to be plain numbers; the query it
    gave is returned.
    """
    while True:
        stats = _swift_pass(engine, query, plans, name)
        if stats is not None:
            return query, _groups(engine, query, plans, stats, sound=True)
        stats = _careful_pass(engine, query, plans, name)
        if judge and any(stats[f"odd{i}"] for i in range(len(query.amounts))):
            asked, asked_plans = judge(query, plans)
            judge = None
            if asked != query:
                query, plans = asked, asked_plans
                continue
        while True:
            bettered = {key: _better(plans[key], stats, i) for i, key in enumerate(plans)}
            if bettered == plans:
                return query, _groups(engine, query, plans, stats)
            plans = bettered
            stats = _careful_pass(engine, query, plans, name)


def _swift_pass(engine: Engine, query: Query, plans: Mapping[str, Plan], name: str) -> dict[str, Any] | None:
    """The roll-up of sources without a flaw, None where there is one.

    An amount that is unreadable, not finite, too large or finer than its scale ends it.
    """
    if query.empty_is_zero or query.where:
        return None
    shown = ["d", *(f"h{i}" for i in range(len(query.labels)))]
    doubles = [f"{query.date} AS d", *(f"{sql} AS h{i}" for i, sql in enumerate(query.labels.values()))]
    sound, sums = list(shown), []
    for i, (amount, plan) in enumerate(zip(query.amounts, plans.values())):
        unit = 10**plan.scale
        doubles.append(f"{double(amount, False)} AS y{i}")
        whole = f"round(y{i} * {unit})"
        # beyond 2**52 a double does not tell neighboring whole numbers apart
        condition = f"{whole} / {unit} = y{i} AND abs(y{i}) < {2**52 // unit}"
        if amount.is_text and query.underscores:
            doubles.append(f"{_in_taken(amount, '_')} AS u{i}")
            condition += f" AND NOT u{i}"
        if amount.maybe_grouped:
            doubles.append(f"{_in_taken(amount, '.')} AS p{i}")
            condition += f" AND NOT p{i}"
        sound.append(f"CASE WHEN {condition} THEN {whole}::BIGINT ELSE error('unsound')::BIGINT END AS x{i}")
        sums.append(f"sum(x{i}) AS s{i}")
        if query.apart:
            sums.append(f"x{i} AS a{i}")
    labels = _labels(query)
    for i, (column, label) in enumerate(labels):
        doubles.append(f"{query.conditions[column]} = {quoted(label)} AS q{i}")
        sound.append(f"q{i}")
        sums.append(f"count(*) FILTER (q{i}) AS named{i}")
    rolled = ", ".join([*shown, "true AS keep", "count(*) AS n", "0 AS bad", *sums])
    # two steps, so that the engine casts each text once
    source = f"(SELECT {', '.join(doubles)} FROM {query.strict})"
    try:
        engine.run(
            f"CREATE OR REPLACE TEMP TABLE g AS SELECT {rolled} FROM (SELECT {', '.join(sound)} FROM {source}) "
            "GROUP BY ALL; DROP TABLE IF EXISTS reject_errors",
            name,
        )
    except IntakeError:
        return None  # the careful pass tells why
    stats = [f"sum(abs(s{i}))::DOUBLE AS size{i}" for i in range(len(query.amounts))]
    found = _statistics(engine, stats + [f"sum(named{i}) AS named{i}" for i in range(len(labels))])
    sizes = [found[f"size{i}"] or 0.0 for i in range(len(query.amounts))]
    fits = all(size < _LIMITS["whole"] for size in sizes)
    return found | {"named": _named(labels, found)} if fits else None


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


def _statistics(engine: Engine, stats: Sequence[str]) -> dict[str, Any]:
    """One row over all groups, by name."""
    if not stats:
        return {}
    (found,) = engine.connection.execute(f"SELECT {', '.join(stats)} FROM g").fetchall()
    return dict(zip((stat.rsplit(" AS ", 1)[1] for stat in stats), found))


def _careful_pass(engine: Engine, query: Query, plans: Mapping[str, Plan], name: str) -> dict[str, Any]:
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
    stats = []
    for i in range(len(query.amounts)):
        stats += [f"sum(size{i})::DOUBLE AS size{i}", f"bool_or(finer{i}) AS finer{i}", f"bool_or(odd{i}) AS odd{i}"]
    stats += [f"sum(named{i}) AS named{i}" for i in range(len(labels))]
    stats += [f"sum(empty{i}) AS empty{i}" for i in range(len(empties))]
    found = _statistics(engine, stats)
    return found | {"named": _named(labels, found)}


def _measured(i: int, amount: Amount, plan: Plan) -> list[str]:
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


def _better(plan: Plan, found: Mapping[str, Any], i: int) -> Plan:
    """The plan itself where it served, else the next safer one."""
    if plan.way == "float":
        return plan
    size, finer = found[f"size{i}"] or 0.0, bool(found[f"finer{i}"])
    fits = size < _LIMITS[plan.way]
    if fits and not finer:
        return plan
    if plan.way == "whole":
        if fits and plan.scale < 6 and size * 10 ** (6 - plan.scale) < _LIMITS["whole"]:
            return Plan("whole", 6)
        return Plan("decimal", 6 if fits else plan.scale)
    return Plan("decimal", 6) if finer and plan.scale < 6 else Plan("float")


def _groups(
    engine: Engine, query: Query, plans: Mapping[str, Plan], stats: Mapping[str, Any], *, sound: bool = False
) -> Groups:
    """The groups with dates and labels as codes: texts cross to Python once each, not once a row."""
    connection = engine.connection
    coded = ["d", *(f"h{i}" for i in range(len(query.labels)))]
    distinct: list[NDArray[Any]] = []
    for name in coded:
        connection.execute(
            f"CREATE OR REPLACE TEMP TABLE t_{name} AS SELECT v, (row_number() OVER () - 1)::BIGINT AS code "
            f"FROM (SELECT DISTINCT {name} AS v FROM g ORDER BY v NULLS FIRST)"
        )
        distinct.append(engine.arrays(f"SELECT v FROM t_{name} ORDER BY code")["v"])
    joins = " ".join(f"JOIN t_{name} ON g.{name} IS NOT DISTINCT FROM t_{name}.v" for name in coded)
    sums = []
    for i, plan in enumerate(plans.values()):
        whole = {"whole": f"TRY_CAST(s{i} AS BIGINT)", "decimal": f"TRY_CAST(s{i} * {10**plan.scale} AS BIGINT)"}
        sums.append(f"coalesce({whole.get(plan.way, f's{i}')}, 0) AS s{i}")
    fields = ["keep", "n", "bad", *(f"t_{name}.code AS c_{name}" for name in coded), *sums]
    arrays = engine.arrays(f"SELECT {', '.join(fields)} FROM g {joins}")
    return Groups(
        dates=distinct[0],
        date_codes=arrays["c_d"].astype(np.int64),
        keep=arrays["keep"].astype(bool),
        labels={name: values for name, values in zip(query.labels, distinct[1:])},
        label_codes={name: arrays[f"c_h{i}"].astype(np.int64) for i, name in enumerate(query.labels)},
        rows=arrays["n"].astype(np.int64),
        bad=arrays["bad"].astype(np.int64),
        sums={key: arrays[f"s{i}"] for i, key in enumerate(plans)},
        sizes={key: float(stats[f"size{i}"] or 0.0) for i, key in enumerate(plans)},
        plans=dict(plans),
        empties={a.key: int(stats.get(f"empty{i}") or 0) for i, a in enumerate(query.amounts)},
        named_rows=stats["named"],
        sound=sound,
    )
