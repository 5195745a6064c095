"""Labels that stand once above their rows, as in merged cells and grouped exports: written into each row."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.errors import QuestionError, no_such
from logochron.core.said import Said
from logochron.core.total_labels import item_totalled
from logochron.options import Reading
from logochron.sources.duckdb.connection import Engine
from logochron.sources.files.headers import fold, may_be_grouped
from logochron.sources.files.typed_files import TypedTable, first_fields
from logochron.sources.values.amounts import is_amount
from logochron.sources.values.dates import names_a_day
from logochron.sources.values.labels import coded

#: So many blocks with blanks tell grouped labels.
_BLOCKS = 2
#: Larger tables are not laid out anew.
_MOST_ROWS = 3_000_000
_TEXTS = NDArray[np.object_]


def filled_down(engine: Engine, name: str, table: TypedTable, stated: Reading, by: Sequence[str]) -> TypedTable:
    """A table with the labels that stand once above their rows in each of them; as it is where none do.

    A column is filled down where its first cell is filled, and its labels each stand once, in one block of rows within
    the block of the column before it; two blocks with blanks at least. What calls itself a total ends no block.

    Parameters
    ----------
    by
        The columns of dimensions and filters: what is filled there is said.

    Raises
    ------
    QuestionError
        Where a column that is named has no blanks to fill, or is not there.
    """
    if stated.fill_down is False:
        return table
    named = () if stated.fill_down is None else stated.fill_down
    wanted = [named] if isinstance(named, str) else list(named)
    places = {fold(header): i for i, header in enumerate(table.header) if table.types[i].startswith("VARCHAR")}
    for column in wanted:
        if fold(column) not in places:
            raise QuestionError("`fill_down`: {0}", no_such("column of labels", column, table.header, where=name))
    if not wanted and not may_be_grouped(_first_texts(engine, table, name)):
        return table
    ((rows,),) = engine.rows(f"SELECT count(*) FROM {table.relation}", name)
    if rows > _MOST_ROWS:
        return table
    labels = [i for i in range(len(table.header)) if table.types[i].startswith("VARCHAR")]
    shown = ", ".join(f"coalesce({table.columns[i]}::VARCHAR, '') AS f{i}" for i in labels)
    blank = " AND ".join(f"coalesce(trim({column}::VARCHAR), '') = ''" for column in table.columns)
    arrays = engine.arrays(f"SELECT {shown}, {blank} AS blank FROM {table.relation}")
    rows_filled = ~arrays["blank"].astype(bool)
    columns = {i: arrays[f"f{i}"] for i in labels}
    filled = _filled({i: of[rows_filled] for i, of in columns.items()}, {places[fold(column)] for column in wanted})
    for i, of in filled.items():  # blank rows stay so
        columns[i] = columns[i].copy()
        columns[i][rows_filled] = of
    filled = {i: columns[i] for i in filled}
    if not filled:
        return table
    told = [table.header[i] for i in filled if fold(table.header[i]) in set(map(fold, (*by, *wanted)))]
    said = Said(
        "{0}: labels of column {1} that stand once above their rows are filled down", name, ", ".join(map(repr, told))
    )
    return _laid(engine, name, table, filled)._replace(
        guesses=(*table.guesses, *([f"{said} (fill_down=, --fill-down no)"] if told else []))
    )


def _first_texts(engine: Engine, table: TypedTable, name: str) -> list[tuple[str, ...]]:
    """The first fields of the columns of texts."""
    texts = [column for column, kind in zip(table.columns, table.types) if kind.startswith("VARCHAR")]
    return first_fields(engine, table, texts, name)


class _Blocks(NamedTuple):
    """The rows of a column of labels: the block of each, and the place of the row whose label holds there."""

    numbers: NDArray[np.int64]
    holders: NDArray[np.int64]


def _filled(columns: dict[int, _TEXTS], forced: set[int]) -> dict[int, _TEXTS]:
    """The columns that are to be filled, with their labels in each row."""
    total_at, is_total = _totals(columns)
    parents = np.zeros(len(total_at), dtype=np.int64)
    filled = {}
    for i, texts in columns.items():
        given = coded(texts).filled
        blocks = _blocks(given & ~is_total)
        if i in forced or _is_grouped(texts, given, is_total, parents, blocks):
            empty = ~given & (blocks.holders >= 0) & (~is_total | (i < total_at))
            laid = texts.copy()
            laid[empty] = texts[blocks.holders[empty]]
            filled[i] = laid
            parents = np.unique(np.stack([parents, blocks.numbers]), axis=1, return_inverse=True)[1].ravel()
    return filled


def _totals(columns: dict[int, _TEXTS]) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """The first column of each row that calls it a total, and whether one does."""
    size = len(next(iter(columns.values())))
    at = np.full(size, max(columns) + 1, dtype=np.int64)
    for i in reversed(columns):
        known, codes = coded(columns[i])
        says = np.array([item_totalled(text) is not None for text in known], dtype=bool)
        at[says[codes]] = i
    return at, at <= max(columns)


def _blocks(given: NDArray[np.bool_]) -> _Blocks:
    """A block begins with each filled cell."""
    numbers = np.cumsum(given)
    first = np.flatnonzero(given)
    holders = np.where(numbers > 0, first[numbers - 1] if len(first) else -1, -1)
    return _Blocks(numbers.astype(np.int64), holders.astype(np.int64))


def _is_grouped(
    texts: _TEXTS,
    given: NDArray[np.bool_],
    is_total: NDArray[np.bool_],
    parents: NDArray[np.int64],
    blocks: _Blocks,
) -> bool:
    """Whether blanks stand for the label above them."""
    rows = np.flatnonzero(~is_total)
    if not len(rows) or not given[rows[0]] or is_amount(str(texts[rows[0]])) or names_a_day(str(texts[rows[0]])):
        return False
    blank = ~given & ~is_total
    with_blanks = np.unique(blocks.numbers[blank])
    if not len(with_blanks):
        return False
    heads = np.flatnonzero(given & ~is_total)
    labels = coded(np.array([text.strip() for text in texts[heads]], dtype=object)).codes
    pairs = np.stack([parents[heads], labels])
    if np.unique(pairs, axis=1).shape[1] < len(heads) or (blank & (parents != parents[blocks.holders])).any():
        return False  # a label comes back, or a blank begins a block of the column before
    if len(with_blanks) >= _BLOCKS:
        return True
    # a single block, where a row calls itself the total of its label
    label = str(texts[blocks.holders[blank.argmax()]]).strip().casefold()
    totalled = {(item_totalled(str(text)) or "").casefold() for text in texts[is_total]}
    return label in totalled


def _laid(engine: Engine, name: str, table: TypedTable, filled: dict[int, _TEXTS]) -> TypedTable:
    """The table anew, some of its columns filled."""
    laid, place = engine.fresh_name("filled"), "place, " if table.placed else ""
    shown = ", ".join(
        f"down.f{i} AS c{i}" if i in filled else f"came.{column} AS c{i}" for i, column in enumerate(table.columns)
    )
    with engine.given({"down": {f"f{i}": texts for i, texts in filled.items()}}):
        came = table.placed or table.relation
        engine.run(f"CREATE TEMP TABLE {laid} AS SELECT {place}{shown} FROM {came} AS came POSITIONAL JOIN down", name)
    columns = [f"c{i}" for i in range(len(table.columns))]
    return table._replace(
        relation=f"(SELECT * EXCLUDE (place) FROM {laid})" if table.placed else laid,
        placed=laid if table.placed else "",
        columns=columns,
        days={},
        reach=None,
    )
