"""The page of all public names, made from their signatures and docstrings."""

from __future__ import annotations

import inspect
import re
from collections.abc import Iterator
from typing import Any

import logochron as lc

_HEAD = (
    "# All names\n\nWhat `import logochron as lc` has, made from the docstrings; `help(lc.compare)` shows the same.\n"
)
#: Names by what they are for.
_GROUPS = {
    "Reading": ("read", "read_plan", "review", "Daybook", "Intake", "Measure", "Not"),
    "Questions": ("compare", "overview", "relate", "drivers", "pace", "land", "season", "explain", "restated"),
    "Answers": (
        *(
            "Comparison",
            "Overview",
            "Relation",
            "Drivers",
            "Pace",
            "Landing",
            "Season",
            "Receipt",
            "Restatement",
            "Review",
        ),
    ),
    "What periods are held against": ("Prior", "YearAgo", "MeanOf", "YearAgoMean", "Fixed", "Plan", "Constant", "Span"),
    "Calendars": ("CivilCalendar", "RetailCalendar", "ListedCalendar", "SellingDays"),
    "Judging": ("Judging", "Band"),
    "Handing on": ("Report", "write_page", "Palette"),
    "Errors": ("LogochronError", "QuestionError", "IntakeError", "CalendarError", "ReportError", "OutputError"),
}
_SECTION = re.compile(r"^(\w[\w ]*)\n-{3,}\n", re.MULTILINE)


def api() -> str:
    """The page."""
    parts = [_HEAD]
    for group, names in _GROUPS.items():
        parts.append(f"## {group}\n")
        for name in names:
            parts += [f"### `lc.{name}`\n", *_of(name, getattr(lc, name))]
    parts.append("## Figures and words\n")
    for place in ("draw", "words"):
        module = getattr(lc, place)
        for name in dir(module):
            parts += [f"### `lc.{place}.{name}`\n", *_of(name, getattr(module, name), place)]
    return "\n".join(parts)


def missing() -> set[str]:
    """Public names that stand in no group."""
    return set(lc.__all__) - {name for names in _GROUPS.values() for name in names} - {"demo", "draw", "words"}


def _of(name: str, thing: Any, place: str = "") -> Iterator[str]:
    """What is said of a name."""
    called = f"lc.{place}.{name}" if place else f"lc.{name}"
    if not (isinstance(thing, type) and issubclass(thing, Exception)):
        yield f"```python\n{called}{_signature(thing)}\n```\n"
    yield _rendered(inspect.getdoc(thing) or "")
    if isinstance(thing, type) and not issubclass(thing, Exception):
        yield from _members(name, thing)


def _members(name: str, kind: type) -> Iterator[str]:
    """The methods of a class, a line each."""
    own = [(n, m) for n, m in inspect.getmembers(kind) if n[0] != "_" and inspect.isfunction(m) and m.__doc__]
    for method, function in own:
        if function.__module__.startswith("logochron"):
            line = (inspect.getdoc(function) or "").partition("\n")[0]
            yield f"- `{name}.{method}{_signature(function, of_class=True)}`: {line}"
    if own:
        yield ""


def _signature(thing: Any, *, of_class: bool = False) -> str:
    """The parameters, a line each where there are many; hints as they are written."""
    signature = inspect.signature(thing)
    texts = []
    marked = False
    for one in list(signature.parameters.values())[of_class:]:
        if one.kind is one.KEYWORD_ONLY and not marked:
            texts, marked = [*texts, "*"], True
        star = {one.VAR_KEYWORD: "**", one.VAR_POSITIONAL: "*"}.get(one.kind, "")
        marked |= star == "*"
        default = "" if one.default is one.empty else f" = {one.default!r}"
        hint = "" if one.annotation is one.empty else f": {one.annotation}"
        texts.append(f"{star}{one.name}{'' if of_class else hint}{default}")
    text = ", ".join(texts)
    return f"({text})" if len(text) < 80 or of_class else "(\n    " + ",\n    ".join(texts) + ",\n)"


def _rendered(doc: str) -> str:
    """A docstring as Markdown: its sections in bold, its parameters as a list, its examples as code."""
    pieces = _SECTION.split(doc)
    lines = [pieces[0].strip(), ""]
    for title, body in zip(pieces[1::2], pieces[2::2]):
        lines += [f"**{title}**", ""]
        if title == "Examples":
            lines += ["```python", body.strip("\n"), "```", ""]
        elif title in ("Parameters", "Attributes", "Returns", "Raises"):
            lines += [*_listed(body), ""]
        else:
            lines += [body.strip("\n"), ""]
    return "\n".join(lines)


def _listed(body: str) -> Iterator[str]:
    """Names with what is said of each below."""
    for entry in re.split(r"\n(?=\S)", body.strip("\n")):
        name, _, said = entry.partition("\n")
        yield f"- `{name.strip()}`: {' '.join(said.split())}" if said.strip() else f"- {name.strip()}"
