"""Logochron aligns sales by calendar period and compares each period with earlier ones.

The public names are loaded when they are first used, so that ``import logochron`` costs next to nothing.
"""

from __future__ import annotations

from importlib import import_module

from logochron.core import ports as _ports

TYPE_CHECKING = False  # `typing` itself would cost more than all of this
if TYPE_CHECKING:
    from typing import Any

__version__ = "0.1.0"

_WHERE = {
    "Band": "logochron.core.judge.judging",
    "CalendarError": "logochron.core.errors",
    "CivilCalendar": "logochron.core.calendars.civil",
    "Comparison": "logochron.core.questions.compare",
    "Constant": "logochron.core.rows.plans",
    "Daybook": "logochron.core.book.daybook",
    "Drivers": "logochron.core.questions.drivers",
    "Fixed": "logochron.core.align.bases",
    "Intake": "logochron.core.book.intake",
    "IntakeError": "logochron.core.errors",
    "Judging": "logochron.core.judge.judging",
    "Landing": "logochron.core.questions.landing.answer",
    "ListedCalendar": "logochron.core.calendars.listed",
    "LogochronError": "logochron.core.errors",
    "MeanOf": "logochron.core.align.bases",
    "Measure": "logochron.core.book.measures",
    "Not": "logochron.core.book.filters",
    "OutputError": "logochron.core.errors",
    "Overview": "logochron.core.questions.overview",
    "Pace": "logochron.core.questions.pace",
    "Palette": "logochron.views.palette",
    "Plan": "logochron.core.align.bases",
    "Prior": "logochron.core.align.bases",
    "QuestionError": "logochron.core.errors",
    "Receipt": "logochron.core.questions.explain",
    "Relation": "logochron.core.questions.relate",
    "Report": "logochron.report.report",
    "ReportError": "logochron.core.errors",
    "Restatement": "logochron.core.questions.restated",
    "RetailCalendar": "logochron.core.calendars.retail",
    "Review": "logochron.core.questions.review",
    "Season": "logochron.core.questions.season",
    "SellingDays": "logochron.core.book.selling_days",
    "Span": "logochron.core.align.bases",
    "YearAgo": "logochron.core.align.bases",
    "YearAgoMean": "logochron.core.align.bases",
    "compare": "logochron.core.questions.compare",
    "drivers": "logochron.core.questions.drivers",
    "explain": "logochron.core.questions.explain",
    "land": "logochron.core.questions.landing.answer",
    "overview": "logochron.core.questions.overview",
    "pace": "logochron.core.questions.pace",
    "read": "logochron.sources.read",
    "read_plan": "logochron.sources.read",
    "relate": "logochron.core.questions.relate",
    "restated": "logochron.core.questions.restated",
    "review": "logochron.sources.read",
    "season": "logochron.core.questions.season",
    "write_page": "logochron.views.page.build",
}

__all__ = [
    "Band",
    "CalendarError",
    "CivilCalendar",
    "Comparison",
    "Constant",
    "Daybook",
    "Drivers",
    "Fixed",
    "Intake",
    "IntakeError",
    "Judging",
    "Landing",
    "ListedCalendar",
    "LogochronError",
    "MeanOf",
    "Measure",
    "Not",
    "OutputError",
    "Overview",
    "Pace",
    "Palette",
    "Plan",
    "Prior",
    "QuestionError",
    "Receipt",
    "Relation",
    "Report",
    "ReportError",
    "Restatement",
    "RetailCalendar",
    "Review",
    "Season",
    "SellingDays",
    "Span",
    "YearAgo",
    "YearAgoMean",
    "compare",
    "demo",
    "draw",
    "drivers",
    "explain",
    "land",
    "overview",
    "pace",
    "read",
    "read_plan",
    "relate",
    "restated",
    "review",
    "season",
    "words",
    "write_page",
]


def _write(result: Any, path: Any, spreadsheet_safe: bool) -> Any:
    formats = import_module("logochron.views.formats").Formats(spreadsheet_safe=spreadsheet_safe)
    return import_module("logochron.views.write_file").write(result, path, formats=formats)


def _html(result: Any) -> str:
    return str(import_module("logochron.views.tables.html").html(result))


def _markdown(result: Any) -> str:
    return str(import_module("logochron.views.tables.markdown").excerpt(result))


def _progress() -> Any:
    return import_module("logochron.views.reading_progress").notebook_progress()


def _listing(source: Any) -> Any:
    return import_module("logochron.sources.small_tables").listing(source)


def _profile(source: Any) -> Any:
    return import_module("logochron.sources.small_tables").listed_shares(source)


def _listed_days(source: Any) -> Any:
    return import_module("logochron.sources.small_tables").listed_days(source)


def _holidays(code: str, first: int, last: int) -> Any:
    return import_module("logochron.sources.public_holidays").public_holidays(code, first, last)


def _receipt(receipt: Any) -> str:
    return str(import_module("logochron.views.tables.receipt_table").receipt_text(receipt))


def _questions() -> None:
    import_module("logochron.core.questions.registry")


def _asked_of_book() -> Any:
    types = import_module("logochron.core.rows.question_types")
    return {one.name: lambda one=one: types.loaded(one.function) for one in types.question_types() if one.of_book}


def _text(result: Any) -> str:
    return str(import_module("logochron.views.tables.plain_text").printed(result))


def _totals(book: Any, each: Any, by: Any, calendar: Any) -> Any:
    return import_module("logochron.core.questions.lists").totals(book, each, by, calendar)


def _month_names() -> Any:
    return import_module("logochron.sources.values.month_names").month_names()


_ports.write, _ports.html, _ports.listing = _write, _html, _listing
_ports.markdown, _ports.profile, _ports.progress = _markdown, _profile, _progress
_ports.text, _ports.listed_days = _text, _listed_days
_ports.month_names = _month_names
_ports.asked_of_book = _asked_of_book
_ports.holidays, _ports.receipt, _ports.totals, _ports.questions = _holidays, _receipt, _totals, _questions


#: Names of old: the name that took their place, since when, and the version that will know them no more.
_DEPRECATED: dict[str, tuple[str, str, str]] = {}


def __getattr__(name: str) -> Any:
    if name in _DEPRECATED:
        new, since, gone = _DEPRECATED[name]
        import_module("warnings").warn(
            f"logochron.{name} is called logochron.{new} since {since}, and goes with {gone}",
            DeprecationWarning,
            stacklevel=2,
        )
        return __getattr__(new)
    if name == "draw":
        value = import_module("logochron.views.draw")
    elif name == "words":
        value = import_module("logochron.views.words.sentences")
    elif name == "demo":
        value = import_module("logochron.demo")
    elif name in _WHERE:
        value = getattr(import_module(_WHERE[name]), name)
    else:
        synonym = import_module("logochron.core.synonyms").synonym(name, "name")
        ours = f": here it is logochron.{synonym.ours}" if synonym else ""
        raise AttributeError(f"module 'logochron' has no attribute {name!r}{ours}")
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    return sorted([*__all__, "__version__"])
