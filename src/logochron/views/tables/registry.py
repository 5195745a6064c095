"""The tables of all answers: a row each."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from importlib import import_module
from typing import Any, NamedTuple

from logochron.core.rows.result import Result
from logochron.views.formats import Formats
from logochron.views.tables.spec import ALL, Shown, TableSpec


class AnswerTable(NamedTuple):
    """Who makes the table of an answer, whether there is one for each of its measures, or `several` for each.

    Several are excerpts: they are not told by the rows of the answer.
    """

    module: str
    maker: str
    by_measure: bool = False
    several: bool = False

    @property
    def made(self) -> Callable[..., Any]:
        """The function that makes it, or a list of `several`, loaded when it is needed."""
        maker: Callable[..., Any] = getattr(import_module(f"logochron.views.tables.{self.module}"), self.maker)
        return maker


#: By the kind of answer.
TABLES = {
    "compare": AnswerTable("comparison_table", "comparison_spec", by_measure=True),
    "relate": AnswerTable("relation_table", "relation_spec", by_measure=True),
    "drivers": AnswerTable("drivers_table", "drivers_spec", by_measure=True),
    "pace": AnswerTable("pace_table", "pace_specs", by_measure=True, several=True),
    "land": AnswerTable("landing_table", "landing_spec", by_measure=True),
    "backtest": AnswerTable("backtest_table", "backtest_spec"),
    "review": AnswerTable("review_table", "review_spec"),
    "explain": AnswerTable("receipt_table", "receipt_spec"),
    "calendar": AnswerTable("calendar_table", "calendar_spec"),
    "restated": AnswerTable("restated_table", "restated_spec"),
}


def specs(result: Result, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """The tables of an answer, or of the latest that is to be shown of it; what is left out is said below."""
    table = TABLES[result.kind]
    if not table.by_measure:
        return [_shown(table.made(result, formats), formats, shown.rows)]
    answer: Any = result
    made: list[TableSpec] = []
    for measure in answer.measures:
        one = table.made(answer, measure, formats, shown)
        made += one if table.several else [one]
    earlier = len(answer.periods) - (shown.periods or len(answer.periods))
    if earlier > 0:
        from logochron.views.words.titles import earlier_words

        said = earlier_words(answer, earlier, formats)
        made = [replace(spec, lines=(said, *spec.lines) if "period" in spec.headings else spec.lines) for spec in made]
    rows = 0 if table.several else answer.columns.rows
    return [_shown(spec, formats, shown.rows, rows) for spec in made]


def _shown(spec: TableSpec, formats: Formats, most: int | None, of: int = 0) -> TableSpec:
    """A table of at most so many rows, what it says where it has none in the reader's language."""
    return replace(spec, empty=formats.say(spec.empty)).cut(most, formats, of)
