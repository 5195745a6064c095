"""Notes on rows: codes with their arguments; the text is made where people read it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple, overload

import numpy as np
from numpy.typing import NDArray

from logochron.core.said import Said

#: What each code says; its arguments stand for the braces.
TEXTS = {
    "new": "new",
    "ended": "ended",
    "none in base": "none in base",
    "none now": "none now",
    "none in both": "none in both",
    "negative base": "negative base",
    "negative items": "negative items",
    "not comparable": "not comparable",
    "not recorded": "not recorded",
    "no units": "no {}",
    "no trading days": "no trading days",
    "no selling days": "no selling days",
    "selling days": "{} selling days against {}",
    "no quantity": "no quantity",
    "leap day": "leap day",
    "no week 53": "no week 53 in {}",
    "against the whole year": "against the whole year",
    "shared days": "shared days",
    "weeks": "{} weeks against {}",
    "taken as complete": "taken as complete to {}",
    "no base: records start": "no base: the records start on {}",
    "no base: records end": "no base: the records end on {}",
    "no base: plan starts": "no base: the plan starts on {}",
    "no base: plan ends": "no base: the plan ends on {}",
    "no base: not planned": "no base: the plan has no {}",
    "no base: plan of others": "no base: the plan is of {}",
    "no base: of no such period": "no base: {} names no {}",
    "no base: uncut": "no base: records of {} cannot be cut",
    "no base: units": "no base: no {}",
    "no base: not listed": "no base: the calendar lists none{}",
    "no base: cut by the list": "no base: the calendar starts within {}",
    "no base: no such place": "no base: no {} {} in {}",
    "no base: other place": "no base: {} is at another place of its {}",
    "no plan: plan starts": "no plan: it starts on {}",
    "no plan: plan ends": "no plan: it ends on {}",
    "no plan: not planned": "no plan: it has no {}",
    "no plan: plan of others": "no plan: it is of {}",
    "no estimate: to date": "no estimate: nothing above 0 to date",
    "no estimate: share": "no estimate: the usual share by now is 0",
    "no estimate: history": "no estimate: no complete {} before",
    "no estimate: base": "no estimate: no base",
    "no estimate: weeks": "no estimate: no {} whole weeks before",
    "rough range": "rough range (past periods: {})",
    "no range": "no range (past periods: {})",
    "left out": "left out (past periods not above 0: {})",
    "spread evenly": "the rest is spread evenly: no base",
    "no base: no recorded day": "no base: no day before has records",
}


#: Codes whose arguments are words of ours: grains, their plurals.
_OF_OUR_WORDS = frozenset(
    {
        *("no base: uncut", "no base: no such place", "no base: other place", "no base: of no such period"),
        *("no estimate: history", "no estimate: weeks"),
    }
)


class Note(NamedTuple):
    """One note: its code, and what stands for the braces of its text.

    >>> str(Note("weeks", (5, 4)))
    '5 weeks against 4'
    """

    code: str
    args: tuple[Any, ...] = ()

    def __str__(self) -> str:
        return str(self.said)

    @property
    def said(self) -> Said:
        """Its text, which can be said in other languages."""
        args = (Said(arg) if self.code in _OF_OUR_WORDS and isinstance(arg, str) else arg for arg in self.args)
        return Said(TEXTS[self.code], *args)


class Noted(NamedTuple):
    """A note and the rows it holds for. An argument is one for all rows, or an array of one for each."""

    rows: NDArray[np.bool_]
    code: str
    args: tuple[Any, ...] = ()

    def at(self, rows: NDArray[np.int64]) -> Noted:
        """The same of some of the rows."""
        return Noted(self.rows[rows], self.code, tuple(a[rows] if isinstance(a, np.ndarray) else a for a in self.args))


def text_of(notes: tuple[Note, ...]) -> str:
    """The notes of a row as its column `note` has them.

    >>> text_of((Note("new"), Note("no units", ("units",))))
    'new; no units'
    """
    return "; ".join(map(str, notes))


def note_of(notes: tuple[Note, ...], code: str) -> Note | None:
    """The note of a code among those of a row, if it bears one."""
    return next((note for note in notes if note.code == code), None)


class NoteTable:
    """All different sets of notes that the rows of an answer bear: a row keeps the place of its own."""

    def __init__(self) -> None:
        self.known: list[tuple[Note, ...]] = [()]
        self._places: dict[tuple[Note, ...], int] = {(): 0}

    def place(self, notes: tuple[Note, ...]) -> int:
        """The place of a set of notes, a new one where it is not known yet."""
        place = self._places.setdefault(notes, len(self.known))
        if place == len(self.known):
            self.known.append(notes)
        return place


class NoteTexts(Sequence[str]):
    """The texts of a table of notes, those of rows that are worked out later among them."""

    def __init__(self, table: NoteTable) -> None:
        self._table = table

    @overload
    def __getitem__(self, place: int) -> str: ...
    @overload
    def __getitem__(self, place: slice) -> Sequence[str]: ...
    def __getitem__(self, place: int | slice) -> str | Sequence[str]:
        if isinstance(place, slice):
            return [text_of(notes) for notes in self._table.known[place]]
        return text_of(self._table.known[place])

    def __len__(self) -> int:
        return len(self._table.known)


class RowNotes:
    """Notes gathered for rows, in the order they are added."""

    def __init__(self, table: NoteTable, shape: tuple[int, ...]) -> None:
        self.table = table
        self.places: NDArray[np.int32] = np.zeros(shape, dtype=np.int32)

    def add(self, rows: NDArray[np.bool_], code: str, *args: Any) -> None:
        """Adds a note to the rows given; both the rows and the arguments may be of any shape that fits."""
        rows = np.broadcast_to(rows, self.places.shape)
        if not rows.any():
            return
        arrays = [np.broadcast_to(arg, rows.shape)[rows] for arg in args if isinstance(arg, np.ndarray)]
        key = self.places[rows].astype(np.int64)
        for array in arrays:
            _, codes = np.unique(array.astype(str) if array.dtype == object else array, return_inverse=True)
            key = key * (int(codes.max()) + 1) + codes
        _, first, inverse = np.unique(key, return_index=True, return_inverse=True)
        olds = self.places[rows][first]
        places = np.empty(len(first), dtype=np.int32)
        for i, (old, row) in enumerate(zip(olds.tolist(), first.tolist())):  # a few kinds, not rows
            taken = iter(arrays)
            filled = tuple(next(taken)[row] if isinstance(arg, np.ndarray) else arg for arg in args)
            places[i] = self.table.place((*self.table.known[old], Note(code, tuple(map(_plain, filled)))))
        self.places[rows] = places[inverse]

    def add_all(self, notes: tuple[Noted, ...]) -> None:
        """Adds notes on whole periods, the first axis."""
        for rows, code, args in notes:
            columns = (arg[:, None] if isinstance(arg, np.ndarray) else arg for arg in args)
            self.add(rows[:, None], code, *columns)


def _plain(arg: Any) -> Any:
    """An argument as Python has it, so that equal notes are equal."""
    return arg.item() if isinstance(arg, np.generic) else arg
