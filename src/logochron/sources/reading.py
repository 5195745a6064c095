"""`read`: from files to a daybook."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import replace
from functools import cached_property
from glob import has_magic
from pathlib import Path
from typing import TYPE_CHECKING, Any

from logochron.core.calendars.base import Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.compare import AFTER, BEFORE
from logochron.core.daybook import Daybook
from logochron.core.days import DayLike, day_number, span_ends
from logochron.core.errors import QuestionError, nearest
from logochron.core.measures import Measure
from logochron.core.options import Empty, Grain, OnRefused, Spread, check
from logochron.core.selection import Where, in_words
from logochron.core.standing import Standing
from logochron.sources.account import Stated, account
from logochron.sources.amounts import check_stated
from logochron.sources.engine import Engine
from logochron.sources.locate import Dialect, Source, locate, plainly_named
from logochron.sources.scanned import PERIOD, Scanned, Wanted

if TYPE_CHECKING:
    from logochron.sources.typedscan import Typed

#: Names a dimension may not bear, since tables use them.
TAKEN = frozenset((*BEFORE, *AFTER))


def read(
    source: Any,
    *,
    date: str | None = None,
    values: str | Sequence[str] = (),
    by: str | Sequence[str] | Mapping[str, str] = (),
    where: Where | None = None,
    covering: Any = None,
    until: DayLike | None = None,
    tz: str | None = None,
    rows: Grain = "day",
    spread: Spread | None = None,
    periods_in_columns: Grain | None = None,
    calendar: Calendar | None = None,
    measures: Sequence[Measure] = (),
    day_first: bool | None = None,
    date_format: str | None = None,
    decimal: str | None = None,
    thousands: str | None = None,
    delimiter: str | None = None,
    encoding: str | None = None,
    header_row: int | None = None,
    sheet: str | None = None,
    empty: Empty = "refused",
    on_refused: OnRefused = "stop",
    progress: Callable[[float], None] | None = None,
) -> Daybook:
    """Read sales records into a daybook, every row accounted for.

    Parameters
    ----------
    source
        A path, a list of paths or a glob: .csv, .tsv, .txt, .json, .jsonl (also .gz), .parquet and .xlsx; or a
        data frame of pandas, Polars or PyArrow, or a DuckDB relation, scanned where it lies.
    date
        The column of dates. A timestamp counts on its day.
    values
        The columns of amounts to sum, each a measure.
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
        The zone in which zoned timestamps are turned into days. Where None, one of a text counts on the day it
        names, one of a Parquet file or a frame on its day in UTC.
    rows
        What each record stands for: a day, or the whole week, month, quarter or year (of `calendar`) that its
        date falls in or names (``2026-05``, ``Q2 2026``).
    spread
        ``"even"`` lays the amount of such a record evenly on all its days, exact over any whole period; where
        None it sits on the first, and only what is made of such periods can be asked for.
    periods_in_columns
        Of a wide table, one row an item and one column a period: the grain of its columns, whose headers name
        the periods (``2026-05``, ``May 2026``, ``Q2 2026``, ``2025``). `date` is then left out, and `values`
        is the name the amounts shall have. Columns and rows of totals are set aside.
    calendar
        Of the periods that `rows` or `periods_in_columns` name; civil where None.
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
    empty
        Whether an empty amount refuses its row or counts as ``"zero"``.
    on_refused
        ``"stop"`` raises an IntakeError that shows the first ten refused rows; ``"skip"`` leaves them out,
        counted and listed in ``book.intake``.
    progress
        Called with the part that is done (0 to 1) while a long reading runs.

    Returns
    -------
    Daybook
        Sums by day and item, with `intake`, the account of every row: read = counted + refused + set_aside +
        blank.

    Raises
    ------
    QuestionError
        Where a path, a column, an item or an option is not there.
    IntakeError
        Where the source cannot be read for certain, or rows are refused.

    Notes
    -----
    Amounts with at most six decimals are summed as whole numbers, without any rounding; `Daybook.exact` tells.

    Examples
    --------
    >>> import logochron as lc
    >>> book = lc.read("sales.csv", date="sold_on", values=["revenue", "units"], by="harbor")  # doctest: +SKIP
    """
    check("empty", empty, Empty)
    check("on_refused", on_refused, OnRefused)
    asked = _measures(values, measures)
    if periods_in_columns is not None:
        check("periods_in_columns", periods_in_columns, Grain)
        if date is not None or len({m.source_column for m in asked}) > 1:
            raise QuestionError(
                "with `periods_in_columns` the headers are the dates and the cells one measure: leave `date` out, and "
                "let `values` be the one name the amounts shall have"
            )
        date, rows = PERIOD, periods_in_columns
    if not isinstance(date, str):
        raise QuestionError(f"`date` must be the name of a column; got {date!r}")
    standing = _standing(rows, spread, calendar)
    wide = standing if periods_in_columns else None
    dimensions = _dimensions(by)
    covered = (None, None) if covering is None else span_ends(covering, "covering")
    report = None if until is None else day_number(until, "until")
    where = dict(where or {})
    # a filter may use the new name of a dimension, or the name of any column
    where = {dimensions.get(name, name): wanted for name, wanted in where.items()}
    wanted = Wanted(
        date=date,
        dimensions=dimensions,
        columns=tuple(dict.fromkeys(m.source_column for m in asked)),
        where=where,
        empty_is_zero=empty == "zero",
        tz=tz,
        times_cut=date_format is None,
        writing=check_stated(decimal, thousands),
        apart=standing.spread is not None,
    )
    engine = Engine(progress)
    if tz is not None:
        _check_zone(engine, tz)
    ends = [end for end in (covered[1], report) if end is not None]
    keep = (covered[0], min(ends) if ends else None)
    sources = locate(source)
    with _Scanner(engine, wanted, Dialect(delimiter, encoding, header_row, sheet), wide) as scanner:
        scans = [scanner.scan(one) for one in sources]
        gathered, intake = account(engine, scans, wanted, Stated(day_first, date_format, keep, standing), on_refused)
    inexact = [name for name, amounts in gathered.amounts.items() if amounts.scale is None]
    if inexact:
        intake = replace(
            intake,
            warnings=(
                *intake.warnings,
                f"summed in floating point, as the amounts have more than six decimals or are too large: "
                f"{', '.join(inexact)}",
            ),
        )
    book = Daybook(
        days=gathered.days,
        records=gathered.records,
        codes=gathered.codes,
        labels=gathered.labels,
        amounts=gathered.amounts,
        measures=asked,
        recorded=gathered.recorded,
        intake=intake,
        asked_covering=covered,
        asked_until=report,
        kept=keep,
        selected=in_words(where),
        standing=standing,
    )
    if report is not None:
        book.coverage  # noqa: B018  a report date that cannot be is refused here
    return book


def _check_zone(engine: Engine, tz: str) -> None:
    known = [str(name) for (name,) in engine.rows("SELECT name FROM pg_timezone_names()", "tz")]
    if tz not in known:
        hint = nearest(tz, known)
        did = f" Did you mean {hint!r}?" if hint else ""
        raise QuestionError(f"`tz` must be the name of a zone such as 'Europe/Lisbon'; got {tz!r}.{did}")


def _standing(rows: Grain, spread: Spread | None, calendar: Calendar | None) -> Standing:
    check("rows", rows, Grain)
    if spread is not None:
        check("spread", spread, Spread)
        if rows == "day":
            raise QuestionError("`spread` lays records of whole periods on days: say `rows` too (--rows month)")
    if calendar is not None and not isinstance(calendar, Calendar):
        raise QuestionError(f"`calendar` must be a calendar such as CivilCalendar(); got {type(calendar).__name__}")
    return Standing(rows, calendar or CivilCalendar(), spread)


class _Scanner:
    """Scans each source by its kind; copies of files live as long as it does, and code is loaded only if needed."""

    def __init__(self, engine: Engine, wanted: Wanted, dialect: Dialect, wide: Standing | None = None) -> None:
        self.engine, self.wanted, self.dialect, self.wide = engine, wanted, dialect, wide
        self.open = ExitStack()

    def __enter__(self) -> _Scanner:
        return self

    def __exit__(self, *_: object) -> None:
        self.open.close()

    @cached_property
    def folder(self) -> Path:
        """A folder for copies, made when the first is."""
        from tempfile import TemporaryDirectory

        return Path(self.open.enter_context(TemporaryDirectory(prefix="logochron-")))

    def named(self, source: Source) -> Source:
        """The source under a name that the engine takes as it is."""
        return plainly_named(source, self.folder) if has_magic(str(source.path)) else source

    def scan(self, source: Source) -> Scanned:
        """One source rolled up."""
        try:
            return self._scan(source)
        except OSError as error:
            raise QuestionError(f"{source.name} cannot be read: {error.strerror or error}") from None

    def _scan(self, source: Source) -> Scanned:
        if source.kind != "text" or self.wide:
            from logochron.sources.typedscan import scan_typed

            return scan_typed(self.engine, source, self.laid_out(source), self.wanted)
        from logochron.sources.textscan import scan_text

        return scan_text(self.engine, self.named(source), self.wanted, self.folder, self.dialect)

    @property
    def names(self) -> list[str]:
        """The wanted columns that the source itself has."""
        named = [(option, name) for option, name in self.wanted.names() if name]
        return [name for option, name in named if not (self.wide and option in ("date", "values"))]

    def laid_out(self, source: Source) -> Typed:
        """A table as it is, or a wide one as one row a cell."""
        if not self.wide:
            return self.typed(source)
        from logochron.sources.wide import carry_text, lay_out

        if source.kind == "text":
            table = carry_text(self.engine, source, self.folder, self.dialect, self.names)
        else:
            table = self.typed(source)
        measure = self.wanted.columns[0]
        return lay_out(self.engine, source, table, measure, self.names, self.wide.rows, self.wide.calendar)

    def typed(self, source: Source) -> Typed:
        """A table whose columns have types, made known to the engine."""
        if source.kind == "frame":
            from logochron.sources.frames import frame_table

            return frame_table(self.engine, source)
        if source.kind == "workbook":
            from logochron.sources.workbooks import carry_sheet

            return carry_sheet(self.engine, source, self.dialect.sheet, self.dialect, self.names, self.wanted.date)
        if source.kind == "json":
            from logochron.sources.jsonfiles import carry_json
            from logochron.sources.textfile import unpacked

            return carry_json(self.engine, unpacked(source, self.folder))
        from logochron.sources.typedscan import parquet_table

        return parquet_table(self.engine, self.named(source))

    def columns(self, source: Source) -> list[str]:
        """The columns of one source."""
        if source.kind != "text":
            return list(self.typed(source).header)
        from logochron.sources.textfile import prepare, unpacked

        return list(prepare(unpacked(source, self.folder), self.folder, self.dialect).header)


def _measures(values: str | Sequence[str], measures: Sequence[Measure]) -> tuple[Measure, ...]:
    names = [values] if isinstance(values, str) else list(values)
    asked = (*(Measure(name) for name in names), *measures)
    if not asked:
        raise QuestionError("`values` must name at least one column of amounts (--value COLUMN)")
    for i, measure in enumerate(asked):
        if any(other.name == measure.name for other in asked[:i]):
            raise QuestionError(f"`values` and `measures` name {measure.name!r} twice")
    return asked


def _dimensions(by: str | Sequence[str] | Mapping[str, str]) -> dict[str, str]:
    if isinstance(by, Mapping):
        named = list(by.items())
    else:
        named = [(name, name) for name in ([by] if isinstance(by, str) else by)]
    for name, column in named:
        if name in TAKEN:
            raise QuestionError(
                f"`by`: a dimension may not be called {name!r}, as tables have a column of that name; rename it: "
                f"by={{'its_{name}': {column!r}}} (--by its_{name}={column})"
            )
    if len(dict(named)) < len(named):
        raise QuestionError(f"`by` names a dimension twice: {', '.join(name for name, _ in named)}")
    return dict(named)


def columns_of(source: Any) -> tuple[str, list[str]]:
    """The name and the columns of the first file that a source names."""
    first = locate(source)[0]
    with _Scanner(Engine(), Wanted("", {}, (), {}, False), Dialect()) as scanner:
        return first.name, scanner.columns(first)
