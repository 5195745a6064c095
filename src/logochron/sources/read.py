"""`read`, `read_plan` and `review`: what a user calls to read; their options are the rows of `logochron.options`."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from logochron.core.choices import Grain, PlanSpread
from logochron.options import Reading
from logochron.sources.duckdb.connection import Engine
from logochron.sources.reading_call import reading_call

if TYPE_CHECKING:
    from logochron.core.book.daybook import Daybook
    from logochron.core.calendars.base import Calendar
    from logochron.core.questions.review import Review


@reading_call
def read(source: Any, **options: Any) -> Daybook:
    """Read sales records into a daybook, every row accounted for.

    Parameters
    ----------
    source
        A path, a list of paths, a glob or a folder of Parquet files, whose folders such as ``year=2026`` make columns:
        .csv, .tsv, .txt, .json, .jsonl (also .gz), .parquet and .xlsx; their addresses (``"s3://..."``), fetched by
        fsspec; a data frame of pandas, Polars or PyArrow, or a DuckDB relation, scanned where it lies; a lazy or
        cluster frame of Polars, Dask or PySpark, which is rolled up there; or the address of a database as SQLAlchemy
        has it (``"postgresql+psycopg://USER@HOST/NAME"``, ``"sqlite:///sales.db"``), which sums the records itself,
        in one read-only transaction.

    Returns
    -------
    Daybook
        Sums by day and item, with `intake`, the account of every row: read = counted + refused + set_aside +
        blank.

    Raises
    ------
    QuestionError
        Where a path, a table, a column, an item, an option or a package that the source needs is not there.
    IntakeError
        Where the source cannot be read for certain, breaks off, or rows are refused.

    Notes
    -----
    What was guessed (columns that were not named, a wide table) and what should be known of the records is in
    ``book.intake.guesses`` and ``.warnings``, and is said to the logger ``logochron``: on standard error, unless
    logging is set up otherwise.

    Amounts with at most six decimals are summed as whole numbers, without any rounding; `Daybook.exact` tells.

    Examples
    --------
    >>> import logochron as lc
    >>> book = lc.read("sales.csv", date="sold_on", values=["revenue", "units"], by="harbor")  # doctest: +SKIP
    """
    engine = Engine()  # opens while what it is asked by is loaded
    from logochron.sources.reading import read_aloud

    return read_aloud(source, Reading(**options), engine)


@reading_call(without=("values", "measures"))
def read_plan(
    source: Any,
    *,
    date: str | None,
    value: str | Sequence[str],
    measure: str | Sequence[str],
    by: str | Sequence[str] | Mapping[str, str] | None = (),
    records_of: Grain = "month",
    spread: PlanSpread | None = "even",
    calendar: Calendar | None = None,
    **options: Any,
) -> Daybook:
    """Read a plan: amounts by period, spread over the days of each.

    Parameters
    ----------
    source
        Anything that `read` takes.
    date
        The column of periods or of days in them; None with ``periods_in_columns=``.
    value
        The column of planned amounts, or several: of amounts and quantities, say.
    measure
        The name of the measure that is planned, or one for each column.
    by
        Columns to split by, or ``{new_name: column}``.
    records_of
        What each record stands for.
    spread
        ``"even"`` lays each amount on all days of its period, exact over any whole period; ``"year-ago"`` does so in
        the shape of the same period a year earlier, taken from the sales it is held against; ``"selling-days"`` lays
        it evenly on the selling days (of `selling_days`, else of those sales), ``"season"`` by the usual share of each
        month in those sales (within a month of each weekday); None leaves it on the first.
    calendar
        Of the periods; civil where None.

    Returns
    -------
    Daybook
        With a coverage and exactness of its own.

    Raises
    ------
    QuestionError, IntakeError
        As `read` does.

    Examples
    --------
    >>> import logochron as lc
    >>> plan = lc.read_plan("plan.csv", date="month", value="revenue", measure="revenue")  # doctest: +SKIP
    """
    from logochron.sources.plans import plan_read

    shared = Reading(by=by, calendar=calendar, **options)
    return plan_read(source, shared, date, value, measure, records_of=records_of, spread=spread)


@reading_call
def review(
    source_or_book: Any,
    *,
    by: str | Sequence[str] | Mapping[str, str] | None = None,
    **options: Any,
) -> Review:
    """Look for what would mislead a comparison: gaps, partial periods, jumps, odd names, duplicates, odd amounts.

    Parameters
    ----------
    source_or_book
        Anything that `read` takes, or a daybook. Of a daybook only what its days and items show is told. Columns of
        amounts that are not named are all that may hold some. Refused rows are left out and reported, whatever
        `on_refused` says.
    by
        The columns of items; all that seem to name some where None.

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
    from logochron.sources.review_source import reviewed

    return reviewed(source_or_book, Reading(**options), by)
