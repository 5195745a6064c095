"""What a file's own dictionaries and statistics save the roll-up: sets of labels as bytes, a look for what is negative.

The engine groups by days and bytes faster than by days and texts.
"""

from __future__ import annotations

from math import prod
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.sources.duckdb.connection import Engine
from logochron.sources.duckdb.groups import Coded
from logochron.sources.duckdb.sql import Query, quoted
from logochron.sources.rolled_source import FIRST_ROWS, Codes

#: Sets of labels that a byte tells apart.
_MOST_SETS = 256
#: Groups of all threads times what is added up in each, 16 bytes a time: 256 MB.
_ROOM_BITS = 24


def least_amounts(engine: Engine, query: Query, name: str) -> list[float]:
    """The least amount of each column, as the statistics of the source have it; minus infinity where it has none."""
    raws = ["NULL" if amount.is_text else amount.raw for amount in query.amounts]
    if not query.known or not raws:
        return [float("-inf")] * len(raws)
    least = ", ".join(f"coalesce(min({raw})::DOUBLE, '-infinity'::DOUBLE)" for raw in raws)
    (row,) = engine.rows(f"SELECT {least} FROM {query.strict}", name, small=True)
    return list(row)


class LabelSets(NamedTuple):
    """The different labels of each dimension, by its alias and in order; and the place of a row's set among all."""

    labels: dict[str, NDArray[np.object_]]
    sql: str

    @property
    def many(self) -> int:
        """How many sets there are."""
        return prod(map(len, self.labels.values()))

    def in_a_table(self, added: int) -> str:
        """Has the engine lay groups of so many sums in a plain table, as it does with few, where memory allows it."""
        # a byte and the days of eleven years are 21 bits
        most = f"{_ROOM_BITS} - ceil(log2(current_setting('threads') * {added}))"
        return f"SET perfect_ht_threshold = greatest(12, least(21, {most}))"

    def parts(self, places: NDArray[Any]) -> tuple[dict[str, Codes], dict[str, Coded]]:
        """The codes of the labels of each place, called as groups call them; and what the codes mean."""
        arrays, rest = {}, places.astype(np.int32)
        for alias, texts in self.labels.items():
            rest, arrays[f"c_{alias}"] = np.divmod(rest, len(texts))
        return arrays, {alias: Coded(texts, "", "") for alias, texts in self.labels.items()}


def label_sets(engine: Engine, query: Query, name: str) -> LabelSets | None:
    """The sets of labels of a source; none where they are too many."""
    if not query.known or not query.labels or query.apart:
        return None
    labels, terms, many = {}, [], 1
    for dimension, sql in query.labels.items():
        texts = _labels(engine, f"SELECT {sql} AS v FROM {query.strict}", name)
        if not texts or many * len(texts) > _MOST_SETS:
            return None
        terms.append(_place(sql, texts, many))
        many *= len(texts)
        labels[query.label_alias(dimension)] = np.array(texts, dtype=object)
    return LabelSets(labels, f"({' + '.join(terms)})::UTINYINT")


def _labels(engine: Engine, rows: str, name: str) -> list[str | None]:
    """The labels of a dimension in order, none of them where they are too many."""
    for some in (f"{rows} LIMIT {FIRST_ROWS}", rows):
        texts = engine.rows(f"SELECT DISTINCT v FROM ({some}) LIMIT {_MOST_SETS + 1}", name, small=True)
        if len(texts) > _MOST_SETS:
            return []
    return sorted((text for (text,) in texts), key=lambda text: (text is not None, text or ""))


def _place(sql: str, labels: list[str | None], step: int) -> str:
    """The place of a label times a step; unknown where it is none of these."""
    none = (labels[-1] or "") + "+"  # stands for no label, and is none of them: it comes after the last
    places = ", ".join(f"{quoted(none if v is None else v)}: {i * step}::INTEGER" for i, v in enumerate(labels))
    return f"map {{{places}}}[{f'coalesce({sql}, {quoted(none)})' if None in labels else sql}]"
