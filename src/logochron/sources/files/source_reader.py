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

#: Text files up to so many bytes are carried into a table where that is needed.
_MOST_CARRIED = 1 << 27


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
        return None if rolled is None or rolled.malformed else replace(rolled, files=files)

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
        return self._scan_text(self.named(self.unpacked(source)))

    def _scan_text(self, source: Source) -> RolledSource:
        """A text file scanned where it lies; carried into a table where labels stand once above their rows."""
        from logochron.sources.files.text_scan import scan_text

        fill_down = self.spec.stated.fill_down
        as_it_is = fill_down is False or source.path.stat().st_size > _MOST_CARRIED
        rolled = None
        if as_it_is or fill_down is None:
            rolled = scan_text(self.engine, source, self.spec, self.folder, as_it_is=as_it_is)
        if rolled is None:
            from logochron.sources.files.typed_files import scan_typed
            from logochron.sources.files.wide_tables import carry_text

            try:
                carried = carry_text(self.engine, source, self.folder, self.spec.stated, self.names)
                table = self._filled_down(source, carried)
                if table is not carried:
                    return scan_typed(self.engine, source, table, self.spec)
            except IntakeError:
                if fill_down is not None:
                    raise  # else told by the reading that knows which column holds dates
            rolled = scan_text(self.engine, source, self.spec, self.folder)
        assert rolled is not None
        return rolled

    def _filled_down(self, source: Source, table: TypedTable) -> TypedTable:
        """A table with the labels that stand once above their rows in each of them."""
        from logochron.sources.files.grouped_labels import filled_down

        by = [*self.spec.dimensions.values(), *(condition.column for condition in self.spec.conditions)]
        return filled_down(self.engine, source.name, table, self.spec.stated, by)

    @property
    def names(self) -> list[str]:
        """The wanted columns that the source itself has."""
        named = [(option, name) for option, name in self.spec.names() if name]
        return [name for option, name in named if not (self.wide and option in ("date", "values"))]

    def laid_out(self, source: Source) -> TypedTable:
        """A table as it is, or a wide one as one row a cell."""
        if not self.wide:
            table = self.typed(source)
            return self._filled_down(source, table) if source.kind in ("workbook", "frame") else table
        from logochron.sources.files.wide_tables import carry_text, lay_out

        if source.kind == "text":
            table = carry_text(self.engine, self.unpacked(source), self.folder, self.spec.stated, self.names)
        else:
            table = self.typed(source)
        table = self._filled_down(source, table)
        measures = list(dict.fromkeys(one.column for one in self.spec.summed if one.column)) or ["amount"]
        return lay_out(self.engine, source, table, measures, self.names, self.spec.standing)

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
