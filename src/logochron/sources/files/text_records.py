"""The records of a text file as its bytes give them, counted apart from the engine, and where they lie."""

from __future__ import annotations

import codecs
import csv
from array import array
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from threading import Event
from typing import BinaryIO, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.days import Days
from logochron.core.errors import IntakeError
from logochron.core.said import Said
from logochron.sources.files.text_prepare import Mends, fields_of_any_size

Bytes = NDArray[np.uint8]
_CHUNK = 1 << 22
_PIECE = 1 << 17
#: A line longer than this is read without its middle; a record longer than that is not told by its bytes.
_LONG_LINE, _LONG_RECORD = 1 << 18, 1 << 23
_KEPT = 200
_NEWLINE, RETURN, _QUOTE = 10, 13, 34


class Swallow(NamedTuple):
    """A record of several lines, one of which reads as a record: its bytes, its first line, and that line."""

    start: int
    end: int
    line: int
    text: str
    inner_line: int
    inner_text: str

    @property
    def reason(self) -> str:
        """What is said of it."""
        return Said("a stray quote in it seems to swallow line {0:,}: {1!r}", self.inner_line, self.inner_text[:60])


class LongLine(NamedTuple):
    """A line too long to be read whole: its bytes, its number."""

    start: int
    end: int
    line: int


@dataclass
class RecordCounts:
    """What the bytes say: all records, the header and empty ones included, and what is odd about them."""

    records: int = 0
    newlines: int = 0
    with_return: int = 0
    lone_returns: bool = False
    not_utf8: bool = False
    underscores: int = 0
    nuls: int = 0
    unsure: bool = False  # a record seems endless by its quotes: only `walk` can count
    long_lines: list[LongLine] = field(default_factory=list)
    swallows: list[Swallow] = field(default_factory=list)
    longest: tuple[int, int, str] = (1, 0, "")  # of records over several lines: how many, the first, its text

    def mends(self, *, recode: bool) -> Mends:
        """What is to be mended; of the encoding only where it may be chosen."""
        mixed = self.lone_returns or 0 < self.with_return < self.newlines
        return Mends(mixed, self.not_utf8 and recode, self.nuls)


#: Told the fields of a line, whether it reads as a record.
IsRecord = Callable[[Sequence[str]], bool]


class Parting(NamedTuple):
    """What parts the fields, how many the header has, and what makes a record of a line."""

    delimiter: str
    columns: int
    is_record: IsRecord

    def swallowed(self, line: bytes) -> str:
        """The text of a line that reads as a record, with its quotes honored or ignored; else nothing."""
        text = line.decode("utf-8", "replace").rstrip("\r\n")
        ignored = [field.strip(' "') for field in text.split(self.delimiter)]
        with fields_of_any_size(), suppress(csv.Error):
            for fields in (ignored, next(csv.reader([text], delimiter=self.delimiter), [])):
                if len(fields) == self.columns and self.is_record(fields):
                    return text
        return ""


def _piece(file: BinaryIO, position: int, size: int, total: int) -> bytes:
    """The next bytes of a file; refused where it has become shorter."""
    file.seek(position)
    raw = file.read(size)
    if len(raw) < min(size, total - position):
        raise OSError("it has become shorter")
    return raw


def chunks(path: Path) -> Iterator[tuple[int, Bytes, Days, Days]]:
    """Runs of whole records: their offset, bytes, the record ends and all newlines (both within the run)."""
    position, size, total = 0, _CHUNK, path.stat().st_size
    with path.open("rb") as file:
        while position < total:
            # read, not mapped: mapped pages would count as the process's memory
            chunk = np.frombuffer(_piece(file, position, size, total), dtype=np.uint8)
            final = position + len(chunk) == total
            newlines = np.flatnonzero(chunk == _NEWLINE)
            quotes = np.flatnonzero(chunk == _QUOTE)
            ends = newlines
            if len(quotes):
                ends = newlines[np.searchsorted(quotes, newlines) % 2 == 0]
            if not len(ends) and not final:
                size *= 2  # one record longer than the chunk
                continue
            length = len(chunk) if final else int(ends[-1]) + 1
            if final and (not len(ends) or ends[-1] != len(chunk) - 1):
                ends = np.append(ends, len(chunk))  # the last record has no line end
            yield position, chunk[:length], ends, newlines[newlines < length]
            position += length
            size = _CHUNK


def starts_of(ends: Days) -> Days:
    return np.concatenate([[0], ends[:-1] + 1])


def count_records(path: Path, parting: Parting, stop: Event | None = None) -> RecordCounts:
    """Count the records of a file and find what a stray quote may have swallowed.

    Counts only, in pieces that stay in the processor's cache: it runs beside the engine on the same cores.

    Parameters
    ----------
    stop
        Set where nobody waits for it any more.
    """
    counts = RecordCounts()
    decoder = codecs.getincrementaldecoder("utf-8")()
    position, size, total = 0, _PIECE, path.stat().st_size
    line_start = 0
    with path.open("rb") as file:
        while position < total and not (stop and stop.is_set()):
            raw = _piece(file, position, size, total)
            final = position + len(raw) == total
            chunk = np.frombuffer(raw, dtype=np.uint8)
            newline = outside = chunk == _NEWLINE
            inner = (
                not counts.unsure and b'"' in raw and b"\n" in b"".join(raw.split(b'"')[1::2])
            )  # a line end within quotes
            last = raw.rfind(b"\n")
            if inner:
                outside = newline & (np.cumsum(chunk == _QUOTE, dtype=np.uint8) & 1 == 0)
                last = int(np.flatnonzero(outside)[-1]) if outside.any() else -1
            length = len(raw) if final else last + 1
            if not length and not counts.unsure:
                size *= 2  # one record longer than the piece
                counts.unsure = size > _LONG_RECORD
                continue
            length = length or len(raw)
            if inner and final and last != length - 1 and raw.count(b'"', last + 1) % 2:
                counts.unsure = True  # a quote that never closes may be a sign within a field
            first = raw.find(b"\n", 0, length)
            line_end = position + (length if first < 0 else first)
            if line_end - line_start > _LONG_LINE and (first >= 0 or final):
                counts.long_lines.append(LongLine(line_start, line_end, counts.newlines + 1))
            if first >= 0:
                line_start = position + raw.rfind(b"\n", 0, length) + 1
            if inner and parting.columns > 1:
                ends, lines = np.flatnonzero(outside[:length]), np.flatnonzero(newline[:length])
                if last != length - 1:
                    ends = np.append(ends, length)
                counts.swallows += _swallows(chunk[:length], ends, lines, position, counts.newlines, parting)
            lines_here = int(np.count_nonzero(newline[:length]))
            counts.newlines += lines_here
            counts.records += int(np.count_nonzero(outside[:length])) if inner else lines_here
            counts.records += last != length - 1  # the last record of a file may lack its line end
            if b"\r" in raw:
                returns = chunk[:length] == RETURN
                paired = int(np.count_nonzero(returns[:-1] & newline[1:length]))
                counts.with_return += paired
                counts.lone_returns |= int(np.count_nonzero(returns)) > paired
            counts.underscores += raw[:length].count(b"_") if b"_" in raw else 0
            counts.nuls += raw[:length].count(0) if 0 in raw else 0
            if not counts.not_utf8 and (not raw.isascii() or decoder.getstate()[0]):
                try:
                    decoder.decode(raw[:length], final)
                except UnicodeDecodeError:
                    counts.not_utf8 = True
            position += length
            size = _PIECE
    return counts


def _marks(chunk: Bytes, mark: bytes) -> Days:
    """Where a mark of one or several bytes stands."""
    places = chunk == mark[0]
    for more, byte in enumerate(mark[1:], 1):
        places[:-more] &= chunk[more:] == byte
        places[-more:] = False
    return np.flatnonzero(places)


def _swallows(
    chunk: Bytes, ends: Days, newlines: Days, offset: int, lines_before: int, parting: Parting
) -> list[Swallow]:
    """Records of several lines with one after the first that reads on its own as a record."""
    line_ends = newlines if len(newlines) and newlines[-1] == len(chunk) - 1 else np.append(newlines, len(chunk))
    line_starts = starts_of(line_ends)

    def in_lines(places: Days) -> Days:
        return np.searchsorted(places, line_ends) - np.searchsorted(places, line_starts)

    fields = in_lines(_marks(chunk, parting.delimiter.encode())) + 1
    quoted = in_lines(np.flatnonzero(chunk == _QUOTE)) > 0
    starts = starts_of(ends)
    first_line = np.searchsorted(line_starts, starts)
    record = np.searchsorted(first_line, np.arange(len(line_starts)), side="right") - 1
    within = first_line[record] < np.arange(len(line_starts))
    fitting = within & ((fields == parting.columns) | (quoted & (fields > parting.columns)))

    def text(line: int) -> bytes:
        return chunk[line_starts[line] : line_ends[line]].tobytes()

    swallows: dict[int, Swallow] = {}
    for line in np.flatnonzero(fitting).tolist():
        of = int(record[line])
        if of in swallows or not (inner := parting.swallowed(text(line))):
            continue
        first = int(first_line[of])
        swallows[of] = Swallow(
            offset + int(starts[of]),
            offset + int(ends[of]),
            lines_before + first + 1,
            text(first).decode("utf-8", "replace").rstrip("\r"),
            lines_before + line + 1,
            inner,
        )
    return list(swallows.values())


def has_odd_stretch(path: Path, delimiter: str) -> bool:
    """Whether a long stretch lacks line ends or fields; looks at the file here and there only.

    One line that is longer than can be read whole, a run of blank lines, one field of very many lines.
    """
    block, look = _LONG_LINE // 2, 1 << 12
    with path.open("rb") as file:
        for position in range(0, path.stat().st_size, block):
            file.seek(position)
            start = file.read(look)
            lacking = [mark for mark in (b"\n", delimiter.encode()) if mark not in start]
            rest = file.read(block - look) if lacking else b""
            if len(rest) == block - look and any(mark not in rest for mark in lacking):
                return True
    return False


def _copied(
    path: Path, target: Path, parts: Sequence[tuple[int, int]], change: Callable[[BinaryIO, int], bytes]
) -> None:
    """A copy of a file in which some parts are replaced by what `change` makes of them, given their size."""
    with path.open("rb") as old, target.open("wb") as new:
        for start, end in (*parts, (path.stat().st_size, -1)):
            while left := start - old.tell():
                new.write(_piece(old, old.tell(), min(_CHUNK, left), start))
            if end >= 0:
                new.write(change(old, end - start))


#: Every byte but those that end lines becomes an x.
_MASK = bytes(code if code in (_NEWLINE, RETURN) else ord("x") for code in range(256))


def mask_swallows(path: Path, target: Path, swallows: list[Swallow]) -> None:
    """A copy in which each swallowed record is one field in quotes, which the engine refuses, all else in place."""

    def masked(file: BinaryIO, size: int) -> bytes:
        body = file.read(size)
        cover = bytearray(body.translate(_MASK))
        cover[0] = _QUOTE
        cover[len(body.rstrip(b"\r")) - 1] = _QUOTE
        return bytes(cover)

    _copied(path, target, [(swallow.start, swallow.end) for swallow in swallows], masked)


def shorten_lines(path: Path, target: Path, lines: list[LongLine], delimiter: str, columns: int) -> None:
    """A copy in which long lines lack their middle.

    A middle that parts fields leaves too many of them behind, so that the record is refused; one that opens a
    quote leaves it open.
    """

    def shortened(file: BinaryIO, size: int) -> bytes:
        start = file.read(_KEPT)
        left, parted, quotes = size - 2 * _KEPT, False, 0
        while left:
            piece = _piece(file, file.tell(), min(_CHUNK, left), file.tell() + left)
            left -= len(piece)
            quotes += piece.count(b'"')
            parted |= delimiter.encode() in piece
        middle = b"..." + b'"' * (quotes % 2) + delimiter.encode() * (columns * parted)
        return start + middle + file.read(_KEPT)

    _copied(path, target, [(line.start, line.end) for line in lines], shortened)


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
            records = filled[record[here]]
            starts[at : at + len(records)], lines[at : at + len(records)] = run.starts[records], run.lines[records]
            at += len(records)
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
                        "{0}, line {1:,}: {2!r} - a stray quote seems to open a field that does not end "
                        "within {3} MB or {4:,} lines",
                        name,
                        line,
                        raw[0][:60].decode("utf-8", "replace"),
                        _ENDLESS >> 20,
                        _ENDLESS_LINES,
                    )
                yield one.decode("utf-8", "replace")

    starts, lines, empties = array("q"), array("q"), bytearray()

    def run() -> Run:
        one = Run(np.array(starts), np.array(lines), np.array(empties, dtype=bool))
        del starts[:], lines[:], empties[:]
        return one

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


def walk(path: Path, parting: Parting, name: str) -> tuple[RecordCounts, Places]:
    """The same as `count_records` and the places by bytes, by Python's own reader: the slow second opinion."""
    counts = RecordCounts()

    def seen(start: int, line: int, raw: list[bytes]) -> None:
        counts.records += 1
        counts.newlines += len(raw)
        if len(raw) == 1:
            return
        text = raw[0].decode("utf-8", "replace").rstrip("\r\n")
        if len(raw) > counts.longest[0]:
            counts.longest = (len(raw), line, text)
        inner = next(
            ((n, swallowed) for n, one in enumerate(raw[1:], 1) if (swallowed := parting.swallowed(one))), None
        )
        if parting.columns > 1 and inner:
            size = sum(map(len, raw)) - (len(raw[-1]) - len(raw[-1].rstrip(b"\r\n")))
            counts.swallows.append(Swallow(start, start + size, line, text, line + inner[0], inner[1]))

    for _ in runs_by_reader(path, parting.delimiter, name, seen):
        pass
    return counts, Places(lambda: runs_by_reader(path, parting.delimiter, name))
