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
    """Who makes the table of an answer, and whether there is one for each of its measures."""

    module: str
    maker: str
    by_measure: bool = False

    @property
    def made(self) -> Callable[..., TableSpec]:
        """The function that makes it, loaded when it is needed."""
        maker: Callable[..., TableSpec] = getattr(import_module(f"logochron.views.tables.{self.module}"), self.maker)
        return maker


#: By the kind of answer.
TABLES = {
    "compare": AnswerTable("comparison_table", "comparison_spec", by_measure=True),
    "relate": AnswerTable("relation_table", "relation_spec", by_measure=True),
    "drivers": AnswerTable("drivers_table", "drivers_spec", by_measure=True),
    "review": AnswerTable("review_table", "review_spec"),
    "explain": AnswerTable("receipt_table", "receipt_spec"),
    "calendar": AnswerTable("calendar_table", "calendar_spec"),
}


def specs(result: Result, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """The tables of an answer, or of the latest that is to be shown of it; what is left out is said below."""
    table = TABLES[result.kind]
    if not table.by_measure:
        return [table.made(result, formats).cut(shown.rows)]
    answer: Any = result
    made = (table.made(answer, measure, formats, shown) for measure in answer.measures)
    earlier = len(answer.periods) - (shown.periods or len(answer.periods))
    if earlier > 0:
        from logochron.views.words.titles import earlier_words

        said = earlier_words(answer, earlier)
        made = (replace(spec, lines=(said, *spec.lines)) for spec in made)
    return [spec.cut(shown.rows, answer.columns.rows) for spec in made]
