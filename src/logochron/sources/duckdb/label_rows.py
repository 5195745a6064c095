"""The labels and sums of all rows of a source, where some label calls its row a total."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

import numpy as np

from logochron.core.errors import IntakeError
from logochron.core.total_labels import item_totalled
from logochron.sources.duckdb.connection import Engine
from logochron.sources.duckdb.sql import Query, condition, double
from logochron.sources.rolled_source import LabelRows
from logochron.sources.values.column_names import NUMBERED
from logochron.sources.values.date_parts import BETWEEN

#: Of more rows than this so many are looked at.
_MOST_ROWS, _FIRST = 500_000, 20_000
#: Columns of more different texts than this are no labels; more groups than this are not held against each other.
_MOST_LABELS, _MOST_GROUPS = 2_000, 2_000_000
#: The part of the fields of a column of labels that are no numbers.
_MOST_WORDS = 0.5
#: So many different texts of a column are looked at.
_MOST_TEXTS = 20_000


class Labelled(NamedTuple):
    """What is known of the labels of a source before its rows are looked at.

    Attributes
    ----------
    columns
        All its columns, in the order of `query.all_fields`.
    likely
        Those that seem to hold labels: texts that occur again.
    known
        Those of which all labels are known, and whether one of them calls its row a total.
    dates
        Whether a date does.
    """

    columns: tuple[str, ...]
    likely: tuple[str, ...]
    known: Mapping[str, bool]
    dates: bool


def label_rows(engine: Engine, query: Query, labelled: Labelled, rows: int, name: str) -> LabelRows | None:
    """The rows of a source by date and labels; None where no label calls its row a total.

    Parameters
    ----------
    rows
        How many it has.

    Raises
    ------
    IntakeError
        Where there are too many to be held against each other.
    """
    fields = _label_fields(query, labelled.columns)
    if not query.amounts:
        return None
    looked_at = query.relation if rows <= _MOST_ROWS else f"(SELECT * FROM {query.relation} LIMIT {_FIRST})"
    asked = set(labelled.likely) - set(labelled.known)
    unknown = {column: sql for column, sql in fields.items() if column in asked}
    calling = {column for column, calls in labelled.known.items() if calls} | _calling(engine, unknown, looked_at, name)
    suspected = {column: sql for column, sql in fields.items() if column in calling}
    if not suspected and not labelled.dates:
        return None
    labels = _labels(engine, query, fields, suspected, name)
    sums = [f"sum({double(amount, True)}) AS s{i}" for i, amount in enumerate(query.amounts) if amount.column]
    shown = [f"coalesce({sql}, '') AS l{i}" for i, sql in enumerate(labels.values())]
    kept = condition(query.where, query.conditions)
    by = [f"coalesce({query.date}::VARCHAR, '') AS d", *shown, f"({kept}) AS keep"]
    groups = f"SELECT {', '.join(by)}, count(*) AS n, {', '.join(sums)} FROM {query.relation} GROUP BY ALL"
    arrays: dict[str, Any] = engine.arrays(f"{groups} LIMIT {_MOST_GROUPS + 1}")
    if not sums:
        return None
    if len(arrays["n"]) > _MOST_GROUPS:
        named = ", ".join(map(repr, suspected or labelled.columns))
        raise IntakeError(
            "{0}: labels of column {1} call rows totals, and there are more than {2:,} groups of "
            "dates and labels to prove them by: leave those rows out by where= (--where), or "
            "count them by keep_totals=True (--keep-totals)",
            name,
            named,
            _MOST_GROUPS,
            remedies=[{"keep_totals": True}],
        )
    return LabelRows(
        dates=arrays["d"].astype(object),
        labels={column: arrays[f"l{i}"].astype(object) for i, column in enumerate(labels)},
        keep=arrays["keep"].astype(bool),
        rows=arrays["n"].astype(np.int64),
        sums=[np.nan_to_num(arrays[f"s{i}"].astype(np.float64)) for i in range(len(sums))],
    )


def _is_no_number(sql: str) -> str:
    return f"TRY_CAST(replace(replace({sql}, ',', ''), ' ', '') AS DOUBLE) IS NULL"


def _is_filled(sql: str) -> str:
    return f"coalesce(trim({sql}), '') <> ''"


def _label_fields(query: Query, columns: tuple[str, ...]) -> dict[str, str]:
    """The columns that may hold labels, each with its expression; none of several that are called the same."""
    taken = {amount.column for amount in query.amounts} | set(query.date_column.split(BETWEEN))
    once = {column for column in columns if column and columns.count(column) == 1}
    return {column: sql for column, sql in zip(columns, query.all_fields) if column in once - taken}


def _calling(engine: Engine, fields: dict[str, str], relation: str, name: str) -> set[str]:
    """The columns that hold labels of totals: their different texts are looked at, in one pass."""
    if not fields:
        return set()
    texts = ", ".join(f"list(DISTINCT {sql}::VARCHAR)[:{_MOST_TEXTS}]" for sql in fields.values())
    ((*found,),) = engine.rows(f"SELECT {texts} FROM {relation}", name, small=True)
    return {column for column, of in zip(fields, found) if any(t and item_totalled(t) is not None for t in of or ())}


def _labels(
    engine: Engine, query: Query, fields: dict[str, str], suspected: dict[str, str], name: str
) -> dict[str, str]:
    """The columns of labels: those suspected, and others of few different texts."""
    others = [column for column in fields if column not in suspected]
    if not others:
        return suspected
    # numbers are amounts, but for those that are called like numbers of things
    texts = [
        f"avg(CASE WHEN {_is_no_number(fields[c])} THEN 1.0 ELSE 0.0 END) FILTER ({_is_filled(fields[c])})"
        for c in others
    ]
    counts = ", ".join([f"approx_count_distinct({fields[column]})" for column in others] + texts)
    ((*told,),) = engine.rows(f"SELECT {counts} FROM {query.relation}", name)
    few = {
        column
        for column, many, words in zip(others, told, told[len(others) :])
        if many <= _MOST_LABELS and ((words or 0) > _MOST_WORDS or NUMBERED.search(column))
    }
    return {column: sql for column, sql in fields.items() if column in suspected or column in few}
