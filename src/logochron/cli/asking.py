"""From the options of a command to an answer shown or written."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from logochron.cli.books import books_of, calendar_of, composed_measures, has_settings_plan, sales_book, this_year
from logochron.cli.options import dimensions, names, part, reading_of
from logochron.cli.showing import figure_drawn, hand_over, target_of
from logochron.cli.speaking import reading_progress, say
from logochron.core.align.bases import Basis, Plan, YearAgo, parse_basis
from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import is_currency_code
from logochron.core.calendars.base import Calendar
from logochron.core.choices import Grain, Profile, refuse_brought, values
from logochron.core.errors import QuestionError, brief, did_you_mean, nearest
from logochron.core.judge.judging import Band, Judging
from logochron.core.questions.compare import compare
from logochron.core.rows.answer import AlignedAnswer, Answer
from logochron.core.rows.question_types import QuestionType, loaded, question_type
from logochron.core.rows.result import Result
from logochron.options import options_of
from logochron.report import expressions
from logochron.report.expressions import alerts_of
from logochron.views.formats import Formats
from logochron.views.words.titles import heading

if TYPE_CHECKING:  # what a comparison does without is loaded when it is asked for
    from logochron.core.questions.alerts import Alert


def answer_question(question: str, sales: tuple[str, ...], options: dict[str, Any]) -> bool:
    """Ask a question, and show or write the answer; whether an alert fired."""
    of = question_type(question)
    if of.targeted:
        options = options | {"against": options["against"] or "year-ago"}  # a plan alone is a target, no base
    formats, target = formats_of(options), target_of(options, sales, question)
    if "against" not in options:  # one that holds nothing against anything
        return _answer_alone(of, sales, options, formats, target)
    judging = judging_of(options)
    if options.get("backtest") and options["item"] is not None:
        raise QuestionError("--item goes with --figure landing: a back-test is of all items together")
    alerts, items = _alerts_and_items(options, of, judging)
    wanted = [alert.column for alert in alerts] + [(options["sort"] or "").removeprefix("-")]
    options = options | dict(of.at_will[column] for column in wanted if column in of.at_will)
    settled = {**items, "judging": judging, "against": _basis(of, options), **_settled(options)}
    calendar = calendar_of(options)
    book, plan = books_of(sales, options, calendar, target=of.targeted)
    result = loaded(of.function)(**_arguments(of, options, book, settled | {"plan": plan, "calendar": calendar}))
    shown: Result = result
    figure = figure_drawn(result, options, formats) if of.figures else None
    if options.get("across"):
        shown, figure = result.across(options["across"]), None
    if options.get("receipt"):
        from logochron.core.questions.explain import explain

        shown, figure = explain(result), None
    elif options.get("backtest"):
        options = options | {"figure": options["figure"] or "backtest", "at": None}
        shown, figure = result.backtested, figure_drawn(result, options, formats)
    hand_over(shown, target, options, formats, figure=figure)
    return _tell_alerts(alerts, result.whole if of.targeted else result, formats)


#: How rows of drivers stand where nothing is said.
_BY_CHANGE = "-change"


def _answer_alone(
    of: QuestionType, sales: tuple[str, ...], options: dict[str, Any], formats: Formats, target: Any
) -> bool:
    """Answer a question about the records alone: of no base, no judgment and no alerts."""
    _checked_dimensions(of, options)
    calendar = calendar_of(options)
    book = sales_book(sales, options, calendar)
    settled = _settled(options) | {"calendar": calendar}
    result: Answer = loaded(of.function)(**_arguments(of, options, book, settled))
    hand_over(result, target, options, formats, figure=figure_drawn(result, options, formats))
    return False


def _settled(options: dict[str, Any]) -> dict[str, Any]:
    """What options say that are not handed on as they are."""
    settled: dict[str, Any] = {"by": list(dimensions(options["by"])), "selling_days": None}  # the book has them
    if (running := options.get("running")) is not None:
        settled["running"] = int(running) if running.isdecimal() and len(running) < 20 else running
    if "windows" in options:
        settled["windows"] = names(options["windows"]) or ("month", "quarter", "year")
    if "profile" in options:
        settled["profile"] = _profile(options["profile"])
    if options.get("gather") is not None and options["sort"] == _BY_CHANGE:  # groups have an order of their own
        settled["sort"] = None
    return settled


def _arguments(of: QuestionType, options: dict[str, Any], book: Daybook, settled: Mapping[str, Any]) -> dict[str, Any]:
    """The arguments of a question: what was settled, else the options of the same names."""
    arguments: dict[str, Any] = {"book": book}
    for option in options_of(loaded(of.function), of.name):
        if option.name in settled:
            arguments[option.name] = settled[option.name]
        elif option.name == "each" and option.needed:
            arguments["each"] = options["each"] or _each(book, options, settled["calendar"], one=of.page == "period")
        elif option.shell and option.name in options:
            arguments[option.name] = options[option.name]
    return arguments


def _each(book: Daybook, options: Mapping[str, Any], calendar: Calendar, *, one: bool) -> Grain:
    """The grain of the rows where none is asked for: that of the records, a month where those are of days.

    `one`: of a question about one period, that of the period that is named.
    """
    standing = book.standing
    each = standing.records_of if standing.whole else "month"
    at = options.get("at")
    return calendar.grain_of(at, each) if one and at is not None and ".." not in at else each


def _profile(text: str) -> str | Path:
    """The name of a profile, or the file of one."""
    if text in values(Profile):
        return text
    refuse_brought("--profile", text, option="profile")
    path = Path(text)
    if not path.suffix and "/" not in text:
        raise QuestionError(
            "--profile must be one of {0}, or a file of shares; got {1}{2}",
            ", ".join(values(Profile)),
            brief(text),
            did_you_mean(nearest(text, values(Profile)), ends=True),
        )
    return path


def _stated_basis(options: dict[str, Any]) -> Basis:
    """What periods are held against: where nothing is asked for the plan that is given, else a year ago."""
    against = options["against"]
    if isinstance(against, tuple):
        against = next(iter(names(against)), "year-ago")
    return parse_basis(against or ("plan" if options.get("plan") else "year-ago"))


def _basis(of: QuestionType, options: dict[str, Any]) -> Any:
    """What periods are held against, refused where a plan is given for nothing, or asked for and not given."""
    if isinstance(options["against"], tuple):  # of several bases a plan that is given is one
        bases = list(map(parse_basis, names(options["against"]))) or [YearAgo()]
        if any(isinstance(basis, Plan) for basis in bases) and not (options["plan"] or has_settings_plan(options)):
            raise QuestionError("--against plan needs --plan FILE")
        return bases
    basis = _stated_basis(options)
    if "plan" not in options:
        return basis
    planned = isinstance(basis, Plan)
    given = bool(options["plan"]) or (planned and has_settings_plan(options))
    if of.targeted:
        if planned and not given:
            raise QuestionError("--against plan needs --plan FILE")
    elif given != planned:
        raise QuestionError(
            "--plan FILE and --against plan go together", remedies=[{"against": "plan"}] if given else []
        )
    return basis


def _headings(of: QuestionType, options: dict[str, Any]) -> dict[str, str]:
    """Headings that stand for columns, as far as the options tell them."""
    measures = [*names(options["values"]), *(measure.name for measure in composed_measures(options, []))]
    return {
        heading(_stated_basis(options)): "base",
        **of.headings_of(dimensions(options["by"]), measures),
    }


def _alerts_and_items(
    options: dict[str, Any], of: QuestionType, judging: Judging
) -> tuple[list[Alert], dict[str, Any]]:
    """The alerts, and the options that choose and order items: refused before anything is read where it can be told."""
    headings = _headings(of, options)
    alerts = alerts_of(options["alerts"], of.name, _checked_dimensions(of, options), judging, headings)
    sort = options["sort"]
    if sort is not None and (options["values"] or options["measures"]):
        sort = of.sort_named(sort, headings)
    return alerts, {"top": options["top"], "sort": sort}


def _checked_dimensions(of: QuestionType, options: dict[str, Any]) -> dict[str, str]:
    """The dimensions, refused before anything is read where the answer has columns called like them."""
    by = dimensions(options["by"])
    of.check_dimensions(by, list(by.values()))
    return by


def _tell_alerts(alerts: list[Alert], answer: AlignedAnswer, formats: Formats) -> bool:
    """Tells on standard error for which rows alerts fire, or cannot be told; whether any fired."""
    lines, fired = expressions.alert_lines_of(alerts, answer, formats)
    for line in lines:
        say(line, named=not line.startswith(" "))
    return fired


def formats_of(options: dict[str, Any]) -> Formats:
    """How figures are written."""
    given = {option.name: options[option.name] for option in options_of(Formats) if option.name in options}
    if options.get("rates") is not None:  # the option then names the column of currencies
        given["currency"] = options["to"]
    elif given.get("currency") is not None and not is_currency_code(given["currency"]):
        raise QuestionError(
            "--currency must be a currency code such as EUR, or with --rates FILE the column of currencies; got {0}",
            brief(given["currency"]),
        )
    return Formats(**given)


def judging_of(options: dict[str, Any]) -> Judging:
    """How the options judge a change."""
    own = {option.name: options[option.name] for option in options_of(Judging) if option.name in options}
    bands = [band if isinstance(band, Band) else expressions.band(band) for band in own.get("bands", ())]
    return Judging(
        **own
        | {
            "level_within": part(own["level_within"], "--level-within"),
            "bands": bands,
            "marks": expressions.signs(own["marks"]),
        }
    )


def answer_explain(sales: tuple[str, ...], options: dict[str, Any]) -> None:
    """Explain one figure."""
    from logochron.core.questions.explain import explain

    of = question_type("compare")
    formats = formats_of(options)
    _checked_dimensions(of, options)
    target = target_of(options, sales, "explain")
    settled = {"against": _basis(of, options), "last": None if options["at"] else 1, **_settled(options)}
    calendar = calendar_of(options)
    book, plan = books_of(sales, options, calendar)
    options = options | {"each": options["each"] or _each(book, options, calendar, one=True)}
    result = compare(**_arguments(of, options, book, settled | {"plan": plan, "calendar": calendar}))
    receipt = explain(result, None if len(result.periods) == 1 else options["at"], holidays=options["holidays"])
    hand_over(receipt, target, options, formats)


def answer_calendar(options: dict[str, Any]) -> None:
    """List the periods of a calendar."""
    from logochron.core.questions.lists import list_periods

    formats = formats_of(options)
    target = target_of(options, (), "calendar")
    calendar: Calendar = calendar_of(options)
    result = list_periods(calendar, options["each"], options["between"] or this_year(calendar))
    hand_over(result, target, options, formats)


def answer_review(sales: tuple[str, ...], options: dict[str, Any]) -> None:
    """Review, and show or write the findings."""
    from logochron.sources.read import review

    target = target_of(options, sales, "review")
    formats = formats_of(options)
    reading = reading_of(options)
    with reading_progress() as progress:
        result = review(
            list(sales),
            **reading | {"values": list(dict.fromkeys(names(options["values"]))), "by": reading["by"] or None},
            progress=progress,
        )
    hand_over(result, target, options, formats)
