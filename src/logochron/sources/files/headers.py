"""Headers, and what the first rows below them show."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from typing import NamedTuple

from logochron.core.errors import IntakeError, QuestionError, no_such

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
            raise QuestionError(f"`{option}`: {no_such('column', name, [n for n in header if n], where=source)}{hint}")
        if len(places) > 1:
            named = " and ".join(f"{header[i]!r} (column {i + 1})" for i in places)
            raise IntakeError(f"{source}: the header names {name!r} more than once: {named}; rename all but one")
        if header[places[0]] != name and name not in at:
            guesses.append(f"{source}: column {header[places[0]]!r} taken for {name!r}")
        at[name] = places[0]
    return Placed(at, tuple(guesses))


class SampleColumn(NamedTuple):
    """A column as its first rows show it: the filled texts; `kind` is what its type says, or ``text``."""

    name: str
    texts: tuple[str, ...]
    kind: str = "text"
