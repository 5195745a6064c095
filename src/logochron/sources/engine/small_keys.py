"""What a file's own statistics save the roll-up: days and labels as one small number, counts folded into a sum.

The engine groups by a number of sixteen bits faster than by dates and texts, and adds up one column faster than two.
"""

from __future__ import annotations

from math import isfinite, prod
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.days import FIRST_DAY, LAST_DAY, Days
from logochron.sources.engine.connection import Engine
from logochron.sources.engine.fetch_groups import Coded
from logochron.sources.engine.sql import Query, day_number, quoted
from logochron.sources.scanned import FIRST_ROWS

#: Keys that sixteen bits tell apart.
_MOST_KEYS = 1 << 16
#: Labels that are looked up in a list.
_MOST_LABELS = 256
#: Bits of the whole numbers that doubles hold, less one to be sure.
_BITS = 52
#: So much larger than the mean a group may be.
_UNEVEN = 16


class Extent(NamedTuple):
    """The rows of a source, its first and last day (none where a date is missing or no day), its largest amount."""

    rows: int
    first: int | None
    last: int | None
    largest: float

    @property
    def days(self) -> int:
        """How many days there are from the first to the last, one at least."""
        return 1 if self.first is None or self.last is None else self.last - self.first + 1


def extent(engine: Engine, query: Query, name: str) -> Extent | None:
    """The extent as the statistics of the source have it; none where it has none."""
    if not query.known:
        return None
    day = query.date_ends or "NULL::DATE"
    ends = [day_number(f"{end}({day})::DATE") for end in ("min", "max")]
    raw = query.amounts[0].raw if query.amounts and not query.amounts[0].is_text else "NULL"
    sizes = [f"abs({end}({raw})::DOUBLE)" for end in ("min", "max")]
    sql = ", ".join(["count(*)", f"count({day})", *ends, f"greatest({', '.join(sizes)})"])
    ((rows, dated, first, last, largest),) = engine.rows(f"SELECT {sql} FROM {query.strict}", name)
    if dated < rows or first is None or last is None or not FIRST_DAY <= first <= last <= LAST_DAY:
        first = last = None
    return Extent(rows, first, last, float("inf") if largest is None else largest)


class SmallKey(NamedTuple):
    """A key from 0: the day since the `first`, and so many times `days` as the place of the labels among all sets."""

    sql: str
    first: int
    days: int
    labels: dict[str, NDArray[np.object_]]  # by the alias of a dimension, in order

    @property
    def many(self) -> int:
        """How many keys there are."""
        return self.days * prod(map(len, self.labels.values()))

    def parts(self, keys: NDArray[Any]) -> tuple[dict[str, Days], dict[str, Coded]]:
        """The day and the codes of the labels of each key, called as groups call them; and what the codes mean."""
        rest, day = np.divmod(keys.astype(np.int64), self.days)
        arrays = {"c_d": day + self.first}
        for alias, texts in self.labels.items():
            rest, arrays[f"c_{alias}"] = np.divmod(rest, len(texts))
        return arrays, {alias: Coded(texts, "", "") for alias, texts in self.labels.items()}


def small_key(engine: Engine, query: Query, known: Extent | None, name: str) -> SmallKey | None:
    """The key of a source; none where its days or labels are too many."""
    if known is None or known.first is None or query.apart:
        return None
    many = known.days
    terms, labels = [f"({query.date_key} - DATE '1970-01-01')::INTEGER - {known.first}"], {}
    for dimension, sql in query.labels.items():
        found = _labels(engine, f"SELECT {sql} AS v FROM {query.strict}", name) if many <= _MOST_KEYS else []
        if not found:
            return None
        if len(found) > 1:
            terms.append(_place(sql, found, many))
        many *= len(found)
        labels[query.label_alias(dimension)] = np.array(found, dtype=object)
    return (
        SmallKey(f"({' + '.join(terms)})::USMALLINT", known.first, known.days, labels) if many <= _MOST_KEYS else None
    )


def _labels(engine: Engine, rows: str, name: str) -> list[str | None]:
    """The labels of a dimension in order, none of them where they are too many."""
    for some in (f"{rows} LIMIT {FIRST_ROWS}", rows):
        found = engine.rows(f"SELECT DISTINCT v FROM ({some}) LIMIT {_MOST_LABELS + 1}", name)
        if len(found) > _MOST_LABELS:
            return []
    return sorted((text for (text,) in found), key=lambda text: (text is not None, text or ""))


def _place(sql: str, labels: list[str | None], step: int) -> str:
    """The place of a label times a step; unknown where it is none of these."""
    none = (labels[-1] or "") + "+"  # stands for no label, and is none of them: it comes after the last
    places = ", ".join(f"{quoted(none if v is None else v)}: {i * step}::INTEGER" for i, v in enumerate(labels))
    return f"map {{{places}}}[{f'coalesce({sql}, {quoted(none)})' if None in labels else sql}]"


class Fold(NamedTuple):
    """Each amount, below `limit` in units, is added up with `one` besides, of which a group has under `most`.

    So a sum tells both: the count is the whole number next to sum / one, as all amounts together are under half of one.
    """

    limit: float
    one: float
    most: float


def fold(known: Extent | None, unit: int, small: SmallKey | None) -> Fold | None:
    """How counts are folded into the sums of the first amount; none where a group may be too large for that."""
    if known is None or not isfinite(known.largest):
        return None
    bits = max(int(known.largest * unit), 1).bit_length() + 1
    spare = (_BITS - 1 - bits) // 2
    groups = small.many if small else known.days
    if spare < 1 or known.rows >> spare and known.rows * _UNEVEN > groups << spare:
        return None
    return Fold(2.0**bits, 2.0 ** (bits + spare + 1), 2.0**spare)
