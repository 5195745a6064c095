"""What is rolled up from one source, in the engine's words."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.filters import Condition
from logochron.core.book.measures import Aggregate
from logochron.sources.rolled_source import KEPT, SIGNED, ReadingSpec
from logochron.sources.values.amounts import APOSTROPHES, MINUSES, SPACES, Reach
from logochron.sources.values.date_parts import BETWEEN, part_of
from logochron.sources.values.dates import TIME, ZONE, has_time, instants_said, seconds_in, seconds_said

#: Decimals past which amounts are summed as doubles, and those that doubles are first taken to have.
MOST_DECIMALS, USUAL_DECIMALS = 6, 2
#: How amounts are summed: see `Summing`.
Way = Literal["whole", "decimal", "float"]


class Summing(NamedTuple):
    """How the amounts of one column are summed.

    ``whole``: as whole numbers of 10**-scale held in doubles, each checked to be the double it came from;
    ``decimal``: as the engine's decimals of `scale` places; ``float``: as doubles, compensated.
    """

    way: Way
    scale: int = 0


#: Given how many units make one, gives how far a column reaches in units; None where not all are whole numbers of
#: them, or nobody knows. Cheap to ask again.
Reaching = Callable[[int], Reach | None]


class Amount(NamedTuple):
    """What is summed: under which key, of which column (none: the records themselves), and how the engine finds it.

    `raw` is the text or number as it stands, `sql` the number in plain writing; `form` names the writing that
    was recognised. `maybe_grouped`: a point in it may part thousands, as far as is known. `taken` is the condition
    of the rows it takes; all where empty. `reach`: of a column that lies in memory.
    """

    key: str
    column: str
    raw: str
    sql: str
    is_text: bool
    form: str = ""
    maybe_grouped: bool = False
    taken: str = ""
    reach: Reaching | None = None


class Query(NamedTuple):
    """What is rolled up from one source.

    Attributes
    ----------
    relation, strict
        The table function that scans it, giving every column: passing over malformed records, or failing on them.
    date_text, date
        The engine's expressions for the date as it stands, and for what is judged: its text, or its day number.
    date_key, key_day
        What rows are grouped by where that is cheaper than `date`, and the day number of such a group, `d`.
    labels, conditions
        Expressions for each dimension (NULL where empty), and for the columns that `where` names (never NULL).
    all_fields
        Expressions for every column as text, to tell blank rows.
    underscores
        Whether an amount may hold one: the engine's cast takes 1_000, our reading does not.
    apart
        Whether different amounts make different groups.
    kinds
        The dimensions whose labels are a column of a few kinds, each of which the engine numbers itself.
    quick
        Whether it is gone through twice in less time than rows that are left out take to be looked at.
    row_number
        The number of a row from 1.
    known, date_ends
        Whether the source has statistics of its columns and lists of its different texts, so that it is cheap to ask
        for the least and the greatest and to look at each text; and what has its least and greatest on the first and
        the last day, empty where nothing has.
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
    where: tuple[Condition, ...]
    empty_is_zero: bool
    named: tuple[Condition, ...] = ()  # all conditions, those of single measures too
    aside: str = ""  # the condition of rows that are no totals of others, where some are
    ids: Mapping[str, tuple[str, str]] = {}  # by key the expression for ids to count, and which rows have one
    underscores: bool = True
    apart: bool = False
    date_key: str = ""
    key_day: str = ""
    kinds: frozenset[str] = frozenset()
    quick: bool = False
    row_number: str = "row_number() OVER ()"
    known: bool = False
    date_ends: str = ""

    def label_alias(self, dimension: str) -> str:
        """What the column of a dimension is called in the engine's tables."""
        return f"h{list(self.labels).index(dimension)}"

    def id_aliases(self, key: str) -> tuple[str, str]:
        """What the ids of an aggregate are called there, and whether a row has one."""
        place = list(self.ids).index(key)
        return f"z{place}", f"zt{place}"


#: By key how each amount is summed.
Plans = Mapping[str, Summing]
#: Given a query and its plans, gives both with the writing of the amounts recognised.
Judge = Callable[[Query, Plans], tuple[Query, Plans]]


def quoted(text: str) -> str:
    """A text as the engine's literal."""
    return "'" + text.replace("'", "''") + "'"


def named(text: str) -> str:
    """A text as the engine's name of a column."""
    return '"' + text.replace('"', '""') + '"'


def condition(where: Sequence[Condition], expressions: Mapping[str, str]) -> str:
    """Conditions in the engine's words; never unknown."""
    parts = []
    for name, taken, left_out in where:
        if taken:
            parts.append(f"{expressions[name]} IN ({', '.join(map(quoted, taken))})")
        if left_out:
            parts.append(f"{expressions[name]} NOT IN ({', '.join(map(quoted, left_out))})")
    return " AND ".join(parts) or "true"


def asked_of(spec: ReadingSpec, texts: Mapping[str, str], amount_of: Callable[[str], Amount]) -> dict[str, Any]:
    """What of a `Query` is the same for every kind of source.

    Parameters
    ----------
    texts
        The engine's expression for each wanted column as text.
    made
        The amount of a column, without its key and the rows it takes.
    """
    conditions = {c.column: f"coalesce({texts[c.column]}, '')" for c in spec.conditions}

    def taken(aggregate: Aggregate) -> str:
        return condition(spec.conditions_of(aggregate), conditions)

    amounts = []
    for aggregate in spec.summed:
        amount = amount_of(aggregate.column) if aggregate.column else Amount("", "", "1", "1", False)
        amounts.append(amount._replace(key=aggregate.key, taken=taken(aggregate) if aggregate.where else ""))
    signs = {SIGNED + column: beside_digits(texts[column]) for column in spec.signed}
    return {
        "labels": {name: texts[column] for name, column in spec.labels.items()} | signs,
        "conditions": conditions,
        "amounts": amounts,
        "where": (*spec.where, *spec.aside),
        "aside": condition(spec.aside, conditions) if spec.aside else "",
        "named": spec.conditions,
        "ids": {aggregate.key: (texts[aggregate.column], taken(aggregate)) for aggregate in spec.ids}
        | {KEPT + column: (texts[column], "true") for column in spec.kept.values()},
        "empty_is_zero": spec.empty_is_zero,
        "apart": spec.apart,
    }


def beside_digits(sql: str) -> str:
    """What stands beside the digits of an amount: the sign of its currency, maybe a unit."""
    return f"regexp_replace({sql}, {quoted(f'[0-9.,()+{SPACES}{MINUSES}{APOSTROPHES}]')}, '', 'g')"


def day_text(sql: str, tz: str | None) -> str:
    """The text of a date without its time; a zoned one turned into the zone first, where one is named."""
    cut = f"regexp_replace({sql}, {quoted(TIME)}, '')"
    if tz is None:
        return cut
    stamp = rf"regexp_replace(trim({sql}), '([+-][0-9]{{2}})([0-9]{{2}})$', '\1:\2')"
    local = f"strftime(TRY_CAST({stamp} AS TIMESTAMPTZ) AT TIME ZONE {quoted(tz)}, '%Y-%m-%d')"
    return f"CASE WHEN regexp_matches({sql}, {quoted(ZONE)}) THEN coalesce({local}, {sql}) ELSE {cut} END"


def stamp_day(sql: str, per_second: int, tz: str | None) -> str:
    """The day of a number of seconds since 1970, or of so many parts of one, as text; other texts as they are."""
    number = f"TRY_CAST({sql} AS DOUBLE) / {per_second}"
    stamp = f"to_timestamp(CASE WHEN abs({number}) < {_MOST_SECONDS} THEN {number} END)"
    plain = rf"regexp_full_match(trim({sql}), '[+-]?[0-9]+([.][0-9]*)?(e[+]?[0-9]+)?')"
    return (
        f"CASE WHEN {plain} THEN coalesce(strftime({stamp} AT TIME ZONE {quoted(tz or 'UTC')}, '%Y-%m-%d'), {sql}) "
        f"ELSE {sql} END"
    )


#: Seconds from 1970 to about the year 5000.
_MOST_SECONDS = 95_000_000_000


class DateColumn(NamedTuple):
    """The expressions for what is judged as a date, and for the date as it stands; what was recognised of it."""

    judged: str
    as_it_stands: str
    said: tuple[str, ...] = ()


def date_of_texts(sql: str, shown: Sequence[str], spec: ReadingSpec, *, cut: bool = False) -> DateColumn:
    """A date that stands as text.

    Parameters
    ----------
    shown
        What its first rows hold.
    cut
        Whether times are cut off although the first rows have none.
    """
    if spec.stated.date_format is None and (per_second := spec.seconds or seconds_in(shown)):
        said = () if spec.seconds and spec.stated.tz else seconds_said(per_second, spec.date, spec.stated.tz)
        return DateColumn(stamp_day(sql, per_second, spec.stated.tz), sql, said)
    if spec.times_cut and (cut or spec.stated.tz or any(map(has_time, shown))):
        said = () if spec.stated.tz else instants_said(shown, spec.date)
        return DateColumn(day_text(sql, spec.stated.tz), sql, said)  # one text a day, not one a second
    return DateColumn(sql, sql)


def day_of_parts(spec: ReadingSpec, columns: Mapping[str, str], shown: Mapping[str, Sequence[str]]) -> str:
    """A date that stands in several columns as one text: that of a day, or its parts one after the other.

    Parameters
    ----------
    columns, shown
        The expression of each part as text, and what its first rows hold.
    """
    parts = {part_of(column, shown[column]): column for column in spec.parts}
    if parts.keys() == {"date", "time"}:
        return day_text(columns[parts["date"]], spec.stated.tz)
    texts = [f"coalesce(trim({columns[column]}), '')" for column in spec.parts]
    return f"nullif({f' || {quoted(BETWEEN)} || '.join(texts)}, {quoted(BETWEEN * (len(texts) - 1))})"


def day_number(sql: str) -> str:
    """A date as its day number; unknown where it is no finite one."""
    return f"CASE WHEN isfinite({sql}) THEN {sql} - DATE '1970-01-01' END"


def is_empty(sql: str) -> str:
    """Whether a text is truly empty: nothing, or spaces only.

    Only one that begins below or above all digits, signs and letters of English can be, and is looked at whole.
    """
    blank = f"trim({sql}, ' \t\u00a0') = ''"
    return f"(CASE WHEN {sql} IS NULL THEN true WHEN {sql} < '!' OR {sql} >= '\u00a0' THEN {blank} ELSE false END)"


def double(amount: Amount, empty_is_zero: bool) -> str:
    """An amount as a double; unknown where it is no number, 0 in rows it does not take."""
    value = f"TRY_CAST({amount.sql} AS DOUBLE)" if amount.is_text else f"{amount.sql}::DOUBLE"
    if empty_is_zero:
        value = zero_if_empty(value, amount)
    return f"CASE WHEN {amount.taken} THEN {value} ELSE 0.0 END" if amount.taken else value


def zero_if_empty(value: str, amount: Amount) -> str:
    """The double of an amount, or 0 where it is empty: its text is looked at only where it is no number."""
    return f"coalesce({value}, {f'CASE WHEN {is_empty(amount.raw)} THEN 0.0 END' if amount.is_text else '0.0'})"


def inner(query: Query, *, numbered: bool = False, sound: bool = False, keyed: bool = False) -> str:
    """Rows with their date `d`, whether they are kept, labels `h`, doubles `y`, and whether all are readable: `ok`.

    Each amount is `r` in plain writing and `o` as it stands; `t` tells whether it takes the row, `k` whether it can be
    read there. `z` are ids to count, `zt` which rows have one. `numbered`: with the number `rn` of the row from 1, and
    each field as `f`, whether it is empty as `e`. `sound`: all amounts are known to be readable, and are left out.
    `keyed`: with what rows are grouped by in place of the date.
    """
    date = (keyed and query.date_key) or query.date
    fields = [f"{date} AS d", f"({condition(query.where, query.conditions)}) AS keep"]
    fields += [f"{sql} AS h{i}" for i, sql in enumerate(query.labels.values())]
    readable = []
    for i, amount in enumerate(() if sound else query.amounts):
        plain = f"CASE WHEN {amount.taken} THEN {amount.sql} END" if amount.taken else amount.sql
        fields += [f"{plain} AS r{i}", f"{amount.raw} AS o{i}", f"{double(amount, query.empty_is_zero)} AS y{i}"]
        fields.append(f"({amount.taken or 'true'}) AS t{i}")
        known = f"coalesce(isfinite(y{i}), false)"
        if amount.is_text:  # the cast takes 1_000, our reading does not
            known += f" AND NOT coalesce(contains(r{i}, '_'), false)"
        readable.append(f"({known}) AS k{i}")
    fields += [f"{sql} AS w{i}" for i, sql in enumerate(query.conditions.values())]
    for j, (sql, taken) in enumerate(query.ids.values()):
        fields += [f"{sql} AS z{j}", f"({taken}) AS zt{j}"]
    if numbered:
        fields += [f"{query.row_number} AS rn", f"{query.date_text} AS date_text", f"({query.aside or 'true'}) AS own"]
        fields += [f"{is_empty(sql)} AS e{i}, {sql} AS f{i}" for i, sql in enumerate(query.all_fields)]
    ok = " AND ".join([*(["keep"] if query.where else []), *(f"k{i}" for i in range(len(readable)))]) or "true"
    columns = ", ".join(["*", *readable])
    relation = query.strict if sound else query.relation
    return f"SELECT *, {ok} AS ok FROM (SELECT {columns} FROM (SELECT {', '.join(fields)} FROM {relation}))"


def texts_of(dates: NDArray[Any]) -> NDArray[np.object_]:
    """Dates as the engine's texts of them."""
    return np.array(["" if date is None else str(date) for date in dates], dtype=object)
