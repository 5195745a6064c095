# Made by scripts/make_stubs.py; a test holds it beside the functions.
from collections.abc import Callable, Mapping, Sequence
from typing import Any, Literal

from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure
from logochron.core.book.selling_days import SellingDays
from logochron.core.calendars.base import Calendar
from logochron.core.choices import Empty, Grain, OnRefused, PlanSpread, Spread
from logochron.core.days import DayLike
from logochron.core.questions.review import Review

def read(
    source: Any,
    *,
    date: str | Sequence[str] | None = None,
    values: str | Sequence[str] | None = (),
    by: str | Sequence[str] | Mapping[str, str] | None = (),
    ids: str | Sequence[str] | Mapping[str, str] | None = (),
    where: Mapping[str, Any] | None = None,
    covering: Any = None,
    until: DayLike | None = None,
    tz: str | None = None,
    records_of: Grain = "day",
    spread: Spread | None = None,
    periods_in_columns: Grain | None = None,
    calendar: Calendar | None = None,
    selling_days: SellingDays | None = None,
    measures: Sequence[Measure] | None = (),
    day_first: bool | None = None,
    date_format: str | None = None,
    decimal: str | None = None,
    thousands: str | None = None,
    scale: float | Mapping[str, float] = 1,
    currency: str | None = None,
    to: str | None = None,
    rates: Any = None,
    rates_at: DayLike | None = None,
    delimiter: str | None = None,
    encoding: str | None = None,
    header_row: int | Sequence[int] | None = None,
    fill_down: str | Sequence[str] | Literal[False] | None = None,
    sheet: str | None = None,
    table: str | None = None,
    query: str | None = None,
    empty: Empty = "refused",
    keep_totals: bool = False,
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
        The column of dates, or the columns that together say one day or period (``["year", "month"]``, year and week,
        date and time); found where None and only one can be meant. A timestamp counts on its day.
    values
        The columns of amounts to sum, each a measure; found likewise where neither `values` nor `measures` is given.
    by
        The columns to split by, or ``{new_name: column}``.
    ids
        Columns of ids too many to list (customers), or ``{new_name: column}``: no item of the book, but what
        ``drivers(..., gather="life")`` gathers. Those of files and frames stay in the engine.
    where
        Rows wanted: ``{"harbor": "Alderquay", "line": ["hire", "lessons"], "channel": Not("online")}``.
    covering
        ``(first, last)``, either None: the days for which the records are complete. Rows outside are left out.
    until
        The report date. Rows past it are left out.
    tz
        The zone in which zoned timestamps are turned into days. Where None: one written as text (.csv, .json, .xlsx,
        columns of text anywhere) counts on the day that it names; one of a pandas, Polars or PyArrow frame on its day
        in the zone of its column; one of a Parquet file in the zone that the file writes beside its column, which is
        said; one whose zone is written nowhere (other Parquet files, DuckDB relations, databases) on its day in UTC,
        which is said; one of Spark in the zone of its session. A timestamp without a zone always counts on the day it
        names.
    records_of
        What each record stands for: a day, or the whole week, month, quarter or year (of `calendar`) that its date
        falls in or names (``2026-05``, ``Q2 2026``, ``KW 5/25``, ``P03 FY25``); where all of a column are names of
        periods of one grain, that grain is taken. Refused where the dates fall on four days or more of such a period,
        as records of days do.
    spread
        ``"even"`` lays the amount of such a record evenly on all its days, exact over any whole period; where None it
        sits on the first, and only what is made of such periods can be asked for.
    periods_in_columns
        Of a wide table, one row an item and one column a period: the grain of its columns, whose headers name the
        periods (``2026-05``, ``May 2026``, ``Q2 2026``, ``2025``). `date` is then left out, and `values` is the name
        the amounts shall have. Columns and rows of totals are left out.
    calendar
        Of the periods that `records_of` or `periods_in_columns` name; civil where None.
    selling_days
        On which days something can be sold; those of the questions that name none.
    measures
        `Measure` objects, beside or instead of `values`.
    day_first
        Whether 03/04/2026 is 3 April; asked for only where no row tells.
    date_format
        The form of the dates in the manner of `strptime` (``"%d %b %y"``); ``"unix"`` or ``"unix-ms"`` are seconds or
        milliseconds since 1970, which are recognised in a column that is named as the date.
    decimal
        The decimal mark of amounts written as text (``"."`` or ``","``); recognised where None, asked for where amounts
        read two ways.
    thousands
        What separates the thousands of amounts written as text (``","``, ``"."``, ``" "``, ``"'"``, ``""``); recognised
        where None.
    scale
        What amounts are multiplied by, exactly: 1000 where they are in thousands; or ``{column: number}``.
    currency
        The column that says in which currency each amount is, by code or sign; with `rates`. Where None: found where
        only one can be meant, else the signs beside the amounts.
    to
        The currency that amounts of money are brought to by `rates`. Quantities are never converted.
    rates
        A table of rates (a path, a frame, a mapping of columns): `currency`, `rate`, which is units of `to` for 1 of
        it, and maybe `date`, a day or the name of a period, for whose days it holds; the shorter goes before the
        longer. Each record is converted at the rate of its day; one without a rate is refused.
    rates_at
        Converts all records at one rate each, that of a day or the mean one of a period (``"2025"``), so that growth is
        of sales alone; `Measure.rates_at` does so for one measure.
    delimiter
        What separates the fields of text files; recognised where None.
    encoding
        Of text files; recognised where None.
    header_row
        The line of the header where it is not to be recognised; 0 for none: the columns are then called ``column_1``,
        ``column_2``, ...; two lines that follow each other, ``(1, 2)``, for headers in two rows (years above months,
        periods above measures).
    fill_down
        The columns whose labels stand once above their rows, as in grouped exports; recognised where None, none where
        False.
    sheet
        The name of the sheet of a workbook, where several may be meant.
    table
        Of a database: the table or view to read (maybe SCHEMA.TABLE).
    query
        Of a database: a SELECT of your own.
    empty
        Whether an empty amount refuses its row or counts as ``"zero"``.
    keep_totals
        Whether rows that call themselves totals (``Total``, ``North Total``, ``Zwischensumme``) count as any others.
        Else those whose amounts are the sum of the rows they name are left out, which is said, and those whose are not
        are asked for.
    on_refused
        ``"stop"`` raises an IntakeError that shows the first ten refused rows; ``"skip"`` leaves them out, counted and
        listed in ``book.intake``.
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
    ...

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
    ids: str | Sequence[str] | Mapping[str, str] | None = (),
    where: Mapping[str, Any] | None = None,
    covering: Any = None,
    until: DayLike | None = None,
    tz: str | None = None,
    periods_in_columns: Grain | None = None,
    selling_days: SellingDays | None = None,
    day_first: bool | None = None,
    date_format: str | None = None,
    decimal: str | None = None,
    thousands: str | None = None,
    scale: float | Mapping[str, float] = 1,
    currency: str | None = None,
    to: str | None = None,
    rates: Any = None,
    rates_at: DayLike | None = None,
    delimiter: str | None = None,
    encoding: str | None = None,
    header_row: int | Sequence[int] | None = None,
    fill_down: str | Sequence[str] | Literal[False] | None = None,
    sheet: str | None = None,
    table: str | None = None,
    query: str | None = None,
    empty: Empty = "refused",
    keep_totals: bool = False,
    on_refused: OnRefused = "stop",
    progress: Callable[[float], None] | None = None,
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
    ids
        Columns of ids too many to list (customers), or ``{new_name: column}``: no item of the book, but what
        ``drivers(..., gather="life")`` gathers. Those of files and frames stay in the engine.
    where
        Rows wanted: ``{"harbor": "Alderquay", "line": ["hire", "lessons"], "channel": Not("online")}``.
    covering
        ``(first, last)``, either None: the days for which the records are complete. Rows outside are left out.
    until
        The report date. Rows past it are left out.
    tz
        The zone in which zoned timestamps are turned into days. Where None: one written as text (.csv, .json, .xlsx,
        columns of text anywhere) counts on the day that it names; one of a pandas, Polars or PyArrow frame on its day
        in the zone of its column; one of a Parquet file in the zone that the file writes beside its column, which is
        said; one whose zone is written nowhere (other Parquet files, DuckDB relations, databases) on its day in UTC,
        which is said; one of Spark in the zone of its session. A timestamp without a zone always counts on the day it
        names.
    periods_in_columns
        Of a wide table, one row an item and one column a period: the grain of its columns, whose headers name the
        periods (``2026-05``, ``May 2026``, ``Q2 2026``, ``2025``). `date` is then left out, and `values` is the name
        the amounts shall have. Columns and rows of totals are left out.
    selling_days
        On which days something can be sold; those of the questions that name none.
    day_first
        Whether 03/04/2026 is 3 April; asked for only where no row tells.
    date_format
        The form of the dates in the manner of `strptime` (``"%d %b %y"``); ``"unix"`` or ``"unix-ms"`` are seconds or
        milliseconds since 1970, which are recognised in a column that is named as the date.
    decimal
        The decimal mark of amounts written as text (``"."`` or ``","``); recognised where None, asked for where amounts
        read two ways.
    thousands
        What separates the thousands of amounts written as text (``","``, ``"."``, ``" "``, ``"'"``, ``""``); recognised
        where None.
    scale
        What amounts are multiplied by, exactly: 1000 where they are in thousands; or ``{column: number}``.
    currency
        The column that says in which currency each amount is, by code or sign; with `rates`. Where None: found where
        only one can be meant, else the signs beside the amounts.
    to
        The currency that amounts of money are brought to by `rates`. Quantities are never converted.
    rates
        A table of rates (a path, a frame, a mapping of columns): `currency`, `rate`, which is units of `to` for 1 of
        it, and maybe `date`, a day or the name of a period, for whose days it holds; the shorter goes before the
        longer. Each record is converted at the rate of its day; one without a rate is refused.
    rates_at
        Converts all records at one rate each, that of a day or the mean one of a period (``"2025"``), so that growth is
        of sales alone; `Measure.rates_at` does so for one measure.
    delimiter
        What separates the fields of text files; recognised where None.
    encoding
        Of text files; recognised where None.
    header_row
        The line of the header where it is not to be recognised; 0 for none: the columns are then called ``column_1``,
        ``column_2``, ...; two lines that follow each other, ``(1, 2)``, for headers in two rows (years above months,
        periods above measures).
    fill_down
        The columns whose labels stand once above their rows, as in grouped exports; recognised where None, none where
        False.
    sheet
        The name of the sheet of a workbook, where several may be meant.
    table
        Of a database: the table or view to read (maybe SCHEMA.TABLE).
    query
        Of a database: a SELECT of your own.
    empty
        Whether an empty amount refuses its row or counts as ``"zero"``.
    keep_totals
        Whether rows that call themselves totals (``Total``, ``North Total``, ``Zwischensumme``) count as any others.
        Else those whose amounts are the sum of the rows they name are left out, which is said, and those whose are not
        are asked for.
    on_refused
        ``"stop"`` raises an IntakeError that shows the first ten refused rows; ``"skip"`` leaves them out, counted and
        listed in ``book.intake``.
    progress
        Called with the part that is done (0 to 1) while a long reading runs; again and again with 0 while a database or
        a cluster is at work. In a notebook a bar is shown where None.

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
    ...

def review(
    source_or_book: Any,
    *,
    by: str | Sequence[str] | Mapping[str, str] | None = None,
    date: str | Sequence[str] | None = None,
    values: str | Sequence[str] | None = (),
    ids: str | Sequence[str] | Mapping[str, str] | None = (),
    where: Mapping[str, Any] | None = None,
    covering: Any = None,
    until: DayLike | None = None,
    tz: str | None = None,
    records_of: Grain = "day",
    spread: Spread | None = None,
    periods_in_columns: Grain | None = None,
    calendar: Calendar | None = None,
    selling_days: SellingDays | None = None,
    measures: Sequence[Measure] | None = (),
    day_first: bool | None = None,
    date_format: str | None = None,
    decimal: str | None = None,
    thousands: str | None = None,
    scale: float | Mapping[str, float] = 1,
    currency: str | None = None,
    to: str | None = None,
    rates: Any = None,
    rates_at: DayLike | None = None,
    delimiter: str | None = None,
    encoding: str | None = None,
    header_row: int | Sequence[int] | None = None,
    fill_down: str | Sequence[str] | Literal[False] | None = None,
    sheet: str | None = None,
    table: str | None = None,
    query: str | None = None,
    empty: Empty = "refused",
    keep_totals: bool = False,
    on_refused: OnRefused = "stop",
    progress: Callable[[float], None] | None = None,
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
    date
        The column of dates, or the columns that together say one day or period (``["year", "month"]``, year and week,
        date and time); found where None and only one can be meant. A timestamp counts on its day.
    values
        The columns of amounts to sum, each a measure; found likewise where neither `values` nor `measures` is given.
    ids
        Columns of ids too many to list (customers), or ``{new_name: column}``: no item of the book, but what
        ``drivers(..., gather="life")`` gathers. Those of files and frames stay in the engine.
    where
        Rows wanted: ``{"harbor": "Alderquay", "line": ["hire", "lessons"], "channel": Not("online")}``.
    covering
        ``(first, last)``, either None: the days for which the records are complete. Rows outside are left out.
    until
        The report date. Rows past it are left out.
    tz
        The zone in which zoned timestamps are turned into days. Where None: one written as text (.csv, .json, .xlsx,
        columns of text anywhere) counts on the day that it names; one of a pandas, Polars or PyArrow frame on its day
        in the zone of its column; one of a Parquet file in the zone that the file writes beside its column, which is
        said; one whose zone is written nowhere (other Parquet files, DuckDB relations, databases) on its day in UTC,
        which is said; one of Spark in the zone of its session. A timestamp without a zone always counts on the day it
        names.
    records_of
        What each record stands for: a day, or the whole week, month, quarter or year (of `calendar`) that its date
        falls in or names (``2026-05``, ``Q2 2026``, ``KW 5/25``, ``P03 FY25``); where all of a column are names of
        periods of one grain, that grain is taken. Refused where the dates fall on four days or more of such a period,
        as records of days do.
    spread
        ``"even"`` lays the amount of such a record evenly on all its days, exact over any whole period; where None it
        sits on the first, and only what is made of such periods can be asked for.
    periods_in_columns
        Of a wide table, one row an item and one column a period: the grain of its columns, whose headers name the
        periods (``2026-05``, ``May 2026``, ``Q2 2026``, ``2025``). `date` is then left out, and `values` is the name
        the amounts shall have. Columns and rows of totals are left out.
    calendar
        Of the periods that `records_of` or `periods_in_columns` name; civil where None.
    selling_days
        On which days something can be sold; those of the questions that name none.
    measures
        `Measure` objects, beside or instead of `values`.
    day_first
        Whether 03/04/2026 is 3 April; asked for only where no row tells.
    date_format
        The form of the dates in the manner of `strptime` (``"%d %b %y"``); ``"unix"`` or ``"unix-ms"`` are seconds or
        milliseconds since 1970, which are recognised in a column that is named as the date.
    decimal
        The decimal mark of amounts written as text (``"."`` or ``","``); recognised where None, asked for where amounts
        read two ways.
    thousands
        What separates the thousands of amounts written as text (``","``, ``"."``, ``" "``, ``"'"``, ``""``); recognised
        where None.
    scale
        What amounts are multiplied by, exactly: 1000 where they are in thousands; or ``{column: number}``.
    currency
        The column that says in which currency each amount is, by code or sign; with `rates`. Where None: found where
        only one can be meant, else the signs beside the amounts.
    to
        The currency that amounts of money are brought to by `rates`. Quantities are never converted.
    rates
        A table of rates (a path, a frame, a mapping of columns): `currency`, `rate`, which is units of `to` for 1 of
        it, and maybe `date`, a day or the name of a period, for whose days it holds; the shorter goes before the
        longer. Each record is converted at the rate of its day; one without a rate is refused.
    rates_at
        Converts all records at one rate each, that of a day or the mean one of a period (``"2025"``), so that growth is
        of sales alone; `Measure.rates_at` does so for one measure.
    delimiter
        What separates the fields of text files; recognised where None.
    encoding
        Of text files; recognised where None.
    header_row
        The line of the header where it is not to be recognised; 0 for none: the columns are then called ``column_1``,
        ``column_2``, ...; two lines that follow each other, ``(1, 2)``, for headers in two rows (years above months,
        periods above measures).
    fill_down
        The columns whose labels stand once above their rows, as in grouped exports; recognised where None, none where
        False.
    sheet
        The name of the sheet of a workbook, where several may be meant.
    table
        Of a database: the table or view to read (maybe SCHEMA.TABLE).
    query
        Of a database: a SELECT of your own.
    empty
        Whether an empty amount refuses its row or counts as ``"zero"``.
    keep_totals
        Whether rows that call themselves totals (``Total``, ``North Total``, ``Zwischensumme``) count as any others.
        Else those whose amounts are the sum of the rows they name are left out, which is said, and those whose are not
        are asked for.
    on_refused
        ``"stop"`` raises an IntakeError that shows the first ten refused rows; ``"skip"`` leaves them out, counted and
        listed in ``book.intake``.
    progress
        Called with the part that is done (0 to 1) while a long reading runs; again and again with 0 while a database or
        a cluster is at work. In a notebook a bar is shown where None.

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
    ...
