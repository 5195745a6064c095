"""Rows of text carried into a table of the engine, with the places they come from."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial

import numpy as np

from logochron.core.days import Days
from logochron.sources.engine.connection import Engine
from logochron.sources.engine.engine_scan import Malformed
from logochron.sources.kinds.typed_files import TypedTable

#: So many rows, and so many fields, are laid into the table together.
_AT_ONCE, _FIELDS_AT_ONCE = 50_000, 1_000_000
#: The part that carrying has in a reading; the rest is the roll-up.
_CARRIED = 0.9


@dataclass
class RowTable:
    """Takes rows one by one and lays them into a table in runs.

    `header` may grow while rows come in; a row may be shorter than it.
    """

    engine: Engine
    name: str
    unit: str
    total: int = 0  # how much there is to carry, and how much is done, in any measure
    done: int = 0
    header: list[str] = field(default_factory=list)
    blank: int = 0
    torn: list[Malformed] = field(default_factory=list)
    torn_lines: list[int] = field(default_factory=list)
    flaws: dict[tuple[int, int], str] = field(default_factory=dict)  # by place and column, what a text does not show
    _lines: list[int] = field(default_factory=list)
    _rows: list[Sequence[str | None]] = field(default_factory=list)
    _held: int = 0  # fields in the rows that wait
    _made: int = -1

    def add(self, line: int, row: Sequence[str | None]) -> None:
        """One row, and where it stands."""
        self._lines.append(line)
        self._rows.append(row)
        self._held += len(row)
        if len(self._rows) >= _AT_ONCE or self._held >= _FIELDS_AT_ONCE:
            self._flush()

    def refuse(self, line: int, text: str, reason: str) -> None:
        """A record that is no row."""
        self.torn.append(Malformed(0, text, reason, False))
        self.torn_lines.append(line)

    def table(self, guesses: Sequence[str] = (), total: str = "") -> TypedTable:
        """The table, once all rows are in; `total` is what a row calls itself that adds up others."""
        self._flush()
        width = len(self.header)
        return TypedTable(
            f"(SELECT * EXCLUDE (place) FROM {self.name})" if width else self.name,
            self.header,
            [f"c{i}" for i in range(width)],
            ["VARCHAR"] * width,
            placed=self.name,
            lines=TableLines(self.engine, self.name, tuple(self.torn_lines), self.unit, self._named_flaws()),
            malformed=tuple(self.torn),
            empty=self.blank,
            guesses=tuple(guesses),
            total=total,
        )

    def _named_flaws(self) -> dict[tuple[int, str], str]:
        return {(line, self.header[at]): flaw for (line, at), flaw in self.flaws.items() if at < len(self.header)}

    def _flush(self) -> None:
        run = partial(self.engine.run, small=True)  # the rows that are done are told below
        if self._made < 0:
            named = "".join(f", c{i} VARCHAR" for i in range(len(self.header)))
            run(f"CREATE TABLE {self.name} (place BIGINT{named})", self.name)
            self._made = len(self.header)
        for i in range(self._made, len(self.header)):
            run(f"ALTER TABLE {self.name} ADD COLUMN c{i} VARCHAR", self.name)
        self._made = width = len(self.header)
        if not self._rows:
            return
        padded = [(*row, *[None] * (width - len(row))) if len(row) < width else row for row in self._rows]
        columns = {"place": np.array(self._lines, dtype=np.int64)}
        columns |= {f"c{i}": np.array(column, dtype=object) for i, column in enumerate(zip(*padded))}
        with self.engine.given({"carried_run": columns}):
            run(f"INSERT INTO {self.name} SELECT {', '.join(columns)} FROM carried_run", self.name)
        self._lines, self._rows, self._held = [], [], 0
        if self.total:
            self.engine.tell(_CARRIED * min(self.done / self.total, 1.0))


@dataclass
class TableLines:
    """The places of the rows of a carried table."""

    engine: Engine
    table: str
    torn: tuple[int, ...]
    unit: str
    flaws: Mapping[tuple[int, str], str] = field(default_factory=dict)

    def flaw(self, line: int, column: str) -> str:
        """What is wrong with a field that its text does not show; empty where nothing is."""
        return self.flaws.get((line, column), "")

    def of_rows(self, rows: Days) -> Days:
        """The places of rows, numbered from 1."""
        numbered = f"SELECT place, row_number() OVER () AS rn FROM {self.table}"
        sought = {"sought": {"rn": np.unique(rows)}}
        found = self.engine.arrays(
            f"SELECT rn, place FROM ({numbered}) SEMI JOIN sought USING (rn) ORDER BY rn", sought
        )
        return np.asarray(found["place"][np.searchsorted(found["rn"], rows)], dtype=np.int64)

    def of_malformed(self) -> Days:
        """The places of the records that are no rows."""
        return np.array(self.torn, dtype=np.int64)
