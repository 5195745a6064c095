"""From the options of a question to an answer shown or written."""

from __future__ import annotations

from typing import Any

from logochron.cli import options
from logochron.cli.calendars import calendar_of, this_year
from logochron.cli.progress import reading_progress
from logochron.cli.settings_option import Given
from logochron.cli.showing import figure_drawn, hand_over
from logochron.cli.speaking import say
from logochron.cli.targets import target_of
from logochron.core.align.bases import Basis, Plan, parse_basis
from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure
from logochron.core.calendars.base import Calendar
from logochron.core.errors import QuestionError, no_such
from logochron.core.judge.judging import Band, Judging
from logochron.core.options import READING
from logochron.core.questions.alerts import Alert
from logochron.core.questions.compare import compare
from logochron.core.questions.explain import explain
from logochron.core.questions.lists import list_periods
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.question_types import question_type
from logochron.report import alerting, expressions
from logochron.report.alerting import alerts_of
from logochron.views.formats import Formats
from logochron.views.words.titles import heading


def read_book(sales: tuple[str, ...], asked: dict[str, Any], calendar: Calendar) -> Daybook:
    """The daybook that the reading options ask for."""
    columns = list(dict.fromkeys(options.names(asked["value"])))
    lower = options.names(asked["lower_is_better"])
    made = measures_of(asked, lower)
    known = [*columns, *(measure.name for measure in made)]
    for name in lower:
        if name not in known:
            where = "--value and --measure" if made else "--value"
            raise QuestionError(f"--lower-is-better: {no_such('amount', name, known, where=where)}")
    from logochron.sources.kinds.streams import lasting
    from logochron.sources.read import read

    quantity = asked.get("quantity")
    with (
        reading_progress() as progress,
        lasting(list(sales), asked["table"], asked["query"], progress) as source,
    ):
        if quantity is not None and not known:
            columns = [_amount_beside(quantity, source, asked)]
        if quantity is not None and quantity not in known:
            columns.append(quantity)
        return read(
            source,
            date=asked["date"],
            measures=[*(Measure(name, better=expressions.better_of(name, lower)) for name in columns), *made],
            by=_read_by(asked),
            where=options.conditions(asked["where"]),
            progress=progress,
            calendar=calendar,
            **{name: asked[name] for name in READING},
        )


def measures_of(asked: dict[str, Any], lower: list[str]) -> list[Measure]:
    """The measures made by options; those of --settings where no amounts are named."""
    given: Given | None = asked.get("settings")
    if given is not None and not asked["measures"] and not asked["value"]:
        return given.measures
    return [expressions.measure(text, lower) for text in asked["measures"]]


def _read_by(asked: dict[str, Any]) -> dict[str, str]:
    """The dimensions that are read: those to split by, and the one that tells what led an item."""
    by, then = options.dimensions(asked["by"]), asked.get("then")
    if asked.get("settings") is not None:
        by = {name: asked["settings"].columns.get(column, column) for name, column in by.items()}
    return by if then is None or then in by else by | {then: then}


def _amount_beside(quantity: str, source: Any, asked: dict[str, Any]) -> str:
    """The column of amounts that goes with one of quantities, where it is not named."""
    from logochron.sources.guess_columns import amount_beside
    from logochron.sources.kinds.find_files import Dialect

    known = [quantity, *options.dimensions(asked["by"]).values(), *options.conditions(asked["where"])]
    dialect = Dialect(*(asked[name] for name in ("delimiter", "encoding", "header_row", "sheet")))
    column = amount_beside(source, asked["date"], known, dialect)
    say(f"amounts from column {column!r} (--value)")
    return column


def formats_of(asked: dict[str, Any]) -> Formats:
    return Formats(
        locale=asked["locale"],
        currency=asked.get("currency"),
        decimals=asked.get("decimals"),
        plain=asked["plain"],
        spreadsheet_safe=asked["spreadsheet_safe"],
    )


def _running(asked: dict[str, Any]) -> str | int | None:
    running = asked["running"]
    return int(running) if running is not None and running.isdecimal() and len(running) < 20 else running


def _spans(asked: dict[str, Any], book: Daybook, calendar: Calendar) -> dict[str, Any]:
    """The options of every question about periods."""
    return {
        "book": book,
        "each": asked["each"] or _each(book),
        "running": _running(asked),
        "at": asked["at"],
        "partial": asked["partial"],
        "weeks": asked["weeks"],
        "items": asked["kept"],
        "by": list(options.dimensions(asked["by"])),
        "calendar": calendar,
    }


def _each(book: Daybook) -> str:
    """The grain of the rows where none is asked for: that of the records, a month where those are of days."""
    standing = book.standing
    return standing.records_of if standing.whole else "month"


def basis_of(asked: dict[str, Any]) -> Basis:
    """What periods are held against: where nothing is asked for the plan that is given, else a year ago."""
    return parse_basis(asked["against"] or ("plan" if asked.get("plan") else "year-ago"))


def basis_with_plan(asked: dict[str, Any]) -> Basis:
    """What periods are held against, refused where a plan is given for nothing, or asked for and not given."""
    basis = basis_of(asked)
    has_plan = asked["plan"] is not None or (isinstance(basis, Plan) and has_settings_plan(asked))
    if has_plan != isinstance(basis, Plan):
        raise QuestionError("--plan FILE and --against plan go together")
    return basis


def has_settings_plan(asked: dict[str, Any]) -> bool:
    """Whether the report file of --settings names a plan."""
    given: Given | None = asked.get("settings")
    return given is not None and given.settings.plan is not None


def _planned(sales: tuple[str, ...], asked: dict[str, Any]) -> dict[str, Any]:
    """The options of a question about spans that may be put against a plan, both books read."""
    basis = basis_with_plan(asked)
    calendar = calendar_of(asked)
    book, plan = books_of(sales, asked, calendar)
    return _spans(asked, book, calendar) | {"against": basis, "plan": plan}


def books_of(
    sales: tuple[str, ...], asked: dict[str, Any], calendar: Calendar, *, target: bool = False
) -> tuple[Daybook, Daybook | None]:
    """The sales, and the plan where one is given; `target`: that of --settings too, where it is no base."""
    from logochron.sources.kinds.streams import is_standard_input

    if is_standard_input(asked["plan"]) and any(map(is_standard_input, sales)):
        raise QuestionError("standard input cannot be both the sales and the plan: write one of them to a file")
    book = read_book(sales, asked, calendar)
    dimensions = options.dimensions(asked["by"])
    plan = None
    if asked["plan"] is None and has_settings_plan(asked) and (target or asked["against"] == "plan"):
        plan = asked["settings"].plan(calendar, book)
    elif asked["plan"] is not None:
        from logochron.sources.read_plan import plan_of, shared_dimensions

        # a filter too is of the plan, where it has the column
        plan = plan_of(
            asked["plan"],
            book.measures,
            shared_dimensions(book, dimensions),
            records_of=asked["plan_records_of"],
            calendar=calendar,
            spread=asked["plan_spread"],
        )
    return book, plan


def check_dimensions_of(asked: dict[str, Any], answer: str) -> dict[str, str]:
    """The dimensions, refused before anything is read where the answer has columns called like them."""
    dimensions = options.dimensions(asked["by"])
    question_type(answer).check_dimensions(dimensions, list(dimensions.values()))
    return dimensions


def _headings(answer: str, asked: dict[str, Any]) -> dict[str, str]:
    """Headings that stand for columns, as far as the options tell them."""
    measures = [*options.names(asked["value"]), *(measure.name for measure in measures_of(asked, []))]
    return {
        heading(basis_of(asked)): "base",
        **question_type(answer).headings_of(options.dimensions(asked["by"]), measures),
    }


def alerts_and_items(asked: dict[str, Any], answer: str, judging: Judging) -> tuple[list[Alert], dict[str, Any]]:
    """The alerts, and the options that choose and order items: refused before anything is read where it can be told."""
    headings = _headings(answer, asked)
    alerts = alerts_of(asked["alerts"], answer, check_dimensions_of(asked, answer), judging, headings)
    sort = asked["sort"]
    if sort is not None and (asked["value"] or asked["measures"]):
        sort = question_type(answer).sort_named(sort, headings)
    return alerts, {"top": asked["top"], "sort": sort}


def tell_alerts(alerts: list[Alert], answer: AlignedAnswer, formats: Formats) -> bool:
    """Tells on standard error for which rows alerts fire, or cannot be told; whether any fired."""
    lines, fired = alerting.alert_lines_of(alerts, answer, formats)
    for line in lines:
        say(line, named=not line.startswith(" "))
    return fired


def judging_of(asked: dict[str, Any]) -> Judging:
    """How the options judge a change."""
    return Judging(
        level_within=options.part(asked["level_within"], "--level-within"),
        level_as=asked["level_as"],
        bands=[band if isinstance(band, Band) else expressions.band(band) for band in asked.get("bands", ())],
        on=asked.get("bands_on", "growth"),
        marks=expressions.signs(asked["marks"]),
        marks_place=asked["marks_place"],
        marks_of=asked["marks_of"],
    )


def answer_compare(sales: tuple[str, ...], asked: dict[str, Any]) -> bool:
    """Ask, and show or write the answer; whether an alert fired."""
    formats = formats_of(asked)
    target = target_of(asked, sales)
    judging = judging_of(asked)
    alerts, items = alerts_and_items(asked, "compare", judging)
    result = compare(
        **_planned(sales, asked),
        per=asked["per"],
        skip_closed=asked["skip_closed"],
        **items,
        last=asked["last"],
        judging=judging,
        unusual=asked["unusual"] or any(alert.column in question_type("compare").at_will for alert in alerts),
    )
    hand_over(result, target, asked, formats, figure=figure_drawn(result, asked, formats))
    return tell_alerts(alerts, result, formats)


def answer_relate(sales: tuple[str, ...], asked: dict[str, Any]) -> bool:
    """Hold items beside each other, and show or write the answer; whether an alert fired."""
    from logochron.core.questions import relate

    formats, target, judging = formats_of(asked), target_of(asked, sales, "relate"), judging_of(asked)
    alerts, items = alerts_and_items(asked, "relate", judging)
    calendar = calendar_of(asked)
    result = relate.relate(
        **_spans(asked, read_book(sales, asked, calendar), calendar),
        beside=asked["beside"],
        within=asked["within"],
        against=basis_of(asked),
        **items,
        last=asked["last"],
        judging=judging,
    )
    hand_over(result, target, asked, formats)
    return tell_alerts(alerts, result, formats)


def answer_drivers(sales: tuple[str, ...], asked: dict[str, Any]) -> bool:
    """Take a change apart, and show or write the answer; whether an alert fired."""
    from logochron.core.questions import drivers

    formats, target, judging = formats_of(asked), target_of(asked, sales, "drivers"), judging_of(asked)
    alerts, items = alerts_and_items(asked, "drivers", judging)
    result = drivers.drivers(
        **_planned(sales, asked),
        **items,
        quantity=asked["quantity"],
        judging=judging,
    )
    hand_over(result, target, asked, formats, figure=figure_drawn(result, asked, formats))
    return tell_alerts(alerts, result, formats)


def answer_explain(sales: tuple[str, ...], asked: dict[str, Any]) -> None:
    """Explain one figure."""
    formats = formats_of(asked)
    check_dimensions_of(asked, "compare")
    target = target_of(asked, sales, "explain")
    result = compare(
        **_planned(sales, asked),
        per=asked["per"],
        skip_closed=asked["skip_closed"],
        last=None if asked["at"] else 1,
    )
    receipt = explain(result, None if len(result.periods) == 1 else asked["at"], holidays=asked["holidays"])
    hand_over(receipt, target, asked, formats)


def answer_calendar(asked: dict[str, Any]) -> None:
    """List the periods of a calendar."""
    formats = formats_of(asked)
    target = target_of(asked, (), "calendar")
    calendar = calendar_of(asked)
    result = list_periods(calendar, asked["each"], asked["between"] or this_year(calendar))
    hand_over(result, target, asked, formats)


def answer_review(sales: tuple[str, ...], asked: dict[str, Any]) -> None:
    """Review, and show or write the findings."""
    from logochron.sources.review_source import review

    target = target_of(asked, sales, "review")
    formats = formats_of(asked)
    by = options.dimensions(asked["by"])
    with reading_progress() as progress:
        result = review(
            list(sales),
            date=asked["date"],
            values=list(dict.fromkeys(options.names(asked["value"]))),
            by=by or None,
            where=options.conditions(asked["where"]),
            progress=progress,
            **{name: asked[name] for name in READING if name != "on_refused"},
        )
    hand_over(result, target, asked, formats)
