"""`review`: what the records of a source hold."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from logochron.core.book.daybook import Daybook
from logochron.core.book.formulas import all_leaves, formulas
from logochron.core.errors import QuestionError, no_such
from logochron.core.questions.review import Fact, Review, review_book
from logochron.sources.engine.connection import Engine
from logochron.sources.engine.sql import inner
from logochron.sources.guess_columns import NEARLY, candidates_of, guess, labels_of
from logochron.sources.kinds.find_files import locate
from logochron.sources.kinds.scan import sampled
from logochron.sources.read import carry_out
from logochron.sources.read_options import Options, Request
from logochron.sources.scanned import Scanned

_MEMORY = "600MB"
#: Zeros are remarked where they are fewer than one in so many, decimals where finer than all but one in so many.
_RARE_ZEROS, _RARE_DECIMALS = 20, 50


def review(
    source_or_book: Any,
    *,
    date: str | None = None,
    values: str | Sequence[str] = (),
    by: str | Sequence[str] | Mapping[str, str] | None = None,
    **options: Any,
) -> Review:
    """Look for what would mislead a comparison: gaps, partial periods, jumps, odd names, duplicates, odd amounts.

    Parameters
    ----------
    source_or_book
        Anything that `read` takes, or a daybook. Of a daybook only what its days and items show is told.
    date, values, by
        The columns, found where None: all that may hold amounts, and all that seem to name items.
    options
        Reading options, as `read` has them. Refused rows are left out and reported.

    Returns
    -------
    Review
        `.table`: `finding, column, first, last, count, example, effect`; `.notes`: what the records hold.

    Raises
    ------
    QuestionError, IntakeError
        Where the source cannot be read at all.

    Notes
    -----
    The rules: a run of days without records counts from three days on which there is usually something, where it is
    more than three times as long as 95 of 100 gaps. A day is a jump where it is over five times the largest of the
    28 recorded days before and after; a shift where the median of the next 28 is over four times that of the last
    28, or under a quarter. The last day looks unfinished where it has less than half the records of the poorest of
    the last eight such weekdays. An item starts (stops) where its first (last) record is more than 28 days from an
    end of the records. Zeros are told where fewer than one record in 20 is one, decimals where fewer than one in 50
    has as many. Names are alike where they differ in case, accents, spaces and punctuation only, or by one letter.
    Far-off days are those that look mistyped: up to three at an end, more than 92 days and 20 median gaps away.

    Examples
    --------
    >>> import logochron as lc
    >>> lc.review(lc.demo.book()).table.finding.unique().tolist()
    ['partial period', 'item starts']
    """
    if isinstance(source_or_book, Daybook):
        if date is not None or values or by is not None or options:
            raise QuestionError("a daybook is read already: give `review` no reading options with it")
        return review_book(source_or_book)
    for name in options:
        if name not in Options._fields:
            raise QuestionError(f"`review`: {no_such('option', name, Options._fields)}")
    asked = Options(**{"date": date, "values": values, "by": by or (), **options, "on_refused": "skip"})
    if asked.periods_in_columns is None:
        asked = _columns_found(source_or_book, asked, by is None)
    facts: list[Fact] = []
    settled: list[Request] = []

    def look(engine: Engine, scans: Sequence[Scanned], request: Request) -> None:
        facts.extend(_facts(engine, scans))
        settled.append(request)

    book = carry_out(source_or_book, asked, look)
    return review_book(book, date=settled[0].wanted.date, facts=facts)


def _columns_found(source: Any, asked: Options, with_items: bool) -> Options:
    """The options with the columns that were not named."""
    by = [asked.by] if isinstance(asked.by, str) else asked.by.values() if isinstance(asked.by, Mapping) else asked.by
    known = [*by, *(asked.where or {})]
    first = locate(source)[0]
    sample = sampled(Engine(), first, asked.dialect)
    dates, amounts = candidates_of(sample, asked.date, known)
    if len(dates) != 1 or not amounts:  # the columns of a file with flaws
        dates, amounts = candidates_of(sample, asked.date, known, NEARLY)
    named = [asked.values] if isinstance(asked.values, str) else list(asked.values)
    if not named and not asked.measures:
        named = [column.name for column in amounts]
    if len(dates) != 1 or not (named or asked.measures):
        guess(first, sample, asked.date, (), known)  # says what is to be named
    found = asked._replace(date=dates[0], values=named)
    if with_items:
        taken = [dates[0], *named, *(leaf.column for leaf in all_leaves(formulas(asked.measures)))]
        names = labels_of(sample, taken)
        found = found._replace(by=names)
    return found


def _facts(engine: Engine, scans: Sequence[Scanned]) -> list[Fact]:
    """What only the single records show: duplicates, zeros, signs, decimals."""
    found = [fact for scanned in scans for fact in (*_duplicates(engine, scanned), *_amounts(engine, scanned))]
    joined: dict[tuple[str, str], Fact] = {}
    for fact in found:
        key = fact.kind, fact.column
        before = joined.get(key)
        joined[key] = fact if before is None else Fact(*key, before.count + fact.count, before.example)
    return list(joined.values())


def _place(scanned: Scanned, row: int) -> str:
    line = row if scanned.lines is None else int(scanned.lines.of_rows(np.array([row]))[0])
    return f"{scanned.unit} {line:,}"


def _duplicates(engine: Engine, scanned: Scanned) -> list[Fact]:
    """Rows that are the same in every field, blank ones left out."""
    fields = scanned.query.all_fields
    blank = " AND ".join(f"coalesce(trim({field}), '') = ''" for field in fields)
    # compared by 128 bits: rows that only seem the same are out of the question
    keys = f"hash({', '.join(fields)}) AS k, hash(0, {', '.join(reversed(fields))}) AS other"
    rows = f"SELECT row_number() OVER () AS rn, {keys}, {blank} AS blank FROM {scanned.query.relation}"
    same = (
        f"SELECT count(*) - 1 AS more, min(rn) AS rn, max(rn) AS again FROM ({rows}) WHERE NOT blank "
        "GROUP BY k, other HAVING count(*) > 1"
    )
    engine.connection.execute(f"SET memory_limit = '{_MEMORY}'")  # what is more goes to disk
    ((more, first, again),) = engine.rows(
        f"SELECT sum(more), min(rn), arg_min(again, rn) FROM ({same})", scanned.source.name
    )
    if not more:
        return []
    example = f"{_place(scanned, again)} is the same as {_place(scanned, first)}"
    return [Fact("duplicate rows", "", int(more), example)]


def _amounts(engine: Engine, scanned: Scanned) -> list[Fact]:
    facts = []
    rows = inner(scanned.query, numbered=True)
    for i, amount in enumerate(scanned.query.amounts):
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
        ((count, zeros, zero, negatives, negative, text, decimals),) = engine.rows(sql, scanned.source.name)
        if 0 < zeros * _RARE_ZEROS < count or (zeros and count < _RARE_ZEROS):
            facts.append(Fact("zero amounts", amount.column, zeros, _place(scanned, zero)))
        if negatives:
            example = f"{_place(scanned, negative)}: {text}"
            facts.append(Fact("negative amounts", amount.column, negatives, example))
        usual, finer = _usual_decimals({entry["key"]: entry["value"] for entry in decimals or []})
        if finer:
            ((row, shown),) = engine.rows(
                f"SELECT rn, o{i}::VARCHAR FROM ({rows}) WHERE {taken} AND {places} > {usual} ORDER BY rn LIMIT 1",
                scanned.source.name,
            )
            facts.append(Fact("decimals", amount.column, finer, f"{_place(scanned, row)}: {shown}"))
    return facts


def _usual_decimals(counts: Mapping[int, int]) -> tuple[int, int]:
    """The decimals that nearly all amounts make do with, and how many amounts have more."""
    total = sum(counts.values())
    for usual in sorted(counts):
        finer = sum(n for places, n in counts.items() if places > usual)
        if finer * _RARE_DECIMALS < total:
            return usual, finer
    return 0, 0
