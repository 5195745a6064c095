"""`review`: what the records of a source hold."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from logochron.core.book.daybook import Daybook
from logochron.core.book.intake import Fact
from logochron.core.book.measures import all_aggregates, formulas
from logochron.core.check_kinds import check_kinds, kinds_checked
from logochron.core.errors import QuestionError, no_such
from logochron.core.questions.review import Review, review_book
from logochron.sources.engine.connection import Engine
from logochron.sources.guess_columns import NEARLY, candidates_of, guess, labels_of
from logochron.sources.kinds.find_files import locate
from logochron.sources.kinds.scan import sampled
from logochron.sources.kinds.streams import lasting
from logochron.sources.read_options import Options, Request, dimensions_of, names_of, wide_found
from logochron.sources.reading import carry_out
from logochron.sources.scanned import Scanned
from logochron.sources.values.period_names import read_label


@kinds_checked
def review(
    source_or_book: Any,
    *,
    date: str | None = None,
    values: str | Sequence[str] | None = (),
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
    asked = Options(**{"date": date, "values": values, "by": () if by is None else by, **options, "on_refused": "skip"})
    check_kinds(Options, asked._asdict())
    facts: list[Fact] = []
    settled: list[Request] = []

    def look(scans: Sequence[Scanned], request: Request) -> None:
        facts.extend(_facts(scans))
        settled.append(request)

    with lasting(source_or_book, asked.table, asked.query, asked.progress) as source:
        if asked.periods_in_columns is None:
            asked = columns_found(source, asked, by is None)
        book = carry_out(source, asked, look)
    return review_book(book, date=settled[0].wanted.date, facts=facts)


def columns_found(source: Any, asked: Options, with_items: bool) -> Options:
    """The options with the columns that were not named; `with_items`: those of labels among them."""
    known = [*dimensions_of(asked.by).values(), *(asked.where or {})]
    first = locate(source)[0]
    sample = sampled(Engine(), first, asked.dialect)
    asked, _ = wide_found(asked, sample, known, first.name)
    if asked.periods_in_columns is not None:
        periods = [column.name for column in sample if read_label(column.name)]
        return asked._replace(by=labels_of(sample, periods)) if with_items else asked
    dates, amounts = candidates_of(sample, asked.date, known)
    if len(dates) != 1 or not amounts:  # the columns of a file with flaws
        dates, amounts = candidates_of(sample, asked.date, known, NEARLY)
    named = names_of("values", asked.values)
    if not named and not asked.measures:
        named = [column.name for column in amounts]
    if len(dates) != 1 or not (named or asked.measures):
        guess(first, sample, asked.date, (), known)  # says what is to be named
    found = asked._replace(date=dates[0], values=named)
    if with_items:
        taken = [dates[0], *named, *(aggregate.column for aggregate in all_aggregates(formulas(asked.measures or ())))]
        names = labels_of(sample, taken)
        found = found._replace(by=names)
    return found


def _facts(scans: Sequence[Scanned]) -> list[Fact]:
    """What only the single records show, of all sources together."""
    joined: dict[tuple[str, str], Fact] = {}
    for fact in (fact for scanned in scans for fact in scanned.facts()):
        key = fact.kind, fact.column
        before = joined.get(key)
        joined[key] = fact if before is None else Fact(*key, before.count + fact.count, before.example)
    return list(joined.values())
