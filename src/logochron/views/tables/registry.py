"""Every answer as tables for people."""

from __future__ import annotations

from logochron.core.questions.compare import Comparison
from logochron.core.questions.drivers import Drivers
from logochron.core.questions.explain import Receipt
from logochron.core.questions.period_list import PeriodList
from logochron.core.questions.relate import Relation
from logochron.core.questions.review import Review
from logochron.core.rows.result import Result
from logochron.views.formats import Formats
from logochron.views.tables.comparison_table import table_spec
from logochron.views.tables.drivers_table import drivers_spec
from logochron.views.tables.list_tables import periods_spec, review_spec
from logochron.views.tables.receipt_table import receipt_spec
from logochron.views.tables.relation_table import relation_spec
from logochron.views.tables.spec import TableSpec


def specs(result: Result, formats: Formats) -> list[TableSpec]:
    """The tables of an answer: one for each measure of a comparison."""
    if isinstance(result, Comparison):
        return [table_spec(result, measure, formats) for measure in result.measures]
    if isinstance(result, Relation):
        return [relation_spec(result, measure, formats) for measure in result.measures]
    if isinstance(result, Drivers):
        return [drivers_spec(result, measure, formats) for measure in result.measures]
    if isinstance(result, Review):
        return [review_spec(result, formats)]
    if isinstance(result, Receipt):
        return [receipt_spec(result, formats)]
    if isinstance(result, PeriodList):
        return [periods_spec(result, formats)]
    raise TypeError(f"no table for a {type(result).__name__}")
