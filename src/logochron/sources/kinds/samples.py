"""The columns of a source as its first rows show them."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from logochron.core.errors import IntakeError
from logochron.sources.engine.connection import Engine
from logochron.sources.kinds.find_files import Source
from logochron.sources.scanned import FIRST_ROWS

if TYPE_CHECKING:
    from logochron.sources.kinds.text_prepare import TextFile
    from logochron.sources.kinds.typed_files import TypedTable


class SampleColumn(NamedTuple):
    """A column as its first rows show it: the filled texts; `kind` is what its type says, or ``text``."""

    name: str
    texts: tuple[str, ...]
    kind: str = "text"


def of_text(text: TextFile) -> list[SampleColumn]:
    """The columns of a text file.

    Raises
    ------
    IntakeError
        Where no row has as many fields as the header.
    """
    if not text.sample and text.usual_fields != len(text.header):
        raise IntakeError(f"{text.source.name} has no row like its header{text.hint}")
    places = range(len(text.header))
    return [SampleColumn(text.header[i], tuple(f for f in text.column(i) if f.strip())) for i in places]


def of_typed(engine: Engine, source: Source, table: TypedTable) -> list[SampleColumn]:
    """The columns of a table with types."""
    from logochron.sources.kinds.typed_files import NUMBER

    texts = ", ".join(f"{column}::VARCHAR" for column in table.columns)
    rows = engine.rows(f"SELECT {texts} FROM {table.relation} LIMIT {FIRST_ROWS}", source.name)
    columns = []
    for name, kind, fields in zip(table.header, table.types, zip(*rows) if rows else [()] * len(table.header)):
        simple = "date" if kind.startswith(("DATE", "TIMESTAMP")) else "number" if NUMBER.fullmatch(kind) else "text"
        columns.append(SampleColumn(name, tuple(f for f in fields if f is not None and f.strip()), simple))
    return columns
