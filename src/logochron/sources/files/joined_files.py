"""Many files of one form scanned as one: a scan of each would take longer than what is in them."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import numpy as np

from logochron.core.days import Days
from logochron.core.errors import IntakeError
from logochron.core.said import Said
from logochron.options import Reading
from logochron.sources.duckdb.connection import Engine
from logochron.sources.duckdb.sql import quoted
from logochron.sources.files.find_files import Source, folder_keys, fresh

#: From so many files on they are joined; text only of files up to so many bytes, as it is copied.
MANY, _SMALL = 4, 1 << 22
_HEADER = 1 << 16
_MARK = b"\xef\xbb\xbf"


class JoinedFiles(NamedTuple):
    """Where the rows of joined files come from: the name of each, and the first of its lines among all.

    `before` is the number of lines that a file has before the first that was taken.
    """

    names: tuple[str, ...]
    first: Days
    before: int

    def place(self, line: int) -> tuple[str, int]:
        """The file of a line, and its line there."""
        file = int(np.searchsorted(self.first, line, side="right")) - 1
        return self.names[file], line - int(self.first[file]) + 1 + self.before


def grouped(sources: Sequence[Source], names: Sequence[str], stated: Reading, engine: Engine) -> list[list[Source]]:
    """The files, those that can be scanned as one together, in the order of the first of each."""
    kept: dict[object, list[Source]] = {}
    columns = _columns([source for source in sources if source.kind == "parquet"], engine)
    for i, source in enumerate(sources):
        form: object = i
        if source.kind == "text" and not source.packed and stated.header_row in (None, 1):
            form = _header(source, names) or i
        elif source.kind == "parquet":
            form = columns.get(str(source.path), i)
        kept.setdefault(form, []).append(source)
    groups = []
    for group in kept.values():
        groups += [group] if len(group) >= MANY else [[one] for one in group]
    return groups


def _header(source: Source, names: Sequence[str]) -> tuple[bytes, bool] | None:
    """The first line of a small file that names the wanted columns, and whether tabs part it."""
    with source.path.open("rb") as file:
        line = file.readline(_HEADER).removeprefix(_MARK)
    if not line.endswith(b"\n") or line.count(b'"') % 2 or source.path.stat().st_size > _SMALL:
        return None
    return (line, source.tabbed) if all(name.encode() in line for name in names) else None


def _columns(sources: Sequence[Source], engine: Engine) -> dict[str, tuple[object, ...]]:
    """For each Parquet file its columns with their types, and the keys of its folders; all asked for at once."""
    if len(sources) < MANY:
        return {}
    paths = ", ".join(quoted(str(source.path)) for source in sources)
    try:
        rows = engine.rows(
            "SELECT file_name, list((name, type, coalesce(logical_type, ''), coalesce(num_children, 0))) "
            f"FROM parquet_schema([{paths}]) GROUP BY file_name",
            "the files",
        )
    except IntakeError:
        return {}  # which of them is unsound shows when each is read
    return {str(name): (*map(str, columns), *folder_keys(Path(name))) for name, columns in rows}


def joined_name(sources: Sequence[Source]) -> str:
    """What messages call files that are scanned as one."""
    return Said("{0:,} files ({1} to {2})", len(sources), sources[0].name, sources[-1].name)


def join_text(sources: Sequence[Source], folder: Path) -> tuple[Source, JoinedFiles]:
    """One copy of text files that have the same first line."""
    target = fresh(folder, ".tsv" if sources[0].tabbed else ".csv")
    first, line = [], 2
    with target.open("wb") as joined:
        for i, source in enumerate(sources):
            header, _, body = source.path.read_bytes().partition(b"\n")
            if i == 0:
                joined.write(header + b"\n")
            if body and not body.endswith(b"\n"):
                body += b"\r\n" if header.endswith(b"\r") else b"\n"
            joined.write(body)
            first.append(line)
            line += body.count(b"\n")
    names = tuple(source.name for source in sources)
    return Source(target, "text", joined_name(sources)), JoinedFiles(names, np.array(first), 1)


def rows_of(engine: Engine, sources: Sequence[Source]) -> JoinedFiles:
    """Where the rows of Parquet files come from that are scanned as one, in their order."""
    paths = ", ".join(quoted(str(source.path)) for source in sources)
    lengths = dict(engine.rows(f"SELECT file_name, num_rows FROM parquet_file_metadata([{paths}])", "the files"))
    rows = np.array([lengths[str(source.path)] for source in sources], dtype=np.int64)
    first = np.concatenate([[0], np.cumsum(rows)[:-1]]) + 1
    return JoinedFiles(tuple(source.name for source in sources), first, 0)
