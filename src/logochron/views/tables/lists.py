"""Answers that are lists, as tables for people: findings, periods, changed figures, errors of estimates."""

from __future__ import annotations

import numpy as np

from logochron.core.days import to_days
from logochron.core.questions.landing.backtest import Backtest
from logochron.core.questions.lists import PeriodList
from logochron.core.questions.restated import Restatement
from logochron.core.questions.review import Review
from logochron.core.said import Said
from logochron.views.catalog import message, plural
from logochron.views.decimals import decimals_that_show
from logochron.views.formats import Formats, capital, item_name, words
from logochron.views.tables.cells import ALL, Cell, CellKind, Row, Shown, TableColumn, TableSpec
from logochron.views.tables.item_rows import figure_texts
from logochron.views.words.question_words import backtest_sentence, backtest_subject
from logochron.views.words.titles import column_words, coverage_line
from logochron.views.words.told import all_told, told


def review_tables(result: Review, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """The findings of a review, each with what it would do to a comparison."""
    rows = []
    for finding in result.findings:
        days = ""
        if finding.first is not None and finding.last is not None:
            days = formats.span(finding.first, finding.last)
        rows.append(
            Row(
                {
                    "finding": Cell("text", told(Said(finding.finding), formats)),
                    "column": Cell("text", finding.column),
                    "days": Cell("text", days),
                    "count": Cell("count", formats.number(finding.count, 0), finding.count),
                    "example": Cell("text", told(finding.example, formats)),
                    "effect": Cell("note", told(finding.effect, formats)),
                }
            )
        )
    return [
        TableSpec(
            title=formats.dot.join(
                [
                    formats.say("Review of {name}", name=result.name),
                    formats.count(len(rows), "{n} finding", "{n} findings"),
                ]
            ),
            unit="",
            columns=(
                TableColumn("finding", column_words("finding", formats), "text", firm=True),
                TableColumn("column", column_words("column", formats), "text"),
                TableColumn("days", formats.say("Days"), "text"),
                TableColumn("count", column_words("count", formats), "count"),
                TableColumn("example", column_words("example", formats), "text"),
                TableColumn("effect", column_words("effect", formats), "note"),
            ),
            rows=tuple(rows),
            lines=all_told(result.notes, formats),
            dropped=(("effect",), ("count",), ("days",)),
            empty=message("Nothing that would mislead a comparison was found."),
        )
    ]


def calendar_tables(result: PeriodList, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """The periods of a calendar, each with its days; what names the years below."""
    columns, rows = dict(result.columns), []  # laid out once
    for i, label in enumerate(result.periods):
        start, end = (int(to_days(columns[name][i])) for name in ("start", "end"))
        counted = {name: int(columns[name][i]) for name in ("year", "number", "days")}
        cells = {
            "period": Cell("period", label),
            "start": Cell("day", f"{formats.weekday(start)} {formats.day(start)}", start),
            "end": Cell("day", f"{formats.weekday(end)} {formats.day(end)}", end),
            "year": Cell("count", str(counted["year"])),
            "number": Cell("count", str(counted["number"]), counted["number"]),
            "days": Cell("count", formats.number(counted["days"], 0), counted["days"]),
            "weeks": Cell("count", formats.number(counted["days"] // 7, 0), counted["days"] // 7),
        }
        rows.append(Row(cells))
    weekly = result.calendar.whole_weeks and result.each != "day"
    word = result.calendar.word(result.each)
    kinds: dict[str, CellKind] = {"start": "day", "end": "day", "year": "count", "number": "count", "days": "count"}
    return [
        TableSpec(
            title=f"{capital(plural(word) or 'periods')} of the calendar{formats.dot}{formats.number(len(rows), 0)}",
            unit="",
            columns=(
                TableColumn("period", capital(word), "period", firm=True),
                *(TableColumn(n, column_words(n, formats), kind, firm=kind == "day") for n, kind in kinds.items()),
                *([TableColumn("weeks", "Weeks", "count")] if weekly else []),
            ),
            rows=tuple(rows),
            lines=all_told(result.notes, formats),
            dropped=(("weeks",), ("number",), ("year",), ("days",)),
            empty="The calendar has no period in these days.",
        )
    ]


def restated_tables(result: Restatement, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """What was reported, what it is now, and the difference: a row for each figure."""
    columns = result.columns
    labels = [columns[name].tolist() for name in result.by]
    items = list(zip(*labels)) if labels else [()] * columns.rows
    decimals = formats.decimals or decimals_that_show(np.asarray(columns["difference"], dtype=float))
    kinds: dict[str, CellKind] = {"reported": "amount", "now": "amount", "difference": "difference"}
    texts = {name: figure_texts(kind, columns[name], formats, decimals) for name, kind in kinds.items()}
    whole = formats.say("Total") if result.by else ""
    rows = []
    for i, item in enumerate(items):
        cells = {
            "measure": Cell("text", words(str(columns["measure"][i]))),
            "period": Cell("period", str(columns["period"][i])),
            "dim:items": Cell("item", item_name(label for label in item if label is not None) or whole),
            "column": Cell("text", column_words(str(columns["column"][i]), formats)),
            **{name: Cell(kind, texts[name][i], float(columns[name][i])) for name, kind in kinds.items()},
            "note": Cell("note", str(columns["note"][i])),
        }
        rows.append(Row(cells))
    split = [TableColumn("dim:items", " / ".join(map(words, result.by)), "item")] if result.by else []
    return [
        TableSpec(
            title=formats.count(
                len(rows), "{n} figure changed since it was reported", "{n} figures changed since they were reported"
            ),
            unit="",
            columns=(
                TableColumn("measure", column_words("measure", formats), "text"),
                TableColumn("period", column_words("period", formats), "period", firm=True),
                *split,
                TableColumn("column", column_words("column", formats), "text"),
                *(TableColumn(n, column_words(n, formats), kind, decimals=decimals) for n, kind in kinds.items()),
                TableColumn("note", "", "note"),
            ),
            rows=tuple(rows),
            lines=(),
            empty=message("All figures stand as they were reported."),
        )
    ]


def backtest_tables(result: Backtest, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """The typical error at each tenth, per profile; the one that `best` would have chosen is chosen anew at each."""
    days = int(result.landing.now.days[0])
    rows = []
    for tenth, (errors, past) in enumerate(zip(result.typical_errors.tolist(), result.past.tolist()), start=1):
        elapsed = float(result.elapsed[tenth - 1])
        cells = {
            "elapsed": Cell("part", formats.part(elapsed, 0), elapsed),
            "day": Cell("text", f"day {result.day(tenth)} of {days}"),
            **{name: Cell("part", formats.part(error), error) for name, error in zip(result.profiles, errors)},
            "past": Cell("count", formats.number(past[0], 0), past[0]),
        }
        rows.append(Row(cells))
    word = result.landing.calendar.word(result.landing.within)
    return [
        TableSpec(
            title=backtest_subject(result, formats),
            unit="typical error",
            columns=(
                TableColumn("elapsed", "Elapsed", "part"),
                TableColumn("day", "", "text"),
                *(TableColumn(name, name, "part") for name in result.profiles),
                TableColumn("past", "Past periods", "count"),
            ),
            rows=tuple(rows) if result.past.any() else (),
            lines=(
                backtest_sentence(result, formats),
                "Typical error: half of the estimates were off by no more; best: chosen by the errors before",
                coverage_line(result.landing, formats),
            ),
            dropped=(("past",), ("day",)),
            empty=f"No complete {word} before this one is held: nothing to test by.",
        )
    ]
