"""A text file made ready for the engine: unpacked, in UTF-8, with one kind of line end, its dialect known."""

from __future__ import annotations

import codecs
import csv
import gzip
import io
import re
import sys
import zlib
from collections import Counter
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

from logochron.core.errors import IntakeError, QuestionError, brief
from logochron.core.said import Joined, Said, either
from logochron.options import Reading
from logochron.sources.files.find_files import Source, fresh
from logochron.sources.files.headers import (
    SampleColumn,
    TwoHeaders,
    filled,
    find_header,
    holds,
    joined_names,
    stated_lines,
    two_headers,
    unnamed,
)
from logochron.sources.rolled_source import FIRST_ROWS

#: What text is taken for that is not UTF-8 and bears no mark.
OTHERWISE = "cp1252"
_CHUNK = 1 << 22
_SAMPLE = 1 << 18
#: So many bytes at either end are looked at for words of totals: those that stand within labels, and those alone.
_ENDS = 1 << 20
_WITHIN = (b"total", b"summe", b"gesamt", b"ergebnis", b"somme", b"totaal", b"overall")
_ALONE = (b"sum", b"all", b"suma", b"alle")
_MOST_COLUMNS = 10_000
#: Past this size a .gz may not be more than so many times its packed size.
_MOST_UNPACKED, _MOST_TIMES = 1 << 28, 200
_MARKS = (
    (codecs.BOM_UTF8, "utf-8-sig"),
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)
_SIGNATURES = {
    b"\x89PNG": Said("a picture"),
    b"\xff\xd8\xff": Said("a picture"),
    b"GIF8": Said("a picture"),
    b"%PDF": Said("a PDF document"),
    b"PK\x03\x04": Said("a packed file or a workbook: give it its ending, .xlsx for a workbook"),
    b"\xd0\xcf\x11\xe0": Said("an old workbook: save it as .xlsx or .csv"),
    b"\x1f\x8b": Said("packed by gzip: give it the ending .gz"),
    b"PAR1": Said("a Parquet file: give it the ending .parquet"),
    b"SQLite": Said("a database"),
    b"\x7fELF": Said("a program"),
}
#: What stands for a NUL in the copy that is read.
NUL_SHOWN = "\u2400"
DELIMITERS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}
_SEVERAL = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars"}


class Mends(NamedTuple):
    """What of a file is to be mended in a copy: several kinds of line ends, bytes that are not UTF-8, NUL bytes."""

    line_ends: bool = False
    not_utf8: bool = False
    nuls: int = 0


NONE_KNOWN = Mends()


@dataclass(frozen=True)
class TextFile:
    """What the engine scans, and how.

    Attributes
    ----------
    path
        The file itself, or a copy in UTF-8 with plain line ends.
    header
        The column names.
    delimiter
        What parts the fields.
    skip
        Records before the first row: blank ones, and the header.
    sample
        The first rows, for recognising columns, decimals and times.
    guesses
        What was recognised rather than stated.
    maybe_totals
        Whether a label at either end of the file may call its row a total.
    headed
        Whether the first row names the columns.
    usual_fields
        How many fields most rows below the header have.
    """

    source: Source
    path: Path
    header: tuple[str, ...]
    delimiter: str
    skip: int
    sample: tuple[tuple[str, ...], ...]
    guesses: tuple[str, ...]
    maybe_totals: bool = False
    headed: bool = True
    usual_fields: int = 0

    def column(self, place: int) -> list[str]:
        """The fields of one column in the sample."""
        return [row[place] for row in self.sample]

    @property
    def hint(self) -> str:
        """What to say where a column is not there."""
        if self.usual_fields != len(self.header):
            return Said(
                ". Its header has {0} fields, most rows have {1}: mend one or the other",
                len(self.header),
                self.usual_fields,
            )
        return looks_headless(self.header) if self.headed else ""


def looks_headless(header: Sequence[str]) -> str:
    """What to say where a header looks like a record itself; nothing where it does not."""
    if not any(re.fullmatch(r"[+-]?\d[\d.,:/ T-]*", field.strip()) for field in header):
        return ""
    return Said(
        ". Its first row looks like a record: where there is no header, say header_row=0 (--header-row 0) and name "
        "the columns column_1, column_2, ..."
    )


def prepare(
    source: Source,
    folder: Path,
    stated: Reading,
    names: Sequence[str] = (),
    mends: Mends = NONE_KNOWN,
) -> TextFile:
    """Recode a text file where need be, and look at it.

    A .gz is unpacked before: see `unpacked`.

    Parameters
    ----------
    names
        The columns that are wanted, to find the header below a title.
    mends
        What the scan of the bytes has found.

    Raises
    ------
    IntakeError
        Where it is empty, in no readable encoding, or its delimiter is not to be told.
    """
    path = source.path
    if not path.stat().st_size:
        raise IntakeError("{0} is empty", source.name)
    with path.open("rb") as file:
        start = file.read(_SAMPLE)
    mends = mends._replace(line_ends=mends.line_ends or (b"\r" in start and b"\n" not in start))
    recode = stated.encoding or not mends.not_utf8
    encoding = encoding_of(source, path, stated.encoding) if recode else OTHERWISE
    if encoding not in ("utf-8", "utf-8-sig") or mends.line_ends or mends.nuls:
        target = fresh(folder, ".csv")
        _recode(source, path, target, encoding)
        path = target
    with path.open("rb") as file:
        raw = file.read(_SAMPLE)
    whole = len(raw) == path.stat().st_size
    text = raw.decode("utf-8", errors="replace").removeprefix("\ufeff")
    if whole and not text.strip():
        raise IntakeError("{0} holds only blank lines", source.name)
    if not whole and "\n" not in text:
        raise IntakeError(
            "{0}: its first line has more than {1:,} bytes: this is no table with a header", source.name, _SAMPLE
        )
    chosen, delimiter_guess = _delimiter(source, text, whole, stated.delimiter, names)
    rows, lines = _rows(text, chosen, whole)
    full = [i for i, row in enumerate(rows) if filled(row)]
    if not full:
        raise IntakeError("{0} holds only blank lines", source.name)
    header_lines = stated_lines(stated.header_row)
    at, guesses = _header_place(source, [rows[i] for i in full], [lines[i] for i in full], names, header_lines)
    headed = at >= 0
    header = tuple(rows[full[at]]) if headed else unnamed(_usual_width(rows))
    both = _both_headers([rows[i] for i in full], at, header_lines)
    if both is not None:
        at, header = both.at + 1, tuple(both.names)
        first, second = lines[full[both.at]], lines[full[at]]
        guesses = (
            Said(
                "{0}: headers taken from lines {1} and {2} (header_row=({1}, {2}), --header-row {1},{2})",
                source.name,
                first,
                second,
            ),
        )
    _check_header(source, header)
    below = [rows[i] for i in full[at + 1 :]]
    usual = _usual_width(below) if below else len(header)
    if usual > len(header) and not any(filled(row[len(header) :]) for row in below):
        header += ("",) * (usual - len(header))  # every row ends in a delimiter, the header does not
    sample = tuple(tuple(row) for row in below if len(row) == len(header))
    skip = full[at] + 1 if headed else 0
    if mends.nuls:
        guesses += (Said("{0}: {1:,} NUL bytes, shown as {2}", source.name, mends.nuls, NUL_SHOWN),)
    return TextFile(
        source,
        path,
        header,
        chosen,
        skip,
        sample,
        (*_recoded(source, stated.encoding, encoding), *delimiter_guess, *guesses),
        _maybe_totals(path, chosen, skip),
        headed,
        usual,
    )


def _both_headers(rows: list[list[str]], at: int, stated: tuple[int, ...]) -> TwoHeaders | None:
    """Two rows of headers, as stated or recognised; None where there is one."""
    if len(stated) > 1:
        return TwoHeaders(at, joined_names(rows[at], rows[at + 1]))
    return None if stated else two_headers(rows, at)


def _usual_width(rows: Sequence[Sequence[str]]) -> int:
    return Counter(len(row) for row in rows if filled(row)).most_common(1)[0][0]


def _header_place(
    source: Source, rows: list[list[str]], lines: list[int], names: Sequence[str], stated: tuple[int, ...]
) -> tuple[int, tuple[str, ...]]:
    """The place of the (first) header among filled rows, -1 for none, and what was recognised."""
    if absent := [line for line in stated if line and line not in lines]:
        raise QuestionError(
            "`header_row`: no record of {0} starts on line {1} (looked at up to line {2})",
            source.name,
            brief(absent[0]),
            lines[-1],
        )
    if stated:
        return lines.index(stated[0]) if stated[0] else -1, ()
    at = find_header(rows, names)
    return at, (Said("{0}: header taken from line {1} (header_row= states it)", source.name, lines[at]),) if at else ()


def _maybe_totals(path: Path, delimiter: str, skip: int) -> bool:
    """Whether a word for totals stands below the header, at either end of a large file."""
    alone = re.compile(rb"(?:^|[\n\"%b])(?:%b)(?:$|[\r\n\"%b])" % (re.escape(delimiter.encode()), b"|".join(_ALONE),
                                                                re.escape(delimiter.encode())))  # fmt: skip
    with path.open("rb") as file:
        for _ in range(skip):
            file.readline(_SAMPLE)
        for start in dict.fromkeys((file.tell(), max(file.tell(), path.stat().st_size - _ENDS))):
            file.seek(start)
            folded = file.read(_ENDS).lower()
            if any(word in folded for word in _WITHIN):
                return True
            before = (delimiter.encode(), b"\n", b'"')
            met = any(sign + word in folded for word in _ALONE for sign in before) or folded.startswith(_ALONE)
            if met and alone.search(folded):
                return True
    return False


def unpacked(source: Source, folder: Path) -> Source:
    """The source itself, or unpacked from its .gz, length and checksum verified by the way.

    Raises
    ------
    IntakeError
        Where the .gz is cut short or none.
    """
    if not source.packed:
        return source
    target = fresh(folder, Path(source.path.stem).suffix)
    try:
        with source.path.open("rb") as raw, gzip.GzipFile(fileobj=raw) as packed, target.open("wb") as file:
            size = 0
            while chunk := packed.read(_CHUNK):
                size += len(chunk)
                if size > max(_MOST_UNPACKED, _MOST_TIMES * raw.tell()):
                    raise IntakeError(
                        "{0} unpacks to over {1} times its size (so far {2:,} MB): hardly a table; unpack it "
                        "yourself if it is one",
                        source.name,
                        _MOST_TIMES,
                        size >> 20,
                    )
                file.write(chunk)
    except (EOFError, zlib.error, gzip.BadGzipFile) as error:
        raise IntakeError("{0} is no whole .gz file: {1}; fetch it again", source.name, error) from None
    return source._replace(path=target)


def encoding_of(source: Source, path: Path, stated: str | None) -> str:
    """The encoding of a text file: as stated, by its mark, or by its first bytes.

    Raises
    ------
    IntakeError
        Where the file is no text at all.
    QuestionError
        Where the stated encoding is none.
    """
    with path.open("rb") as file:
        start = file.read(_SAMPLE)
    for signature, what in _SIGNATURES.items():
        if start.startswith(signature):
            raise IntakeError("{0} is no text: by its first bytes it is {1}", source.name, what)
    marked = next((name for mark, name in _MARKS if start.startswith(mark)), None)
    if stated is not None:
        try:
            name = codecs.lookup(stated).name
            with suppress(UnicodeError):
                b" ".decode(name)  # some codecs are of no text
        except (LookupError, ValueError):
            raise QuestionError("`encoding` names no encoding: {0!r}; try utf-8 or cp1252", stated) from None
        return (marked or name) if name.startswith("utf") else name
    if marked:
        return marked
    nuls = start.count(0)
    if nuls * 3 > len(start):  # UTF-16 without its mark: every other byte of plain letters is 0
        return "utf-16-le" if start[1::2].count(0) > start[::2].count(0) else "utf-16-be"
    strange = sum(start.count(byte) for byte in range(1, 32) if byte not in b"\t\n\v\f\r\x1a\x1b")
    if (nuls + strange) * 20 > len(start):
        raise IntakeError(
            "{0} is no text: {1:,} of its first {2:,} bytes are no letters", source.name, nuls + strange, len(start)
        )
    try:
        codecs.getincrementaldecoder("utf-8")().decode(start)
    except UnicodeDecodeError:
        return OTHERWISE
    return "utf-8"  # the scan of the bytes finds where a later part is not


def _recoded(source: Source, stated: str | None, encoding: str) -> tuple[str, ...]:
    if stated is not None or encoding != OTHERWISE:
        return ()
    return (Said("{0}: read as encoding {1}, since it is not UTF-8 (encoding= states it)", source.name, OTHERWISE),)


def _recode(source: Source, path: Path, target: Path, encoding: str) -> None:
    try:
        # universal newlines: every line end becomes a plain one
        with (
            path.open(encoding=encoding, newline=None) as old,
            target.open("w", encoding="utf-8", newline="") as new,
        ):
            while chunk := old.read(_CHUNK):
                new.write(chunk.replace("\0", NUL_SHOWN))
    except UnicodeError as error:
        raise IntakeError(
            "{0} is not in encoding {1}: {2}; state the right one by encoding=", source.name, encoding, error
        ) from None


@contextmanager
def fields_of_any_size() -> Iterator[None]:
    """Python's reader takes fields of any size."""
    limit = csv.field_size_limit(sys.maxsize)
    try:
        yield
    finally:
        csv.field_size_limit(limit)


def _rows(text: str, delimiter: str, whole: bool) -> tuple[list[list[str]], list[int]]:
    """The records of a sample and the lines they start on; the last only where it cannot be cut."""
    rows: list[list[str]] = []
    lines: list[int] = []
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
    line = 1
    with fields_of_any_size(), suppress(csv.Error):
        for row in reader:
            rows.append(row)
            lines.append(line)
            line = reader.line_num + 1
            if len(rows) > FIRST_ROWS:
                break
    if whole or len(rows) > FIRST_ROWS or len(rows) < 2:
        return rows, lines
    return rows[:-1], lines[:-1]


def _delimiter(
    source: Source, text: str, whole: bool, stated: str | None, names: Sequence[str]
) -> tuple[str, tuple[str, ...]]:
    if stated is not None:
        stated = {"tab": "\t", "\\t": "\t"}.get(stated, stated)
        if len(stated) != 1 or stated in '"\r\n' or "\ud800" <= stated <= "\udfff":
            raise QuestionError("`delimiter` must be one character; got {0}", brief(stated))
        return stated, ()
    if source.tabbed:
        return "\t", ()
    fitting: dict[str, float] = {}
    widths: dict[str, int] = {}
    for candidate in filter(text.__contains__, DELIMITERS):
        rows = [row for row in _rows(text, candidate, whole)[0] if filled(row)]
        header = rows[find_header(rows, names)] if rows else []
        if len(header) > 1:
            widths[candidate] = len(header)
            # one that parts all wanted names is the one
            named = bool(names) and holds(header, names)
            fitting[candidate] = named + sum(len(row) == len(header) for row in rows) / len(rows)
    best = max(fitting.values(), default=0)
    chosen = [candidate for candidate, part in fitting.items() if part == best]
    if not chosen:
        raise IntakeError(
            "{0}: no delimiter found in its first lines; expected one of {1} between at least "
            "two columns; state it by delimiter=",
            source.name,
            Joined(map(Said, DELIMITERS.values())),
        )
    if len(chosen) > 1:
        # the same width in every row by several: the one that makes more columns of the header
        most = max(widths[candidate] for candidate in chosen)
        chosen = [candidate for candidate in chosen if widths[candidate] == most]
        if len(chosen) > 1:
            raise IntakeError(
                "{0}: its fields may be separated by {1}; state it by delimiter=",
                source.name,
                either(Said(DELIMITERS[c]) for c in chosen),
                remedies=[{"delimiter": {"\t": "tab"}.get(one, one)} for one in chosen],
            )
    if chosen[0] == ",":
        return ",", ()
    return chosen[0], (Said("{0}: fields separated by {1}", source.name, Said(_SEVERAL[chosen[0]])),)


def _check_header(source: Source, header: tuple[str, ...]) -> None:
    if len(header) > _MOST_COLUMNS:
        raise IntakeError("{0}: the header has more than {1:,} columns", source.name, _MOST_COLUMNS)


def sample_of_text(text: TextFile) -> list[SampleColumn]:
    """The columns of a text file.

    Raises
    ------
    IntakeError
        Where no row has as many fields as the header.
    """
    if not text.sample and text.usual_fields != len(text.header):
        raise IntakeError("{0} has no row like its header{1}", text.source.name, text.hint)
    return fields_of_text(text)


def fields_of_text(text: TextFile) -> list[SampleColumn]:
    """The columns of a text file with the filled fields of its first rows."""
    return [SampleColumn(name, tuple(filter(str.strip, text.column(i)))) for i, name in enumerate(text.header)]
