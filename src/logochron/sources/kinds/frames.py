"""Data frames that lie in memory, scanned in place; the frame itself is never changed."""

from __future__ import annotations

import sys
from typing import Any

from logochron.core.errors import IntakeError, QuestionError
from logochron.sources.engine.connection import Engine
from logochron.sources.engine.sql import named
from logochron.sources.kinds.find_files import Source
from logochron.sources.kinds.typed_files import TypedTable, described


class _Stream:
    """A table as the stream of columns that the engine reads from any library, from its start each time."""

    def __init__(self, table: Any) -> None:
        self._table = table

    def __arrow_c_stream__(self, requested: Any = None) -> Any:
        return self._table.__arrow_c_stream__(requested)


def frame_table(engine: Engine, source: Source) -> TypedTable:
    """A frame made known to the engine, its columns called c0, c1, ...

    Raises
    ------
    QuestionError
        Where it is of a kind that cannot be scanned.
    """
    frame = source.frame
    home = type(frame).__module__.split(".")[0]
    known = {"pandas": _pandas, "polars": _polars, "pyarrow": _pyarrow}.get(home, _relation)
    table, header, zones = known(frame)
    if not header:
        raise QuestionError(f"{source.name} has no columns")
    try:
        name = engine.keep(table, source.name)
        _, types = described(engine, name, source.name)
    except IntakeError as error:
        raise QuestionError(f"{source.name} cannot be scanned: {error}") from None
    return TypedTable(name, header, [f"c{i}" for i in range(len(header))], types, zones)


def _pandas(frame: Any) -> tuple[Any, list[str], dict[str, str]]:
    pd = sys.modules["pandas"]
    if not isinstance(frame, pd.DataFrame):
        raise QuestionError(f"`source` must be a DataFrame; got a {type(frame).__name__} of pandas: call .to_frame()")
    if frame.columns.nlevels > 1:
        raise QuestionError("the data frame has columns of several levels: join them to one name each first")
    columns = {i: frame.iloc[:, i] for i in range(frame.shape[1])}
    header = [str(name) for name in frame.columns]
    has_names = any(name is not None for name in frame.index.names)
    if has_names or isinstance(frame.index, (pd.DatetimeIndex, pd.PeriodIndex)):
        for level in range(frame.index.nlevels):
            name = str(frame.index.names[level] or ("index" if frame.index.nlevels == 1 else f"index_{level + 1}"))
            if name not in header:
                columns[len(header)] = frame.index.get_level_values(level).to_series(index=frame.index)
                header.append(name)
    zones = {}
    made = {}
    for (i, column), name in zip(columns.items(), header):
        kind = column.dtype
        zone = getattr(kind, "tz", None) or getattr(getattr(kind, "pyarrow_dtype", None), "tz", None)
        if zone is not None:
            zones[name] = str(zone)
        if isinstance(kind, pd.CategoricalDtype):
            if kind.categories.dtype.kind not in "OUT":
                column = column.astype(object)
            elif kind.categories.dtype != object:  # the engine goes through these one by one, each time
                column = column.cat.rename_categories(kind.categories.astype(object))
        elif isinstance(kind, (pd.PeriodDtype, pd.IntervalDtype, pd.SparseDtype)) or kind.kind == "c":
            missing = column.isna()
            column = column.astype(str).astype(object)
            column[missing] = None
        made[f"c{i}"] = column
    return pd.DataFrame(made, index=frame.index, copy=False), header, zones  # the columns stay where they lie


def _polars(frame: Any) -> tuple[Any, list[str], dict[str, str]]:
    if not hasattr(frame, "rename") or not hasattr(frame, "height"):
        raise QuestionError(f"`source` is a {type(frame).__name__}: collect() it first")
    zones = {
        name: kind.time_zone for name, kind in zip(frame.columns, frame.dtypes) if getattr(kind, "time_zone", None)
    }
    renamed = frame.rename({name: f"c{i}" for i, name in enumerate(frame.columns)})
    # what the engine does not know goes to it as text, which loses nothing
    unknown = [f"c{i}" for i, kind in enumerate(frame.dtypes) if str(kind) in ("Int128", "UInt128", "Null")]
    if unknown:
        pl = sys.modules["polars"]
        renamed = renamed.with_columns(pl.col(unknown).cast(pl.String))
    return _Stream(renamed), list(frame.columns), zones


def _pyarrow(table: Any) -> tuple[Any, list[str], dict[str, str]]:
    import pyarrow

    if isinstance(table, pyarrow.RecordBatch):
        table = pyarrow.Table.from_batches([table])
    if not isinstance(table, pyarrow.Table):
        raise QuestionError(f"`source` is a {type(table).__name__} of PyArrow: read it to a Table first")
    zones = {field.name: field.type.tz for field in table.schema if getattr(field.type, "tz", None)}
    renamed = table.rename_columns([f"c{i}" for i in range(table.num_columns)])
    for i, field in enumerate(table.schema):
        if pyarrow.types.is_decimal256(field.type):
            renamed = renamed.set_column(i, f"c{i}", renamed.column(i).cast(pyarrow.string()))
    return renamed, list(table.column_names), zones


def _relation(relation: Any) -> tuple[Any, list[str], dict[str, str]]:
    if not hasattr(relation, "project"):
        raise QuestionError(f"`source` is a {type(relation).__name__}: give a relation, as .sql() and .table() do")
    names = list(relation.columns)
    projected = relation.project(", ".join(f"{named(name)} AS c{i}" for i, name in enumerate(names)))
    return _Stream(projected), names, {}
