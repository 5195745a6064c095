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

from logochron.core.book.filters import Condition
from logochron.core.errors import IntakeError, QuestionError, nearest, no_such
from logochron.sources.engine.connection import Progress, waited
from logochron.sources.kinds.database_address import Address, said_safely
from logochron.sources.kinds.database_sql import Statements
from logochron.sources.kinds.elsewhere import FlawedRow, GroupsWanted, Kind, SourceColumn
from logochron.sources.scanned import FIRST_ROWS, NO_DAY

_AT_ONCE, _MOST_DATES = 50_000, 500
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


class Database:
    """One table or query in one transaction of one connection, which `opened` closes."""

    def __init__(self, connection: sa.Connection, address: Address, progress: Progress | None) -> None:
        self._connection, self._address, self.progress = connection, address, progress
        self.name = address.name
        self.key = ""
        self.columns: list[SourceColumn] = []
        self._statements: Statements

    def __repr__(self) -> str:
        return f"<Database: {self.name}>"

    @property
    def exact_kinds(self) -> Sequence[Kind]:
        """PostgreSQL adds up decimals and whole numbers exactly; of others only doubles are sure."""
        return ("whole", "decimal") if self._dialect == "postgresql" else ()

    @property
    def _dialect(self) -> str:
        return str(self._connection.dialect.name)

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
                raise QuestionError(f"`table`: {no_such('schema', schema, look.get_schema_names(), where=self.name)}")
            known = [*look.get_table_names(schema), *look.get_view_names(schema)]
        if name not in known:
            raise QuestionError(f"`table`: {no_such('table', name, known, where=self.name)}")
        found = look.get_columns(name, schema)
        if self._dialect == "sqlite":
            self.columns = [SourceColumn(c["name"], "loose", str(c["type"])) for c in found]
        else:
            self.columns = [_column(c["name"], c["type"]) for c in found]
        self._take(sa.table(name, *_typed(self.columns, found), schema=schema))
        keys = look.get_pk_constraint(name, schema)["constrained_columns"]
        whole = {c["name"] for c in found if isinstance(c["type"], types.Integer)}
        self.key = keys[0] if len(keys) == 1 and keys[0] in whole else ""
        if not self.key and self._dialect == "sqlite" and self._numbers_rows(name, look.get_table_names()):
            self.key = _ROWID
        self._statements.key = self.key
        self.name = f"{self._address.name}, table {table}"

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
        self.name = f"{self._address.name}, the query"
        with self._answer(sa.select(sa.text("*")).select_from(text.columns().subquery("q")).limit(0)) as found:
            names, codes = list(found.keys()), [about[1] for about in found.cursor.description]
        if self._dialect == "postgresql":
            self.columns = [SourceColumn(name, _NUMBERED.get(code, "other"), "") for name, code in zip(names, codes)]
        elif self._dialect == "sqlite":
            self.columns = [SourceColumn(name, "loose", "") for name in names]
        else:
            self.columns = self._by_values(text, names)
        self._take(text.columns(*(sa.column(name) for name in names)).subquery("q"))

    def _take(self, table: Any) -> None:
        self._statements = Statements(self._dialect, table, self.columns, self.key)
        self._sampled: list[tuple[str | None, ...]] | None = None

    def _by_values(self, text: Any, names: Sequence[str]) -> list[SourceColumn]:
        """Columns by the first values they hold."""
        with self._answer(sa.select(text.columns(*map(sa.column, names)).subquery("q")).limit(FIRST_ROWS)) as found:
            rows = [tuple(row) for row in found]
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
            self._sampled = [tuple(map(_as_text, row)) for row in self._rows(self._statements.sample(rows))]
        return self._sampled

    def decimals(self, place: int) -> int:
        """How many decimals the first rows have."""
        texts = (row[place] or "" for row in self.sample(FIRST_ROWS))
        decimals = (len(text.partition(".")[2].rstrip("0")) for text in texts if "e" not in text.lower())
        return max(decimals, default=0)

    def roll_up(self, asked: GroupsWanted) -> dict[str, NDArray[Any]]:
        """The groups of one GROUP BY."""
        columns = self._columns(self._statements.roll_up(asked))
        texts = {"d", *(f"h{i}" for i in range(len(asked.labels)))}
        sums = [
            f"{name}{i}" for i in range(len(asked.numbers)) for name in ("s", "size", "a") if f"{name}{i}" in columns
        ]
        made = {}
        for name, values in columns.items():
            if name in texts:
                made[name] = _days(values) if name == "d" else values
            elif name in sums:
                made[name] = values if name[0] != "a" else values.astype(np.float64)
            else:
                made[name] = np.fromiter((int(v) for v in values), np.int64, len(values))
        made["keep"] = made.pop("k") == 1
        return made

    def ids(self, asked: GroupsWanted, place: int, taken: Sequence[tuple[int, Condition]]) -> dict[str, NDArray[Any]]:
        """The ids by date and labels."""
        columns = self._columns(self._statements.ids(asked, place, taken))
        return columns | {"d": _days(columns["d"]), "n": columns["n"].astype(np.int64)}

    def flawed(self, asked: GroupsWanted, undated: NDArray[Any]) -> Iterator[FlawedRow]:
        """Rows that cannot be read."""
        dates = [date for date in undated.tolist() if date is not None and date != NO_DAY]
        unknown = len(dates) < len(undated)
        many = len(asked.numbers)
        if self._dialect != "postgresql" and self.columns[asked.date].kind in ("day", "moment", "zoned"):
            dates = []
        with self._answer(self._statements.flawed(asked, dates[:_MOST_DATES], unknown=unknown), streamed=True) as found:
            for key, date, text, keep, *rest in found:
                judged = _days(np.array([date, None], dtype=object))[0]
                amounts = tuple(map(str, rest[:many]))
                yield FlawedRow(int(key), judged, str(text), bool(keep), amounts, tuple(map(bool, rest[many:])))

    def blank(self) -> int:
        """How many rows are empty in every field."""
        return int(self._rows(self._statements.blank())[0][0])

    def labels(self, place: int) -> list[str]:
        """The first of the different texts of a column."""
        return [str(row[0]) for row in self._rows(self._statements.labels(place, 10_000))]

    def bring(self, places: Sequence[int], asked: GroupsWanted) -> Iterator[list[NDArray[Any]]]:
        """All records of some columns, part by part."""
        with self._answer(self._statements.bring(places, asked), streamed=True) as found:
            while part := found.fetchmany(_AT_ONCE):
                columns = [np.array(field, dtype=object) for field in zip(*part)]
                made = [_days(c) if p == asked.date else _texts(c) for p, c in zip(places, columns)]
                yield made + [c.astype(np.int64) for c in columns[len(places) :]]
                self._tick()

    def signs(self, asked: GroupsWanted) -> list[tuple[int, int, float]]:
        """Zeros, negatives and the lowest of each amount."""
        (found,) = self._rows(self._statements.signs(asked))
        kept = iter(found)
        return [(int(zeros or 0), int(less or 0), float(low or 0)) for zeros, less, low in zip(kept, kept, kept)]

    def same_rows(self) -> int:
        """How many rows are the same as one before them."""
        return int(self._rows(self._statements.same_rows())[0][0])

    def _columns(self, statement: Any) -> dict[str, NDArray[Any]]:
        """The columns of an answer by their names."""
        with self._answer(statement) as found:
            names = list(found.keys())
            parts = [[np.zeros(0, dtype=object) for _ in names]]
            while part := found.fetchmany(_AT_ONCE):
                parts.append([np.array(field, dtype=object) for field in zip(*part)])
                self._tick()
            return {name: np.concatenate(columns) for name, columns in zip(names, zip(*parts))}

    def _tick(self) -> None:
        if self.progress:
            self.progress(0.0)

    def _rows(self, statement: Any) -> list[tuple[Any, ...]]:
        with self._answer(statement) as found:
            return [tuple(row) for row in found]

    @contextmanager
    def _answer(self, statement: Any, *, streamed: bool = False) -> Iterator[Any]:
        """The answer of a statement, which a signal can interrupt; what the database says becomes an IntakeError."""
        many = {"stream_results": True, "max_row_buffer": _AT_ONCE} if streamed else {}
        asked = self._connection.execution_options(**many)
        with spoken(self.name, self._address):
            found = waited(lambda: asked.execute(statement), self._interrupt, self.progress)
            try:
                yield found
            finally:
                found.close()

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
            connection = waited(engine.connect, lambda: None, progress)
    except BaseException:
        if engine is not None:
            engine.dispose()
        raise
    try:
        with spoken(address.name, address):
            connection = _read_only(connection)
            found = Database(connection, address, progress)
            found.of_table(table) if table is not None else found.of_query(str(query))
        yield found
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
            raise QuestionError(f"{address.name}: name a file: sqlite:///sales.db")
        file = Path(path)
        if not file.is_file() and not path.startswith("file:"):  # it would be made
            beside = [p.name for p in file.parent.glob("*")] if file.parent.is_dir() else []
            hint = nearest(file.name, beside)
            raise QuestionError(f"there is no file {path}." + (f" Did you mean {file.parent / hint}?" if hint else ""))
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
        raise QuestionError(f"{name}: {said_safely(error, address)}") from None
    except ModuleNotFoundError as error:
        raise QuestionError(
            f"{name}: its driver is not installed: pip install {error.name}, or name another in the address, such as "
            "postgresql+psycopg://"
        ) from None
    except sa.exc.SQLAlchemyError as error:
        raise IntakeError(f"{name} cannot be read: {said_safely(error, address)}") from None


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


def _typed(columns: Sequence[SourceColumn], found: Sequence[Any]) -> list[Any]:
    """The columns of a table with their types; loose ones without, so that nothing is made of their values."""
    return [sa.column(c.name) if c.kind == "loose" else sa.column(c.name, f["type"]) for c, f in zip(columns, found)]


def _as_text(value: Any) -> str | None:
    if isinstance(value, bytes):
        return value.decode("utf-8", "replace")
    return None if value is None else str(value)


def _texts(values: NDArray[Any]) -> NDArray[Any]:
    return np.array([_as_text(value) for value in values.tolist()], dtype=object)


def _days(values: NDArray[Any]) -> NDArray[Any]:
    """Dates as they came: numbers of days, or texts."""
    known = [value for value in values.tolist() if value is not None]
    if all(isinstance(value, (int, dt.date)) for value in known) and known:
        days = values.astype("datetime64[D]").astype(np.int64) if isinstance(known[0], dt.date) else None
        if days is None:
            days = np.array([NO_DAY if value is None else value for value in values.tolist()], dtype=np.int64)
        return days
    return _texts(values)
