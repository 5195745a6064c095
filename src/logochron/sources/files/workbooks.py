"""A sheet of a workbook as rows of text: at once, or cell by cell where a few cells lie far off."""

from __future__ import annotations

import datetime as dt
import re
import warnings
import zipfile
from collections.abc import Iterator, Mapping, Sequence
from itertools import islice
from typing import Any, NamedTuple

from defusedxml import DefusedXmlException, ElementTree

from logochron.core.errors import IntakeError, QuestionError, instead, no_such
from logochron.core.said import Said
from logochron.options import Reading
from logochron.sources.duckdb.connection import Engine
from logochron.sources.files.find_files import Source
from logochron.sources.files.headers import (
    TOP,
    TwoHeaders,
    filled,
    find_header,
    fold,
    holds,
    joined_names,
    stated_lines,
    two_headers,
    unnamed,
)
from logochron.sources.files.typed_files import RowTable, TypedTable
from logochron.sources.values.dates import SERIAL_DAYS, SERIAL_EPOCH

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
            "{0}, sheet {1!r}: a cell as far off as row {2:,}, column {3}; such a sheet is read "
            "cell by cell, which needs openpyxl: pip install 'logochron[sheets]', or delete what "
            "lies far off",
            source.name,
            name,
            reach.rows,
            column_letters(reach.columns),
        ) from None

    said: list[str] = []
    if reach.columns > _MOST_COLUMNS:
        said.append(
            Said(
                "{0}, sheet {1!r}: a cell as far off as column {2}: the first {3:,} columns are read",
                source.name,
                name,
                column_letters(reach.columns),
                _MOST_COLUMNS,
            )
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


#: A packed workbook may not be more than so many times its size past this.
_MOST_UNPACKED, _MOST_TIMES = 1 << 28, 100
_ERROR = re.compile(rb'<(?:\w+:)?c\b([^>]*\bt="e"[^>]*)>(.*?)</(?:\w+:)?c>', re.DOTALL)
_FORMULA = re.compile(
    rb"<(?:\w+:)?c\b((?![^>]*\bt=\"str\")[^>]*)>\s*<(?:\w+:)?f\b[^>]*?(?:/>|>([^<]*)</(?:\w+:)?f>)\s*"
    rb"(?:<(?:\w+:)?v\s*/>|<(?:\w+:)?v>\s*</(?:\w+:)?v>)?\s*</(?:\w+:)?c>"
)
_UNKEPT = Said("a formula whose value is not kept: open the workbook, calculate and save it")


class _Odd(NamedTuple):
    """A cell that comes as empty although it is not: its text, and whether it is a formula without a value."""

    text: str
    is_formula: bool


def carry_sheet(engine: Engine, source: Source, stated: Reading, names: Sequence[str], date: str) -> TypedTable:
    """A sheet carried into a table of texts.

    Parameters
    ----------
    dialect
        Names the sheet; where it does not, the one sheet that holds anything, or the wanted columns.
    names, date
        The wanted columns, and which of them holds the dates.

    Raises
    ------
    IntakeError
        Where the file is no workbook, or several sheets may be meant.
    QuestionError
        Where there is no such sheet.
    """
    from python_calamine import CalamineError, CalamineWorkbook

    _check_size(source)
    try:
        book = CalamineWorkbook.from_path(str(source.path))
        sheets = Sheets(source, book)
        chosen, guesses = _chosen(source, sheets, stated.sheet, names)
        sheet = sheets.rows(chosen)
        odd = _odd_cells(source, chosen)
        texts = (_texts(row, odd.get(number, {}), sheet.shift) for number, row in enumerate(sheet.rows, 1))
        flaws: dict[tuple[int, int], str] = {
            (row, column - sheet.shift): _UNKEPT
            for row, of in odd.items()
            for column, cell in of.items()
            if cell.is_formula
        }
        guesses += sheet.said
        return _laid(engine, source, chosen, texts, stated, names, date, guesses, _epoch(source), sheet.height, flaws)
    except (CalamineError, zipfile.BadZipFile, ElementTree.ParseError, DefusedXmlException, KeyError) as error:
        raise IntakeError("{0} is no workbook that can be read: {1}", source.name, error) from None


def _check_size(source: Source) -> None:
    try:
        with zipfile.ZipFile(source.path) as packed:
            size = sum(part.file_size for part in packed.infolist())
    except zipfile.BadZipFile:
        raise IntakeError("{0} is no workbook (.xlsx): by its bytes it is something else", source.name) from None
    if size > max(_MOST_UNPACKED, _MOST_TIMES * source.path.stat().st_size):
        raise IntakeError(
            "{0} unpacks to {1:,} MB, over {2} times its size: hardly a workbook; save it as .csv if it is one",
            source.name,
            size >> 20,
            _MOST_TIMES,
        )


def _chosen(source: Source, sheets: Sheets, sheet: str | None, names: Sequence[str]) -> tuple[str, list[str]]:
    """The name of the sheet to read, and what was recognised."""
    from python_calamine import SheetVisibleEnum

    book = sheets.book
    if sheet is not None:
        if sheet not in book.sheet_names:
            raise QuestionError(
                "`sheet`: {0}",
                no_such("sheet", sheet, book.sheet_names, where=source.name),
                remedies=instead(sheet, book.sheet_names),
            )
        return sheet, []
    shown = [meta.name for meta in book.sheets_metadata if meta.visible == SheetVisibleEnum.Visible]
    tops = {}
    for name in shown:
        top = [_texts(row, {}, 0) for row in islice(sheets.rows(name).rows, TOP)]
        if any(map(filled, top)):
            tops[name] = top
    if not tops:
        raise IntakeError("{0} has no sheet with anything in it", source.name)
    fitting = [name for name, top in tops.items() if holds(top[find_header(top, names)], names)]
    chosen = fitting if names and fitting else list(tops)
    if len(chosen) > 1:
        raise QuestionError(
            "{0} has several sheets that may be meant: {1}; name one by sheet= (--sheet)",
            source.name,
            ", ".join(chosen),
            remedies=[{"sheet": name} for name in chosen],
        )
    return chosen[0], [Said("{0}: sheet {1!r} read", source.name, chosen[0])] if len(book.sheet_names) > 1 else []


def _text(cell: Any) -> str:
    if isinstance(cell, str):
        return cell
    if cell is None:
        return ""
    if isinstance(cell, bool):
        return str(cell).upper()
    if isinstance(cell, float):
        # a spreadsheet shows and means fifteen digits
        return str(int(cell)) if cell.is_integer() and abs(cell) < 1e15 else f"{cell:.15g}"
    if isinstance(cell, dt.datetime):
        return cell.isoformat(" ") if cell.time() != dt.time() else cell.date().isoformat()
    return cell.isoformat() if isinstance(cell, (dt.date, dt.time)) else str(cell)


def _texts(row: Sequence[Any], odd: Mapping[int, _Odd], shift: int) -> list[str]:
    texts = [_text(cell) for cell in row]
    for column, cell in odd.items():
        texts += [""] * (column - shift + 1 - len(texts))  # what comes as empty may have been cut off
        texts[column - shift] = cell.text
    return texts


def _epoch(source: Source) -> int:
    """The serial number of 1 January 1970 in this workbook."""
    with zipfile.ZipFile(source.path) as packed:
        root = ElementTree.fromstring(packed.read("xl/workbook.xml"))
    settings = root.find(f"{SPREADSHEET}workbookPr")
    since_1904 = settings is not None and settings.get("date1904") in ("1", "true")
    return SERIAL_EPOCH - 1462 if since_1904 else SERIAL_EPOCH


def _odd_cells(source: Source, sheet: str) -> dict[int, dict[int, _Odd]]:
    """Cells that come as empty although they are not: errors, formulas without a value; by row and column."""
    with zipfile.ZipFile(source.path) as packed:
        cells: dict[int, dict[int, _Odd]] = {}
        with packed.open(part_of(packed, sheet)) as file:
            for attributes, text, is_formula in _odd_in(file):
                place = re.search(rb'\br="([A-Z]+)(\d+)"', attributes)
                if place:
                    cell = place[0].decode()[3:-1]
                    cells.setdefault(int(place[2]), {})[column_number(place[1])] = _Odd(
                        Said("{0} (cell {1})", text, cell), is_formula
                    )
    return cells


def _odd_in(file: Any) -> Iterator[tuple[bytes, str, bool]]:
    rest = b""
    while chunk := file.read(_RUN):
        rows, mark, after = (rest + chunk).rpartition(b"<row")
        yield from _odd_of(rows)
        rest = mark + after
    yield from _odd_of(rest)


def _odd_of(text: bytes) -> Iterator[tuple[bytes, str, bool]]:
    if b't="e"' in text:
        for match in _ERROR.finditer(text):
            yield (
                match[1],
                re.sub(rb"<[^>]*>", b"", re.sub(rb"<(?:\w+:)?f\b.*?</(?:\w+:)?f>", b"", match[2])).decode(),
                False,
            )
    if b"<f" in text or b":f" in text:
        for match in _FORMULA.finditer(text):
            yield match[1], "=" + (match[2] or b"...").decode("utf-8", "replace"), True


def _laid(
    engine: Engine,
    source: Source,
    sheet: str,
    rows: Iterator[list[str]],
    stated: Reading,
    names: Sequence[str],
    date: str,
    guesses: list[str],
    epoch: int,
    height: int,
    flaws: dict[tuple[int, int], str],
) -> TypedTable:
    top = list(islice(rows, TOP))
    if not any(map(filled, top)):
        raise IntakeError("{0}, sheet {1!r}: it holds nothing in its first {2} rows", source.name, sheet, TOP)
    lines = stated_lines(stated.header_row)
    at = lines[0] - 1 if lines else find_header(top, names)
    if lines and lines[-1] > len(top):
        raise QuestionError("`header_row`: {0} has no row {1} among its first {2}", source.name, lines[-1], len(top))
    both = None if lines else two_headers(top, at)
    if len(lines) > 1:
        both = TwoHeaders(at, joined_names(top[at], top[at + 1]))
    if both is not None:
        at = both.at + 1
        top[at] = both.names
        guesses.append(
            Said(
                "{0}: headers taken from rows {1} and {2} (header_row=({1}, {2}), --header-row {1},{2})",
                source.name,
                at,
                at + 1,
            )
        )
    elif not lines and at > next(i for i, row in enumerate(top) if filled(row)):
        guesses.append(Said("{0}: header taken from row {1} (header_row= states it)", source.name, at + 1))
    named = list(top[at]) if at >= 0 else list(unnamed(len(top[0])))
    # columns past the last that has a name are not wanted of anybody
    header = named[: max((place for place, name in enumerate(named, 1) if name.strip()), default=0)]
    table = RowTable(engine, engine.fresh_name("sheet"), "row", height, header=header, flaws=flaws)
    dates = next((i for i, name in enumerate(header) if name == date or fold(name) == fold(date)), -1)
    serial = ""
    for number, row in enumerate((*top[at + 1 :], *rows), at + 2):
        if not filled(row):
            table.blank += 1
            continue
        if dates >= 0 and re.fullmatch(r"\d{5}(\.\d+)?", row[dates]):
            day = int(float(row[dates]))
            if SERIAL_DAYS[0] <= day <= SERIAL_DAYS[1]:
                serial = serial or row[dates]
                row[dates] = (dt.date(1970, 1, 1) + dt.timedelta(day - epoch)).isoformat()
        table.done = number
        table.add(number, row)
    if serial:
        guesses.append(
            Said("{0}: numbers such as {1} in column {2!r} read as days of a spreadsheet", source.name, serial, date)
        )
    return table.table(guesses)
