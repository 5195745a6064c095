"""What can be read only once, standard input or a pipe, copied to a file for as long as it is needed."""

from __future__ import annotations

import os
import shutil
import stat
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, BinaryIO

from logochron.core.errors import IntakeError, QuestionError, visible
from logochron.sources.kinds.find_files import Source, fresh, is_frame, kind_of, listed, mode_of

#: What standard input is called.
STANDARD_INPUT = "standard input"
_ITS_NAMES = ("-", "/dev/stdin", "/dev/fd/0", "/proc/self/fd/0")


@contextmanager
def copied(source: Any) -> Iterator[Any]:
    """The source, with standard input (``-``) and pipes in it copied to files that live as long as this.

    Both are taken for text such as .csv.

    Raises
    ------
    QuestionError
        Where a pipe is called like another kind of file, or standard input is named twice.
    """
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
        raise QuestionError(f"{STANDARD_INPUT} is named twice: its rows would count twice")
    with TemporaryDirectory(prefix="logochron-") as folder:
        yield [_copy(one, Path(folder)) if one in streams else one for one in named]


def is_standard_input(named: object) -> bool:
    """Whether a path means standard input."""
    return isinstance(named, (str, os.PathLike)) and os.fspath(named) in _ITS_NAMES


def _is_stream(named: Any) -> bool:
    if isinstance(named, Source):
        return False
    return is_standard_input(named) or stat.S_ISFIFO(mode_of(Path(named)))


def _copy(named: Any, folder: Path) -> Source:
    if is_standard_input(named):
        stream: BinaryIO | None = getattr(sys.stdin, "buffer", None)  # nothing where it is closed
        if stream is None or stream.closed:
            raise QuestionError(f"{STANDARD_INPUT} is closed")
        return _carried(stream, STANDARD_INPUT, ".csv", folder)
    path, name = Path(named), visible(os.fspath(named))
    if kind_of(path) not in ("text", None) or path.suffix.lower() == ".gz":
        raise QuestionError(f"{name} is a pipe, and only text such as .csv is read from one: copy it to a file first")
    with path.open("rb") as file:
        return _carried(file, name, ".tsv" if path.suffix.lower() == ".tsv" else ".csv", folder)


def _carried(file: BinaryIO, name: str, ending: str, folder: Path) -> Source:
    target = fresh(folder, ending)
    try:
        with target.open("wb") as copy:
            shutil.copyfileobj(file, copy)
    except OSError as error:
        raise IntakeError(f"{name} cannot be copied to {folder.parent}: {error.strerror or error}") from None
    return Source(target, "text", name)
