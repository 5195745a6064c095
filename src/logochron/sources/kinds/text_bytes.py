"""The records of a text file as its bytes give them: counted apart from the engine, to check it."""

from __future__ import annotations

import codecs
import csv
from array import array
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.days import Days
from logochron.core.errors import IntakeError
from logochron.sources.kinds.text_prepare import Mends, fields_of_any_size

Bytes = NDArray[np.uint8]
_CHUNK = 1 << 24
_PIECE = 1 << 17
#: A line longer than this is read without its middle; a record longer than that is not told by its bytes.
_LONG_LINE, _LONG_RECORD, _ENDLESS = 1 << 18, 1 << 23, 1 << 24
_KEPT = 200
_NEWLINE, _RETURN, _QUOTE = 10, 13, 34


class Swallow(NamedTuple):
    """A record that a stray quote seems to have glued from several lines: its bytes, its first line."""

    start: int
    end: int
    line: int
    text: str


class LongLine(NamedTuple):
    """A line too long to be read whole: its bytes, its number."""

    start: int
    end: int
    line: int


@dataclass
class Scan:
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


def _chunks(path: Path) -> Iterator[tuple[int, Bytes, Days, Days]]:
    """Runs of whole records: their offset, bytes, the record ends and all newlines (both within the run)."""
    position, size, total = 0, _CHUNK, path.stat().st_size
    with path.open("rb") as file:
        while position < total:
            file.seek(position)  # read, not mapped: mapped pages would count as the process's memory
            chunk = np.frombuffer(file.read(size), dtype=np.uint8)
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


def _starts(ends: Days) -> Days:
    return np.concatenate([[0], ends[:-1] + 1])


def _empties(chunk: Bytes, ends: Days) -> NDArray[np.bool_]:
    starts = _starts(ends)
    length = ends - starts
    returns = np.asarray(chunk[np.minimum(starts, len(chunk) - 1)] == _RETURN)
    return np.asarray((length == 0) | ((length == 1) & returns))


def scan(path: Path, delimiter: str, columns: int) -> Scan:
    """Count the records of a file and find what a stray quote may have swallowed.

    Counts only, in pieces that stay in the processor's cache: it runs beside the engine on the same cores.

    Parameters
    ----------
    delimiter, columns
        What parts the fields, and how many the header has.
    """
    found = Scan()
    decoder = codecs.getincrementaldecoder("utf-8")()
    position, size, total = 0, _PIECE, path.stat().st_size
    line_start = 0
    with path.open("rb") as file:
        while position < total:
            file.seek(position)
            raw = file.read(size)
            final = position + len(raw) == total
            chunk = np.frombuffer(raw, dtype=np.uint8)
            newline = outside = chunk == _NEWLINE
            inner = (
                not found.unsure and b'"' in raw and b"\n" in b"".join(raw.split(b'"')[1::2])
            )  # a line end within quotes
            last = raw.rfind(b"\n")
            if inner:
                outside = newline & (np.cumsum(chunk == _QUOTE, dtype=np.uint8) & 1 == 0)
                last = int(np.flatnonzero(outside)[-1]) if outside.any() else -1
            length = len(raw) if final else last + 1
            if not length and not found.unsure:
                size *= 2  # one record longer than the piece
                found.unsure = size > _LONG_RECORD
                continue
            length = length or len(raw)
            first = raw.find(b"\n", 0, length)
            line_end = position + (length if first < 0 else first)
            if line_end - line_start > _LONG_LINE and (first >= 0 or final):
                found.long_lines.append(LongLine(line_start, line_end, found.newlines + 1))
            if first >= 0:
                line_start = position + raw.rfind(b"\n", 0, length) + 1
            if inner and columns > 1:
                ends, lines = np.flatnonzero(outside[:length]), np.flatnonzero(newline[:length])
                if last != length - 1:
                    ends = np.append(ends, length)
                found.swallows += _swallows(chunk[:length], ends, lines, position, found.newlines, delimiter, columns)
            lines_here = int(np.count_nonzero(newline[:length]))
            found.newlines += lines_here
            found.records += int(np.count_nonzero(outside[:length])) if inner else lines_here
            found.records += last != length - 1  # the last record of a file may lack its line end
            if b"\r" in raw:
                returns = chunk[:length] == _RETURN
                paired = int(np.count_nonzero(returns[:-1] & newline[1:length]))
                found.with_return += paired
                found.lone_returns |= int(np.count_nonzero(returns)) > paired
            found.underscores += raw[:length].count(b"_") if b"_" in raw else 0
            found.nuls += raw[:length].count(0) if 0 in raw else 0
            if not found.not_utf8 and (not raw.isascii() or decoder.getstate()[0]):
                try:
                    decoder.decode(raw[:length], final)
                except UnicodeDecodeError:
                    found.not_utf8 = True
            position += length
            size = _PIECE
    return found


def _swallows(
    chunk: Bytes, ends: Days, newlines: Days, offset: int, lines_before: int, delimiter: str, columns: int
) -> list[Swallow]:
    """Records of several lines, each of which splits into the header's number of fields by itself."""
    line_ends = newlines if len(newlines) and newlines[-1] == len(chunk) - 1 else np.append(newlines, len(chunk))
    line_starts = _starts(line_ends)
    delimiters = np.flatnonzero(chunk == ord(delimiter))
    fields = np.searchsorted(delimiters, line_ends) - np.searchsorted(delimiters, line_starts) + 1
    starts = _starts(ends)
    first_line = np.searchsorted(line_starts, starts)
    lines = np.diff(np.append(first_line, len(line_starts)))
    whole = np.logical_and.reduceat(fields == columns, first_line)
    return [
        Swallow(
            offset + int(starts[i]),
            offset + int(ends[i]),
            lines_before + int(first_line[i]) + 1,
            chunk[starts[i] : line_ends[first_line[i]]].tobytes().decode("utf-8", "replace").rstrip("\r"),
        )
        for i in np.flatnonzero(whole & (lines > 1))
    ]


def has_long_line(path: Path) -> bool:
    """Whether a line is longer than can be read whole; looks at the file here and there only."""
    block, look = _LONG_LINE // 2, 1 << 12
    with path.open("rb") as file:
        for position in range(0, path.stat().st_size, block):
            file.seek(position)
            whole = b"\n" not in file.read(look) and b"\n" not in (rest := file.read(block - look))
            if whole and len(rest) == block - look:  # a whole block of one line
                return True
    return False


def _copied(
    path: Path, target: Path, parts: Sequence[tuple[int, int]], change: Callable[[BinaryIO, int], bytes]
) -> None:
    """A copy of a file in which some parts are replaced by what `change` makes of them, given their size."""
    with path.open("rb") as old, target.open("wb") as new:
        for start, end in (*parts, (path.stat().st_size, -1)):
            while left := start - old.tell():
                new.write(old.read(min(_CHUNK, left)))
            if end >= 0:
                new.write(change(old, end - start))


def mask_swallows(path: Path, target: Path, swallows: list[Swallow]) -> None:
    """A copy in which each swallowed record is one field in quotes, which the engine refuses, all else in place."""

    def masked(file: BinaryIO, size: int) -> bytes:
        body = file.read(size)
        cover = bytearray(c if c in (_NEWLINE, _RETURN) else ord("x") for c in body)
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
            piece = file.read(min(_CHUNK, left))
            left -= len(piece)
            quotes += piece.count(b'"')
            parted |= delimiter.encode() in piece
        middle = b"..." + b'"' * (quotes % 2) + delimiter.encode() * (columns * parted)
        return start + middle + file.read(_KEPT)

    _copied(path, target, [(line.start, line.end) for line in lines], shortened)


class Places(NamedTuple):
    """For every record its first byte, its physical line (from 1), and whether it is empty."""

    starts: Days
    lines: Days
    empties: NDArray[np.bool_]

    def filled_below(self, skip: int) -> int:
        """The records that are not empty, but for the first few."""
        return int(np.count_nonzero(~self.empties[skip:]))


def record_places(path: Path) -> Places:
    """Where the records of a file lie, by its bytes: every quote taken to open or close a field."""
    starts, lines, empties = [], [], []
    line = 1
    for offset, chunk, ends, newlines in _chunks(path):
        first = _starts(ends)
        starts.append(first + offset)
        lines.append(np.searchsorted(newlines, first) + line)
        empties.append(_empties(chunk, ends))
        line += len(newlines)
    return Places(np.concatenate(starts), np.concatenate(lines), np.concatenate(empties))


def walk(path: Path, delimiter: str, columns: int, name: str) -> tuple[Scan, Places]:
    """The same as `scan` and `record_places`, by Python's own reader: the slow second opinion.

    It tells a quote within a field from one that opens it, which the bytes alone do not.
    """
    found = Scan()
    raw: list[bytes] = []
    held = 0
    starts, lines, empties = array("q"), array("q"), bytearray()

    def texts() -> Iterator[str]:
        nonlocal held
        with path.open("rb") as file:
            for line in file:
                raw.append(line)
                held += len(line)
                if held > _ENDLESS:
                    raise IntakeError(
                        f"{name}, line {found.newlines + 1:,}: {raw[0][:60].decode('utf-8', 'replace')!r} - a stray "
                        f"quote seems to open a field that does not end within {_ENDLESS >> 20} MB"
                    )
                yield line.decode("utf-8", "replace")

    start = 0
    with fields_of_any_size():
        for row in csv.reader(texts(), delimiter=delimiter):
            starts.append(start)
            lines.append(found.newlines + 1)
            empties.append(not row)
            mark = delimiter.encode()
            if len(raw) > 1 and columns > 1 and all(line.count(mark) == columns - 1 for line in raw):
                size = sum(map(len, raw)) - (len(raw[-1]) - len(raw[-1].rstrip(b"\r\n")))
                text = raw[0].decode("utf-8", "replace").rstrip("\r\n")
                found.swallows.append(Swallow(start, start + size, found.newlines + 1, text))
            if len(raw) > found.longest[0]:
                found.longest = (len(raw), found.newlines + 1, raw[0].decode("utf-8", "replace").rstrip("\r\n"))
            start += sum(map(len, raw))
            found.newlines += len(raw)
            raw.clear()
            held = 0
    found.records = len(starts)
    return found, Places(np.array(starts), np.array(lines), np.frombuffer(empties, dtype=bool))
