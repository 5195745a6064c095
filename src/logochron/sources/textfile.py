"""A text file made ready for the engine: unpacked, in UTF-8, with one kind of line end, its dialect known."""

from __future__ import annotations

import codecs
import csv
import gzip
import io
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from logochron.core.errors import IntakeError, QuestionError
from logochron.sources.locate import Source, fresh

#: What text is taken for that is not UTF-8 and bears no mark.
OTHERWISE = "cp1252"
_CHUNK = 1 << 22
_SAMPLE = 1 << 18
_MARKS = (
    (codecs.BOM_UTF8, "utf-8-sig"),
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)
DELIMITERS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}


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
        The first rows, for recognising decimals and times.
    guesses
        What was recognised rather than stated.
    """

    source: Source
    path: Path
    header: tuple[str, ...]
    delimiter: str
    skip: int
    sample: tuple[tuple[str, ...], ...]
    guesses: tuple[str, ...]


def prepare(
    source: Source, folder: Path, delimiter: str | None, encoding: str | None, *, mend: bool, not_utf8: bool = False
) -> TextFile:
    """Recode a text file where need be, and look at it.

    A .gz is unpacked before: see `unpacked`.

    Parameters
    ----------
    mend, not_utf8
        What the scan of the bytes has found: several kinds of line ends, bytes that are not UTF-8.

    Raises
    ------
    IntakeError
        Where it is empty, in no readable encoding, or its delimiter is not to be told.
    """
    path = source.path
    if not path.stat().st_size:
        raise IntakeError(f"{source.name} is empty")
    stated, encoding = encoding, _encoding(path, encoding) if encoding or not not_utf8 else OTHERWISE
    if encoding not in ("utf-8", "utf-8-sig") or mend:
        target = fresh(folder, ".csv")
        _recode(source, path, target, encoding)
        path = target
    with path.open("rb") as file:
        raw = file.read(_SAMPLE)
    whole = len(raw) == path.stat().st_size
    text = raw.decode("utf-8", errors="replace").removeprefix("\ufeff")
    if whole and not text.strip():
        raise IntakeError(f"{source.name} holds only blank lines")
    chosen, delimiter_guess = _delimiter(source, text, whole, delimiter)
    rows = _rows(text, chosen, whole)
    filled = [i for i, row in enumerate(rows) if any(field.strip() for field in row)]
    if not filled:
        raise IntakeError(f"{source.name} holds only blank lines")
    header = tuple(rows[filled[0]])
    _check_header(source, header)
    sample = tuple(tuple(rows[i]) for i in filled[1:] if len(rows[i]) == len(header))
    return TextFile(
        source, path, header, chosen, filled[0] + 1, sample, (*_recoded(source, stated, encoding), *delimiter_guess)
    )


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
        with gzip.open(source.path, "rb") as packed, target.open("wb") as file:
            while chunk := packed.read(_CHUNK):
                file.write(chunk)
    except (EOFError, zlib.error, gzip.BadGzipFile) as error:
        raise IntakeError(f"{source.name} is no whole .gz file: {error}; fetch it again") from None
    return source._replace(path=target)


def _encoding(path: Path, stated: str | None) -> str:
    with path.open("rb") as file:
        start = file.read(4)
    marked = next((name for mark, name in _MARKS if start.startswith(mark)), None)
    if stated is not None:
        try:
            name = codecs.lookup(stated).name
        except LookupError:
            raise QuestionError(f"`encoding` names no encoding: {stated!r}; try utf-8 or cp1252") from None
        return (marked or name) if name.startswith("utf") else name
    if marked:
        return marked
    with path.open("rb") as file:
        try:
            codecs.getincrementaldecoder("utf-8")().decode(file.read(_SAMPLE))
        except UnicodeDecodeError:
            return OTHERWISE
    return "utf-8"  # the scan of the bytes finds where a later part is not


def _recoded(source: Source, stated: str | None, encoding: str) -> tuple[str, ...]:
    if stated is not None or encoding != OTHERWISE:
        return ()
    return (f"{source.name}: read as encoding {OTHERWISE}, since it is not UTF-8 (encoding= states it)",)


def _recode(source: Source, path: Path, target: Path, encoding: str) -> None:
    try:
        # universal newlines: every line end becomes a plain one
        with (
            path.open(encoding=encoding, newline=None) as old,
            target.open("w", encoding="utf-8", newline="") as new,
        ):
            while chunk := old.read(_CHUNK):
                new.write(chunk)
    except UnicodeError as error:
        raise IntakeError(
            f"{source.name} is not in encoding {encoding}: {error}; state the right one by encoding="
        ) from None


def _rows(text: str, delimiter: str, whole: bool) -> list[list[str]]:
    """The records of a sample; the last, which may be cut, only where the sample is the whole file."""
    rows: list[list[str]] = []
    reader: Iterator[list[str]] = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
    try:
        for row in reader:
            rows.append(row)
            if len(rows) > 1000:
                break
    except csv.Error:
        pass
    return rows if whole or len(rows) > 1000 or len(rows) < 2 else rows[:-1]


def _delimiter(source: Source, text: str, whole: bool, stated: str | None) -> tuple[str, tuple[str, ...]]:
    if stated is not None:
        stated = {"tab": "\t", "\\t": "\t"}.get(stated, stated)
        if len(stated) != 1 or stated in '"\r\n':
            raise QuestionError(f"`delimiter` must be one character; got {stated!r}")
        return stated, ()
    if source.tabbed:
        return "\t", ()
    fitting: dict[str, float] = {}
    for candidate in DELIMITERS:
        widths = [len(row) for row in _rows(text, candidate, whole) if any(field.strip() for field in row)]
        if widths and widths[0] > 1:
            fitting[candidate] = sum(width == widths[0] for width in widths) / len(widths)
    best = max(fitting.values(), default=0)
    chosen = [candidate for candidate, part in fitting.items() if part == best]
    if not chosen:
        raise IntakeError(
            f"{source.name}: no delimiter found in its first lines; expected one of "
            f"{', '.join(DELIMITERS.values())} between at least two columns; state it by delimiter="
        )
    if len(chosen) > 1:
        # the same width in every row by several: the one that makes more columns of the header
        first_line = next(line for line in text.splitlines() if line.strip())
        counts = {candidate: first_line.count(candidate) for candidate in chosen}
        most = max(counts.values())
        chosen = [candidate for candidate in chosen if counts[candidate] == most]
        if len(chosen) > 1:
            raise IntakeError(
                f"{source.name}: its fields may be parted by {' or '.join(DELIMITERS[c] for c in chosen)}; "
                "state it by delimiter="
            )
    if chosen[0] == ",":
        return ",", ()
    return chosen[0], (f"{source.name}: fields parted by {DELIMITERS[chosen[0]]}s",)


def _check_header(source: Source, header: tuple[str, ...]) -> None:
    seen: set[str] = set()
    for place, name in enumerate(header, 1):
        if name and name in seen:
            places = [str(i) for i, other in enumerate(header, 1) if other == name]
            raise IntakeError(
                f"{source.name}: the header names {name!r} more than once (columns {' and '.join(places)}); "
                f"rename all but one"
            )
        seen.add(name)
        if place > 10_000:
            raise IntakeError(f"{source.name}: the header has more than 10,000 columns")
