"""Headers, and what the first rows below them show."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from typing import NamedTuple

from logochron.core.calendars.written_names import read_label
from logochron.core.errors import IntakeError, QuestionError, instead, no_such
from logochron.core.said import Said, both
from logochron.core.total_labels import item_totalled
from logochron.sources.values.amounts import is_amount
from logochron.sources.values.date_parts import BETWEEN
from logochron.sources.values.dates import names_a_day

#: How many rows at the top are looked at for the header.
TOP = 60


def fold(name: str) -> str:
    """A name without what people do not see or mind: case, spaces at the ends, `_` for a space."""
    return " ".join(name.replace("_", " ").split()).casefold()


def filled(row: Sequence[str]) -> int:
    """How many fields of a row hold anything."""
    return sum(map(bool, map(str.strip, row)))


def holds(row: Sequence[str], names: Sequence[str], seen: Callable[[str], str] = fold) -> bool:
    """Whether a row holds all names, compared as `seen`."""
    return {seen(name) for name in names} <= {seen(field) for field in row}


def find_header(rows: Sequence[Sequence[str]], names: Sequence[str]) -> int:
    """The place of the header among the first rows: the row that holds the names, else the first as full as most.

    Parameters
    ----------
    names
        The columns that are wanted; none where they are to be guessed.
    """
    top = rows[:TOP]
    for seen in (str, fold):
        for place, row in enumerate(top):
            if names and holds(row, names, seen):
                return place
    full = [row for row in rows if filled(row)]
    if not full:
        return 0
    fields, usual = (_most_common(map(count, full)) for count in (len, filled))
    fitting = [i for i, row in enumerate(top) if 2 * filled(row) >= usual and filled(row) >= min(usual, 2)]
    return next((i for i in fitting if len(top[i]) == fields), fitting[0] if fitting else 0)


def stated_lines(header_row: int | Sequence[int] | None) -> tuple[int, ...]:
    """The lines of the header that are stated: none, one (0: there is no header), or two that follow each other."""
    if header_row is None:
        return ()
    return tuple(header_row) if isinstance(header_row, Sequence) else (header_row,)


class TwoHeaders(NamedTuple):
    """Two rows of headers as one: the place of the first among the rows, and the names."""

    at: int
    names: list[str]


def two_headers(rows: Sequence[Sequence[str]], at: int) -> TwoHeaders | None:
    """Two rows of headers where the one at a place is one of them: years above months, periods above measures.

    None where there is only one. They are told by their words: two columns at least are periods by both together.
    """
    for first in (at - 1, at):
        if 0 <= first < len(rows) - 1 and (names := _periods_of_both(rows[first], rows[first + 1])):
            return TwoHeaders(first, names)
    return None


def _periods_of_both(upper: Sequence[str], lower: Sequence[str]) -> list[str] | None:
    """The names that two rows make together; None where they are no headers of periods."""
    above = [field for field in upper if field.strip()]
    # a row of data has numbers; what may be a year is looked at by its name
    if len(above) < 2 or any(_NUMBER.fullmatch(field) and not _YEAR.fullmatch(field.strip()) for field in lower):
        return None
    if not any(any(map(str.isdigit, field)) for field in (*above, *lower)):
        return None
    names = joined_names(upper, lower)
    told = [name for name, field in zip(names, lower) if name != field.strip() and is_period(name)]
    return names if len(told) > 1 and sum(map(is_period, lower)) < len(lower) else None


_NUMBER = re.compile(r"[\s\d.,+-]*\d[\s\d.,+-]*")
_YEAR = re.compile(r"(?:19|20|21)\d\d(?:\d\d|-\d\d)?")


def is_period(name: str) -> bool:
    """Whether a name is that of a period, maybe with a measure."""
    return read_label(name.partition(BETWEEN)[0]) is not None


def joined_names(upper: Sequence[str], lower: Sequence[str]) -> list[str]:
    """The names of columns whose headers stand in two rows: what stands above holds until something else does."""
    width = max(len(upper), len(lower))
    names, above = [], ""
    for i in range(width):
        over, below = (row[i].strip() if i < len(row) else "" for row in (upper, lower))
        above = over or above
        names.append(_joined_name(above, below) if above and below else below or over)
    return names


def _joined_name(above: str, below: str) -> str:
    """One name of two: a period where they make one, a period and a measure, else both."""
    for name in (f"{below} {above}", f"{above} {below}", f"{above}-{below}"):
        if read_label(name) is not None:
            return name
    if read_label(above) is not None:
        return f"{above}{BETWEEN}{below}"
    return f"{below}{BETWEEN}{above}" if read_label(below) is not None else f"{above} {below}"


def _most_common(counts: Iterable[int]) -> int:
    """The number that occurs most, the largest of several."""
    counter = Counter(counts)
    return max(counter, key=lambda n: (counter[n], n))


def unnamed(columns: int) -> tuple[str, ...]:
    """The names of the columns of a table without a header.

    >>> unnamed(2)
    ('column_1', 'column_2')
    """
    return tuple(f"column_{i + 1}" for i in range(columns))


class Placed(NamedTuple):
    """For each wanted name its column, and what was taken for what."""

    at: dict[str, int]
    guesses: tuple[str, ...]


def place_columns(source: str, wanted: Sequence[tuple[str, str]], header: Sequence[str], hint: str = "") -> Placed:
    """Find the wanted columns in a header: as they are named, or but for case and spaces.

    Parameters
    ----------
    wanted
        Pairs of the option that names a column, and the name.
    hint
        What else to say where one is not there.

    Raises
    ------
    QuestionError
        Where there is none (the nearest is offered).
    IntakeError
        Where several columns bear the name.
    """
    written: dict[str, list[int]] = {}
    folded: dict[str, list[int]] = {}
    for i, name in enumerate(header):
        written.setdefault(name, []).append(i)
        folded.setdefault(fold(name), []).append(i)
    at: dict[str, int] = {}
    guesses = []
    for option, name in wanted:
        places = written.get(name) or folded.get(fold(name), [])
        if not places:
            known = [one for one in header if one]
            said = Said("`{0}`: {1}{2}", option, no_such("column", name, known, where=source), hint)
            raise QuestionError(said, remedies=instead(name, known))
        if len(places) > 1:
            named = both(Said("{0!r} (column {1})", header[i], i + 1) for i in places)
            raise IntakeError(
                "{0}: the header names {1!r} more than once: {2}; rename all but one", source, name, named
            )
        if header[places[0]] != name and name not in at:
            guesses.append(Said("{0}: column {1!r} taken for {2!r}", source, header[places[0]], name))
        at[name] = places[0]
    return Placed(at, tuple(guesses))


def may_be_grouped(columns: Sequence[Sequence[str]]) -> bool:
    """Whether the first rows of a table show a column of labels whose blanks follow a label.

    >>> may_be_grouped([["North", "", "South", ""], ["Alpha", "Beta", "Alpha", "Beta"]])
    True
    """
    return any(map(_shows_groups, columns))


def _shows_groups(fields: Sequence[str]) -> bool:
    first = fields[0].strip() if fields else ""
    if not first or all(map(str.strip, fields)):  # the cheap first: most columns have no blanks
        return False
    return not is_amount(first) and not names_a_day(first) and item_totalled(first) is None


class SampleColumn(NamedTuple):
    """A column as its first rows show it: the filled texts; `kind` is what its type says, or ``text``."""

    name: str
    texts: tuple[str, ...]
    kind: str = "text"
