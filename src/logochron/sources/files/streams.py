"""What is there only for a while: standard input and pipes copied, addresses fetched, databases opened."""

from __future__ import annotations

import os
import shutil
import stat
import sys
import time
from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager, nullcontext
from io import FileIO
from pathlib import Path, PurePosixPath
from tempfile import TemporaryDirectory
from typing import Any, BinaryIO
from urllib.parse import urlsplit

from logochron.core.errors import IntakeError, LogochronError, QuestionError, first_line, visible
from logochron.core.said import Said
from logochron.sources.duckdb.connection import Progress, waited
from logochron.sources.files.find_files import (
    ENDINGS,
    Source,
    fresh,
    is_frame,
    keyed_folders,
    kind_of,
    listed,
    mode_of,
    of_the_data,
)
from logochron.sources.pushdown.database_address import address_of, is_address, is_database

_AT_ONCE = 1 << 22


def shown_address(address: str) -> str:
    """An address as messages may show it: without a user, a password or what follows a question mark."""
    parts = urlsplit(address)
    return f"{parts.scheme}://{parts.netloc.rpartition('@')[2]}{parts.path}"


def fetched(address: str, folder: Path, progress: Progress | None) -> list[Source]:
    """The files at an address, which may be a glob or a folder of Parquet files, copied into a folder.

    Raises
    ------
    QuestionError
        Where fsspec or what it needs for the address is not installed, or nothing is there.
    IntakeError
        Where the files cannot be fetched, or change meanwhile.
    """
    name = shown_address(address)
    try:
        import fsspec
    except ModuleNotFoundError:
        raise QuestionError("{0}: addresses need fsspec: pip install fsspec", name) from None
    try:
        files, paths = fsspec.core.url_to_fs(address)
        names = waited(lambda: _names_at(files, paths), lambda: None, progress)
        if not names:
            raise QuestionError("nothing is at {0}", name)
        sizes = [int(files.info(path).get("size") or 0) for path in names]
        return [_copied(files, path, folder, name, done, progress) for path, done in zip(names, _parts(sizes))]
    except LogochronError:
        raise
    except (ImportError, ValueError) as error:
        raise QuestionError("{0}: {1}", name, _said(error, address)) from None
    except FileNotFoundError:
        raise QuestionError("nothing is at {0}", name) from None
    except Exception as error:  # each kind of store has errors of its own
        raise IntakeError("{0} cannot be fetched: {1}", name, _said(error, address)) from None


def _names_at(files: Any, path: str) -> list[str]:
    """The paths that are meant: one, those that match, or the Parquet files of a folder."""
    if any(sign in path for sign in "*?["):
        return sorted(str(one) for one in files.glob(path))
    if kind_of(Path(urlsplit(path).path)) is None and files.isdir(path):
        names = sorted(str(one) for one in files.glob(path.rstrip("/") + "/**/*.parquet"))
        return [one for one in names if all(map(of_the_data, PurePosixPath(one).relative_to(path.rstrip("/")).parts))]
    return [path]


def _parts(sizes: Sequence[int]) -> list[tuple[float, float]]:
    """For each file which part of all is there before it, and with it."""
    total, done = max(sum(sizes), 1), 0
    parts = []
    for size in sizes:
        parts.append((done / total, (done + size) / total))
        done += size
    return parts


def _copied(
    files: Any, path: str, folder: Path, address: str, done: tuple[float, float], progress: Progress | None
) -> Source:
    """A copy of a file, under its own folders, as their names may make columns."""
    plain = PurePosixPath(urlsplit(path).path if "://" in path else path)
    scheme = urlsplit(address).scheme
    name = shown_address(path) if "://" in path else f"{scheme}://{path if scheme == 'file' else path.lstrip('/')}"
    kind = kind_of(Path(plain.name))
    if kind is None:
        raise QuestionError("{0} has an unknown ending; known are {1}", name, ", ".join(ENDINGS))
    target = folder.joinpath(
        str(len(list(folder.iterdir()))), *keyed_folders(plain), plain.name.replace("[", "_").replace("*", "_")
    )
    target.parent.mkdir(parents=True)
    before = files.info(path)

    def copy() -> None:
        with files.open(path, "rb") as there, target.open("wb") as here:
            shutil.copyfileobj(there, here, _AT_ONCE)

    waited(copy, lambda: None, None if progress is None else lambda _: progress(done[0]))
    after, size = files.info(path), target.stat().st_size
    state = {key: before.get(key) for key in ("size", "ETag", "mtime", "LastModified")}
    if state != {key: after.get(key) for key in state} or before.get("size") not in (None, size):
        raise IntakeError("{0} changed while it was fetched: read it again once nothing writes to it", name)
    if progress is not None:
        progress(done[1])
    return Source(target, kind, name)


def _said(error: Exception, address: str) -> str:
    """The first line of an error, without what the address keeps to itself."""
    parts = urlsplit(address)
    said = first_line(error).replace(address, shown_address(address))
    for secret in (parts.password, parts.query):
        said = said.replace(secret, "...") if secret else said
    return said[:300]


_SHOWN = 20
#: How long a pipe is waited for that nobody writes into, in seconds; how much is copied at once, in bytes.
_PATIENCE, _CHUNK = 5.0, 1 << 20
#: What standard input is called.
STANDARD_INPUT = "standard input"
_ITS_NAMES = ("-", "/dev/stdin", "/dev/fd/0", "/proc/self/fd/0")


@contextmanager
def lasting(
    source: Any,
    table: str | None = None,
    query: str | None = None,
    progress: Progress | None = None,
    most: int | None = None,
) -> Iterator[Any]:
    """The source, with standard input (``-``) and pipes in it copied, addresses fetched and databases opened.

    Standard input and pipes are taken for text such as .csv, of `most` bytes at most where that is given. Of a
    database `table` or `query` is read.

    Raises
    ------
    QuestionError
        Where a pipe is called like another kind of file, standard input is named twice, or a database is not there.
    IntakeError
        Where a database cannot be reached.
    """
    if is_address(source) or (isinstance(source, (list, tuple)) and any(map(is_address, source))):
        addresses = [one for one in listed(source) if is_address(one)]
        rest = [one for one in listed(source) if not is_address(one)]
        with ExitStack() as open_, copied(rest, most) if rest else nullcontext(rest) as others:
            yield [*others, *(copy for one in addresses for copy in _at(open_, one, table, query, progress))]
        return
    opened = isinstance(source, Source) or (isinstance(source, list) and any(isinstance(one, Source) for one in source))
    if (table is not None or query is not None) and not opened:
        raise QuestionError(
            "`{0}` is of a database: give its address, such as "
            "postgresql+psycopg://USER@HOST/NAME or sqlite:///sales.db",
            ("query" if table is None else "table"),
        )
    with copied(source, most) as given:
        yield given


def _at(
    open_: ExitStack, address: str, table: str | None, query: str | None, progress: Progress | None
) -> list[Source]:
    """What is at an address: a database opened, or files fetched."""
    if is_database(address) or table is not None or query is not None:
        return [_database(open_, address, table, query, progress)]
    from logochron.sources.files.streams import fetched

    return fetched(address, Path(open_.enter_context(TemporaryDirectory(prefix="logochron-"))), progress)


def _database(open_: ExitStack, text: str, table: str | None, query: str | None, progress: Progress | None) -> Source:
    """A database opened."""
    address = address_of(text)
    from logochron.sources.pushdown.database import opened, tables_of

    if (table is None) == (query is None):
        tables = tables_of(address) if table is None else []
        known = ", ".join(tables[:_SHOWN])
        raise QuestionError(
            "{0}: name one of `table` (--table) and `query` (--query){1}",
            address.name,
            (Said("; it has {0}", known) if known else ""),
            remedies=[{"table": name} for name in tables],
        )
    database = open_.enter_context(opened(address, table, query, progress))
    return Source(Path(), "pushdown", database.name, database)


@contextmanager
def copied(source: Any, most: int | None = None) -> Iterator[Any]:
    """The source, with standard input and pipes in it copied to files that live as long as this."""
    several = isinstance(source, (list, tuple))
    if is_frame(source) or (several and any(map(is_frame, source))):
        yield source
        return
    named = listed(source)
    streams = [one for one in named if _is_stream(one)]
    if not streams:
        yield source
        return
    if sum(is_standard_input(one) for one in streams) > 1:
        raise QuestionError("{0} is named twice: its rows would count twice", STANDARD_INPUT)
    with TemporaryDirectory(prefix="logochron-") as folder:
        yield [_copy(one, Path(folder), most) if one in streams else one for one in named]


def is_standard_input(named: object) -> bool:
    """Whether a path means standard input."""
    return isinstance(named, (str, os.PathLike)) and os.fspath(named) in _ITS_NAMES


def _is_stream(named: Any) -> bool:
    if isinstance(named, Source):
        return False
    return is_standard_input(named) or stat.S_ISFIFO(mode_of(Path(named)))


def _copy(named: Any, folder: Path, most: int | None) -> Source:
    if is_standard_input(named):
        stream: BinaryIO | None = getattr(sys.stdin, "buffer", None)  # nothing where it is closed
        if stream is None or stream.closed:
            raise QuestionError("{0} is closed", STANDARD_INPUT)
        return _carried(stream, STANDARD_INPUT, ".csv", folder, most)
    path, name = Path(named), visible(os.fspath(named))
    if kind_of(path) not in ("text", None) or path.suffix.lower() == ".gz":
        raise QuestionError("{0} is a pipe, and only text such as .csv is read from one: copy it to a file first", name)
    with os.fdopen(os.open(path, os.O_RDONLY | os.O_NONBLOCK), "rb", buffering=0) as file:
        first = _first_bytes(file, name)
        return _carried(file, name, ".tsv" if path.suffix.lower() == ".tsv" else ".csv", folder, most, first)


def _first_bytes(pipe: FileIO, name: str) -> bytes:
    """What a pipe begins with, refused where nobody comes to write into it; it is waited for from there on."""
    until = time.monotonic() + _PATIENCE
    first = pipe.read(_CHUNK)
    while first == b"":  # nobody has it open to write; None: somebody has, and has not begun
        if time.monotonic() > until:
            raise IntakeError("{0} is a pipe that nobody writes into: nothing came in {1:g} seconds", name, _PATIENCE)
        time.sleep(0.05)
        first = pipe.read(_CHUNK)
    os.set_blocking(pipe.fileno(), True)
    return first or b""


def _carried(
    file: BinaryIO | FileIO, name: str, ending: str, folder: Path, most: int | None, first: bytes = b""
) -> Source:
    target = fresh(folder, ending)
    try:
        with target.open("wb") as copy:
            size = copy.write(first)
            while piece := file.read(_CHUNK):
                size += copy.write(piece)
                if most is not None and size > most:
                    raise IntakeError("{0} holds more than {1:,} bytes, which no table of this kind does", name, most)
    except OSError as error:
        raise IntakeError("{0} cannot be copied to {1}: {2}", name, folder.parent, error.strerror or error) from None
    return Source(target, "text", name)
