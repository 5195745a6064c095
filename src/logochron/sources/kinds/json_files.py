"""Records of a JSON file as rows of text: an object a line, or an array of objects."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from typing import Any

from logochron.core.errors import IntakeError
from logochron.sources.engine.connection import Engine
from logochron.sources.kinds.find_files import Source
from logochron.sources.kinds.row_table import Carrier
from logochron.sources.kinds.text_prepare import encoding_of
from logochron.sources.kinds.typed_files import Typed

_CHUNK = 1 << 20
#: The longest record of an array, in characters, and the largest file that is read in one piece.
_MOST = 1 << 26
_BETWEEN = re.compile(r"[\s,]*")


class _Twice(ValueError):
    """An object that names a field twice."""


def _pairs(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    made = dict(pairs)
    if len(made) < len(pairs):
        raise _Twice("a field is named twice")
    return made


# numbers stay as they are written
_DECODER = json.JSONDecoder(object_pairs_hook=_pairs, parse_float=str, parse_int=str, parse_constant=str)


def carry_json(engine: Engine, source: Source) -> Typed:
    """The records of a JSON file carried into a table of texts.

    Raises
    ------
    IntakeError
        Where the file is no JSON, or holds no records.
    """
    encoding = encoding_of(source, source.path, None)
    carrier = Carrier(engine, engine.fresh_name("json"), "line", source.path.stat().st_size)
    places: dict[str, int] = {}
    try:
        with source.path.open(encoding=encoding, newline=None) as file:
            kind = _kind(source, file)
            file.seek(0)
            records = {"lines": _of_lines, "array": _of_array, "object": _of_object}[kind]
            for line, record in records(source, file, carrier):
                row = [value if type(value) is str else _text(value) for value in record.values()]
                if list(record) != carrier.header:  # most records name the same fields in the same order
                    for name in record:
                        if name not in places:
                            places[name] = len(places)
                            carrier.header.append(name)
                    ordered: list[str | None] = [None] * len(places)
                    for name, text in zip(record, row):
                        ordered[places[name]] = text
                    row = ordered
                if not any(text and text.strip() for text in row):
                    carrier.blank += 1
                elif halved := _halved(row):
                    carrier.refuse(line, halved, "half a character")
                else:
                    carrier.add(line, row)
    except UnicodeError as error:
        raise IntakeError(f"{source.name} is not in encoding {encoding}: {error}") from None
    if not carrier.header:
        shown = carrier.torn[0] if carrier.torn else None
        more = f": line {carrier.torn_lines[0]}: {shown.text[:60]!r} - {shown.reason}" if shown else ""
        raise IntakeError(f"{source.name} holds no records{more}")
    return carrier.table()


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
    start = file.read(_CHUNK).lstrip()
    if not start:
        raise IntakeError(f"{source.name} is empty")
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


def _of_lines(source: Source, file: Any, carrier: Carrier) -> Iterator[tuple[int, dict[str, Any]]]:
    for number, line in enumerate(file, 1):
        carrier.done += len(line)
        text = line.strip()
        if not text:
            carrier.blank += 1
            continue
        try:
            record = _DECODER.decode(text)
        except _Twice as error:
            carrier.refuse(number, text[:200], str(error))
        except (ValueError, RecursionError) as error:
            carrier.refuse(number, text[:200], f"no JSON: {str(error).split(':')[0].lower()}")
        else:
            if isinstance(record, dict):
                yield number, record
            else:
                carrier.refuse(number, text[:200], "no JSON object")


def _of_array(source: Source, file: Any, carrier: Carrier) -> Iterator[tuple[int, dict[str, Any]]]:
    """The objects of an array one by one: the file is never held whole."""
    text = file.read(_CHUNK)
    at = text.index("[") + 1
    line = 1 + text.count("\n", 0, at)
    while True:
        gap = _BETWEEN.match(text, at)
        after = gap.end() if gap else at
        line += text.count("\n", at, after)
        at = after
        if at < len(text) and text[at] == "]":
            return
        try:
            if at >= len(text):
                raise ValueError("the array does not end")
            record, end = _DECODER.raw_decode(text, at)
        except (ValueError, RecursionError) as error:
            more = "" if len(text) - at > _MOST else file.read(max(_CHUNK, len(text) - at))
            if isinstance(error, (_Twice, RecursionError)) or not more:
                raise IntakeError(
                    f"{source.name}, line {line:,}: {text[at : at + 60]!r} - no JSON: {str(error).split(':')[0]}"
                ) from None
            text, at = text[at:] + more, 0
            carrier.done += len(more)
            continue
        if isinstance(record, dict):
            yield line, record
        else:
            carrier.refuse(line, text[at : min(end, at + 200)], "no JSON object")
        line += text.count("\n", at, end)
        at = end


def _of_object(source: Source, file: Any, carrier: Carrier) -> Iterator[tuple[int, dict[str, Any]]]:
    """One object: a list of records in one of its fields, or a list of values a column."""
    text = file.read(_MOST + 1)
    if len(text) > _MOST:
        raise IntakeError(f"{source.name} is one object of more than {_MOST >> 20} MB: save it as one record a line")
    try:
        document = _DECODER.decode(text.strip())
    except (ValueError, RecursionError) as error:
        raise IntakeError(f"{source.name} is no JSON: {error}") from None
    if not isinstance(document, dict):
        raise IntakeError(f"{source.name} holds no records: expected an array of objects, or one a line")
    carrier.unit = "record"
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
            f"{source.name} holds one object without a list of records; expected an array of objects, or one a line"
        )
    yield from enumerate(records, 1)
