"""A table that is rolled up where it lies, by a database or a cluster: what it is asked, what it gives."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any, Literal, NamedTuple, Protocol

from numpy.typing import NDArray

from logochron.core.book.filters import Condition
from logochron.sources.engine.connection import Progress

#: What a column holds; ``loose``: each field what it likes; ``other``: nothing that can be summed or dated.
Kind = Literal["text", "day", "moment", "zoned", "whole", "decimal", "float", "loose", "other"]
#: The kinds that can be summed where they lie.
SUMMED = ("whole", "decimal", "float", "loose")


class SourceColumn(NamedTuple):
    """A column: its name, what it holds, what its type is called there, its decimals and its zone where known."""

    name: str
    kind: Kind
    written: str
    scale: int | None = None
    zone: str = ""


class Addend(NamedTuple):
    """What is summed: the place of its column (none: the records themselves), at a scale or as doubles, of which rows.

    `taken`: conditions by the places of columns.
    """

    place: int | None
    scale: int | None
    taken: tuple[tuple[int, Condition], ...] = ()


class GroupsWanted(NamedTuple):
    """What a table is asked to roll up; columns by their places.

    Attributes
    ----------
    labels, where
        The columns to split by, and the conditions on rows.
    named
        Columns and labels whose records are counted.
    cut, zone
        Whether a text loses its time where that is sure, and the zone of instants.
    apart
        Whether different amounts make different groups.
    """

    date: int
    labels: tuple[int, ...]
    where: tuple[tuple[int, Condition], ...]
    numbers: tuple[Addend, ...]
    named: tuple[tuple[int, str], ...]
    empty_is_zero: bool
    cut: bool
    zone: str
    apart: bool = False


class FlawedRow(NamedTuple):
    """A row that cannot be read: its key (none: 0), its date for judging and as it stands, and its amounts as text.

    `flaws`: which of the amounts cannot be read; `keep`: whether the conditions keep it.
    """

    key: int
    date: Any
    date_text: str
    keep: bool
    amounts: tuple[str, ...]
    flaws: tuple[bool, ...]


class Elsewhere(Protocol):
    """A table that lies elsewhere."""

    progress: Progress | None  # is told now and then while it works

    @property
    def name(self) -> str:
        """What messages call it; never with a name of a user or a password."""

    @property
    def columns(self) -> Sequence[SourceColumn]:
        """Its columns."""

    @property
    def key(self) -> str:
        """The column of whole numbers that tells its rows apart; empty where there is none."""

    @property
    def exact_kinds(self) -> Sequence[Kind]:
        """The kinds of which it adds up whole units exactly, however large."""

    def decimals(self, place: int) -> int:
        """How many decimals a column of doubles seems to have; a guess."""

    def sample(self, rows: int) -> list[tuple[str | None, ...]]:
        """The first rows as texts."""

    def roll_up(self, asked: GroupsWanted) -> dict[str, NDArray[Any]]:
        """The groups: `d` (texts, or day numbers with `NO_DAY`), `keep`, a label `h` each, `n`, `bad`, `q` each.

        Of each number: `s` and `size` (in whole units where it has a scale), `finer` (how many are no whole units),
        `odd` (how many are texts), `empty` (how many are taken as 0), `below` (how many are negative),
        and `a`, the amount itself, where they are apart.
        """

    def ids(self, asked: GroupsWanted, place: int, taken: Sequence[tuple[int, Condition]]) -> dict[str, NDArray[Any]]:
        """The ids of a column by date and labels, with the number of their records: `d`, `h` each, `id`, `n`."""

    def flawed(self, asked: GroupsWanted, undated: NDArray[Any]) -> Iterator[FlawedRow]:
        """Rows of the dates given, blank ones left out, and kept ones with an unreadable amount."""

    def blank(self) -> int:
        """How many rows are empty in every field."""

    def labels(self, place: int) -> list[str]:
        """The first of the different texts of a column."""

    def bring(self, places: Sequence[int], asked: GroupsWanted) -> Iterator[list[NDArray[Any]]]:
        """All records of some columns, part by part: days as numbers, all else as texts (None: unknown).

        The key is the last of each part where the table has one.
        """

    def signs(self, asked: GroupsWanted) -> list[tuple[int, int, float]]:
        """Of each number that has a column how many amounts are 0, how many negative, and the lowest."""

    def same_rows(self) -> int:
        """How many rows are the same as one before them in every field."""


def by_place(conditions: Sequence[Condition], at: Mapping[str, int]) -> tuple[tuple[int, Condition], ...]:
    """Conditions with the places of their columns."""
    return tuple((at[condition.column], condition) for condition in conditions)
