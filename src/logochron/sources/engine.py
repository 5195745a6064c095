"""The roll-up: one pass of the engine over a source, to sums by date text and items."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping, Sequence
from os import getpid
from pathlib import Path
from tempfile import gettempdir
from typing import Any, Literal, NamedTuple

import duckdb
import numpy as np
from numpy.typing import NDArray

from logochron.core.days import Days
from logochron.core.errors import IntakeError
from logochron.core.selection import Where, labels_named, split

#: Told the part of the work that is done, 0 to 1.
Progress = Callable[[float], None]


class Plan(NamedTuple):
    """How the amounts of one column are summed.

    ``whole``: as whole numbers of 10**-scale held in doubles, each checked to be the double it came from;
    ``decimal``: as the engine's decimals of `scale` places; ``float``: as doubles, compensated.
    """

    way: Literal["whole", "decimal", "float"]
    scale: int = 0


class Amount(NamedTuple):
    """A column to sum: what `read` calls it, and how the engine finds its text or number."""

    column: str
    sql: str
    is_text: bool


class Query(NamedTuple):
    """What is rolled up from one source.

    Attributes
    ----------
    relation, strict
        The table function that scans it, giving every column: passing over malformed records, or failing on them.
    date_text, date
        The engine's expressions for the date as it stands, and for what is judged: its text, or its day number.
    labels, conditions
        Expressions for each dimension (NULL where empty), and for the columns that `where` names (never NULL).
    all_fields
        Expressions for every column as text, to tell blank rows.
    underscores
        Whether an amount may hold one: the engine's cast takes 1_000, our reading does not.
    """

    relation: str
    strict: str
    date_column: str
    date_text: str
    date: str
    labels: Mapping[str, str]
    conditions: Mapping[str, str]
    amounts: Sequence[Amount]
    all_fields: Sequence[str]
    where: Where
    empty_is_zero: bool
    underscores: bool = True


class Groups(NamedTuple):
    """What came back: a row for each date text, whether `where` keeps it, and items.

    `dates` are the distinct date texts (or day numbers), `date_codes` the index of each row into them;
    `label_codes` likewise. `sums` and `sizes` are by column, at the scale of its plan.
    """

    dates: NDArray[Any]
    date_codes: Days
    keep: NDArray[np.bool_]
    labels: Mapping[str, NDArray[np.object_]]
    label_codes: Mapping[str, Days]
    rows: Days
    bad: Days
    sums: Mapping[str, NDArray[Any]]
    sizes: Mapping[str, float]
    plans: Mapping[str, Plan]
    empties: Mapping[str, int]
    named_rows: Mapping[tuple[str, str], int]


def quoted(text: str) -> str:
    """A text as the engine's literal."""
    return "'" + text.replace("'", "''") + "'"


def named(text: str) -> str:
    """A text as the engine's name of a column."""
    return '"' + text.replace('"', '""') + '"'


class Engine:
    """One connection, its settings, and what it says on its way."""

    def __init__(self, progress: Progress | None = None) -> None:
        # what does not fit in memory goes where temporary files belong, and nothing is fetched from anywhere
        spill = str(Path(gettempdir()) / f"logochron-spill-{getpid()}")
        self.connection = duckdb.connect(config={"temp_directory": spill, "autoinstall_known_extensions": False})
        self.progress = progress
        if progress:
            self.connection.execute("SET enable_progress_bar = true; SET enable_progress_bar_print = false")

    def run(self, sql: str, name: str) -> None:
        """Carry out a statement, telling the progress; what the engine refuses becomes an IntakeError."""
        done = threading.Event()
        watcher = threading.Thread(target=self._watch, args=(done,), daemon=True)
        if self.progress:
            watcher.start()
        try:
            self.connection.execute(sql)
        except duckdb.Error as error:
            first_line = str(error).splitlines()[0]
            raise IntakeError(f"{name} cannot be read: {first_line}") from error
        finally:
            done.set()
            if self.progress:
                watcher.join()

    def has_table(self, name: str) -> bool:
        """Whether the engine holds a table of this name."""
        found = self.connection.execute("SELECT 1 FROM duckdb_tables() WHERE table_name = ?", [name]).fetchall()
        return bool(found)

    def _watch(self, done: threading.Event) -> None:
        while self.progress and not done.wait(0.1):
            part = self.connection.query_progress()
            if part >= 0:
                self.progress(part / 100)

    def arrays(self, sql: str, tables: Mapping[str, Any] | None = None) -> dict[str, NDArray[Any]]:
        """The columns of a query's answer; texts as objects, unknown texts as None."""
        for name, columns in (tables or {}).items():
            self.connection.register(name, columns)
        found = self.connection.execute(sql).fetchnumpy()
        for name in tables or {}:
            self.connection.unregister(name)
        return {name: _plain(values) for name, values in found.items() if isinstance(values, np.ndarray)}


def _plain(values: NDArray[Any]) -> NDArray[Any]:
    """Values without a mask: unknown numbers as NaN, anything else unknown as None."""
    if not isinstance(values, np.ma.MaskedArray):
        return values
    unknown = np.ma.getmaskarray(values)
    plain: NDArray[Any] = np.ma.getdata(values)
    if unknown.any():
        plain = plain.astype(np.float64 if plain.dtype.kind == "f" else object)
        plain[unknown] = np.nan if plain.dtype.kind == "f" else None
    return plain


def condition(where: Where, expressions: Mapping[str, str]) -> str:
    """`where` in the engine's words; never unknown."""
    parts = []
    for name, wanted in where.items():
        taken, left_out = split(wanted)
        if taken:
            parts.append(f"{expressions[name]} IN ({', '.join(map(quoted, taken))})")
        if left_out:
            parts.append(f"{expressions[name]} NOT IN ({', '.join(map(quoted, left_out))})")
    return " AND ".join(parts) or "true"


def is_empty(sql: str) -> str:
    """Whether a text is truly empty: nothing, or spaces only."""
    return f"(trim(coalesce({sql}, '')) = '')"


def _double(amount: Amount, empty_is_zero: bool) -> str:
    if not amount.is_text:
        value = f"{amount.sql}::DOUBLE"
        return f"coalesce({value}, 0.0)" if empty_is_zero else value
    value = f"TRY_CAST({amount.sql} AS DOUBLE)"
    return f"CASE WHEN {is_empty(amount.sql)} THEN 0.0 ELSE {value} END" if empty_is_zero else value


def inner(query: Query, *, numbered: bool = False) -> str:
    """Rows with their date `d`, whether they are kept, labels `h`, doubles `y`, and whether all are readable.

    `numbered`: with the number `rn` of the row from 1, and whether each field is empty, as `e`.
    """
    fields = [f"{query.date} AS d", f"({condition(query.where, query.conditions)}) AS keep"]
    fields += [f"{sql} AS h{i}" for i, sql in enumerate(query.labels.values())]
    readable = []
    for i, amount in enumerate(query.amounts):
        fields += [f"{amount.sql} AS r{i}", f"{_double(amount, query.empty_is_zero)} AS y{i}"]
        readable.append(f"coalesce(isfinite(y{i}), false)")
        if amount.is_text:  # the cast takes 1_000, our reading does not
            readable.append(f"NOT coalesce(contains(r{i}, '_'), false)")
    fields += [f"{sql} AS w{i}" for i, sql in enumerate(query.conditions.values())]
    if numbered:
        fields += ["row_number() OVER () AS rn", f"{query.date_text} AS date_text"]
        fields += [f"{is_empty(sql)} AS e{i}" for i, sql in enumerate(query.all_fields)]
    ok = " AND ".join(readable) or "true"
    return f"SELECT *, keep AND {ok} AS ok FROM (SELECT {', '.join(fields)} FROM {query.relation})"


def roll_up(engine: Engine, query: Query, plans: Mapping[str, Plan], name: str) -> Groups:
    """Sums by date text and items: at once where every row is sound, else carefully."""
    stats = _swift_pass(engine, query, plans, name)
    if stats is not None:
        return _groups(engine, query, plans, stats)
    while True:
        stats = _careful_pass(engine, query, plans, name)
        bettered = {column: _better(plans[column], stats, i) for i, column in enumerate(plans)}
        if bettered == plans:
            return _groups(engine, query, plans, stats)
        plans = bettered


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
        doubles.append(f"{_double(amount, False)} AS y{i}")
        whole = f"round(y{i} * {unit})"
        # beyond 2**52 a double does not tell neighboring whole numbers apart
        condition = f"{whole} / {unit} = y{i} AND abs(y{i}) < {2**52 // unit}"
        if amount.is_text and query.underscores:
            doubles.append(f"contains({amount.sql}, '_') AS u{i}")
            condition += f" AND NOT u{i}"
        sound.append(f"CASE WHEN {condition} THEN {whole}::BIGINT ELSE error('unsound')::BIGINT END AS x{i}")
        sums.append(f"sum(x{i}) AS s{i}")
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
    found = _statistics(engine, [f"sum(abs(s{i}))::DOUBLE AS size{i}" for i in range(len(query.amounts))])
    sizes = [found[f"size{i}"] or 0.0 for i in range(len(query.amounts))]
    return found | {"named": {}} if all(size < _LIMITS["whole"] for size in sizes) else None


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
        measured += _measured(i, amount, plans[amount.column])
    labels = [(c, label) for c, wanted in query.where.items() for label in labels_named(wanted)]
    conditions = list(query.conditions)
    counted = [
        f"count(*) FILTER (w{conditions.index(column)} = {quoted(label)}) AS named{i}"
        for i, (column, label) in enumerate(labels)
    ]
    empties = [
        f"count(*) FILTER (keep AND {is_empty(f'r{i}::VARCHAR')}) AS empty{i}"
        for i in range(len(query.amounts))
        if query.empty_is_zero
    ]
    fields = ["d", "keep", *shown, "count(*) AS n", "count(*) FILTER (keep AND NOT ok) AS bad"]
    sql = ", ".join([*fields, *measured, *counted, *empties])
    engine.run("DROP TABLE IF EXISTS reject_errors; DROP TABLE IF EXISTS reject_scans", name)
    engine.run(f"CREATE OR REPLACE TEMP TABLE g AS SELECT {sql} FROM ({inner(query)}) GROUP BY ALL", name)
    stats = []
    for i in range(len(query.amounts)):
        stats += [f"sum(size{i})::DOUBLE AS size{i}", f"bool_or(finer{i}) AS finer{i}"]
    stats += [f"sum(named{i}) AS named{i}" for i in range(len(labels))]
    stats += [f"sum(empty{i}) AS empty{i}" for i in range(len(empties))]
    found = _statistics(engine, stats)
    return found | {"named": {pair: found[f"named{i}"] or 0 for i, pair in enumerate(labels)}}


def _measured(i: int, amount: Amount, plan: Plan) -> list[str]:
    """The sum, the sum of sizes, and whether an amount has decimals finer than the scale."""
    y = f"y{i}"
    unit = 10**plan.scale
    if plan.way == "whole":
        x = f"CASE WHEN ok THEN round({y} * {unit}) END"
        return [
            f"sum({x}) AS s{i}",
            f"sum(abs({x})) AS size{i}",
            f"bool_or(ok AND round({y} * {unit}) / {unit} <> {y}) AS finer{i}",
        ]
    if plan.way == "decimal":
        number = f"TRY_CAST(r{i} AS DECIMAL(38, {plan.scale}))"
        x = f"CASE WHEN ok THEN coalesce({number}, 0) END"
        # a text tells its decimals itself; a double is compared with what it became
        finer = (
            rf"regexp_matches(r{i}, '\.[0-9]{{{plan.scale}}}[0-9]*[1-9]|[eE]')"
            if amount.is_text
            else f"{number}::DOUBLE IS DISTINCT FROM {y}"
        )
        finer = f"ok AND ({finer} OR {number} IS NULL AND {y} <> 0)"
        return [
            f"sum({x}) AS s{i}",
            f"sum(abs({x}))::DOUBLE * {unit} AS size{i}",
            f"bool_or({finer}) AS finer{i}",
        ]
    x = f"CASE WHEN ok THEN {y} END"
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


def _groups(engine: Engine, query: Query, plans: Mapping[str, Plan], stats: Mapping[str, Any]) -> Groups:
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
        sums={column: arrays[f"s{i}"] for i, column in enumerate(plans)},
        sizes={column: float(stats[f"size{i}"] or 0.0) for i, column in enumerate(plans)},
        plans=dict(plans),
        empties={a.column: int(stats.get(f"empty{i}") or 0) for i, a in enumerate(query.amounts)},
        named_rows=stats["named"],
    )
