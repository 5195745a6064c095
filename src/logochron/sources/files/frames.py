"""Data frames that lie in memory, scanned in place; the frame itself is never changed."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable, Sequence
from decimal import Decimal
from functools import cache
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.errors import IntakeError, QuestionError
from logochron.sources.duckdb.connection import Engine
from logochron.sources.duckdb.sql import USUAL_DECIMALS
from logochron.sources.files.find_files import Source
from logochron.sources.files.typed_files import DayKey, TypedTable, described
from logochron.sources.rolled_source import NO_DAY
from logochron.sources.values.amounts import Reach, as_decimals, first_value, reach_of

#: Dates of a column that tell whether it has times of day.
_SOME_DATES = 1000
#: Days that far off are none to the engine either.
_ENDLESS = 2**31 - 1


class _Stream:
    """A table as the stream of columns that the engine reads from any library, from its start each time."""

    def __init__(self, table: Any) -> None:
        self._table = table

    def __arrow_c_stream__(self, requested: Any = None) -> Any:
        return self._table.__arrow_c_stream__(requested)


class _Frame(NamedTuple):
    """What the engine scans, its columns called c0, c1, ..., what they are called there, and their zones by name.

    `days` are columns to group by in place of those of dates. `chunks` gives the arrays in which a column lies, those
    that would have to be copied as an error. `own_names`: its columns are called as it calls them, and are renamed
    where they are asked for. `nan`: the columns in which a missing number cannot be told from one that is none.
    """

    table: Any
    header: list[str]
    zones: dict[str, str]
    days: dict[int, DayKey] = {}
    chunks: Callable[[int], Iterable[NDArray[Any]]] = lambda _: ()
    own_names: bool = False
    nan: frozenset[int] = frozenset()

    def numbers(self, column: int) -> Sequence[NDArray[Any]]:
        """The whole numbers or doubles of a column where they lie; none where they lie otherwise."""
        try:
            parts = list(self.chunks(column))
        except (ValueError, RuntimeError):  # as these libraries say that they would have to copy
            return []
        return parts if all(array.dtype.kind in "iu" or array.dtype == float for array in parts) else []


def frame_table(engine: Engine, source: Source, amounts: Sequence[str] = ()) -> TypedTable:
    """A frame made known to the engine, its columns called c0, c1, ...

    Parameters
    ----------
    amounts
        The columns that may be summed.

    Raises
    ------
    QuestionError
        Where it is of a kind that cannot be scanned.
    """
    frame = source.frame
    home = type(frame).__module__.split(".")[0]
    known = {"pandas": _pandas, "polars": _polars, "pyarrow": _pyarrow}.get(home, _relation)
    table = known(frame)
    if not table.header:
        raise QuestionError("{0} has no columns", source.name)

    @cache
    def reach(column: int, per_unit: int) -> Reach | None:
        numbers = table.numbers(column)
        return reach_of(numbers, per_unit) if numbers else None

    for at in {table.header.index(amount) for amount in amounts if amount in table.header}:
        # looked at while the engine opens
        whole = all(array.dtype.kind != "f" for array in table.numbers(at))
        reach(at, 1 if whole else 10**USUAL_DECIMALS)
    try:
        relation = engine.keep(table.table, source.name)
        _, types = described(engine, relation, source.name)
    except IntakeError as error:
        raise QuestionError("{0} cannot be scanned: {1}", source.name, error) from None
    columns = [f"c{i}" for i in range(len(table.header))]
    if table.own_names:  # by place: to the engine names that differ in case only are one
        relation = f"(SELECT * FROM {relation} AS of_frame({', '.join(columns)}))"
    return TypedTable(
        relation,
        table.header,
        columns,
        types[: len(columns)],
        table.zones,
        days=table.days,
        reach=reach,
        quick=known is not _relation,  # which may be a question that takes long
        nan=table.nan,
    )


def _pandas(frame: Any) -> _Frame:
    pd = sys.modules["pandas"]
    if not isinstance(frame, pd.DataFrame):
        raise QuestionError("`source` must be a DataFrame; got a {0} of pandas: call .to_frame()", type(frame).__name__)
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
    named, keys, days = {}, {}, {}
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
        elif isinstance(kind, np.dtype) and kind.kind == "M" and (key := _day_key(column.to_numpy(), f"k{i}")):
            keys[f"k{i}"], days[i] = key
        elif isinstance(kind, np.dtype) and kind.kind == "O" and isinstance(first_value(column), Decimal):
            column = as_decimals(column)
        named[f"c{i}"] = column

    def chunks(column: int) -> list[NDArray[Any]]:
        lying = named[f"c{column}"]
        return [lying.to_numpy()] if isinstance(lying.dtype, np.dtype) else []

    table = pd.DataFrame(named | keys, index=frame.index, copy=False)  # the columns stay where they lie
    plain = {i: column.dtype for i, column in columns.items() if isinstance(column.dtype, np.dtype)}
    doubles = frozenset(i for i, kind in plain.items() if kind.kind == "f")
    return _Frame(table, header, zones, days, chunks, nan=doubles)


def _day_key(dates: NDArray[Any], name: str) -> tuple[NDArray[Any], DayKey] | None:
    """Dates as the whole numbers that they are in memory, which the engine groups faster; none where they have times.

    A time of day in one that is not looked at costs a group more, and nothing else.
    """
    ticks = dates.view(np.int64)
    a_day = int(np.datetime64("1970-01-02").astype(dates.dtype).astype(np.int64))
    some = ticks[:: max(len(ticks) // _SOME_DATES, 1)]
    if (some[some != NO_DAY] % a_day).any():
        return None
    day = f"d // {a_day} - (d % {a_day} < 0)::BIGINT"
    return ticks, DayKey(name, f"CASE WHEN d <> {NO_DAY} AND abs(d // {a_day}) < {_ENDLESS} THEN {day} END")


def _polars(frame: Any) -> _Frame:
    if not hasattr(frame, "rename") or not hasattr(frame, "height"):
        raise QuestionError("`source` is a {0}: collect() it first", type(frame).__name__)
    zones = {
        name: kind.time_zone for name, kind in zip(frame.columns, frame.dtypes) if getattr(kind, "time_zone", None)
    }
    renamed = frame.rename({name: f"c{i}" for i, name in enumerate(frame.columns)})
    # what the engine does not know goes to it as text, which loses nothing
    unknown = [f"c{i}" for i, kind in enumerate(frame.dtypes) if str(kind) in ("Int128", "UInt128", "Null")]
    if unknown:
        pl = sys.modules["polars"]
        renamed = renamed.with_columns(pl.col(unknown).cast(pl.String))

    def chunks(column: int) -> list[NDArray[Any]]:
        return [part.to_numpy(allow_copy=False) for part in frame.to_series(column).get_chunks()]

    return _Frame(_Stream(renamed), list(frame.columns), zones, chunks=chunks)


def _pyarrow(table: Any) -> _Frame:
    import pyarrow

    if isinstance(table, pyarrow.RecordBatch):
        table = pyarrow.Table.from_batches([table])
    dataset = sys.modules.get("pyarrow.dataset")
    lying = dataset is not None and isinstance(table, dataset.Dataset)
    if not (lying or isinstance(table, pyarrow.Table)):
        raise QuestionError("`source` is a {0} of PyArrow: read it to a Table first", type(table).__name__)
    zones = {field.name: field.type.tz for field in table.schema if getattr(field.type, "tz", None)}
    if lying:  # the engine reads its files as they are asked for
        return _Frame(table, list(table.schema.names), zones, own_names=True)
    renamed = table.rename_columns([f"c{i}" for i in range(table.num_columns)])
    for i, field in enumerate(table.schema):
        if pyarrow.types.is_decimal256(field.type):
            renamed = renamed.set_column(i, f"c{i}", renamed.column(i).cast(pyarrow.string()))

    def chunks(column: int) -> list[NDArray[Any]]:
        return [chunk.to_numpy(zero_copy_only=True) for chunk in table.column(column).chunks]

    return _Frame(renamed, list(table.column_names), zones, chunks=chunks)


def _relation(relation: Any) -> _Frame:
    if not hasattr(relation, "project"):
        raise QuestionError("`source` is a {0}: give a relation, as .sql() and .table() do", type(relation).__name__)
    names = list(relation.columns)
    # by place: to the engine names that differ in case only are one
    projected = relation.project(", ".join(f"#{i + 1} AS c{i}" for i in range(len(names))))
    return _Frame(_Stream(projected), names, {})
