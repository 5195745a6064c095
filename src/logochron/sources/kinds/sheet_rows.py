"""The rows of a sheet: at once, or cell by cell where a few cells lie far off."""

from __future__ import annotations

import re
import warnings
import zipfile
from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

from defusedxml import ElementTree

from logochron.core.errors import QuestionError
from logochron.sources.kinds.find_files import Source

SPREADSHEET = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"
_LINK = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}id"
_RUN, _END = 1 << 20, 1 << 16
#: A sheet is laid out whole up to so many cells, and past that where at least one in so many is filled.
_MOST_CELLS, _ONE_IN = 10_000_000, 10
#: So many columns are read of a sheet that is not laid out whole.
_MOST_COLUMNS = 1_024
_FILLED = re.compile(rb'<(?:\w+:)?c\b[^>]*?\br="([A-Z]{1,3})(\d+)"(?:[^>]*[^>/])?>')
_FAR_RIGHT = re.compile(rb'\br="([A-Z]{2,3})\d+"(?:[^>]*[^>/])?>')


class SheetRows(NamedTuple):
    """The rows of a sheet from its first, the column they start in, how many there are, and what to say of them."""

    rows: Iterator[Sequence[Any]]
    shift: int
    height: int
    said: list[str]


class _Reach(NamedTuple):
    """How many cells of a sheet are filled, about, its last filled row and its last filled column, from 1."""

    filled: int
    rows: int
    columns: int


class Sheets:
    """The sheets of a workbook. How far each reaches is found once, by going through it.

    Parameters
    ----------
    book
        The workbook, opened by the quick reader, which lays a sheet out whole: up to its last row and column.
    """

    def __init__(self, source: Source, book: Any) -> None:
        self.source, self.book = source, book
        self._reaches: dict[str, _Reach] = {}

    def rows(self, name: str) -> SheetRows:
        """The rows of a sheet, from its first again each time."""
        if name not in self._reaches:
            self._reaches[name] = _reach(self.source, name)
        reach = self._reaches[name]
        if reach.rows * reach.columns > max(_MOST_CELLS, _ONE_IN * reach.filled):
            return _cell_by_cell(self.source, name, reach)
        sheet = self.book.get_sheet_by_name(name)
        return SheetRows(sheet.iter_rows(), sheet.start[1] if sheet.start else 0, sheet.total_height, [])


def _cell_by_cell(source: Source, name: str, reach: _Reach) -> SheetRows:
    try:
        from openpyxl import load_workbook
    except ImportError:
        raise QuestionError(
            f"{source.name}, sheet {name!r}: a cell as far off as row {reach.rows:,}, column "
            f"{column_letters(reach.columns)}; such a sheet is read cell by cell, which needs openpyxl: pip install "
            "'logochron[sheets]', or delete what lies far off"
        ) from None

    said = []
    if reach.columns > _MOST_COLUMNS:
        said.append(
            f"{source.name}, sheet {name!r}: a cell as far off as column {column_letters(reach.columns)}: the first "
            f"{_MOST_COLUMNS:,} columns are read"
        )

    def rows() -> Iterator[Sequence[Any]]:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # of styles that it does not know
            book = load_workbook(source.path, read_only=True, data_only=True)
        try:
            sheet = book[name]
            sheet.reset_dimensions()  # they may say anything
            empty: Sequence[Any] = ()
            for row in sheet.iter_rows(max_col=min(reach.columns, _MOST_COLUMNS), values_only=True):
                if row is empty:  # the same for all rows of a gap
                    yield ()
                    continue
                end = len(row)
                while end and row[end - 1] is None:
                    end -= 1
                empty = empty if end else row
                yield row[:end]
        finally:
            book.close()

    return SheetRows(rows(), 0, reach.rows, said)


def _reach(source: Source, name: str) -> _Reach:
    filled = rows = columns = 0
    rest = b""
    with zipfile.ZipFile(source.path) as packed, packed.open(part_of(packed, name)) as file:
        while chunk := file.read(_RUN):
            text, mark, after = (rest + chunk).rpartition(b"<")
            rest = mark + after
            filled += text.count(b":c ") + text.count(b"<c ")
            ends = _FILLED.findall(text[:_END]) + (_FILLED.findall(text[-_END:]) or _FILLED.findall(text))
            if ends:
                rows = max(rows, int(ends[-1][1]))
            # a column of one letter that shows in neither end of a run adds little
            met = {letters for letters, _ in ends} | set(_FAR_RIGHT.findall(text))
            columns = max([columns, *(column_number(letters) + 1 for letters in met)])
    return _Reach(filled, rows, columns)


def part_of(packed: zipfile.ZipFile, sheet: str) -> str:
    """The part of a workbook that holds a sheet."""
    root = ElementTree.fromstring(packed.read("xl/workbook.xml"))
    links = ElementTree.fromstring(packed.read("xl/_rels/workbook.xml.rels"))
    link = next(s.get(_LINK) for s in root.iter(f"{SPREADSHEET}sheet") if s.get("name") == sheet)
    target = next(str(one.get("Target")) for one in links if one.get("Id") == link)
    return target.lstrip("/") if target.startswith("/") else f"xl/{target}"


def column_letters(number: int) -> str:
    """The letters of a column from its number, from 1.

    >>> column_letters(1), column_letters(28), column_letters(16384)
    ('A', 'AB', 'XFD')
    """
    letters = ""
    while number:
        number, letter = divmod(number - 1, 26)
        letters = chr(65 + letter) + letters
    return letters


def column_number(letters: bytes) -> int:
    """The number of a column from its letters, from 0.

    >>> column_number(b"A"), column_number(b"XFD")
    (0, 16383)
    """
    number = 0
    for letter in letters:
        number = number * 26 + letter - 64
    return number - 1
