"""Every answer as tables for people."""

from __future__ import annotations

from logochron.core.compare import Comparison
from logochron.core.drivers import Drivers
from logochron.core.explain import Receipt
from logochron.core.periods import PeriodList
from logochron.core.relate import Relation
from logochron.core.results import Result
from logochron.core.review import Review
from logochron.views.formats import Formats
from logochron.views.lists import periods_spec, review_spec
from logochron.views.movers import drivers_spec
from logochron.views.receipts import receipt_spec
from logochron.views.relations import relation_spec
from logochron.views.rows import table_spec
from logochron.views.tables import TableSpec


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
