"""One connection to the engine that scans files and frames."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import Future, ThreadPoolExecutor, wait
from contextlib import contextmanager
from contextvars import copy_context
from functools import cached_property
from importlib import import_module
from itertools import count
from os import getpid
from pathlib import Path
from tempfile import gettempdir
from typing import TYPE_CHECKING, Any, TypeVar

import duckdb

from logochron.core.errors import IntakeError, first_line
from logochron.core.said import Said

if TYPE_CHECKING:  # NumPy is loaded while the engine opens
    from numpy.typing import NDArray

#: What the engine says of records that it cannot take as they are wanted; anything else is no fault of theirs.
_UNSOUND = (duckdb.InvalidInputException, duckdb.ConversionException)
#: Seconds after which a statement is taken for a long one.
_MOMENT = 0.01
T = TypeVar("T")
#: Seconds between two looks at work that is done elsewhere.
_TICK = 0.2
#: And how long one that was interrupted is waited for.
_LAST_WAIT = 1.0
#: Told the part of the work that is done, 0 to 1.
Progress = Callable[[float], None]


class UnsoundRecords(IntakeError):
    """Records that the engine cannot take as they are wanted: malformed ones, texts that are no numbers."""


class Engine:
    """One connection, its settings, and what it says on its way."""

    def __init__(self) -> None:
        self._beside = ThreadPoolExecutor(1)
        self._opening = self._beside.submit(_open)
        self._kept: dict[str, Any] = {}
        self._numbers = count()
        #: Modules that are needed soon, loaded while the engine works.
        self.meanwhile: list[str] = []
        self.progress: Progress | None = None
        #: Which part of the whole is at hand, from and to.
        self.span = (0.0, 1.0)
        self._told = 0.0

    @property
    def connection(self) -> duckdb.DuckDBPyConnection:
        """The connection, once it is open."""
        return self._opening.result()

    def tells(self, progress: Progress | None) -> None:
        """Have the progress of long statements told."""
        self.progress = progress
        if progress is not None:
            self._carry_out("SET enable_progress_bar = true; SET enable_progress_bar_print = false")

    def run(self, sql: str, name: str, *, small: bool = False) -> None:
        """Carry out a statement, telling the progress; what the engine refuses becomes an IntakeError.

        `small`: it comes before the work; nothing is told of it, and nothing loaded meanwhile, so that nobody waits.
        """
        done = threading.Event()
        watcher = threading.Thread(target=self._watch, args=(done,), daemon=True)
        watched = self.progress is not None and not small
        if watched:
            watcher.start()
        try:
            with _refusals(name):
                self._carry_out(sql, small)
        finally:
            done.set()
            if watched:
                watcher.join()

    def _carry_out(self, sql: str, small: bool = False) -> None:
        """Carry out a statement beside this thread, which a signal can reach while it waits."""
        answer = self._beside.submit(lambda: self.connection.execute(sql))
        try:
            wait([answer], None if small or not self.meanwhile else _MOMENT)
            while self.meanwhile and not answer.done():
                import_module(self.meanwhile.pop())
            answer.result()
        except KeyboardInterrupt:
            self.connection.interrupt()
            wait([answer])
            raise

    def fresh_name(self, kind: str) -> str:
        """A name that no table of this connection has had."""
        return f"{kind}_{next(self._numbers)}"

    def keep(self, table: Any, source: str) -> str:
        """Make a table in memory known, as long as the connection lives; its name."""
        name = self.fresh_name("frame")
        self._kept[name] = table
        with _refusals(source):
            self.connection.register(name, table)
        return name

    @contextmanager
    def given(self, tables: Mapping[str, Any]) -> Iterator[None]:
        """Tables in memory are known for as long as this lasts."""
        for name, columns in tables.items():
            self.connection.register(name, columns)
        try:
            yield
        finally:
            for name in tables:
                self.connection.unregister(name)

    def rows(self, sql: str, name: str, *, small: bool = False) -> list[tuple[Any, ...]]:
        """The rows of a small answer; what the engine refuses becomes an IntakeError. `small`: as `run` has it."""
        self.run(sql, name, small=small)
        with _refusals(name):
            return list(self.connection.fetchall())

    @cached_property
    def zones(self) -> frozenset[str]:
        """The names of the zones it knows."""
        return frozenset(str(name) for (name,) in self.rows("SELECT name FROM pg_timezone_names()", "tz"))

    def has_table(self, name: str) -> bool:
        """Whether the engine holds a table of this name."""
        return bool(self.rows(f"SELECT 1 FROM duckdb_tables() WHERE table_name = '{name}'", name))

    def _watch(self, done: threading.Event) -> None:
        while self.progress and not done.wait(0.1):
            part = self.connection.query_progress()
            if part >= 0:
                self.tell(part / 100)

    def tell(self, part: float) -> None:
        """Tell the part done of what is at hand as one of the whole, never less than before."""
        low, high = self.span
        done = low + (high - low) * part
        if self.progress and done > self._told:
            self._told = done
            self.progress(done)

    def arrays(self, sql: str, tables: Mapping[str, Any] | None = None) -> dict[str, NDArray[Any]]:
        """The columns of a query's answer; texts as objects, unknown texts as None."""
        with self.given(tables or {}):
            self.run(sql, "the source")
            with _refusals("the source"):
                columns = self.connection.fetchnumpy()
        return {name: values for name, given in columns.items() if (values := _unmasked(given)) is not None}


def _unmasked(values: Any) -> NDArray[Any] | None:
    """Values without a mask: unknown numbers as NaN, anything else unknown as None; none where they are no array."""
    import numpy as np  # the engine opens while it is loaded

    if type(values) is np.ndarray:  # most are; numpy.ma is loaded for others only
        return values
    if not isinstance(values, np.ndarray):
        return None
    unknown = np.ma.getmaskarray(values)
    bare: NDArray[Any] = np.ma.getdata(values)
    if unknown.any():
        bare = bare.astype(np.float64 if bare.dtype.kind == "f" else object)
        bare[unknown] = np.nan if bare.dtype.kind == "f" else None
    return bare


def _open() -> duckdb.DuckDBPyConnection:
    # what does not fit in memory goes where temporary files belong, and nothing is fetched from anywhere
    spill = str(Path(gettempdir()) / f"logochron-spill-{getpid()}")
    connection = duckdb.connect(config={"temp_directory": spill, "autoinstall_known_extensions": False})
    connection.execute(
        # texts of mixed columns stay texts; zoned timestamps show in no zone of this machine
        "SET pandas_analyze_sample = 0; SET TimeZone = 'UTC'; "
        # in a notebook the engine would draw a bar of its own; what begins and ends a Parquet file is read once
        "SET enable_progress_bar = false; SET parquet_metadata_cache = true"
    )
    return connection


def waited(work: Callable[[], T], interrupt: Callable[[], Any] | None, progress: Progress | None) -> T:
    """What work gives that is done elsewhere: in a thread of its own, so that a signal reaches this one.

    Nobody knows how much of it is done: the progress stays at nothing, and is told again and again. `interrupt`: has
    the work given up; None where nothing can.
    """
    answer: Future[T] = Future()
    here = copy_context()  # which cluster is asked may lie there

    def carry_out() -> None:
        try:
            answer.set_result(here.run(work))
        except BaseException as error:
            answer.set_exception(error)

    threading.Thread(target=carry_out, daemon=True).start()  # what cannot be interrupted keeps nobody waiting
    try:
        while not wait([answer], timeout=_TICK).done:
            if progress:
                progress(0.0)
        return answer.result()
    except KeyboardInterrupt:
        if interrupt is not None:
            interrupt()
            wait([answer], timeout=_LAST_WAIT)
        raise


@contextmanager
def _refusals(name: str) -> Iterator[None]:
    """What the engine refuses becomes an IntakeError."""
    try:
        yield
    except duckdb.Error as error:
        misled = "Perfect hash aggregate" in str(error)  # of a file whose own statistics are wrong
        kind = UnsoundRecords if misled or isinstance(error, _UNSOUND) else IntakeError
        raise kind(Said("{0} cannot be read: {1}", name, first_line(error))) from error
