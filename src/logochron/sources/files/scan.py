"""Each source scanned by its kind, many files of one form as one."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import ExitStack
from dataclasses import replace
from functools import cached_property
from glob import has_magic
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from logochron.core.days import Days
from logochron.core.errors import IntakeError
from logochron.options import Reading
from logochron.sources.duckdb.connection import Engine
from logochron.sources.duckdb.sql import quoted
from logochron.sources.files.find_files import Source, folder_keys, fresh, plainly_named, steady
from logochron.sources.scanned import ReadingSpec, RolledSource

if TYPE_CHECKING:
    from logochron.sources.files.headers import SampleColumn
    from logochron.sources.files.typed_files import TypedTable

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
    for found in kept.values():
        groups += [found] if len(found) >= MANY else [[one] for one in found]
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
        found = engine.rows(
            "SELECT file_name, list((name, type, coalesce(logical_type, ''), coalesce(num_children, 0))) "
            f"FROM parquet_schema([{paths}]) GROUP BY file_name",
            "the files",
        )
    except IntakeError:
        return {}  # which of them is unsound shows when each is read
    return {str(name): (*map(str, columns), *folder_keys(Path(name))) for name, columns in found}


def joined_name(sources: Sequence[Source]) -> str:
    """What messages call files that are scanned as one."""
    return f"{len(sources):,} files ({sources[0].name} to {sources[-1].name})"


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
    found = dict(engine.rows(f"SELECT file_name, num_rows FROM parquet_file_metadata([{paths}])", "the files"))
    rows = np.array([found[str(source.path)] for source in sources], dtype=np.int64)
    first = np.concatenate([[0], np.cumsum(rows)[:-1]]) + 1
    return JoinedFiles(tuple(source.name for source in sources), first, 0)


class SourceReader:
    """Scans each source by its kind; copies of files live as long as it does, and code is loaded only if needed."""

    def __init__(self, engine: Engine, spec: ReadingSpec) -> None:
        self.engine, self.spec, self.wide = engine, spec, spec.wide
        self.open = ExitStack()
        self._unpacked: dict[Path, Source] = {}

    def __enter__(self) -> SourceReader:
        return self

    def __exit__(self, *_: object) -> None:
        self.open.close()

    @cached_property
    def folder(self) -> Path:
        """A folder for copies, made when the first is."""
        from tempfile import TemporaryDirectory

        return Path(self.open.enter_context(TemporaryDirectory(prefix="logochron-")))

    def named(self, source: Source) -> Source:
        """The source under a name that the engine takes as it is."""
        return plainly_named(source, self.folder) if has_magic(str(source.path)) else source

    def roll_up_all(self, sources: Sequence[Source]) -> list[RolledSource]:
        """All sources rolled up; many files of one form as one."""
        if self.wide or len(sources) < MANY:
            return [self.scan(source) for source in sources]
        names = [name for _, name in self.spec.names()]
        groups = grouped(list(map(self.named, sources)), names, self.spec.stated, self.engine)
        scans: list[RolledSource] = []
        for i, group in enumerate(groups):
            self.engine.span = i / len(groups), (i + 1) / len(groups)
            together = self._together(group) if len(group) > 1 else None
            scans += [self.scan(source) for source in group] if together is None else [together]
            self.engine.tell(1.0)
        return scans

    def _together(self, group: Sequence[Source]) -> RolledSource | None:
        """Files of one form scanned as one; None where one of them has to be looked at on its own."""
        if group[0].kind == "parquet":
            from logochron.sources.files.typed_files import parquet_table, scan_typed

            table = parquet_table(self.engine, group[0], [source.path for source in group])
            joined = group[0]._replace(name=joined_name(group))
            return scan_typed(self.engine, joined, table, self.spec, rows_of(self.engine, group))
        from logochron.sources.files.text_scan import scan_text

        joined, files = join_text(group, self.folder)
        try:
            found = scan_text(self.engine, joined, self.spec, self.folder)
        except IntakeError:
            return None
        return None if found.malformed else replace(found, files=files)

    def scan(self, source: Source) -> RolledSource:
        """One source rolled up."""
        with steady([source]):
            return self._scan(source)

    def _scan(self, source: Source) -> RolledSource:
        if source.kind == "pushdown":
            from logochron.sources.files.pushdown_scan import scan_pushdown

            return scan_pushdown(self.engine, source.frame, self.spec)
        if source.kind != "text" or self.wide:
            from logochron.sources.files.typed_files import scan_typed

            return scan_typed(self.engine, source, self.laid_out(source), self.spec)
        from logochron.sources.files.text_scan import scan_text

        return scan_text(self.engine, self.named(self.unpacked(source)), self.spec, self.folder)

    @property
    def names(self) -> list[str]:
        """The wanted columns that the source itself has."""
        named = [(option, name) for option, name in self.spec.names() if name]
        return [name for option, name in named if not (self.wide and option in ("date", "values"))]

    def laid_out(self, source: Source) -> TypedTable:
        """A table as it is, or a wide one as one row a cell."""
        if not self.wide:
            return self.typed(source)
        from logochron.sources.files.wide_tables import carry_text, lay_out

        if source.kind == "text":
            table = carry_text(self.engine, self.unpacked(source), self.folder, self.spec.stated, self.names)
        else:
            table = self.typed(source)
        measure = next((aggregate.column for aggregate in self.spec.summed if aggregate.column), "amount")
        return lay_out(
            self.engine, source, table, measure, self.names, self.spec.standing.records_of, self.spec.standing.calendar
        )

    def typed(self, source: Source) -> TypedTable:
        """A table whose columns have types, made known to the engine."""
        if source.kind == "frame":
            from logochron.sources.files.frames import frame_table

            amounts = [] if self.spec.empty_is_zero else [aggregate.column for aggregate in self.spec.summed]
            return frame_table(self.engine, source, amounts)
        if source.kind == "workbook":
            from logochron.sources.files.workbooks import carry_sheet

            return carry_sheet(self.engine, source, self.spec.stated, self.names, self.spec.date)
        if source.kind == "json":
            from logochron.sources.files.json_files import carry_json

            return carry_json(self.engine, self.unpacked(source))
        from logochron.sources.files.typed_files import parquet_table

        return parquet_table(self.engine, self.named(source))

    def sample(self, source: Source) -> list[SampleColumn]:
        """The columns of a source with their first fields."""
        from logochron.sources.files.headers import of_text, of_typed

        if source.kind == "pushdown":
            from logochron.sources.files.pushdown_scan import sample_pushdown

            return sample_pushdown(source.frame)
        with steady([source]):
            if source.kind != "text":
                return of_typed(self.engine, source, self.typed(source))
            from logochron.sources.files.text_prepare import prepare

            return of_text(prepare(self.unpacked(source), self.folder, self.spec.stated, self.names))

    def unpacked(self, source: Source) -> Source:
        """The source itself, or unpacked from its .gz, once."""
        if not source.packed:
            return source
        if source.path not in self._unpacked:
            from logochron.sources.files.text_prepare import unpacked

            self._unpacked[source.path] = unpacked(source, self.folder)
        return self._unpacked[source.path]


def sampled(engine: Engine, source: Source, stated: Reading) -> list[SampleColumn]:
    """The columns of a source with their first fields, before any is wanted."""
    with SourceReader(engine, ReadingSpec(stated=stated)) as scanner:
        return scanner.sample(source)
