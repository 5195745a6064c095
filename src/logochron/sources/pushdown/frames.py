"""Lazy and cluster frames rolled up where they lie, through Narwhals: Polars lazy, Dask, PySpark."""

from __future__ import annotations

import datetime as dt
import decimal
import signal
import warnings
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from functools import cached_property
from threading import current_thread, main_thread
from typing import Any
from uuid import uuid4
from zoneinfo import ZoneInfo

import narwhals as nw
import numpy as np
from numpy.typing import NDArray

from logochron.core.errors import IntakeError, QuestionError, first_line
from logochron.sources.duckdb.connection import waited
from logochron.sources.duckdb.sql import MOST_DECIMALS
from logochron.sources.pushdown.table import Expr, GroupSpec, Kind, Pass, PushdownTable, SourceColumn
from logochron.sources.rolled_source import FIRST_ROWS, NO_DAY
from logochron.sources.values.amounts import first_value, is_plain_decimal
from logochron.sources.values.labels import spelled, value_of

#: Amounts below this many units are added up exactly, where not too many are.
_SMALL, _EXACT = 2.0**35, 2.0**53
_ROUNDING = 1.5 * 2.0**52
#: A moment written as a text, without a zone.
_MOMENT = r"^[0-9]{4}-[0-9]{2}-[0-9]{2}[ T](?:[01][0-9]|2[0-3]):[0-5][0-9](?::[0-5][0-9](?:[.,][0-9]+)?)?$"
#: What the columns of a frame are called while it is asked, so that no name means anything else there.
_NAME = "column_{}_"


class LazyFrame(PushdownTable):
    """A lazy frame; nothing of it is computed but what it is asked."""

    def __init__(self, frame: Any, name: str) -> None:
        self.name = name
        self._spark = type(frame).__module__.startswith("pyspark")
        self._dask = type(frame).__module__.startswith("dask")
        self._polars = type(frame).__module__.startswith("polars")
        self._native = frame
        self.nan_is_missing = self._dask
        try:
            given = _from_native(frame)
        except TypeError:
            raise QuestionError("`source` is a {0}, which cannot be scanned", type(frame).__name__) from None
        with self._spoken():
            schema = given.lazy().collect_schema()
        written = list(schema.names())
        if len(set(written)) < len(written):
            raise QuestionError("{0} has two columns of one name: rename all but one", name)
        #: What the columns are called where they lie: to Spark a backtick or a point in a name means something else.
        self._names = [_NAME.format(place) for place in range(len(written))] if self._spark else written
        if self._spark:
            self._native = frame.toDF(*self._names)
        self._first: list[tuple[Any, ...]] | None = None
        columns = [_column(n, kind, self._values, i) for i, (n, kind) in enumerate(schema.items())]
        self._objects = _objects_of_dask(frame) if self._dask else {}
        for i, column in enumerate(columns):
            decimals = self._objects.get(column.name) is decimal.Decimal
            if decimals and all(is_plain_decimal(value) for value in self._values(i)):
                columns[i] = column._replace(kind="decimal")
        self.columns = columns

    def __repr__(self) -> str:
        return f"<LazyFrame: {self.name}>"

    # what is looked at

    def _values(self, place: int) -> list[Any]:
        """The first values of a column that are there."""
        if self._first is None:
            with self._spoken():
                rows = self._collected(self._few())
            self._first = list(zip(*(_listed(rows[n]) for n in self._names))) if len(rows) else []
        return [row[place] for row in self._first if row[place] is not None]

    def _few(self) -> Any:
        """Some rows; of Dask those of its first part, as it would go through all of them for the first rows of all."""
        if hasattr(self._native, "partitions") and self._native.npartitions > 1:
            return _from_native(self._native.partitions[0]).lazy().head(FIRST_ROWS)
        return _from_native(self._native).lazy().head(FIRST_ROWS)

    def sample(self, rows: int) -> list[tuple[str | None, ...]]:
        """The first rows as texts."""
        self._values(0)
        return [tuple(None if v is None else str(v) for v in row) for row in (self._first or [])[:rows]]

    def decimals(self, place: int) -> int:
        """Two: a look at the first rows costs more than another pass where there are more."""
        return 2

    @contextmanager
    def _spoken(self) -> Iterator[None]:
        """What goes wrong on the way, on a worker or between them, becomes an IntakeError."""
        try:
            yield
        except (IntakeError, QuestionError):
            raise
        except Exception as error:  # each library has errors of its own, and of all that it stands on
            raise IntakeError("{0} cannot be read: {1}", self.name, first_line(error)[:300]) from error

    def _collected(self, lazy: Any) -> Any:
        """An answer brought here, while a signal can reach this thread."""
        with self._spoken():
            if not self._spark:
                return waited(lazy.collect, _giving_up(self._native), self.progress)
            with _jobs_of(self._native) as (collected, give_up):
                return waited(lambda: collected(lazy.collect), give_up, self.progress)

    def _frame(self, one_pass: Pass) -> Any:
        """The frame with some of its columns, under our names but for Dask; instants of Spark as day numbers."""
        frame = self._native
        if one_pass.spec is not None and self._spark and self.columns[one_pass.spec.date].kind == "zoned":
            from pyspark.sql import functions

            # of the session's zone Spark makes days, whatever the instants are asked in
            name = self._names[one_pass.spec.date]
            micros = functions.unix_micros(functions.from_utc_timestamp(functions.col(f"`{name}`"), one_pass.spec.zone))
            frame = frame.withColumn(name, functions.floor(micros / functions.lit(86_400_000_000)))
        lazy = _from_native(frame).lazy()
        if self._dask:  # there each change of names goes through all parts
            return lazy.select(*(self._names[place] for place in one_pass.places))
        return lazy.select(*(nw.col(self._names[place]).alias(_NAME.format(place)) for place in one_pass.places))

    def answer(self, one_pass: Pass) -> dict[str, NDArray[Any]]:
        """The columns of an answer."""
        lazy = self._frame(one_pass)
        lazy = lazy if one_pass.rows is None else lazy.filter(one_pass.rows)
        lazy = lazy.select(**one_pass.fields)
        lazy = lazy.unique() if one_pass.distinct else lazy
        totals = [_total(how, field).alias(name) for name, (how, field) in one_pass.totals.items()]
        if one_pass.by:
            lazy = lazy.group_by(*one_pass.by).agg(*totals)
        elif totals:
            lazy = lazy.select(*totals)
        lazy = lazy if one_pass.most is None else lazy.head(one_pass.most)
        came = self._collected(lazy)
        return {name: _array(came[name]) for name in came.columns}

    def parts(self, one_pass: Pass) -> Iterator[dict[str, NDArray[Any]]]:
        """The whole of an answer: it is one part, without a key."""
        yield self.answer(one_pass)

    # expressions

    def of(self, place: int) -> Expr:
        """The column at a place."""
        return nw.col(self._names[place] if self._dask else _NAME.format(place))

    def text(self, place: int) -> Expr:
        """A column as text, unknown where it is unknown."""
        column = self.of(place)
        return column if self.columns[place].written == "String" else column.cast(nw.String)

    def label(self, place: int) -> Expr:
        """What rows are grouped by: a value where it is no text, so that all clusters spell it alike."""
        if self._kind(place) is not None:
            return self.of(place)
        text, written = self.text(place), self._objects.get(self.columns[place].name)
        if written is bool:
            return text.str.to_lowercase()
        if written is dt.time:  # as Python spells it, with zeros
            return nw.when(text.str.contains(r"\.[0-9]*0$")).then(text.str.replace_all("0+$", "")).otherwise(text)
        return text

    def is_label(self, place: int, labels: Sequence[str]) -> Expr:
        """Whether a column has one of some labels."""
        kind = self._kind(place)
        if kind is None:
            if self._is_instant(place):
                labels = [self._moved(label.removesuffix("+00"), "UTC", self._zone) for label in labels]
            return self.is_among(self.known(self.label(place), ""), labels)
        values = [value for label in labels if (value := value_of(label, kind)) is not None]
        column = self.of(place)
        if kind is np.float32:
            column, values = column.cast(nw.Float64), list(map(float, values))
        among = column.is_in(values).fill_null(False) if values else ~(column.is_null() | ~column.is_null())
        return among | column.is_null() if "" in labels else among

    def _kind(self, place: int) -> type | None:
        """What the values of a column are that are grouped as they are; None of texts, and what is spelled alike."""
        kinds = {"Boolean": bool, "Float64": float, "Float32": np.float32, "Time": dt.time, "Datetime": dt.datetime}
        written = self.columns[place].written
        # Spark compares moments by the zones of its session and of this process: it is asked of their texts
        return None if self._spark and written == "Datetime" else kinds.get(written)

    def _is_instant(self, place: int) -> bool:
        """Whether a column of Spark holds instants, whose texts are of its session's zone."""
        return self._spark and self.columns[place].kind == "zoned"

    @cached_property
    def _zone(self) -> str:
        """The zone of Spark's session."""
        return str(self._native.sparkSession.conf.get("spark.sql.session.timeZone"))

    @staticmethod
    def _moved(text: str, zone: str, other: str) -> str:
        """A moment of one zone in another; as it is where it is none."""
        try:
            moment = dt.datetime.fromisoformat(text).replace(tzinfo=ZoneInfo(zone))
        except ValueError:
            return text
        return spelled(moment.astimezone(ZoneInfo(other)).replace(tzinfo=None))

    def spelled(self, place: int, value: Any) -> str:
        """A value of `label` as a label; an instant in UTC, as the engine shows it."""
        if self._is_instant(place) and value:
            value = self._moved(str(value), self._zone, "UTC")
        label = spelled(value)
        return f"{label}+00" if label and self.columns[place].kind == "zoned" and "+" not in label else label

    def known(self, value: Expr, instead: Any) -> Expr:
        """A value, or another where it is unknown."""
        return value.fill_null(0.0 if instead == 0 and instead is not False else instead)

    def is_unknown(self, value: Expr) -> Expr:
        """Whether a value is unknown."""
        return value.is_null()

    def stripped(self, text: Expr) -> Expr:
        """A text without spaces at its ends."""
        return text.str.strip_chars()

    def is_among(self, text: Expr, labels: Sequence[str]) -> Expr:
        """Whether a text is one of some."""
        return text.is_in(list(labels))

    def choice(self, condition: Expr, value: Expr, instead: Any) -> Expr:
        """A value where a condition holds, another where not."""
        chosen = nw.when(condition).then(value)
        return chosen if instead is None else chosen.otherwise(nw.lit(0.0 if instead == 0 else instead))

    def flag(self, condition: Expr | None) -> Expr:
        """A condition as 1 or 0."""
        return nw.lit(1) if condition is None else condition.cast(nw.Int64)

    def size(self, value: Expr) -> Expr:
        """The size of a number."""
        return value.abs()

    def number(self, place: int) -> Expr:
        """An amount as a double: decimals are cast before anything is summed."""
        column = self.of(place)
        if self.columns[place].written == "Float32":
            return self._shortest(column)
        return column if self.columns[place].written == "Float64" else column.cast(nw.Float64)

    def _shortest(self, column: Expr) -> Expr:
        """The double of the shortest decimal that a float of 32 bits stands for: of the fewest places that give it."""
        wide = column.cast(nw.Float64)
        shortest = wide
        for places in range(MOST_DECIMALS, -MOST_DECIMALS, -1):
            unit = 10.0 ** abs(places)
            constant = wide * 0.0 + unit if self._polars else unit
            units = self._rounded(wide * unit if places > 0 else wide / constant)
            decimal = units / constant if places > 0 else units * unit
            shortest = nw.when(decimal.cast(nw.Float32) == column).then(decimal).otherwise(shortest)
        return shortest

    def _rounded(self, value: Expr) -> Expr:
        """The whole number next to a number."""
        # Spark rounds by way of decimals, which takes longer than all the rest; so near this number doubles are whole
        return value + _ROUNDING - _ROUNDING if self._spark else value.round(0)

    def is_number(self, place: int) -> Expr:
        """Whether a field is a finite number."""
        return self.number(place).is_finite().fill_null(False)

    def in_units(self, value: Expr, place: int, scale: int) -> tuple[Expr, Expr]:
        """An amount as the whole number of units next to it, and whether it is just that."""
        unit = 10.0**scale
        units = self._rounded(value * unit)
        # Polars multiplies by the inverse of a constant instead of dividing by it, which is not the same
        return units, units / (value * 0.0 + unit if self._polars else unit) == value

    def day(self, spec: GroupSpec) -> Expr:
        """The date: a day or a moment where the type has one, a text else."""
        column, kind = self.of(spec.date), self.columns[spec.date].kind
        if kind == "day" and self.columns[spec.date].written == "Object":
            return column.cast(nw.Datetime("us"))
        if kind == "day" or (kind == "zoned" and self._spark):
            return column
        if kind == "zoned":
            column = column.dt.convert_time_zone(spec.zone).dt.replace_time_zone(None)
        if kind in ("zoned", "moment"):
            # of Dask days would be objects: its moments stay moments, at midnight
            return column.dt.date() if self._polars or self._spark else column.dt.truncate("1d")
        text = self.filled(spec.date)
        times = any(":" in str(value) for value in self._values(spec.date))
        if kind != "text" or not spec.cut or not times:
            return text
        return nw.when(text.str.contains(_MOMENT)).then(text.str.slice(0, 10)).otherwise(text)

    def is_undated(self, spec: GroupSpec, dates: Sequence[Any]) -> Expr | None:
        """Whether a row has one of some dates: texts, or none."""
        texts = [date for date in dates if isinstance(date, str) and date]
        parts = [self.day(spec).is_in(texts)] if texts else []
        parts += [self.empty(spec.date)] if any(date in (None, "", NO_DAY) for date in dates) else []
        return parts[0] if len(parts) == 1 else parts[0] | parts[1] if parts else None

    def days_of(self, values: NDArray[Any]) -> NDArray[Any]:
        """Dates as they came: day numbers, or texts."""
        if values.dtype.kind == "M":
            return values.astype("datetime64[D]").astype(np.int64)  # none is NO_DAY there
        if values.dtype.kind in "iu":
            return values.astype(np.int64)
        if values.dtype.kind == "f":
            return np.where(np.isnan(values), NO_DAY, np.nan_to_num(values)).astype(np.int64)
        known = next((value for value in values if value is not None), None)
        if isinstance(known, str) or known is None:
            return values
        if isinstance(known, (int, float)):
            return np.array([NO_DAY if value is None else int(value) for value in values], dtype=np.int64)
        days = [np.datetime64("NaT", "D") if value is None else _plain_day(value) for value in values]
        return np.array(days, dtype="datetime64[D]").astype(np.int64)

    # one pass that says whether it was enough

    def roll_up(self, spec: GroupSpec) -> dict[str, NDArray[Any]]:
        """The groups: those of records without a flaw by sums alone, which is most often enough."""
        return self._flawless(spec) or super().roll_up(spec)

    def _flawless(self, spec: GroupSpec) -> dict[str, NDArray[Any]] | None:
        """The groups of records without a flaw, None where there is one: an amount that is no whole number of units,
        or no number, or too large, makes the sum of its group infinite.
        """
        if spec.where or spec.named or spec.apart or any(n.scale is None or n.taken for n in spec.numbers):
            return None
        fields = {"d": self.day(spec)} | {f"h{i}": self.label(place) for i, place in enumerate(spec.labels)}
        by = tuple(fields)
        for i, number in enumerate(spec.numbers):
            if number.place is not None and number.scale is not None:
                units, same = self.in_units(self.number(number.place), number.place, number.scale)
                sound = same & (units.abs() < _SMALL)
                fields[f"s{i}"] = nw.when(sound).then(units).otherwise(nw.lit(float("inf")))
                fields[f"below{i}"] = (units < 0).cast(nw.Float64)
        sums = [name for name in fields if name not in by]
        # Dask counts what is there quickly, and rows slowly; all of a sum are there
        totals: dict[str, Any] = {name: ("sum", name) for name in sums} | {"n": ("count", next(iter(sums), ""))}
        came = self.answer(Pass(spec, spec.places(), fields, by=by, totals=totals))
        added = np.concatenate([[0.0], *(came[name] for name in sums)])
        if not np.isfinite(added).all() or came["n"].max(initial=0) * _SMALL >= _EXACT:
            return None
        came |= {f"s{i}": came["n"].astype(np.float64) for i, n in enumerate(spec.numbers) if n.place is None}
        return self.groups(came, spec)


def _from_native(frame: Any) -> Any:
    """A frame under Narwhals' names; of what it will ask for in times to come nobody needs to hear."""
    with warnings.catch_warnings():
        warnings.filterwarnings("ignore", "Dask support is moving", FutureWarning)
        return nw.from_native(frame)


def _total(how: str, field: str) -> Expr:
    """What comes of a group: `count` those of its rows that have the field, or all of them where none is named."""
    if how == "count":
        return nw.col(field).count() if field else nw.len()
    return nw.col(field).sum() if how == "sum" else nw.col(field).min()


def _listed(series: Any) -> list[Any]:
    """The values of a column, None where one is unknown."""
    unknown = series.is_null().to_numpy()
    return [None if none else value for value, none in zip(series.to_list(), unknown)]


def _array(series: Any) -> NDArray[Any]:
    """The values of a column: numbers and moments as they are, others with None where one is unknown."""
    plain: NDArray[Any] = series.to_numpy() if series.dtype != nw.String else np.zeros(0, dtype=object)
    if plain.dtype.kind in "iubM" or (plain.dtype.kind == "f" and not np.isnan(plain).any()):
        return plain
    listed = np.empty(len(series), dtype=object)
    listed[:] = _listed(series)
    return listed


def _plain_day(value: Any) -> dt.date:
    return value.date() if isinstance(value, dt.datetime) else value


def _column(name: str, kind: Any, values: Callable[[int], list[Any]], place: int) -> SourceColumn:
    """A column by its type; where that says nothing, by its first values."""
    written = str(kind).split("(", 1)[0]
    if kind.is_integer():
        return SourceColumn(name, "whole", written)
    if kind.is_float():
        return SourceColumn(name, "float", written)
    if isinstance(kind, nw.Decimal):
        return SourceColumn(name, "decimal", written, getattr(kind, "scale", None))
    if kind == nw.Date:
        return SourceColumn(name, "day", written)
    if isinstance(kind, nw.Datetime):
        return SourceColumn(name, "zoned" if kind.time_zone else "moment", written, zone=kind.time_zone or "")
    if kind in (nw.String, nw.Categorical) or isinstance(kind, nw.Enum):
        return SourceColumn(name, "text", written)
    if kind == nw.Object:
        met = {type(value) for value in values(place)}
        kinds: dict[type, Kind] = {decimal.Decimal: "decimal", dt.date: "day", str: "text"}
        return SourceColumn(name, kinds.get(met.pop(), "other") if len(met) == 1 else "other", written)
    return SourceColumn(name, "other", written)


def _objects_of_dask(frame: Any) -> dict[str, type]:
    """What columns of objects of the pandas frames hold that a Dask frame is made of: it takes them for texts."""
    kinds: dict[str, type] = {}
    for step in getattr(getattr(frame, "expr", None), "walk", list)():
        given: Any = getattr(step.operand("frame"), "_data", None) if "frame" in step._parameters else None
        if hasattr(given, "dtypes"):
            objects = [name for name, kind in given.dtypes.items() if kind.kind == "O"]
            kinds |= {str(name): type(first_value(given[name])) for name in objects}
    return kinds


@contextmanager
def _jobs_of(frame: Any) -> Iterator[tuple[Callable[[Callable[[], Any]], Any], Callable[[], None]]]:
    """How a session of Spark is asked, and how only what it was asked here is given up.

    At a signal Spark cancels all jobs of its session, whosever they are: its own handler waits for as long as this.
    """
    session, group = frame.sparkSession, f"logochron-{uuid4()}"
    context = getattr(session, "sparkContext", None) if "connect" not in type(session).__module__ else None

    def asked(collect: Callable[[], Any]) -> Any:
        if context is not None:
            context.setJobGroup(group, "logochron", interruptOnCancel=True)
            return collect()
        session.addTag(group)
        try:
            return collect()
        finally:
            session.removeTag(group)

    def give_up() -> None:
        context.cancelJobGroup(group) if context is not None else session.interruptTag(group)

    handler: Any = signal.getsignal(signal.SIGINT)
    is_spark = getattr(handler, "__module__", "") == "pyspark.core.context" or "SparkContext" in getattr(
        handler, "__qualname__", ""
    )
    if not (is_spark and current_thread() is main_thread()):
        yield asked, give_up
        return
    signal.signal(signal.SIGINT, signal.default_int_handler)
    try:
        yield asked, give_up
    finally:
        signal.signal(signal.SIGINT, handler)


def _giving_up(frame: Any) -> Callable[[], None] | None:
    """Has a cluster of Dask's cancel what is asked of it from now on, and nothing that others have asked for.

    None where nothing can be cancelled: Polars and Dask's threads stop with this process.
    """
    if not type(frame).__module__.startswith("dask"):
        return None
    try:
        from distributed import Future, get_client

        client: Any = get_client()
    except (ImportError, ValueError):  # Dask works in threads of this process
        return None
    others = set(client.futures)

    def give_up() -> None:
        client.cancel([Future(key, client=client) for key in set(client.futures) - others])

    return give_up
