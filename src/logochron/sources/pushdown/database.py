"""A table of a database, or the answer of a query, through SQLAlchemy: one connection, read-only, one snapshot."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import sqlalchemy as sa
from numpy.typing import NDArray
from sqlalchemy import types

from logochron.core.errors import IntakeError, QuestionError, nearest, no_such
from logochron.core.said import Said
from logochron.sources.duckdb.connection import Progress, waited
from logochron.sources.pushdown.database_address import Address, said_safely
from logochron.sources.pushdown.table import Expr, GroupSpec, Kind, Pass, PushdownTable, SourceColumn
from logochron.sources.rolled_source import FIRST_ROWS, NO_DAY
from logochron.sources.values.labels import spelled

_AT_ONCE, _MOST_DATES = 50_000, 500
#: Below this SQLite spells whole doubles without an exponent.
_WHOLE = 1e15
#: What PostgreSQL's floats of 32 bits are called.
_SHORT = ("REAL", "FLOAT4")
_EPOCH = dt.date(1970, 1, 1)
#: Forms in which SQLite's users write a moment without a zone: after the day nothing but a time.
_DAY = "[0-9][0-9][0-9][0-9]-[0-1][0-9]-[0-3][0-9]"
_MOMENTS = tuple(f"{_DAY}[ T]{hour}:[0-5][0-9]:[0-5][0-9]" for hour in ("[01][0-9]", "2[0-3]"))
#: By which SQLite numbers the rows of a table.
_ROWID = "rowid"
#: Types of PostgreSQL by their numbers, where the answer of a query tells no more.
_NUMBERED: dict[int, Kind] = {
    **dict.fromkeys((20, 21, 23), "whole"),
    **dict.fromkeys((700, 701), "float"),
    1700: "decimal",
    1082: "day",
    1114: "moment",
    1184: "zoned",
    **dict.fromkeys((25, 1042, 1043), "text"),
}


class Database(PushdownTable):
    """One table or query in one transaction of one connection, which `opened` closes."""

    def __init__(self, connection: sa.Connection, address: Address, progress: Progress | None) -> None:
        self._connection, self._address, self.progress = connection, address, progress
        self.name = address.name
        self._dialect = str(connection.dialect.name)
        # PostgreSQL adds up decimals and whole numbers exactly; of others only doubles are sure
        self.exact_kinds = ("whole", "decimal") if self._dialect == "postgresql" else ()
        self.columns = []
        self._table: Any

    def __repr__(self) -> str:
        return f"<Database: {self.name}>"

    def of_table(self, table: str) -> None:
        """Take a table or view, maybe as SCHEMA.TABLE.

        Raises
        ------
        QuestionError
            Where there is none: with the nearest.
        """
        look = sa.inspect(self._connection)
        known = [*look.get_table_names(), *look.get_view_names()]
        schema, name = None, table
        if table not in known and "." in table:
            schema, name = table.split(".", 1)
            if schema not in look.get_schema_names():
                raise QuestionError("`table`: {0}", no_such("schema", schema, look.get_schema_names(), where=self.name))
            known = [*look.get_table_names(schema), *look.get_view_names(schema)]
        if name not in known:
            raise QuestionError("`table`: {0}", no_such("table", name, known, where=self.name))
        described = look.get_columns(name, schema)
        if self._dialect == "sqlite":
            self.columns = [SourceColumn(c["name"], "loose", str(c["type"])) for c in described]
        else:
            self.columns = [_column(c["name"], c["type"]) for c in described]
        self._take(sa.table(name, *_typed(self.columns, described), schema=schema))
        keys = look.get_pk_constraint(name, schema)["constrained_columns"]
        whole = {c["name"] for c in described if isinstance(c["type"], types.Integer)}
        self.key = keys[0] if len(keys) == 1 and keys[0] in whole else ""
        if not self.key and self._dialect == "sqlite" and self._numbers_rows(name, look.get_table_names()):
            self.key = _ROWID
        self.name = Said("{0}, table {1}", self._address.name, table)

    def _numbers_rows(self, name: str, tables: Sequence[str]) -> bool:
        """Whether SQLite numbers the rows of a table: of most, but not of views."""
        if name not in tables or any(column.name.lower() == _ROWID for column in self.columns):
            return False
        try:
            with self._answer(sa.select(sa.column(_ROWID)).select_from(sa.table(name)).limit(0)):
                return True
        except IntakeError:
            return False

    def of_query(self, query: str) -> None:
        """Take the answer of a query, which the user wrote."""
        bare = query.strip().rstrip(";")
        if not bare:
            raise QuestionError("`query` is empty: give a SELECT")
        text = sa.text(bare.replace(":", r"\:"))  # a colon names no value here
        self.name = Said("{0}, the query", self._address.name)
        with self._answer(sa.select(sa.text("*")).select_from(text.columns().subquery("q")).limit(0)) as answer:
            names, codes = list(answer.keys()), [about[1] for about in answer.cursor.description]
        if self._dialect == "postgresql":
            shorts = {700: _SHORT[0]}
            self.columns = [
                SourceColumn(name, _NUMBERED.get(code, "other"), shorts.get(code, ""))
                for name, code in zip(names, codes)
            ]
        elif self._dialect == "sqlite":
            self.columns = [SourceColumn(name, "loose", "") for name in names]
        else:
            self.columns = self._by_values(text, names)
        self._take(text.columns(*(sa.column(name) for name in names)).subquery("q"))

    def _take(self, table: Any) -> None:
        self._table = table
        self._sampled: list[tuple[str | None, ...]] | None = None

    def _by_values(self, text: Any, names: Sequence[str]) -> list[SourceColumn]:
        """Columns by the first values they hold."""
        with self._answer(sa.select(text.columns(*map(sa.column, names)).subquery("q")).limit(FIRST_ROWS)) as answer:
            rows = [tuple(row) for row in answer]
        kinds = {bool: "other", int: "whole", float: "float", str: "text", dt.datetime: "moment", dt.date: "day"}
        columns = []
        for i, name in enumerate(names):
            met = {type(row[i]) for row in rows if row[i] is not None}
            kind = kinds.get(met.pop(), "decimal") if len(met) == 1 else "other" if met else "text"
            columns.append(SourceColumn(name, kind, ""))  # type: ignore[arg-type]
        return columns

    def sample(self, rows: int) -> list[tuple[str | None, ...]]:
        """The first rows as texts."""
        if self._sampled is None or len(self._sampled) < rows:
            loose = any(column.kind == "loose" for column in self.columns)
            fields = [self.of(place) if loose else self.text(place) for place in range(len(self.columns))]
            with self._answer(sa.select(*fields).select_from(self._table).limit(rows)) as answer:
                self._sampled = [tuple(map(_as_text, row)) for row in answer]
        return self._sampled

    def decimals(self, place: int) -> int:
        """How many decimals the first rows have."""
        texts = (row[place] or "" for row in self.sample(FIRST_ROWS))
        decimals = (len(text.partition(".")[2].rstrip("0")) for text in texts if "e" not in text.lower())
        return max(decimals, default=0)

    def answer(self, one_pass: Pass) -> dict[str, NDArray[Any]]:
        """The columns of an answer."""
        parts = list(self._parts(self._statement(one_pass), streamed=False))
        return {name: np.concatenate([part[name] for part in parts]) for name in parts[0]}

    def parts(self, one_pass: Pass) -> Iterator[dict[str, NDArray[Any]]]:
        """An answer part by part, with the key of each row."""
        yield from self._parts(self._statement(one_pass, with_key=bool(self.key)), streamed=True)

    def _parts(self, statement: Any, *, streamed: bool) -> Iterator[dict[str, NDArray[Any]]]:
        with self._answer(statement, streamed=streamed) as answer:
            names = list(answer.keys())
            if not streamed:
                yield {name: np.zeros(0, dtype=object) for name in names}
            while part := answer.fetchmany(_AT_ONCE):
                yield {name: np.array(values, dtype=object) for name, values in zip(names, zip(*part))}
                if self.progress:
                    self.progress(0.0)

    def _statement(self, one_pass: Pass, *, with_key: bool = False) -> Any:
        """A pass as a statement: every name quoted and every value bound by SQLAlchemy."""
        fields = [field.label(name) for name, field in one_pass.fields.items()]
        key: Any = sa.column(self.key)
        statement = sa.select(*fields, *([key.label("key")] if with_key else [])).select_from(self._table)
        statement = statement if one_pass.rows is None else statement.where(one_pass.rows)
        statement = statement.order_by(key) if with_key and one_pass.in_order else statement
        statement = statement.distinct() if one_pass.distinct else statement
        if one_pass.totals:
            rows = statement.subquery("r")
            by = [rows.c[name] for name in one_pass.by]
            statement = sa.select(*by, *(_total(rows, *of).label(name) for name, of in one_pass.totals.items()))
            statement = statement.select_from(rows).group_by(*by)
        return statement if one_pass.most is None or with_key else statement.limit(one_pass.most)

    # expressions

    def of(self, place: int) -> Expr:
        """The column at a place."""
        return self._table.c[place]

    def text(self, place: int) -> Expr:
        """A column as text, unknown where it is unknown."""
        return self.of(place) if self.columns[place].kind == "text" else sa.cast(self.of(place), sa.String())

    def label(self, place: int) -> Expr:
        """What rows are grouped by: a text, of SQLite's whole doubles as that of a whole number."""
        text, column = self.filled(place), self.of(place)
        if self.columns[place].kind != "loose":
            return text
        whole = sa.cast(column, sa.Integer())
        is_whole = sa.and_(sa.func.typeof(column) == "real", column == whole, sa.func.abs(column) < _WHOLE)
        return sa.case((is_whole, sa.cast(whole, sa.String())), else_=text)

    def spelled(self, place: int, value: Any) -> str:
        """A value of `label` as a label."""
        return spelled(float(value)) if self.columns[place].kind == "float" and value else spelled(value)

    def known(self, value: Expr, instead: Any) -> Expr:
        """A value, or another where it is unknown."""
        return sa.func.coalesce(value, sa.false() if instead is False else instead)

    def is_unknown(self, value: Expr) -> Expr:
        """Whether a value is unknown."""
        return value.is_(None)

    def stripped(self, text: Expr) -> Expr:
        """A text without spaces at its ends."""
        return sa.func.trim(text)

    def is_among(self, text: Expr, labels: Sequence[str]) -> Expr:
        """Whether a text is one of some."""
        return text.in_(labels)

    def choice(self, condition: Expr, value: Expr, instead: Any) -> Expr:
        """A value where a condition holds, another where not."""
        return sa.case((condition, value), else_=sa.null() if instead is None else instead)

    def flag(self, condition: Expr | None) -> Expr:
        """A condition as 1 or 0."""
        return sa.literal_column("1") if condition is None else sa.case((condition, 1), else_=0)

    def size(self, value: Expr) -> Expr:
        """The size of a number."""
        return sa.func.abs(value)

    def number(self, place: int) -> Expr:
        """An amount; of a loose column what is a number there, of a short float the decimal that it shows."""
        short = self.columns[place].written in _SHORT and self._dialect == "postgresql"
        return sa.cast(self.text(place), types.Double()) if short else self.of(place)

    def is_number(self, place: int) -> Expr:
        """Whether a field is a finite number."""
        value = self.of(place)
        finite = sa.func.coalesce(value - value == 0, sa.false())
        if self.columns[place].kind == "loose":
            return sa.and_(sa.func.typeof(value).in_(("integer", "real")), finite)
        return finite if self.columns[place].kind != "whole" else value.is_not(None)

    def is_odd(self, place: int) -> Expr | None:
        """Whether a field of a loose column is a text with anything in it, or bytes."""
        if self.columns[place].kind != "loose":
            return None
        return sa.and_(sa.func.typeof(self.of(place)).in_(("text", "blob")), sa.not_(self.empty(place)))

    def in_units(self, value: Expr, place: int, scale: int) -> tuple[Expr, Expr]:
        """An amount as the whole number of units next to it, and whether it is just that."""
        unit = sa.literal(10**scale, sa.Integer())
        if self.columns[place].kind == "whole":
            return value * unit, sa.true()
        if self.columns[place].kind == "decimal":
            units = sa.func.round(value * unit)
            return units, units == value * unit
        floating, value = sa.literal(float(10**scale), sa.Float()), sa.type_coerce(value, sa.Float())
        units = sa.func.round(value * floating)
        return units, units / floating == value

    def day(self, spec: GroupSpec) -> Expr:
        """The date: a day number or a day where the type has one, a text else; NULL where it is none."""
        column, kind = self.of(spec.date), self.columns[spec.date].kind
        if kind in ("text", "whole"):
            return self.text(spec.date)
        if kind == "loose":
            return _day_text(self.text(spec.date)) if spec.cut else self.text(spec.date)
        if kind == "zoned":
            column = sa.func.timezone(spec.zone, column)
        day = sa.cast(column, sa.Date()) if kind != "day" else column
        if self._dialect != "postgresql":
            return day
        since = sa.type_coerce(sa.type_coerce(day, sa.Date()) - sa.literal(_EPOCH, sa.Date()), sa.Integer())
        return sa.case((sa.func.isfinite(day), since), else_=sa.null())

    def is_undated(self, spec: GroupSpec, dates: Sequence[Any]) -> Expr | None:
        """Whether a row has one of some dates, or none."""
        known = [date for date in dates if date is not None and date != NO_DAY]
        day, unknown = self.day(spec), len(known) < len(dates)
        if self._dialect != "postgresql" and self.columns[spec.date].kind in ("day", "moment", "zoned"):
            known = []
        parts = [day.in_(known[:_MOST_DATES])] if known else []
        parts += [day.is_(None)] if unknown else []
        return sa.or_(*parts) if parts else None

    def raw(self, place: int) -> Expr:
        """A column as its records are brought: of a loose one its values as they are."""
        return self.of(place) if self.columns[place].kind == "loose" else self.text(place)

    def texts_of(self, values: NDArray[Any]) -> NDArray[Any]:
        """Values as texts, None where one is unknown."""
        return np.array([_as_text(value) for value in values.tolist()], dtype=object)

    def days_of(self, values: NDArray[Any]) -> NDArray[Any]:
        """Dates as they came: day numbers, or texts."""
        known = [value for value in values.tolist() if value is not None]
        if not known or not all(isinstance(value, (int, dt.date)) for value in known):
            return self.texts_of(values)
        if isinstance(known[0], dt.date):
            return values.astype("datetime64[D]").astype(np.int64)
        return np.array([NO_DAY if value is None else value for value in values.tolist()], dtype=np.int64)

    @contextmanager
    def _answer(self, statement: Any, *, streamed: bool = False) -> Iterator[Any]:
        """The answer of a statement, which a signal can interrupt; what the database says becomes an IntakeError."""
        many = {"stream_results": True, "max_row_buffer": _AT_ONCE} if streamed else {}
        connection = self._connection.execution_options(**many)
        with spoken(self.name, self._address):
            answer = waited(lambda: connection.execute(statement), self._interrupt, self.progress)
            try:
                yield answer
            finally:
                answer.close()

    def _interrupt(self) -> None:
        """Have the database give up what it is at."""
        raw = self._connection.connection.driver_connection
        stop: Callable[[], Any] | None = getattr(raw, "interrupt", None) or getattr(raw, "cancel", None)
        if stop is not None:
            stop()


@contextmanager
def opened(address: Address, table: str | None, query: str | None, progress: Progress | None) -> Iterator[Database]:
    """A table of a database, or the answer of a query, for as long as this lasts.

    Raises
    ------
    QuestionError
        Where the address, the driver or the table is not there.
    IntakeError
        Where the database cannot be reached or breaks off.
    """
    engine = None
    try:
        with spoken(address.name, address):
            engine = _engine(address)
            connection = waited(engine.connect, None, progress)
    except BaseException:
        if engine is not None:
            engine.dispose()
        raise
    try:
        with spoken(address.name, address):
            connection = _read_only(connection)
            database = Database(connection, address, progress)
            database.of_table(table) if table is not None else database.of_query(str(query))
        yield database
    finally:
        try:
            connection.invalidate() if connection.invalidated else connection.close()
        except sa.exc.SQLAlchemyError:
            connection.invalidate()  # the server has gone
        engine.dispose()


def tables_of(address: Address) -> list[str]:
    """The tables and views of a database, for a message."""
    with spoken(address.name, address):
        engine = _engine(address)
        try:
            look = sa.inspect(engine)
            return sorted([*look.get_table_names(), *look.get_view_names()])
        finally:
            engine.dispose()


def _engine(address: Address) -> sa.Engine:
    url = address.url
    if url.get_backend_name() == "sqlite":
        path = url.database
        if not path or path == ":memory:":
            raise QuestionError("{0}: name a file: sqlite:///sales.db", address.name)
        file = Path(path)
        if not file.is_file() and not path.startswith("file:"):  # it would be made
            beside = [p.name for p in file.parent.glob("*")] if file.parent.is_dir() else []
            hint = nearest(file.name, beside)
            raise QuestionError(
                "there is no file {0}.{1}", path, (Said(" Did you mean {0}?", file.parent / hint) if hint else "")
            )
        more = {"connect_args": {"check_same_thread": False}}
    else:
        more = {}
    return sa.create_engine(url, poolclass=sa.pool.NullPool, hide_parameters=True, **more)


def _read_only(connection: sa.Connection) -> sa.Connection:
    """The connection in a transaction that changes nothing and sees one state of the tables."""
    dialect = connection.dialect.name
    if dialect == "postgresql":
        return connection.execution_options(isolation_level="REPEATABLE READ", postgresql_readonly=True)
    if dialect == "sqlite":
        raw = connection.connection.driver_connection
        assert raw is not None
        raw.isolation_level = None  # else no transaction begins before something is written
        connection.exec_driver_sql("PRAGMA query_only = ON")
        connection.exec_driver_sql("BEGIN")
        return connection
    if dialect in ("mysql", "mariadb"):
        connection = connection.execution_options(isolation_level="REPEATABLE READ")
        connection.exec_driver_sql("SET TRANSACTION READ ONLY")
    return connection


@contextmanager
def spoken(name: str, address: Address) -> Iterator[None]:
    """What a database or its driver says becomes an error of ours, without a password."""
    try:
        yield
    except (sa.exc.ArgumentError, sa.exc.NoSuchModuleError) as error:
        raise QuestionError("{0}: {1}", name, said_safely(error, address)) from None
    except ModuleNotFoundError as error:
        raise QuestionError(
            "{0}: its driver is not installed: pip install {1}, or name another in the address, "
            "such as postgresql+psycopg://",
            name,
            error.name,
        ) from None
    except sa.exc.SQLAlchemyError as error:
        raise IntakeError("{0} cannot be read: {1}", name, said_safely(error, address)) from None


def _column(name: str, kind: Any) -> SourceColumn:
    """A column by its type."""
    written = str(kind) if not isinstance(kind, types.NullType) else "unknown"
    if isinstance(kind, types.Integer):
        return SourceColumn(name, "whole", written)
    if isinstance(kind, types.Float):
        return SourceColumn(name, "float", written)
    if isinstance(kind, types.Numeric):
        return SourceColumn(name, "decimal", written, kind.scale)
    if isinstance(kind, types.DateTime):
        return SourceColumn(name, "zoned" if kind.timezone else "moment", written)
    if isinstance(kind, types.Date):
        return SourceColumn(name, "day", written)
    return SourceColumn(name, "text" if isinstance(kind, types.String) else "other", written)


def _typed(columns: Sequence[SourceColumn], described: Sequence[Any]) -> list[Any]:
    """The columns of a table with their types; loose ones without, so that nothing is made of their values."""
    return [
        sa.column(c.name) if c.kind == "loose" else sa.column(c.name, f["type"]) for c, f in zip(columns, described)
    ]


def _as_text(value: Any) -> str | None:
    if isinstance(value, bytes):
        return value.decode("utf-8", "replace")
    return None if value is None else str(value)


def _total(rows: Any, how: str, field: str) -> Expr:
    """What comes of a group."""
    if how == "count":
        return sa.func.count(rows.c[field]) if field else sa.func.count()
    return sa.func.sum(rows.c[field]) if how == "sum" else sa.func.min(rows.c[field])


def _day_text(text: Expr) -> Expr:
    """The day of a text of SQLite's where a moment without a zone is written in it; else the text."""
    rest = sa.func.substr(text, 20)
    fraction = sa.or_(
        rest == "", sa.and_(rest.op("GLOB")(".*"), sa.not_(sa.func.substr(rest, 2).op("GLOB")("*[^0-9]*")))
    )
    moment = sa.or_(*(sa.func.substr(text, 1, 19).op("GLOB")(form) for form in _MOMENTS))
    return sa.case((sa.and_(moment, fraction), sa.func.substr(text, 1, 10)), else_=text)
