"""Logochron aligns sales by calendar period and compares each period with earlier ones.

The public names are loaded when they are first used, so that ``import logochron`` costs next to nothing.
"""

from importlib import import_module
from typing import Any

from logochron.core import hooks as _hooks

__version__ = "0.1.0"

_WHERE = {
    "Band": "logochron.core.bands",
    "Between": "logochron.core.bases",
    "CalendarError": "logochron.core.errors",
    "CivilCalendar": "logochron.core.calendars.civil",
    "Comparison": "logochron.core.compare",
    "Daybook": "logochron.core.daybook",
    "Drivers": "logochron.core.drivers",
    "Fixed": "logochron.core.bases",
    "Intake": "logochron.core.intake",
    "IntakeError": "logochron.core.errors",
    "Judging": "logochron.core.judging",
    "ListedCalendar": "logochron.core.calendars.listed",
    "LogochronError": "logochron.core.errors",
    "MeanOf": "logochron.core.bases",
    "Measure": "logochron.core.measures",
    "Not": "logochron.core.selection",
    "Palette": "logochron.views.palette",
    "Plan": "logochron.core.bases",
    "Prior": "logochron.core.bases",
    "QuestionError": "logochron.core.errors",
    "Receipt": "logochron.core.explain",
    "Relation": "logochron.core.relate",
    "RetailCalendar": "logochron.core.calendars.retail",
    "Review": "logochron.core.review",
    "StudyError": "logochron.core.errors",
    "YearAgo": "logochron.core.bases",
    "YearAgoMean": "logochron.core.bases",
    "compare": "logochron.core.compare",
    "drivers": "logochron.core.drivers",
    "explain": "logochron.core.explain",
    "read": "logochron.sources.reading",
    "read_plan": "logochron.sources.plans",
    "relate": "logochron.core.relate",
    "review": "logochron.sources.reviewing",
}

__all__ = [
    "Band",
    "Between",
    "CalendarError",
    "CivilCalendar",
    "Comparison",
    "Daybook",
    "Drivers",
    "Fixed",
    "Intake",
    "IntakeError",
    "Judging",
    "ListedCalendar",
    "LogochronError",
    "MeanOf",
    "Measure",
    "Not",
    "Palette",
    "Plan",
    "Prior",
    "QuestionError",
    "Receipt",
    "Relation",
    "RetailCalendar",
    "Review",
    "StudyError",
    "YearAgo",
    "YearAgoMean",
    "compare",
    "demo",
    "draw",
    "drivers",
    "explain",
    "read",
    "read_plan",
    "relate",
    "review",
]


def _write(result: Any, path: Any) -> Any:
    return import_module("logochron.views.writing").write(result, path)


def _html(result: Any) -> str:
    return str(import_module("logochron.views.html").html(result))


def _listing(source: Any) -> Any:
    return import_module("logochron.sources.listings").listing(source)


def _holidays(code: str, first: int, last: int) -> Any:
    return import_module("logochron.sources.public_holidays").public_holidays(code, first, last)


def _receipt(receipt: Any) -> str:
    return str(import_module("logochron.views.receipts").receipt_text(receipt))


_hooks.write, _hooks.html, _hooks.listing = _write, _html, _listing
_hooks.holidays, _hooks.receipt = _holidays, _receipt


def __getattr__(name: str) -> Any:
    if name == "draw":
        value = import_module("logochron.views.draw")
    elif name == "demo":
        value = import_module("logochron.demo")
    elif name in _WHERE:
        value = getattr(import_module(_WHERE[name]), name)
    else:
        raise AttributeError(f"module 'logochron' has no attribute {name!r}")
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    return sorted([*__all__, "__version__"])
