"""Results to files, by their ending: whole or not at all."""

from __future__ import annotations

import errno
import os
import stat
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np

from logochron.core.check_kinds import kinds_checked
from logochron.core.errors import OutputError, QuestionError, no_file_name, shown_path
from logochron.core.rows.columns import kind_of
from logochron.core.rows.result import Result
from logochron.views.formats import Formats
from logochron.views.tables.markdown import markdown

#: How the engine writes each form that machines read.
_COPIES = {
    "csv": "FORMAT csv, HEADER true",
    "json": "FORMAT json, ARRAY true",
    "jsonl": "FORMAT json, ARRAY false",
    "parquet": "FORMAT parquet",
}
TABLE_ENDINGS = (*(f".{form}" for form in _COPIES), ".md")
PICTURE_ENDINGS = (".png", ".svg", ".pdf")


@kinds_checked
def write(
    result: Result,
    path: str | Path,
    *,
    formats: Formats | None = None,
    figure: Callable[[], Any] | None = None,
) -> Path:
    """Write a result to a file, by its ending.

    Parameters
    ----------
    figure
        Draws the figure for .png, .svg and .pdf; the columns of the total where None.

    Raises
    ------
    QuestionError
        Where the ending is unknown or no file can be written there.
    OutputError
        Where it cannot be written to the end: a full disk, a limit. Nothing is left of it then.
    """
    path = Path(path)
    ending = check_ending(path)
    if ending in PICTURE_ENDINGS:
        if figure is None:
            from logochron.views import draw

            drawn = draw.figure(result)
        else:
            drawn = figure()
        from logochron.views.figures.to_matplotlib import saved

        picture = saved(drawn, ending[1:])
        with whole_file(path) as target:
            target.write_bytes(picture)
        return path
    with whole_file(path) as target:
        if ending == ".md":
            target.write_text(markdown(result, formats or Formats()), encoding="utf-8")
        else:
            _copy(result, target, ending[1:])
    return path


def check_ending(path: Path) -> str:
    """The ending of a path that can be written."""
    ending = path.suffix.lower()
    if ending not in TABLE_ENDINGS + PICTURE_ENDINGS:
        known = ", ".join(TABLE_ENDINGS + PICTURE_ENDINGS)
        raise QuestionError(f"{path} has an ending that cannot be written; known are {known}")
    return ending


@contextmanager
def whole_file(path: Path) -> Iterator[Path]:
    """A file beside `path` to write to, put in its place when all went well.

    Raises
    ------
    QuestionError
        Where no file can stand there.
    OutputError
        Where it cannot be written to the end. Nothing is left of it then.
    """
    place = ordinary(path)
    try:
        handle, name = tempfile.mkstemp(dir=place.parent, prefix=".logochron-", suffix=place.suffix)
        os.close(handle)
    except OSError as error:
        raise _unwritten(path, error) from None
    beside = Path(name)
    try:
        yield beside
        mode = place.stat().st_mode if place.exists() else 0o666 & ~_umask()
        beside.chmod(mode & 0o777)
        beside.replace(place)
    except OSError as error:
        raise _unwritten(path, error) from None
    finally:
        beside.unlink(missing_ok=True)


def ordinary(path: Path) -> Path:
    """Where a file is to be written, links followed.

    Raises
    ------
    QuestionError
        Where no ordinary file can stand there.
    """
    try:
        place = path.resolve()
        mode = place.stat().st_mode if place.exists() else 0
        if not place.parent.is_dir():
            raise FileNotFoundError(errno.ENOENT, f"there is no directory {path.parent}")
        if stat.S_ISDIR(mode):
            raise IsADirectoryError(errno.EISDIR, "it is a directory")
        if mode and not stat.S_ISREG(mode):
            raise OSError(errno.EINVAL, "it is no ordinary file")
        if mode and not os.access(place, os.W_OK):
            raise PermissionError(errno.EACCES, "it is write-protected")
        if not os.access(place.parent, os.W_OK | os.X_OK):
            raise PermissionError(errno.EACCES, f"nothing may be written in {place.parent}")
    except OSError as error:
        raise _unwritten(path, error) from None
    except RuntimeError:  # links that lead to each other
        raise _unwritten(path, OSError(errno.ELOOP, os.strerror(errno.ELOOP))) from None
    except ValueError:
        raise no_file_name(path) from None
    return place


#: What is wrong with the place, not with the writing.
_OF_THE_PLACE = (
    *(errno.EACCES, errno.EPERM, errno.ENOENT, errno.ENOTDIR, errno.EISDIR, errno.ELOOP, errno.ENAMETOOLONG),
    *(errno.EROFS, errno.EINVAL),
)


def _unwritten(path: Path, error: OSError) -> QuestionError:
    kind = QuestionError if error.errno in _OF_THE_PLACE else OutputError
    return kind(f"{shown_path(path)} cannot be written: {error.strerror or error}")


@contextmanager
def _as_system_error() -> Iterator[None]:
    """What keeps the engine from writing, as the system says it."""
    import duckdb

    try:
        yield
    except duckdb.Error as error:
        told = str(error).splitlines()[0]
        known = next((n for n in (errno.ENOSPC, errno.EFBIG, errno.EDQUOT, errno.EIO) if os.strerror(n) in told), 0)
        raise OSError(known, os.strerror(known) if known else told) from None


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def text_of(result: Result, form: str, formats: Formats) -> str:
    """A result as text for standard output: csv, json, jsonl or md."""
    if form == "md":
        return markdown(result, formats)
    with tempfile.TemporaryDirectory(prefix="logochron-") as folder:
        target = Path(folder) / f"table.{form}"
        try:
            _copy(result, target, form)
            return target.read_text(encoding="utf-8")
        except OSError as error:
            raise _unwritten(target, error) from None


#: The engine's type of each kind of column.
_CASTS = {
    **{"day": "DATE", "days": "BIGINT", "count": "BIGINT", "truth": "BOOLEAN"},
    **dict.fromkeys(("amount", "part", "change"), "DOUBLE"),
}


def _copy(result: Result, target: Path, form: str) -> None:
    """The table's columns through the engine: no figure is formatted, none is rounded."""
    import duckdb

    fields, arrays = [], {}
    for place, name in enumerate(result.columns):
        key, kind = f"c{place}", kind_of(result.kind, name)
        cast = _CASTS.get(kind, "VARCHAR")
        if kind == "period" and result.periods:
            labels = np.array([*result.periods, None], dtype=object)  # never empty: its type stays text
            values = labels[result.columns[name]]
        elif cast == "VARCHAR":
            values = result.texts(result.columns, name)
        else:
            values = result.columns[name]
            if kind == "truth":
                values = np.where(values < 0, np.nan, values)
            elif kind == "day":
                values = values.astype("datetime64[us]")
        arrays[key] = np.ascontiguousarray(values)
        clean = f"CASE WHEN isnan({key}) THEN NULL ELSE {key} END" if values.dtype.kind == "f" else key
        quoted = name.replace('"', '""')
        fields.append(f'CAST({clean} AS {cast}) AS "{quoted}"')
    with duckdb.connect() as connection:
        connection.register("answer", arrays)
        place_text = str(target).replace("'", "''")
        with _as_system_error():
            connection.execute(f"COPY (SELECT {', '.join(fields)} FROM answer) TO '{place_text}' ({_COPIES[form]})")
