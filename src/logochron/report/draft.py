"""A first report file for sales that nobody has described yet: what can be found in them, ready to be changed."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import replace
from fractions import Fraction
from os.path import relpath
from pathlib import Path
from typing import Any

from logochron.core.book.daybook import Daybook
from logochron.core.book.filters import split
from logochron.core.choices import PLURALS, Grain, values
from logochron.core.errors import LogochronError, QuestionError, Remedy, shown_path
from logochron.core.rows.question_types import question_type
from logochron.options import READING_OPTIONS, Reading
from logochron.report.settings import Sales
from logochron.sources.reading import carry_out, dimensions_of
from logochron.sources.review_source import columns_found
from logochron.views.formats import capital, noun, words
from logochron.views.page.choices import MOST_OF_ALL, MOST_VIEWS
from logochron.views.whole_file import ordinary, whole_file

#: Dimensions with more items than this make no section of their own.
_MOST_ITEMS = 40
#: Days of records from which weeks tell something, and from which a year can be held against another.
_WEEKS, _YEARS = 60, 500
#: Days of records from which a quarter can be held against the one before.
_QUARTERS = 200
_DAYS_A_MONTH = 30


def write_draft(sales: Sequence[str], path: Path, given: Mapping[str, Any]) -> Path:
    """Write a report file that runs as it is: the sales read as they are found, and the sections that they carry.

    Parameters
    ----------
    given
        Reading options, by the names of [sales]; those that are usual are left out.

    Raises
    ------
    QuestionError
        Where the file is there already, or cannot be written.
    IntakeError
        Where the sales cannot be read.
    """
    if ordinary(path).exists():
        raise QuestionError("{0} is there already: name another file, or move it away", shown_path(path))
    options = {name: given[name] for name in given if name in Sales.model_fields and _is_stated(name, given[name])}
    reading = Reading(**options | {"on_refused": "skip"})
    if reading.periods_in_columns is None:
        reading, _ = columns_found(list(sales), reading, not reading.by)
    reading, book = _settled(sales, reading)
    found = {name: getattr(reading, name) for name in Sales.model_fields if name in READING_OPTIONS}
    options |= {name: value for name, value in found.items() if _is_stated(name, value) and name != "values"}
    if book.standing.records_of != reading.records_of and reading.periods_in_columns is None:
        options["records_of"] = book.standing.records_of
    first = next((measure.name for measure in book.measures if measure.is_money), book.measures[0].name)
    by = [name for name in book.dimensions if 1 < len(book.items(name)) <= _MOST_ITEMS]
    files = [relpath(name, path.parent) for name in sales]
    lines = ["# A first report file: change what you like, and run it by: logochron report FILE", "", "[sales]"]
    lines.append(f"file = {_written(files[0])}" if len(files) == 1 else f"files = {_written(files)}")
    if "where" in options:
        options["where"] = {column: _items_wanted(wanted) for column, wanted in options["where"].items()}
    if "rates" in options:
        options["rates"] = relpath(options["rates"], path.parent)
    columns = {name: column for name, column in dimensions_of(reading.by).items() if name in by}
    options["by"] = by if by == list(columns.values()) else columns
    lines += [f"{name} = {_written(value)}" for name, value in options.items() if name not in ("values", "on_refused")]
    if book.intake.refused:
        lines.append('on_refused = "skip"' + f"  # {book.intake.refused:,} rows cannot be read")
    for measure in book.measures:
        lines += ["", "[[measure]]", f"name = {_written(measure.name)}"]
        if measure.column not in (None, measure.name):
            lines.append(f"column = {_written(measure.column)}")
    lines += ["", "[page]", f"title = {_written(capital(words(Path(files[0]).stem.replace('-', ' '))))}"]
    sections = _sections(book, first, by)
    chosen = _choices(book, sections, by)
    if len(chosen) < len(by):
        lines += [f"choices = {_written(chosen)}  # each further dimension makes the page larger, and longer to make"]
    for section in sections:
        lines += ["", "[[section]]", *(f"{key} = {_written(value)}" for key, value in section.items())]
    with whole_file(path, new=True) as target:
        target.write_text("\n".join(lines) + "\n", encoding="utf-8")
    return path


def _settled(sales: Sequence[str], reading: Reading) -> tuple[Reading, Daybook]:
    """The sales read, and the reading with what settles what they are refused for, or what would mislead a sum.

    Raises
    ------
    QuestionError, IntakeError
        Where no option is known that settles it.
    """
    for _ in range(_SETTLED):
        try:
            book = carry_out(list(sales), reading, look=lambda scans, spec: None)
        except LogochronError as error:
            remedy = next((one for one in error.remedies if one.keys() <= _TAKEN), None)
            if remedy is None:
                raise
        else:
            settling = (f.remedy for f in book.intake.facts if f.remedy and not _names_it(f.remedy, reading))
            remedy = next(settling, None)
            if remedy is None:
                return reading, book
        reading = replace(reading, **_beside(reading, remedy))
    return reading, carry_out(list(sales), reading)


#: So many options are added at most; those that a file of questions takes from a refusal.
_SETTLED = 6
_TAKEN = {*READING_OPTIONS} - {"by", "progress", "on_refused"}


def _names_it(remedy: Remedy, reading: Reading) -> bool:
    """Whether the filter has the column already."""
    return remedy.get("where", {}).keys() <= (reading.where or {}).keys()


def _beside(reading: Reading, remedy: Remedy) -> dict[str, Any]:
    """What a remedy changes; a filter beside the one there is."""
    return {name: {**(reading.where or {}), **value} if name == "where" else value for name, value in remedy.items()}


def _choices(book: Daybook, sections: Sequence[Mapping[str, Any]], by: Sequence[str]) -> list[str]:
    """The dimensions that can be chosen on a page of these sections, as many as it carries: of few items first."""
    weight = sum(question_type(section["question"]).weight for section in sections)
    views = max(1, (book.settled.last - book.settled.first) // _DAYS_A_MONTH)
    chosen = []
    for name in sorted(by, key=lambda name: len(book.items(name))):
        views *= len(book.items(name)) + 1
        if views <= min(MOST_VIEWS, MOST_OF_ALL // weight):
            chosen.append(name)
    return [name for name in by if name in chosen]


def _sections(book: Daybook, measure: str, by: Sequence[str]) -> list[dict[str, Any]]:
    """The sections that the records carry."""
    grain = book.standing.records_of if book.standing.whole else "month"
    days = book.coverage.recorded_last - book.coverage.first
    daily = book.standing.records_of == "day"
    against = "year-ago" if days > _YEARS else "prior"
    usual = {"question": "compare", "each": grain, "against": against}
    stands = f"Where each {noun(by[0])} stands" if by else "Where sales stand"
    now: dict[str, Any] = {"heading": stands, "question": "overview", "against": against, "measures": measure}
    if by:
        now["by"] = by[0]
    if grain != "month":
        now["windows"] = [one for one in values(Grain) if one == grain or (one == "year" and grain != "year")]
    sections = [now, {"heading": f"How the {PLURALS[grain]} stand", **usual, "last": 13, "measures": measure}]
    if grain == "month" and against == "year-ago":
        sections.append({"heading": "The year to date", **usual, "running": "year", "last": 13, "measures": measure})
    sections += [
        {"heading": f"By {noun(name)}", **usual, "by": name, "last": 1, "measures": measure} for name in by[:3]
    ]
    if by:
        sections.append(
            {"heading": "What moved the total", "question": "drivers", "each": grain, "against": against, "by": by[0],
             "measures": measure}
        )  # fmt: skip
    if daily and days > _WEEKS:
        weeks = {"heading": "Weeks", "question": "compare", "each": "week", "against": "prior", "last": 13}
        sections.append(weeks | {"measures": measure})
    if daily and against == "year-ago":
        sections.append({"heading": "The pace of the year", "question": "pace", "within": "year", "measures": measure})
    for within, least in (("month", _WEEKS), ("quarter", _QUARTERS)):
        if daily and days > least:
            heading = f"Where the {within} will end"
            of = {"question": "land", "within": within, "against": against, "measures": measure}
            sections.append({"heading": heading, **of})
    return sections


def _is_stated(name: str, value: Any) -> bool:
    usual = Sales.model_fields[name].default
    return value not in (None, (), [], {}, usual)


def _items_wanted(wanted: Any) -> Any:
    """The items wanted of a column, as a key of a report file says it."""
    taken, left_out = split(wanted)
    return [label for label in taken if label not in left_out] if taken else {"not": list(left_out)}


def _written(value: Any) -> str:
    """A value as TOML writes it; texts as JSON does, whose escapes TOML has too."""
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, Fraction):
        value = value.numerator if value.denominator == 1 else float(value)
    if isinstance(value, Mapping):
        return "{" + ", ".join(f"{json.dumps(key)} = {_written(one)}" for key, one in value.items()) + "}"
    if isinstance(value, (list, tuple)):
        return "[" + ", ".join(map(_written, value)) + "]"
    return json.dumps(str(value), ensure_ascii=False) if not isinstance(value, (int, float)) else str(value)
