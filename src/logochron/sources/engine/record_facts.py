"""What only the single records of a source show: duplicates, zeros, signs, decimals."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import NamedTuple

from logochron.core.book.intake import Fact
from logochron.sources.engine.connection import Engine
from logochron.sources.engine.rollup import Rolled
from logochron.sources.engine.sql import Query, inner

_MEMORY = "1200MB"
#: So many columns are looked at together.
_AT_ONCE = 500
#: How many decimals an amount in plain writing has.
_PLACES = r"length(regexp_extract(r, '\.([0-9]*?)0*$', 1))"
#: Zeros are remarked where they are fewer than one in so many, decimals where finer than all but one in so many.
_RARE_ZEROS, _RARE_DECIMALS = 20, 50


class Met(NamedTuple):
    """An oddity, and the rows that show it: told by where they stand, joined, and what follows."""

    kind: str
    column: str
    many: int
    rows: tuple[int, ...]
    joint: str = ""
    after: str = ""

    def fact(self, places: Iterable[str]) -> Fact:
        """The same, told."""
        return Fact(self.kind, self.column, self.many, self.joint.join(places) + self.after)


def duplicate_rows(engine: Engine, query: Query, name: str) -> list[Met]:
    """Rows that are the same in every field, blank ones left out."""
    fields = query.all_fields
    blank = " AND ".join(f"coalesce(trim({field}), '') = ''" for field in fields)
    # compared by 128 bits: rows that only seem the same are out of the question
    keys = f"hash({', '.join(fields)}) AS k, hash(0, {', '.join(reversed(fields))}) AS other"
    rows = f"SELECT row_number() OVER () AS rn, {keys}, {blank} AS blank FROM {query.relation}"
    same = (
        f"SELECT count(*) - 1 AS more, min(rn) AS rn, max(rn) AS again FROM ({rows}) WHERE NOT blank "
        "GROUP BY k, other HAVING count(*) > 1"
    )
    engine.run(f"SET memory_limit = '{_MEMORY}'", name)  # what is more goes to disk
    ((more, first, again),) = engine.rows(f"SELECT sum(more), min(rn), arg_min(again, rn) FROM ({same})", name)
    if not more:
        return []
    return [Met("duplicate rows", "", int(more), (again, first), " is the same as ")]


def odd_amounts(engine: Engine, rolled: Rolled, name: str) -> list[Met]:
    """Zeros, negatives, and decimals finer than nearly all."""
    query = rolled.query
    summed = [amount for amount in query.amounts if amount.column]  # the others are counts
    sound = "keep"
    if not rolled.sound:  # rows with a flaw in any amount are found once
        flawed = f"SELECT rn FROM ({inner(query._replace(all_fields=[]), numbered=True)}) WHERE NOT ok"
        engine.run(f"CREATE OR REPLACE TEMP TABLE flawed AS {flawed}", name)
        sound = "keep AND rn NOT IN (SELECT rn FROM flawed)"
    met: list[Met] = []
    for start in range(0, len(summed), _AT_ONCE):
        some = query._replace(amounts=summed[start : start + _AT_ONCE], all_fields=[])
        met += _odd_of(engine, some, sound, name)
    return met


def _odd_of(engine: Engine, query: Query, sound: str, name: str) -> list[Met]:
    """What is odd about some amounts: all of a row laid below each other, in one pass."""
    places = range(len(query.amounts))

    def one_below_another(*texts: str) -> str:
        return ", ".join(f"unnest([{', '.join(text.format(i) for i in places)}]) AS {text[0]}" for text in texts)

    columns = one_below_another("y{}", "t{}", "o{}::VARCHAR", "r{}::VARCHAR")
    rows = (
        f"SELECT unnest([{', '.join(map(str, places))}]) AS a, rn, {columns} "
        f"FROM ({inner(query, numbered=True)}) WHERE {sound}"
    )
    amounts = f"SELECT *, {_PLACES} AS places FROM ({rows}) WHERE t"
    found = engine.rows(
        "SELECT a, count(*), count(*) FILTER (y = 0), min(rn) FILTER (y = 0), count(*) FILTER (y < 0), "
        "min(rn) FILTER (y < 0), arg_min(o, rn) FILTER (y < 0), map_entries(histogram(places)) "
        f"FROM ({amounts}) GROUP BY a ORDER BY a",
        name,
    )
    usual = {a: _usual_decimals({one["key"]: one["value"] for one in decimals}) for a, *_, decimals in found}
    finer = ", ".join(f"({a}, {limit})" for a, (limit, many) in usual.items() if many)
    shown: dict[int, tuple[int, str]] = {}
    if finer:
        told = engine.rows(
            f"SELECT a, min(rn), arg_min(o, rn) FROM ({amounts}) JOIN (VALUES {finer}) AS usual(a, most) USING (a) "
            "WHERE places > most GROUP BY a",
            name,
        )
        shown = {a: (row, text) for a, row, text in told}
    met = []
    for a, count, zeros, zero, negatives, negative, text, _ in found:
        column = query.amounts[a].column
        if is_rare_zero(zeros, count):
            met.append(Met("zero amounts", column, zeros, (zero,)))
        if negatives:
            met.append(Met("negative amounts", column, negatives, (negative,), after=f": {text}"))
        if a in shown:
            met.append(Met("decimals", column, usual[a][1], shown[a][:1], after=f": {shown[a][1]}"))
    return met


def is_rare_zero(zeros: int, count: int) -> bool:
    """Whether zeros are few enough among amounts to be remarked."""
    return 0 < zeros * _RARE_ZEROS < count or (zeros > 0 and count < _RARE_ZEROS)


def _usual_decimals(counts: Mapping[int, int]) -> tuple[int, int]:
    """The decimals that nearly all amounts make do with, and how many amounts have more."""
    total = sum(counts.values())
    for usual in sorted(counts):
        finer = sum(n for places, n in counts.items() if places > usual)
        if finer * _RARE_DECIMALS < total:
            return usual, finer
    return 0, 0
