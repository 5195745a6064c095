"""A table that is rolled up where it lies: one builder of what a database or a cluster is asked, for both.

What is asked is made of expressions of the library that answers, Narwhals or SQLAlchemy. Both know ``&``, ``|``, ``~``,
``==`` and ``<``; what each says in its own way are the abstract methods here.
"""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Iterator, Mapping, Sequence
from functools import reduce
from operator import and_, or_
from typing import Any, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.filters import Condition
from logochron.sources.duckdb.connection import Progress
from logochron.sources.values.labels import check_apart, spelled

#: What a column holds; ``loose``: each field what it likes; ``other``: nothing that can be summed or dated.
Kind = Literal["text", "day", "moment", "zoned", "whole", "decimal", "float", "loose", "other"]
#: The kinds that can be summed where they lie.
SUMMED = ("whole", "decimal", "float", "loose")
#: An expression of the library that answers; a condition may be None: it always holds.
Expr = Any
#: What comes of a group: how, and of which field.
Total = tuple[Literal["sum", "count", "min"], str]
#: So many rows that cannot be read, and different texts, are ever looked at.
_LISTED = 10_000


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


class GroupSpec(NamedTuple):
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

    def places(self, *more: int) -> tuple[int, ...]:
        """The places of the columns that are looked at."""
        conditions = [*self.where, *(pair for number in self.numbers for pair in number.taken)]
        amounts = [number.place for number in self.numbers if number.place is not None]
        named = [place for place, _ in (*conditions, *self.named)]
        return tuple(dict.fromkeys([self.date, *self.labels, *amounts, *named, *more]))


class FlawedRow(NamedTuple):
    """A row that cannot be read: its key (none: 0), its date for judging and as it stands, and its amounts as text.

    `flaws`: which of the amounts cannot be read; `keep`: whether the conditions keep it; `fields`: all its texts.
    """

    key: int
    date: Any
    date_text: str
    keep: bool
    amounts: tuple[str, ...]
    flaws: tuple[bool, ...]
    fields: tuple[str, ...] = ()


class Pass(NamedTuple):
    """One pass over a table.

    Attributes
    ----------
    spec, places
        What is rolled up (it tells the date and its zone; None where no date is looked at), and the columns looked at.
    fields, rows
        What is made of each row, and which rows are looked at; None for all.
    distinct, by, totals
        Whether rows that are the same count once; the fields to group by; and what comes of each group: a sum or the
        least of a field, or a count of the rows that have one (of all where none is named).
    most, in_order
        How many rows come at most, and whether in the order of the table's key.
    """

    spec: GroupSpec | None
    places: tuple[int, ...]
    fields: Mapping[str, Expr]
    rows: Expr | None = None
    distinct: bool = False
    by: tuple[str, ...] = ()
    totals: Mapping[str, Total] = {}
    most: int | None = None
    in_order: bool = False


def both(*conditions: Expr | None) -> Expr | None:
    """Conditions together; None where all of them always hold."""
    parts = [condition for condition in conditions if condition is not None]
    return reduce(and_, parts) if parts else None


class PushdownTable(ABC):
    """A table that lies elsewhere, and all that is asked of it."""

    #: What messages call it; never with a name of a user or a password.
    name: str
    columns: Sequence[SourceColumn]
    #: The column of whole numbers that tells its rows apart; empty where there is none.
    key: str = ""
    #: The kinds of which it adds up whole units exactly, however large.
    exact_kinds: Sequence[Kind] = ()
    #: Whether a missing number cannot be told from one that is none.
    nan_is_missing = False
    #: Is told now and then while the table works.
    progress: Progress | None = None

    # what each library says in its own way

    @abstractmethod
    def answer(self, one_pass: Pass) -> dict[str, NDArray[Any]]:
        """The columns of an answer by their names."""

    @abstractmethod
    def parts(self, one_pass: Pass) -> Iterator[dict[str, NDArray[Any]]]:
        """An answer that may be large, part by part; with the key of each row as `key` where the table has one."""

    @abstractmethod
    def sample(self, rows: int) -> list[tuple[str | None, ...]]:
        """The first rows as texts."""

    @abstractmethod
    def decimals(self, place: int) -> int:
        """How many decimals a column of doubles seems to have; a guess."""

    @abstractmethod
    def of(self, place: int) -> Expr:
        """The column at a place."""

    @abstractmethod
    def text(self, place: int) -> Expr:
        """A column as text, unknown where it is unknown."""

    @abstractmethod
    def known(self, value: Expr, instead: Any) -> Expr:
        """A value, or another where it is unknown."""

    @abstractmethod
    def is_unknown(self, value: Expr) -> Expr:
        """Whether a value is unknown."""

    @abstractmethod
    def stripped(self, text: Expr) -> Expr:
        """A text without spaces at its ends."""

    @abstractmethod
    def is_among(self, text: Expr, labels: Sequence[str]) -> Expr:
        """Whether a text is one of some."""

    @abstractmethod
    def choice(self, condition: Expr, value: Expr, instead: Any) -> Expr:
        """A value where a condition holds, another where not."""

    @abstractmethod
    def flag(self, condition: Expr | None) -> Expr:
        """A condition as 1 or 0."""

    @abstractmethod
    def size(self, value: Expr) -> Expr:
        """The size of a number."""

    @abstractmethod
    def number(self, place: int) -> Expr:
        """An amount, to be summed."""

    @abstractmethod
    def is_number(self, place: int) -> Expr:
        """Whether a field is a finite number."""

    @abstractmethod
    def in_units(self, value: Expr, place: int, scale: int) -> tuple[Expr, Expr]:
        """An amount as the whole number of units next to it, and whether it is just that."""

    @abstractmethod
    def day(self, spec: GroupSpec) -> Expr:
        """The date: a day number or a day where the type has one, a text else; unknown where it is none."""

    @abstractmethod
    def is_undated(self, spec: GroupSpec, dates: Sequence[Any]) -> Expr | None:
        """Whether a row has one of some dates, as they came; None where no row has."""

    @abstractmethod
    def days_of(self, values: NDArray[Any]) -> NDArray[Any]:
        """Dates as they came: day numbers with `NO_DAY`, or texts."""

    # what is asked, once

    def filled(self, place: int) -> Expr:
        """A column as text, an empty one where it is unknown."""
        return self.known(self.text(place), "")

    def label(self, place: int) -> Expr:
        """What rows are grouped by where a column splits them: its text, or its value."""
        return self.filled(place)

    def is_label(self, place: int, labels: Sequence[str]) -> Expr:
        """Whether a column has one of some labels; never unknown."""
        return self.is_among(self.label(place), labels)

    def labels_of(self, place: int, values: NDArray[Any]) -> NDArray[np.object_]:
        """Values of `label` as labels, each spelled once."""
        listed = values.tolist() if values.dtype == object else list(values)
        known = {value: self.spelled(place, value) for value in set(listed)}
        return np.array([known[value] for value in listed], dtype=object)

    def labels_apart(self, place: int, values: NDArray[Any]) -> NDArray[np.object_]:
        """The same, by which rows are split or counted; refused where different ones may have become the same."""
        if self.columns[place].kind == "float":
            known = set(values.tolist())
            numbers = np.array([value for value in known if isinstance(value, float) and math.isfinite(value)])
            whole, largest = bool((numbers == np.trunc(numbers)).all()), float(np.abs(numbers).max(initial=0.0))
            check_apart(self.name, self.columns[place].name, None in known, whole, largest)
        return self.labels_of(place, values)

    def spelled(self, place: int, value: Any) -> str:
        """A value of `label` as a label."""
        return spelled(value)

    def empty(self, place: int) -> Expr:
        """Whether a column is unknown, or a text of spaces."""
        if self.columns[place].kind in ("text", "loose"):
            return self.stripped(self.filled(place)) == ""
        return self.is_unknown(self.of(place))

    def blank(self) -> Expr:
        """Whether a row is empty in every field."""
        return both(*map(self.empty, range(len(self.columns))))

    def holds(self, conditions: Sequence[tuple[int, Condition]]) -> Expr | None:
        """Conditions on rows; never unknown."""
        parts = []
        for place, condition in conditions:
            if condition.taken:
                parts.append(self.is_label(place, condition.taken))
            if condition.left_out:
                parts.append(~self.is_label(place, condition.left_out))
        return both(*parts)

    def readable(self, number: Addend, spec: GroupSpec) -> Expr | None:
        """Whether an amount can be read in the rows it takes, empty ones too where they count as 0."""
        if number.place is None:
            return None
        sound = self.is_number(number.place)
        if spec.empty_is_zero:
            sound = sound | self.empty(number.place)
        taken = self.holds(number.taken)
        return sound if taken is None else sound | ~taken

    def all_readable(self, spec: GroupSpec) -> Expr | None:
        """Whether all amounts of a row can be read."""
        return both(*(self.readable(number, spec) for number in spec.numbers))

    def is_odd(self, place: int) -> Expr | None:
        """Whether a field of a loose column is a text with anything in it; None where no field can be."""
        return None

    def roll_up(self, spec: GroupSpec) -> dict[str, NDArray[Any]]:
        """The groups: `d` (texts, or day numbers with `NO_DAY`), `keep`, a label `h` each, `n`, `bad`, `q` each.

        Of each number: `s` and `size` (in whole units where it has a scale), `finer` (how many are no whole units),
        `odd` (how many are texts), `empty` (how many are taken as 0), `below` (how many are negative),
        and `a`, the amount itself, where they are apart.
        """
        keep, sound = self.holds(spec.where), self.all_readable(spec)
        fields: dict[str, Expr] = {"d": self.day(spec)}
        for i, place in enumerate(spec.labels):
            label = self.label(place)
            fields[f"h{i}"] = label if keep is None else self.choice(keep, label, None)
        if keep is not None:
            fields["keep"] = self.flag(keep)
        by = tuple(fields)
        fields |= {f"q{i}": self.flag(self.is_label(place, (label,))) for i, (place, label) in enumerate(spec.named)}
        if sound is not None:
            fields["bad"] = self.flag(both(keep, ~sound))
        for i, number in enumerate(spec.numbers):
            fields |= {f"{name}{i}": field for name, field in self._of_number(number, spec, keep, sound).items()}
        totals: dict[str, Total] = {"n": ("count", "")}
        totals |= {name: ("sum", name) for name in fields if name not in by}
        if spec.apart:
            fields |= {f"a{i}": fields[f"s{i}"] for i in range(len(spec.numbers))}
            by = (*by, *(f"a{i}" for i in range(len(spec.numbers))))
        return self.groups(self.answer(Pass(spec, spec.places(), fields, by=by, totals=totals)), spec)

    def _of_number(self, number: Addend, spec: GroupSpec, keep: Expr | None, sound: Expr | None) -> dict[str, Expr]:
        """What is made of an amount in each row."""
        some = both(keep, self.holds(number.taken))
        counts = both(some, sound)
        if number.place is None:
            return {"s": self.flag(counts)}
        value = self.number(number.place)
        fields: dict[str, Expr] = {}
        if spec.empty_is_zero:
            value = self.known(value, 0)
            fields["empty"] = self.flag(both(counts, self.empty(number.place)))
        summed, same = (value, None) if number.scale is None else self.in_units(value, number.place, number.scale)
        fields["s"] = summed if counts is None else self.choice(counts, summed, 0)
        fields["size"] = self.size(fields["s"])
        fields["below"] = self.flag(self.known(fields["s"] < 0, False))
        if same is not None and self.columns[number.place].kind != "whole":
            fields["finer"] = self.flag(self.known(both(counts, ~same), False))
        if (odd := self.is_odd(number.place)) is not None:
            fields["odd"] = self.flag(both(some, odd))
        return fields

    def groups(self, came: dict[str, NDArray[Any]], spec: GroupSpec) -> dict[str, NDArray[Any]]:
        """The groups as they came, with what there is none of."""
        many = len(came["n"])
        none = np.zeros(many, dtype=np.int64)
        counted = ("finer", "odd", "empty", "below")
        columns = {"d": self.days_of(came["d"])}
        columns["keep"] = came["keep"].astype(np.int64) == 1 if "keep" in came else np.ones(many, dtype=bool)
        for name in ("n", "bad", *(f"q{i}" for i in range(len(spec.named)))):
            columns[name] = came[name].astype(np.int64) if name in came else none
        columns |= {f"h{i}": self.labels_apart(place, came[f"h{i}"]) for i, place in enumerate(spec.labels)}
        for i in range(len(spec.numbers)):
            columns |= {f"{name}{i}": came[f"{name}{i}"].astype(np.int64) if f"{name}{i}" in came else none
                     for name in counted}  # fmt: skip
            columns[f"s{i}"] = came[f"s{i}"]
            columns[f"size{i}"] = came[f"size{i}"] if f"size{i}" in came else np.abs(came[f"s{i}"])
            if f"a{i}" in came:
                columns[f"a{i}"] = came[f"a{i}"].astype(np.float64)
        return columns

    def ids(self, spec: GroupSpec, place: int, taken: Sequence[tuple[int, Condition]]) -> dict[str, NDArray[Any]]:
        """The ids of a column by date and labels, with the number of their records: `d`, `h` each, `id`, `n`."""
        fields = {"d": self.day(spec)} | {f"h{i}": self.label(p) for i, p in enumerate(spec.labels)}
        fields["id"] = self.label(place)
        counts = both(self.all_readable(spec), self.holds((*spec.where, *taken)))
        places = spec.places(place, *(p for p, _ in taken))
        came = self.answer(Pass(spec, places, fields, counts, by=tuple(fields), totals={"n": ("count", "")}))
        spelled = {f"h{i}": self.labels_apart(p, came[f"h{i}"]) for i, p in enumerate(spec.labels)}
        spelled["id"] = self.labels_apart(place, came["id"])
        return came | spelled | {"d": self.days_of(came["d"]), "n": came["n"].astype(np.int64)}

    def flawed(self, spec: GroupSpec, undated: NDArray[Any]) -> Iterator[FlawedRow]:
        """Rows of the dates given, blank ones left out, and kept ones with an unreadable amount."""
        keep, sound = self.holds(spec.where), self.all_readable(spec)
        wrong = [self.is_undated(spec, undated.tolist()), None if sound is None else both(keep, ~sound)]
        if not any(part is not None for part in wrong):
            return
        rows = reduce(or_, (part for part in wrong if part is not None)) & ~self.blank()
        amounts, flaws = range(len(spec.numbers)), [self.readable(number, spec) for number in spec.numbers]
        fields = {"d": self.day(spec), "text": self.filled(spec.date)}
        fields |= {} if keep is None else {"keep": self.flag(keep)}
        fields |= {f"t{i}": self.filled(n.place) for i, n in enumerate(spec.numbers) if n.place is not None}
        fields |= {f"b{i}": self.flag(~flaw) for i, flaw in enumerate(flaws) if flaw is not None}
        everything = tuple(range(len(self.columns)))
        told = everything if not self.key else ()  # of a row without a key all that it holds
        fields |= {f"f{place}": self.label(place) for place in told}
        for part in self.parts(Pass(spec, everything, fields, rows, most=_LISTED, in_order=True)):
            many = len(part["text"])
            rows_told = zip(*(self.labels_of(place, part[f"f{place}"]) for place in told)) if told else [()] * many
            nothing, none, all_ = np.full(many, "", dtype=object), np.zeros(many), np.ones(many)
            columns = [part.get("key", none), self.days_of(part["d"]), part["text"], part.get("keep", all_)]
            columns += [part.get(f"t{i}", nothing) for i in amounts] + [part.get(f"b{i}", none) for i in amounts]
            for held, (key, date, text, kept, *rest) in zip(rows_told, zip(*(column.tolist() for column in columns))):
                texts, flawed = tuple(map(str, rest[: len(amounts)])), tuple(map(bool, rest[len(amounts) :]))
                yield FlawedRow(int(key), date, str(text), bool(kept), texts, flawed, held)

    def blank_rows(self) -> int:
        """How many rows are empty in every field."""
        everything = tuple(range(len(self.columns)))
        fields = {"c0": self.filled(0)}
        return _one(self.answer(Pass(None, everything, fields, self.blank(), totals={"n": ("count", "")})), "n")

    def labels(self, place: int) -> list[str]:
        """The first of the different texts of a column."""
        fields = {"v": self.label(place)}
        values = self.answer(Pass(None, (place,), fields, distinct=True, most=_LISTED))["v"]
        return [str(label) for label in self.labels_of(place, values)]

    def bring(self, places: Sequence[int], spec: GroupSpec) -> Iterator[list[NDArray[Any]]]:
        """All records of some columns, part by part: days as numbers, all else as texts (None: unknown).

        The key is the last of each part where the table has one.
        """
        fields = {f"c{place}": self.day(spec) if place == spec.date else self.raw(place) for place in places}
        for part in self.parts(Pass(spec, tuple(places), fields, in_order=True)):
            columns = [self.days_of(part[f"c{p}"]) if p == spec.date else self.texts_of(part[f"c{p}"]) for p in places]
            yield columns + ([part["key"].astype(np.int64)] if "key" in part else [])

    def raw(self, place: int) -> Expr:
        """A column as its records are brought."""
        return self.text(place)

    def texts_of(self, values: NDArray[Any]) -> NDArray[Any]:
        """Values as texts, None where one is unknown."""
        return values

    def signs(self, spec: GroupSpec) -> list[tuple[int, int, float]]:
        """Of each number that has a column how many amounts are 0, how many negative, and the lowest."""
        fields: dict[str, Expr] = {}
        totals: dict[str, Total] = {}
        some = [i for i, number in enumerate(spec.numbers) if number.place is not None]
        for i, number in ((i, spec.numbers[i]) for i in some):
            assert number.place is not None
            taken = both(self.holds(number.taken), self.is_number(number.place))
            value = self.choice(taken, self.number(number.place), None)
            fields[f"z{i}"] = self.flag(self.known(value == 0, False))
            fields[f"l{i}"] = self.flag(self.known(value < 0, False))
            fields[f"v{i}"] = value
            totals |= {f"z{i}": ("sum", f"z{i}"), f"l{i}": ("sum", f"l{i}"), f"v{i}": ("min", f"v{i}")}
        if not some:
            return []
        counts = both(self.holds(spec.where), self.all_readable(spec))
        came = self.answer(Pass(spec, spec.places(), fields, counts, totals=totals))
        return [(_one(came, f"z{i}"), _one(came, f"l{i}"), float(came[f"v{i}"][0] or 0)) for i in some]

    def different_rows(self) -> int:
        """How many rows differ from all before them in some field."""
        everything = tuple(range(len(self.columns)))
        fields = {f"c{place}": self.filled(place) for place in everything}
        return _one(self.answer(Pass(None, everything, fields, distinct=True, totals={"n": ("count", "")})), "n")


def _one(came: Mapping[str, NDArray[Any]], name: str) -> int:
    """The one number of an answer; 0 where there was nothing to add up."""
    return int(came[name][0] or 0)


def by_place(conditions: Sequence[Condition], at: Mapping[str, int]) -> tuple[tuple[int, Condition], ...]:
    """Conditions with the places of their columns."""
    return tuple((at[condition.column], condition) for condition in conditions)
