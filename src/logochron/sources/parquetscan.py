"""A Parquet file rolled up by the engine."""

from __future__ import annotations

import re

from logochron.core.errors import IntakeError
from logochron.sources.engine import Engine
from logochron.sources.layout import place_columns
from logochron.sources.locate import Source
from logochron.sources.query import Amount, Plan, Query, day_text, named, quoted
from logochron.sources.rollup import roll_up
from logochron.sources.scanned import Scanned, Wanted, blank_rows


def _relation(source: Source) -> str:
    # a folder named year=2024 makes no column
    return f"read_parquet({quoted(str(source.path))}, hive_partitioning=false)"


def parquet_types(engine: Engine, source: Source) -> dict[str, str]:
    """The columns of a Parquet file with the engine's types."""
    relation = _relation(source)
    engine.run(f"CREATE OR REPLACE TEMP TABLE described AS DESCRIBE SELECT * FROM {relation}", source.name)
    return dict(engine.connection.execute("SELECT column_name, column_type FROM described").fetchall())


def scan_parquet(engine: Engine, source: Source, wanted: Wanted) -> Scanned:
    """Roll up a Parquet file."""
    relation = _relation(source)
    types = parquet_types(engine, source)
    place_columns(source.name, wanted.names(), list(types))
    amounts, plans = [], {}
    for column in wanted.columns:
        kind = types[column]
        amounts.append(Amount(column, named(column), named(column), kind == "VARCHAR"))
        if not re.match(r"VARCHAR|DOUBLE|FLOAT|DECIMAL|U?(TINY|SMALL|BIG|HUGE)?INT", kind):
            raise IntakeError(f"{source.name}, column {column!r}: expected amounts, found the type {kind}")
        decimal = re.match(r"DECIMAL\(\d+,(\d+)\)", kind)
        plans[column] = Plan("whole", min(int(decimal[1]), 6) if decimal else 0 if "INT" in kind else 2)
    query = Query(
        relation=relation,
        strict=relation,
        date_column=wanted.date,
        date_text=f"{named(wanted.date)}::VARCHAR",
        date=_date(source, wanted, types[wanted.date]),
        labels={name: f"{named(column)}::VARCHAR" for name, column in wanted.dimensions.items()},
        conditions={column: f"coalesce({named(column)}::VARCHAR, '')" for column in wanted.where},
        amounts=amounts,
        all_fields=[f"{named(column)}::VARCHAR" for column in types],
        where=wanted.where,
        empty_is_zero=wanted.empty_is_zero,
        apart=wanted.apart,
    )
    query, groups = roll_up(engine, query, plans, source.name)
    return Scanned(
        source=source,
        query=query,
        groups=groups,
        records=int(groups.rows.sum()),
        empty=0,
        blank_rows=blank_rows(engine, query, groups),
    )


def _date(source: Source, wanted: Wanted, kind: str) -> str:
    name = named(wanted.date)
    if kind == "VARCHAR" and not wanted.times_cut:
        return name
    if kind == "VARCHAR":
        return day_text(name, wanted.tz)
    if kind.startswith("TIMESTAMP WITH TIME ZONE"):
        local = f"({name} AT TIME ZONE {quoted(wanted.tz or 'UTC')})"
        return f"CASE WHEN isfinite({name}) THEN {local}::DATE - DATE '1970-01-01' END"
    if kind.startswith(("TIMESTAMP", "DATE")):
        return f"CASE WHEN isfinite({name}) THEN {name}::DATE - DATE '1970-01-01' END"
    raise IntakeError(f"{source.name}, column {wanted.date!r}: expected dates, found the type {kind}")
