"""What is wrong with a report file, and on which line."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import partial
from operator import itemgetter
from pathlib import Path
from typing import Any, NamedTuple

from pydantic import BaseModel, ValidationError

from logochron.core.errors import LogochronError, ReportError, brief, did_you_mean, nearest, shown_path, visible
from logochron.core.said import Joined, Said, either
from logochron.report.settings import (
    BandTable,
    CalendarTable,
    JudgingTable,
    MeasureTable,
    PageTable,
    PlanTable,
    Sales,
    SectionTable,
    SellingDaysTable,
    Settings,
    section_models,
)

#: A key, as steps: names of tables and keys, numbers of tables of a list.
Place = tuple[str | int, ...]

_NAME = r"""(?:"(?:[^"\\]|\\.)*"|'[^']*'|[A-Za-z0-9_-]+)"""
_DOTTED = rf"{_NAME}(?:\s*\.\s*{_NAME})*"
_HEADER = re.compile(rf"\s*(\[\[?)\s*({_DOTTED})\s*\]\]?")
_KEY = re.compile(rf"\s*({_DOTTED})\s*=")
#: What a value is made of: texts (that may go over lines), comments, brackets.
_PIECES = re.compile(
    r'"{3}(?:[^\\]|\\.)*?"{3}|\'{3}.*?\'{3}|"(?:[^"\\\n]|\\.)*"|\'[^\'\n]*\'|#[^\n]*|[\[\]{}]|\n', re.DOTALL
)


def key_lines(text: str) -> dict[Place, int]:
    """The line of each table and key of a text that is TOML.

    >>> key_lines('[sales]\\nfile = "a"\\n[[section]]\\neach = "month"\\n')[("section", 0, "each")]
    4
    """
    places: dict[Place, int] = {}
    counts: dict[Place, int] = {}
    table: Place = ()
    for number, line in _logical_lines(text):
        if header := _HEADER.match(line):
            table = _within(_names(header[2]), counts)
            if header[1] == "[[":
                counts[table] = counts.get(table, -1) + 1
                table = (*table, counts[table])
            places.setdefault(table, number)
        elif key := _KEY.match(line):
            places.setdefault((*table, *_names(key[1])), number)
    return places


def line_of(place: Place, lines: dict[Place, int]) -> int:
    """The line of a key, of the first one in it, or of the nearest table around it that is written."""
    while place and place not in lines:
        inside = [line for known, line in lines.items() if known[: len(place)] == place]
        if inside:
            return min(inside)
        place = place[:-1]
    return lines.get(place, 1)


def _within(names: Place, counts: dict[Place, int]) -> Place:
    """The steps of a table's name, with the numbers of the lists it lies in, but for its own."""
    steps: Place = ()
    for name in names[:-1]:
        steps = (*steps, name)
        if steps in counts:
            steps = (*steps, counts[steps])
    return (*steps, *names[-1:])


def _names(dotted: str) -> Place:
    return tuple(name[1:-1] if name[0] in "\"'" else name for name in re.findall(_NAME, dotted))


def _logical_lines(text: str) -> Iterator[tuple[int, str]]:
    """The lines on which something begins: not those on which a value goes on."""
    number, start, depth = 1, 0, 0
    begins = 1
    for piece in _PIECES.finditer(text + "\n"):
        sign = piece[0]
        if sign in "[{" and sign:
            depth += 1
        elif sign in "]}" and sign:
            depth -= 1
        elif sign == "\n":
            number += 1
            if depth <= 0:
                yield begins, text[start : piece.start()]
                start, begins, depth = piece.end(), number, 0
        else:
            number += sign.count("\n")


_MODELS: Mapping[str, type[BaseModel]] = {
    "sales": Sales,
    "measure": MeasureTable,
    "calendar": CalendarTable,
    "selling_days": SellingDaysTable,
    "judging": JudgingTable,
    "plan": PlanTable,
    "page": PageTable,
}
#: What a value must be, by Pydantic's type of error.
_KINDS = {
    "string_type": Said("a text"),
    "int_type": Said("a whole number"),
    "int_from_float": Said("a whole number"),
    "float_type": Said("a number"),
    "bool_type": Said("true or false"),
    "list_type": Said("a list"),
    "tuple_type": Said("a list"),
    "dict_type": Said("a table"),
    "model_type": Said("a table"),
    "model_attributes_type": Said("a table"),
    "date_type": "a day",
    "date_parsing": "a day",
    "date_from_datetime_parsing": "a day",
    "date_from_datetime_inexact": "a day",
}


#: So many faults of a file are told.
_TOLD = 20


class Fault(NamedTuple):
    """One fault: the key it is about, and what is wrong with it, or what says so."""

    place: Place
    what: str | Callable[[], str]


def faults_of(error: ValidationError, data: Mapping[str, Any]) -> list[Fault]:
    """The faults that a validation found, one for each key."""
    errors_at: dict[Place, list[dict[str, Any]]] = {}
    for one in error.errors(include_url=False):
        errors_at.setdefault(_place(one["loc"], data, missing=one["type"] == "missing"), []).append(dict(one))
    return [Fault(place, partial(_message, place, errors, data)) for place, errors in errors_at.items()]


def refusal(path: Path, faults: Iterable[Fault], lines: dict[Place, int]) -> ReportError:
    """The error that tells the faults of a file from the top, the first of them where they are many."""
    placed = sorted(((line_of(fault.place, lines), fault) for fault in faults), key=itemgetter(0))
    sentences = [
        Said("line {0}: {1}{2}", line, visible(_named(place)), (what if isinstance(what, str) else what()))
        for line, (place, what) in placed[:_TOLD]
    ]
    head = shown_path(path)
    if len(placed) == 1:
        return ReportError("{0}, {1}", head, sentences[0])
    more = [Said("and {0:,} more", len(placed) - _TOLD)] if len(placed) > _TOLD else []
    return ReportError(Joined([Said("{0} has {1:,} faults:", head, len(placed)), *sentences, *more], "\n  "))


def _place(loc: Sequence[Any], data: Any, *, missing: bool) -> Place:
    """The steps of a location that are keys: Pydantic adds names of its models and kinds."""
    steps: list[str | int] = []
    for n, step in enumerate(loc):
        held = isinstance(data, Mapping) and step in data
        listed = isinstance(data, list) and isinstance(step, int) and step < len(data)
        if held or listed:
            steps.append(step)
            data = data[step]
        elif missing and n == len(loc) - 1:
            steps.append(step)
    return tuple(steps)


def _named(place: Place) -> str:
    """A key as people call it: ``[[section]] 2, each: ``."""
    number = next((n for n, step in enumerate(place) if isinstance(step, int)), None)
    if number is not None and number < 3:
        table = f"[[{'.'.join(map(str, place[:number]))}]] {int(place[number]) + 1}"
    else:
        number, table = 0, f"[{place[0]}]" if place else ""
    return ", ".join(filter(None, (table, ".".join(map(str, place[number + 1 :]))))) + ": " * bool(place)


def _message(place: Place, errors: Sequence[Mapping[str, Any]], data: Any) -> str:
    """What is wrong with one key."""
    first = errors[0]
    kind = str(first["type"])
    if kind == "extra_forbidden":
        return _unknown(str(place[-1]), _model(place, data))
    if kind == "missing":
        return Said("this key is missing")
    if kind == "union_tag_not_found":
        return Said("`question` is missing: one of {0}", ", ".join(section_models()))
    if kind == "union_tag_invalid":
        came = first["input"].get("question") if isinstance(first["input"], Mapping) else first["input"]
        return Said("`question` {0}", _one_of(list(section_models()), came))
    literal = next((error for error in errors if error["type"] == "literal_error"), None)
    if literal is not None and isinstance(literal["input"], str):
        expected = str(literal["ctx"]["expected"]).replace(" or ", ", ")
        return _one_of([word.strip().strip("'") for word in expected.split(",")], literal["input"])
    if kind == "value_error":
        error = first["ctx"]["error"]
        return error.said if isinstance(error, LogochronError) else str(error)
    wanted = dict.fromkeys(_KINDS[str(error["type"])] for error in errors if str(error["type"]) in _KINDS)
    if wanted:
        return Said("must be {0}; got {1}", either(wanted), brief(first["input"]))
    return Said("{0}; got {1}", first["msg"], brief(first["input"]))


def _one_of(known: Sequence[str], came: object) -> str:
    hint = nearest(came, known) if isinstance(came, str) else None
    return Said("must be one of {0}; got {1}{2}", ", ".join(known), brief(came), did_you_mean(hint, ends=True))


def _unknown(key: str, model: type[BaseModel]) -> str:
    known = [field.alias or name for name, field in model.model_fields.items()]
    hint = nearest(key, known)
    offer = did_you_mean(hint, ends=True) or "."
    return Said("there is no such key{0} There are: {1}", offer, ", ".join(known))


def _model(place: Place, data: Any) -> type[BaseModel]:
    """The model of the table that a key stands in."""
    if len(place) < 2:
        return Settings
    head = str(place[0])
    if head == "section":
        section = data["section"][place[1]]
        named = section.get("question") if isinstance(section, Mapping) else None
        return section_models().get(str(named), SectionTable)
    if head == "judging" and len(place) > 2:
        return BandTable
    return _MODELS.get(head, Settings)
