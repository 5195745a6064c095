"""What only the single records of a source show: duplicates, zeros, signs, decimals."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from logochron.core.questions.review import Fact
from logochron.sources.engine.connection import Engine
from logochron.sources.engine.sql import Query, inner

_MEMORY = "600MB"
#: Zeros are remarked where they are fewer than one in so many, decimals where finer than all but one in so many.
_RARE_ZEROS, _RARE_DECIMALS = 20, 50
#: Told the number of a row, says where it stands.
Place = Callable[[int], str]


def duplicate_rows(engine: Engine, query: Query, name: str, place: Place) -> list[Fact]:
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
    example = f"{place(again)} is the same as {place(first)}"
    return [Fact("duplicate rows", "", int(more), example)]


def odd_amounts(engine: Engine, query: Query, name: str, place: Place) -> list[Fact]:
    """Zeros, negatives, and decimals finer than nearly all."""
    facts = []
    rows = inner(query, numbered=True)
    for i, amount in enumerate(query.amounts):
        if not amount.column:  # a count
            continue
        places = rf"length(regexp_extract(r{i}::VARCHAR, '\.([0-9]*?)0*$', 1))"
        taken = f"keep AND ok AND t{i}"
        sql = (
            f"SELECT count(*), "
            f"count(*) FILTER (y{i} = 0), min(rn) FILTER (y{i} = 0), "
            f"count(*) FILTER (y{i} < 0), min(rn) FILTER (y{i} < 0), arg_min(o{i}::VARCHAR, rn) FILTER (y{i} < 0), "
            f"map_entries(histogram({places})) FROM ({rows}) WHERE {taken}"
        )
        ((count, zeros, zero, negatives, negative, text, decimals),) = engine.rows(sql, name)
        if 0 < zeros * _RARE_ZEROS < count or (zeros and count < _RARE_ZEROS):
            facts.append(Fact("zero amounts", amount.column, zeros, place(zero)))
        if negatives:
            example = f"{place(negative)}: {text}"
            facts.append(Fact("negative amounts", amount.column, negatives, example))
        usual, finer = _usual_decimals({entry["key"]: entry["value"] for entry in decimals or []})
        if finer:
            ((row, shown),) = engine.rows(
                f"SELECT rn, o{i}::VARCHAR FROM ({rows}) WHERE {taken} AND {places} > {usual} ORDER BY rn LIMIT 1",
                name,
            )
            facts.append(Fact("decimals", amount.column, finer, f"{place(row)}: {shown}"))
    return facts


def _usual_decimals(counts: Mapping[int, int]) -> tuple[int, int]:
    """The decimals that nearly all amounts make do with, and how many amounts have more."""
    total = sum(counts.values())
    for usual in sorted(counts):
        finer = sum(n for places, n in counts.items() if places > usual)
        if finer * _RARE_DECIMALS < total:
            return usual, finer
    return 0, 0
