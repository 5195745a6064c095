"""`read`: from files and frames to a daybook."""

from __future__ import annotations

import logging
from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from logochron.sources.engine.connection import Engine

if TYPE_CHECKING:
    from logochron.core.book.daybook import Daybook
    from logochron.core.book.filters import Where
    from logochron.core.book.measures import Measure
    from logochron.core.calendars.base import Calendar
    from logochron.core.days import DayLike
    from logochron.core.options import Empty, Grain, OnRefused, Spread

#: Tells what was guessed and what should be known; on standard error unless the user's logging says otherwise.
_LOG = logging.getLogger("logochron")


def read(
    source: Any,
    *,
    date: str | None = None,
    values: str | Sequence[str] | None = (),
    by: str | Sequence[str] | Mapping[str, str] | None = (),
    where: Where | None = None,
    covering: Any = None,
    until: DayLike | None = None,
    tz: str | None = None,
    records_of: Grain = "day",
    spread: Spread | None = None,
    periods_in_columns: Grain | None = None,
    calendar: Calendar | None = None,
    measures: Sequence[Measure] | None = (),
    day_first: bool | None = None,
    date_format: str | None = None,
    decimal: str | None = None,
    thousands: str | None = None,
    delimiter: str | None = None,
    encoding: str | None = None,
    header_row: int | None = None,
    sheet: str | None = None,
    table: str | None = None,
    query: str | None = None,
    empty: Empty = "refused",
    on_refused: OnRefused = "stop",
    progress: Callable[[float], None] | None = None,
) -> Daybook:
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
    date
        The column of dates; found where None and only one can be meant. A timestamp counts on its day.
    values
        The columns of amounts to sum, each a measure; found likewise where neither `values` nor `measures` is
        given.
    by
        The columns to split by, or ``{new_name: column}``.
    where
        Rows wanted: ``{"harbor": "Alderquay", "line": ["hire", "lessons"], "channel": Not("online")}``.
    covering
        ``(first, last)``, either None: the days for which the records are complete. Rows outside are set
        aside.
    until
        The report date. Rows past it are set aside.
    tz
        The zone in which zoned timestamps are turned into days. Where None: one written as text (.csv, .json, .xlsx,
        columns of text anywhere) counts on the day that it names; one of a pandas, Polars or PyArrow frame on its day
        in the zone of its column; one of a Parquet file in the zone that the file writes beside its column, which is
        said; one whose zone is written nowhere (other Parquet files, DuckDB relations, databases) on its day in UTC,
        which is said; one of Spark in the zone of its session. A timestamp without a zone always counts on the day
        it names.
    records_of
        What each record stands for: a day, or the whole week, month, quarter or year (of `calendar`) that its
        date falls in or names (``2026-05``, ``Q2 2026``). Refused where the dates fall on four days or more of such a
        period, as records of days do.
    spread
        ``"even"`` lays the amount of such a record evenly on all its days, exact over any whole period; where
        None it sits on the first, and only what is made of such periods can be asked for.
    periods_in_columns
        Of a wide table, one row an item and one column a period: the grain of its columns, whose headers name
        the periods (``2026-05``, ``May 2026``, ``Q2 2026``, ``2025``). `date` is then left out, and `values`
        is the name the amounts shall have. Columns and rows of totals are set aside.
    calendar
        Of the periods that `records_of` or `periods_in_columns` name; civil where None.
    measures
        `Measure` objects, beside or instead of `values`.
    day_first
        Whether 03/04/2026 is 3 April; asked for only where no row tells.
    date_format
        The form of the dates in the manner of `strptime` (``"%d %b %y"``).
    decimal, thousands
        The decimal mark of amounts written as text (``"."`` or ``","``) and what parts their thousands (``","``,
        ``"."``, ``" "``, ``"'"``, ``""``); recognised where None, asked for where amounts read two ways.
    delimiter, encoding
        Of text files; recognised where None.
    header_row
        The line of the header where it is not to be recognised; 0 for none: the columns are then called
        ``column_1``, ``column_2``, ...
    sheet
        The name of the sheet of a workbook, where several may be meant.
    table, query
        Of a database: the table or view to read (maybe SCHEMA.TABLE), or a SELECT of your own.
    empty
        Whether an empty amount refuses its row or counts as ``"zero"``.
    on_refused
        ``"stop"`` raises an IntakeError that shows the first ten refused rows; ``"skip"`` leaves them out,
        counted and listed in ``book.intake``.
    progress
        Called with the part that is done (0 to 1) while a long reading runs; again and again with 0 while a database or
        a cluster is at work. In a notebook a bar is shown where None.

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
    from logochron.sources.read_options import Options
    from logochron.sources.reading import carry_out

    options = Options(
        date=date,
        values=values,
        by=by,
        where=where,
        covering=covering,
        until=until,
        tz=tz,
        records_of=records_of,
        spread=spread,
        periods_in_columns=periods_in_columns,
        calendar=calendar,
        measures=measures,
        day_first=day_first,
        date_format=date_format,
        decimal=decimal,
        thousands=thousands,
        delimiter=delimiter,
        encoding=encoding,
        header_row=header_row,
        sheet=sheet,
        table=table,
        query=query,
        empty=empty,
        on_refused=on_refused,
        progress=progress,
    )
    book = carry_out(source, options, engine=engine)
    for said in book.intake.lines():
        _LOG.warning("%s", said)
    return book
