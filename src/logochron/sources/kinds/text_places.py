"""Where the records of a text file lie, and the slow second opinion of how many there are."""

from __future__ import annotations

import csv
from array import array
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.days import Days
from logochron.core.errors import IntakeError
from logochron.sources.kinds.text_bytes import RETURN, Bytes, Parting, Scan, Swallow, chunks, starts_of
from logochron.sources.kinds.text_prepare import fields_of_any_size

_AT_ONCE = 1 << 17
#: A record longer than this is taken for one that does not end.
_ENDLESS, _ENDLESS_LINES = 1 << 24, 2_000_000


class Run(NamedTuple):
    """Some records that follow each other: their first bytes, their physical lines (from 1), and which are empty."""

    starts: Days
    lines: Days
    empties: NDArray[np.bool_]


def _empties(chunk: Bytes, ends: Days) -> NDArray[np.bool_]:
    starts = starts_of(ends)
    length = ends - starts
    returns = np.asarray(chunk[np.minimum(starts, len(chunk) - 1)] == RETURN)
    return np.asarray((length == 0) | ((length == 1) & returns))


def runs_by_bytes(path: Path) -> Iterator[Run]:
    """The records of a file by its bytes: every quote taken to open or close a field."""
    line = 1
    for offset, chunk, ends, newlines in chunks(path):
        first = starts_of(ends)
        yield Run(first + offset, np.searchsorted(newlines, first) + line, _empties(chunk, ends))
        line += len(newlines)


@dataclass(frozen=True)
class Places:
    """Where the records of a file lie. Looked up by going through it again: no place of a record is kept."""

    runs: Callable[[], Iterator[Run]]

    def filled_below(self, skip: int) -> int:
        """The records that are not empty, but for the first few."""
        filled = before = 0
        for run in self.runs():
            filled += int(np.count_nonzero(~run.empties[max(skip - before, 0) :]))
            before += len(run.empties)
        return filled

    def holding(self, positions: Days) -> tuple[Days, Days]:
        """The first bytes and the lines of the records that hold some bytes, in their order.

        After empty lines the engine's position lies within them: the record is the next that is not empty.
        """
        places = np.sort(positions)
        starts, lines = np.zeros_like(places), np.zeros_like(places)
        at = 0
        for run, end in self._ending():
            until = int(np.searchsorted(places, end))
            waiting = places[at:until]
            filled = np.flatnonzero(~run.empties)
            record = np.searchsorted(filled, np.searchsorted(run.starts, waiting, side="right") - 1)
            here = record < len(filled)  # else the next run begins with it
            found = filled[record[here]]
            starts[at : at + len(found)], lines[at : at + len(found)] = run.starts[found], run.lines[found]
            at += len(found)
        return starts, lines

    def _ending(self) -> Iterator[tuple[Run, int]]:
        """Each run, and where the next one starts."""
        before: Run | None = None
        for run in self.runs():
            if before is not None:
                yield before, int(run.starts[0])
            before = run
        if before is not None:
            yield before, np.iinfo(np.int64).max

    def lines_of_rows(self, rows: Days, skip: int, malformed: Days) -> Days:
        """The lines of rows, numbered from 1: the records below the first few, but for empty and malformed ones.

        Parameters
        ----------
        malformed
            The first bytes of malformed records.
        """
        order = np.argsort(rows, kind="stable")
        lines = np.zeros_like(rows)
        counted = before = 0
        for run in self.runs():
            is_row = ~run.empties
            is_row[: max(skip - before, 0)] = False
            is_row &= ~np.isin(run.starts, malformed)
            places = np.flatnonzero(is_row)
            low, high = np.searchsorted(rows[order], [counted + 1, counted + len(places) + 1])
            lines[order[low:high]] = run.lines[places[rows[order[low:high]] - counted - 1]]
            counted += len(places)
            before += len(run.empties)
        return lines


def runs_by_reader(
    path: Path, delimiter: str, name: str, seen: Callable[[int, int, list[bytes]], None] | None = None
) -> Iterator[Run]:
    """The records by Python's own reader, which tells a quote within a field from one that opens it.

    Parameters
    ----------
    seen
        Told each record: its first byte, its line, and its lines.

    Raises
    ------
    IntakeError
        Where a field does not end.
    """
    raw: list[bytes] = []
    line, held = 1, 0

    def texts() -> Iterator[str]:
        nonlocal held
        with path.open("rb") as file:
            for one in file:
                raw.append(one)
                held += len(one)
                if held > _ENDLESS or len(raw) > _ENDLESS_LINES:
                    raise IntakeError(
                        f"{name}, line {line:,}: {raw[0][:60].decode('utf-8', 'replace')!r} - a stray quote seems to "
                        f"open a field that does not end within {_ENDLESS >> 20} MB or {_ENDLESS_LINES:,} lines"
                    )
                yield one.decode("utf-8", "replace")

    starts, lines, empties = array("q"), array("q"), bytearray()

    def run() -> Run:
        made = Run(np.array(starts), np.array(lines), np.array(empties, dtype=bool))
        del starts[:], lines[:], empties[:]
        return made

    start = 0
    with fields_of_any_size():
        for row in csv.reader(texts(), delimiter=delimiter):
            starts.append(start)
            lines.append(line)
            empties.append(not row)
            if seen:
                seen(start, line, raw)
            start += held
            line += len(raw)
            raw.clear()
            held = 0
            if len(starts) >= _AT_ONCE:
                yield run()
    if starts:
        yield run()


def walk(path: Path, parting: Parting, name: str) -> tuple[Scan, Places]:
    """The same as `scan` and the places by bytes, by Python's own reader: the slow second opinion."""
    found = Scan()

    def seen(start: int, line: int, raw: list[bytes]) -> None:
        found.records += 1
        found.newlines += len(raw)
        if len(raw) == 1:
            return
        text = raw[0].decode("utf-8", "replace").rstrip("\r\n")
        if len(raw) > found.longest[0]:
            found.longest = (len(raw), line, text)
        inner = next(((n, told) for n, one in enumerate(raw[1:], 1) if (told := parting.swallowed(one))), None)
        if parting.columns > 1 and inner:
            size = sum(map(len, raw)) - (len(raw[-1]) - len(raw[-1].rstrip(b"\r\n")))
            found.swallows.append(Swallow(start, start + size, line, text, line + inner[0], inner[1]))

    for _ in runs_by_reader(path, parting.delimiter, name, seen):
        pass
    return found, Places(lambda: runs_by_reader(path, parting.delimiter, name))
