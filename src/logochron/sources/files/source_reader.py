"""Each source scanned by its kind, many files of one form as one."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import ExitStack
from dataclasses import replace
from functools import cached_property
from glob import has_magic
from pathlib import Path
from typing import TYPE_CHECKING

from logochron.core.errors import IntakeError
from logochron.options import Reading
from logochron.sources.duckdb.connection import Engine
from logochron.sources.files.find_files import Source, plainly_named, steady
from logochron.sources.rolled_source import ReadingSpec, RolledSource

if TYPE_CHECKING:
    from logochron.sources.files.headers import SampleColumn
    from logochron.sources.files.typed_files import TypedTable
from logochron.sources.files.joined_files import MANY, grouped, join_text, joined_name, rows_of


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
            rolled = scan_text(self.engine, joined, self.spec, self.folder)
        except IntakeError:
            return None
        return None if rolled.malformed else replace(rolled, files=files)

    def scan(self, source: Source) -> RolledSource:
        """One source rolled up."""
        with steady([source]):
            return self._scan(source)

    def _scan(self, source: Source) -> RolledSource:
        if source.kind == "pushdown":
            from logochron.sources.files.pushdown_source import scan_pushdown

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
        if source.kind == "pushdown":
            from logochron.sources.files.pushdown_source import sample_pushdown

            return sample_pushdown(source.frame)
        with steady([source]):
            if source.kind != "text":
                from logochron.sources.files.typed_files import sample_of_table

                return sample_of_table(self.engine, source, self.typed(source))
            from logochron.sources.files.text_prepare import prepare, sample_of_text

            return sample_of_text(prepare(self.unpacked(source), self.folder, self.spec.stated, self.names))

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
