"""Logochron aligns sales by calendar period and compares each period with earlier ones.

The public names are loaded when they are first used, so that ``import logochron`` costs next to nothing.
"""

from importlib import import_module
from typing import Any

from logochron.core import hooks as _hooks

__version__ = "0.1.0"

_WHERE = {
    "CalendarError": "logochron.core.errors",
    "CivilCalendar": "logochron.core.calendars.civil",
    "Comparison": "logochron.core.compare",
    "Daybook": "logochron.core.daybook",
    "Intake": "logochron.core.intake",
    "IntakeError": "logochron.core.errors",
    "Judging": "logochron.core.judging",
    "LogochronError": "logochron.core.errors",
    "Measure": "logochron.core.measures",
    "Not": "logochron.core.selection",
    "Palette": "logochron.views.palette",
    "Prior": "logochron.core.bases",
    "QuestionError": "logochron.core.errors",
    "Review": "logochron.core.review",
    "StudyError": "logochron.core.errors",
    "YearAgo": "logochron.core.bases",
    "compare": "logochron.core.compare",
    "read": "logochron.sources.reading",
    "read_plan": "logochron.sources.plans",
    "review": "logochron.sources.reviewing",
}

__all__ = [
    "CalendarError",
    "CivilCalendar",
    "Comparison",
    "Daybook",
    "Intake",
    "IntakeError",
    "Judging",
    "LogochronError",
    "Measure",
    "Not",
    "Palette",
    "Prior",
    "QuestionError",
    "Review",
    "StudyError",
    "YearAgo",
    "compare",
    "demo",
    "draw",
    "read",
    "read_plan",
    "review",
]


def _write(result: Any, path: Any) -> Any:
    return import_module("logochron.views.writing").write(result, path)


def _html(result: Any) -> str:
    return str(import_module("logochron.views.html").html(result))


_hooks.write, _hooks.html = _write, _html


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
