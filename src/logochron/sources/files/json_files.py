"""Records of a JSON file as rows of text: an object a line, or an array of objects."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from typing import Any

from logochron.core.errors import IntakeError
from logochron.core.said import Said
from logochron.sources.duckdb.connection import Engine
from logochron.sources.files.find_files import Source
from logochron.sources.files.text_prepare import encoding_of
from logochron.sources.files.typed_files import RowTable, TypedTable

_CHUNK, _START = 1 << 16, 1 << 20
#: The largest object, in characters, that is read in one piece.
_MOST = 1 << 26
_ENDS = re.compile(r"[^\n\]]*[\n\]]|[^\n\]]+")
_HALF, _ESCAPE = re.compile(r"\\u[dD][89abAB]"), 4


class _Twice(ValueError):
    """An object that names a field twice."""


def _pairs(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    fields = dict(pairs)
    if len(fields) < len(pairs):
        raise _Twice(Said("a field is named twice"))
    return fields


# numbers stay as they are written
_DECODER = json.JSONDecoder(object_pairs_hook=_pairs, parse_float=str, parse_int=str, parse_constant=str)


def carry_json(engine: Engine, source: Source) -> TypedTable:
    """The records of a JSON file carried into a table of texts.

    Raises
    ------
    IntakeError
        Where the file is no JSON, or holds no records.
    """
    encoding = encoding_of(source, source.path, None)
    table = RowTable(engine, engine.fresh_name("json"), "line", source.path.stat().st_size)
    places: dict[str, int] = {}
    try:
        with source.path.open(encoding=encoding, newline=None) as file:
            kind = _kind(source, file)
            file.seek(0)
            records = {"lines": _of_lines, "array": _of_array, "object": _of_object}[kind]
            for line, record in records(source, file, table):
                row = [value if type(value) is str else _text(value) for value in record.values()]
                if list(record) != table.header:  # most records name the same fields in the same order
                    for name in record:
                        if name not in places:
                            places[name] = len(places)
                            table.header.append(name)
                    ordered: list[str | None] = [None] * len(places)
                    for name, text in zip(record, row):
                        ordered[places[name]] = text
                    row = ordered
                if not any(text and text.strip() for text in row):
                    table.blank += 1
                elif halved := _halved(row):
                    table.refuse(line, halved, "half a character")
                else:
                    table.add(line, row)
    except UnicodeError as error:
        raise IntakeError("{0} is not in encoding {1}: {2}", source.name, encoding, error) from None
    if not table.header:
        shown = table.torn[0] if table.torn else None
        more = Said(": line {0}: {1!r} - {2}", table.torn_lines[0], shown.text[:60], shown.reason) if shown else ""
        raise IntakeError("{0} holds no records{1}", source.name, more)
    return table.table()


def _text(value: Any) -> str | None:
    if value is None or isinstance(value, str):
        return value
    return json.dumps(value, ensure_ascii=False)


def _halved(row: list[str | None]) -> str:
    """The row as it can be shown, where an escape such as ``\\ud800`` names half a character; else nothing."""
    text = " ".join(filter(None, row))
    try:
        text.encode()
    except UnicodeEncodeError:
        return text.encode("utf-8", "backslashreplace").decode()
    return ""


def _kind(source: Source, file: Any) -> str:
    start = file.read(_START).lstrip()
    if not start:
        raise IntakeError("{0} is empty", source.name)
    if source.path.name.lower().endswith((".jsonl", ".ndjson")):
        return "lines"
    if start[0] == "[":
        return "array"
    first = start.split("\n", 1)[0].strip()
    try:
        _DECODER.decode(first)
    except ValueError:
        return "object"
    return "lines" if start[len(first) :].strip() else "object"


def _of_lines(source: Source, file: Any, table: RowTable) -> Iterator[tuple[int, dict[str, Any]]]:
    for number, line in enumerate(file, 1):
        table.done += len(line)
        text = line.strip()
        if not text:
            table.blank += 1
            continue
        try:
            record = _DECODER.decode(text)
        except _Twice as error:
            table.refuse(number, text[:200], str(error))
        except (ValueError, RecursionError) as error:
            table.refuse(number, text[:200], Said("no JSON: {0}", str(error).split(":")[0].lower()))
        else:
            if isinstance(record, dict):
                yield number, record
            else:
                table.refuse(number, text[:200], "no JSON object")


def _of_array(source: Source, file: Any, table: RowTable) -> Iterator[tuple[int, dict[str, Any]]]:
    """The objects of an array one by one: the file is never held whole."""
    import ijson

    # the quick reader of JSON puts a question mark where an escape names half a character
    reader = ijson.get_backend("python") if _has_halves(file) else ijson
    events = ijson.sendable_list()
    parser = reader.basic_parse_coro(events)
    items = _Items()
    number, shown = 1, ""
    try:
        for number, column, piece in _pieces(file):
            table.done += len(piece)
            if items.ended:  # readers differ in what they do with more
                if piece.strip():
                    raise _more(source, number, column, piece)
                continue
            shown = piece[:60].strip() or shown
            parser.send(piece.encode("utf-8", "surrogatepass"))
            for place, record in items.taken(events, number):
                if isinstance(record, dict):
                    yield place, record
                else:
                    table.refuse(place, (_text(record) or "null")[:200], "no JSON object")
        parser.close()
    except (ijson.JSONError, RecursionError, _Twice) as error:
        said = str(error).split("\n")[0].removeprefix("parse error: ")
        place = items.begun or number
        raise IntakeError("{0}, line {1:,}: {2!r} - no JSON: {3}", source.name, place, shown, said) from None


def _more(source: Source, line: int, column: int, text: str) -> IntakeError:
    """What is said of text after the array."""
    column += len(text) - len(text.lstrip())
    return IntakeError(
        "{0}, line {1:,}, column {2:,}: {3!r} - more after the array's end; expected one "
        "array of objects, or one object a line",
        source.name,
        line,
        column,
        text.strip()[:60],
    )


def _pieces(file: Any) -> Iterator[tuple[int, int, str]]:
    """A text in pieces that end with a line or with a ], each with its line and column, both from 1.

    Never more than a chunk is held.
    """
    number, column = 1, 1
    while chunk := file.read(_CHUNK):
        for piece in _ENDS.findall(chunk):
            yield number, column, piece
            column += len(piece)
            if piece[-1] == "\n":
                number, column = number + 1, 1


def _has_halves(file: Any) -> bool:
    """Whether any escape in the file names a half of a character; it is read from its start again."""
    halves, tail = False, ""
    while not halves and (chunk := file.read(_CHUNK)):
        halves = bool(_HALF.search(tail + chunk))
        tail = chunk[-_ESCAPE:]  # an escape may lie across
    file.seek(0)
    return halves


class _Items:
    """Builds the items of an array from the events of a reader, each with the line on which it starts."""

    def __init__(self) -> None:
        self._above: list[Any] = []  # the containers around the next value
        self._keys: list[str] = []
        self._line = 0
        self.ended = False

    @property
    def begun(self) -> int:
        """The line on which the item starts that is not complete yet; 0 where there is none."""
        return self._line if len(self._above) > 1 else 0

    def taken(self, events: list[tuple[str, Any]], line: int) -> Iterator[tuple[int, Any]]:
        """The items that these events complete."""
        for event, value in events:
            if event == "map_key":
                if value in self._above[-1]:
                    raise _Twice(Said("a field is named twice"))
                self._keys[-1] = value
                continue
            if event in ("end_map", "end_array"):
                value = self._above.pop()
                if event == "end_map":
                    self._keys.pop()
                if not self._above:
                    self.ended = True  # the array itself
                    continue
            elif len(self._above) == 1:
                self._line = line
            if event in ("start_map", "start_array"):
                self._above.append({} if event == "start_map" else [])
                if event == "start_map":
                    self._keys.append("")
                continue
            # numbers stay as they are written, as far as the reader tells
            value = str(value) if event == "number" else value
            above = self._above[-1]
            if len(self._above) == 1:
                yield self._line, value
            elif isinstance(above, dict):
                above[self._keys[-1]] = value
            else:
                above.append(value)
        events.clear()


def _of_object(source: Source, file: Any, table: RowTable) -> Iterator[tuple[int, dict[str, Any]]]:
    """One object: a list of records in one of its fields, or a list of values a column."""
    text = file.read(_MOST + 1)
    if len(text) > _MOST:
        raise IntakeError(
            "{0} is one object of more than {1} MB: save it as one record a line", source.name, _MOST >> 20
        )
    try:
        document = _DECODER.decode(text.strip())
    except (ValueError, RecursionError) as error:
        raise IntakeError("{0} is no JSON: {1}", source.name, error) from None
    if not isinstance(document, dict):
        raise IntakeError("{0} holds no records: expected an array of objects, or one a line", source.name)
    table.unit = "record"
    lists = {name: value for name, value in document.items() if isinstance(value, list)}
    tables = [value for value in lists.values() if value and all(isinstance(one, dict) for one in value)]
    nested = [value for value in document.values() if isinstance(value, dict)]
    if len(tables) == 1:
        records = tables[0]
    elif lists and len(lists) == len(document) and len({len(value) for value in lists.values()}) == 1:
        records = [dict(zip(lists, values)) for values in zip(*lists.values())]
    elif nested and len(nested) == len(document) and all(value.keys() == nested[0].keys() for value in nested):
        records = [{name: column[key] for name, column in document.items()} for key in nested[0]]
    else:
        raise IntakeError(
            "{0} holds one object without a list of records; expected an array of objects, or one a line", source.name
        )
    yield from enumerate(records, 1)
