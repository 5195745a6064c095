"""The zones of instants that a Parquet file itself writes down, beside its columns."""

from __future__ import annotations

import base64
import json
import struct
from collections.abc import Iterator, Mapping
from typing import NamedTuple

from logochron.sources.duckdb.connection import Engine
from logochron.sources.duckdb.sql import quoted

#: Where frames' libraries write the types of their columns.
_ARROW, _PANDAS = "ARROW:schema", "pandas"
#: The number of the type of instants, and the places of what is read of a message, a schema, a field and such a type.
_INSTANT = 10
_HEADER, _FIELDS, _NAME, _KIND, _TYPE, _ZONE = 2, 1, 0, 2, 3, 1


def zones_written(engine: Engine, path: str, name: str) -> dict[str, str]:
    """The zone of each column of instants, by its name, where the file tells.

    The layout of the schema is that of the Apache Arrow columnar format, message ``Schema``.
    """
    sql = f"SELECT key::VARCHAR, value::VARCHAR FROM parquet_kv_metadata({quoted(path)})"
    written = {key: value for key, value in engine.rows(sql, name) if key in (_ARROW, _PANDAS)}
    try:
        if _ARROW in written:
            return dict(_of_schema(base64.b64decode(written[_ARROW])))
        if _PANDAS in written:
            return _of_pandas(json.loads(written[_PANDAS]))
    except (ValueError, TypeError, KeyError, struct.error, AttributeError):
        pass  # nothing that can be read is nothing written
    return {}


def _of_pandas(schema: Mapping[str, object]) -> dict[str, str]:
    columns = [one for one in schema["columns"] if isinstance(one.get("metadata"), dict)]  # type: ignore[attr-defined]
    return {one["name"]: one["metadata"]["timezone"] for one in columns if one["metadata"].get("timezone")}


class _Table(NamedTuple):
    """A table of a flatbuffer, and where it lies."""

    data: bytes
    at: int

    def _int(self, form: str, at: int) -> int:
        return int(struct.unpack_from("<" + form, self.data, at)[0])

    def field(self, number: int) -> int:
        """Where a field lies; 0 where it is left out."""
        layout = self.at - self._int("i", self.at)
        place = 4 + 2 * number
        if place >= self._int("H", layout):
            return 0
        offset = self._int("H", layout + place)
        return self.at + offset if offset else 0

    def byte(self, number: int) -> int:
        """A field of one byte."""
        at = self.field(number)
        return self._int("B", at) if at else 0

    def table(self, number: int) -> _Table:
        """The table that a field leads to."""
        return self._led(self.field(number))

    def _led(self, at: int) -> _Table:
        return _Table(self.data, at + self._int("I", at))

    def text(self, number: int) -> str:
        """The text that a field leads to; empty where it is left out."""
        if not (at := self.field(number)):
            return ""
        start = self._led(at).at
        return self.data[start + 4 : start + 4 + self._int("I", start)].decode("utf-8")

    def tables(self, number: int) -> Iterator[_Table]:
        """The tables of a list."""
        if at := self.field(number):
            start = self._led(at).at
            for place in range(self._int("I", start)):
                yield self._led(start + 4 + 4 * place)


def _of_schema(message: bytes) -> Iterator[tuple[str, str]]:
    # the message begins with a mark and its length
    root = _Table(message[8:], struct.unpack_from("<I", message, 8)[0])
    for field in root.table(_HEADER).tables(_FIELDS):
        if field.byte(_KIND) == _INSTANT and (zone := field.table(_TYPE).text(_ZONE)):
            yield field.text(_NAME), zone
