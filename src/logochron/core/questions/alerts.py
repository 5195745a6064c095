"""Alerts: conditions on the figures of one period, so that a scheduled run can call for help."""

from __future__ import annotations

import operator
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import product
from typing import Any, NamedTuple, NoReturn

import numpy as np
from numpy.typing import NDArray

from logochron.core.errors import QuestionError, no_such, pointed
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.question_types import question_type
from logochron.core.rows.result import Blocks
from logochron.core.said import Said

_SIGNS: dict[str, Callable[[Any, Any], Any]] = {
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
    "=": operator.eq,
    "!=": operator.ne,
}
SIGNS = tuple(_SIGNS)
#: What no alert is about: `at` chooses days and periods.
_NEVER = ("period", "day")


@dataclass(frozen=True)
class Alert:
    """A condition on a column of an answer.

    Parameters
    ----------
    column
        A column of figures or of words: ``growth``, ``verdict``, ``band``.
    sign
        ``<``, ``<=``, ``>``, ``>=``, ``=`` or ``!=``.
    value
        A number, or for words a text.
    text
        As it was written, where it was.
    of
        The rows it is about, by columns of words: ``{"window": "year", "basis": "plan"}`` of an overview; all where
        none is named.

    Examples
    --------
    >>> print(Alert("growth", "<", -0.05))
    growth < -0.05
    """

    column: str
    sign: str
    value: float | str
    text: str = ""
    of: Mapping[str, str] = field(default_factory=dict)

    def __str__(self) -> str:
        return self.text or f"{self.column} {self.sign} {self.value}"

    def fires(self, values: NDArray[Any]) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
        """Where it holds, and where it cannot be told since the figure is empty.

        Words are texts here, and None where there is none.
        """
        if values.dtype.kind == "f":
            unknown = np.isnan(values)
            return ~unknown & _SIGNS[self.sign](values, self.value), unknown
        unknown = np.asarray((values == None) | (values == "unknown"), dtype=bool)  # noqa: E711  element by element
        same = np.asarray(values == self.value, dtype=bool)
        holds = same if self.value == "unknown" else ~unknown
        return holds & (same if self.sign == "=" else ~same), unknown & ~holds


class Fired(NamedTuple):
    """The rows of one grouping for which an alert fires, or cannot be told; places in `columns`.

    `columns` are those of the last period, `values` the column that the alert is about: figures, or words as texts.
    """

    columns: Blocks
    values: NDArray[Any]
    rows: NDArray[np.int64]
    unknown: NDArray[np.int64]


def check_alert(alert: Alert, answer: str, dimensions: Collection[str], bands: Sequence[str]) -> None:
    """Refuses an alert on a column that is not there, or on a word that the column never holds.

    Parameters
    ----------
    answer
        What the answer is called whose columns it may be about.
    dimensions, bands
        The dimensions of the answer, and the names of its bands.
    """
    of_answer = question_type(answer)
    known = [name for name in of_answer.named_columns() if of_answer.holds(name) not in _NEVER] + list(dimensions)
    if alert.column not in known:
        _refuse(alert, no_such("column", alert.column, known, where="the answer"), alert.column)
    column = of_answer.column(alert.column)
    if column.is_figure:
        if isinstance(alert.value, str):
            _refuse(alert, Said("{0!r} holds figures: compare it to a number or a %", alert.column), alert.value)
        return
    if alert.sign not in ("=", "!=") or not isinstance(alert.value, str):
        _refuse(alert, Said("{0!r} holds words: compare it by = or != to a word", alert.column), alert.sign)
    held = bands if alert.column == "band" else column.words
    if held and alert.value not in held:
        _refuse(alert, no_such("word", str(alert.value), held, where=alert.column), str(alert.value))


def _refuse(alert: Alert, what: str, at: str) -> NoReturn:
    """Says what is wrong with an alert, and where in it."""
    text = str(alert)
    place = text.find(at) if at == alert.column else text.rfind(at)
    raise QuestionError("alert: {0}{1}", what, pointed(text, place))


def fired(alert: Alert, answer: AlignedAnswer) -> list[Fired]:
    """For which items, subtotals and totals an alert fires, of the last period; none where the answer has no rows."""
    groupings = [answer.columns, answer.subtotal_columns, answer.total_columns][0 if answer.by else 2 :]
    groupings = [columns for columns in groupings if columns.rows]
    rows = answer.rows_alerted(alert.column, alert.of) if groupings else []
    return [_fired(alert, answer, columns.between(row, row + 1)) for columns, row in product(groupings, rows)]


def _fired(alert: Alert, answer: AlignedAnswer, columns: Blocks) -> Fired:
    """For which of some rows an alert fires."""
    values = _column_of(alert, answer, columns)
    holds, unknown = alert.fires(values)
    if alert.column in answer.by:  # a total is of no item
        named = values != None  # noqa: E711  element by element
        holds, unknown = holds & named, unknown & named
    return Fired(columns, values, np.flatnonzero(holds), np.flatnonzero(unknown))


def _column_of(alert: Alert, answer: AlignedAnswer, columns: Blocks) -> NDArray[Any]:
    """The column of an alert: figures, or words as texts."""
    kind = answer.type.holds(alert.column)
    if kind == "truth":
        return np.array(["false", "true", None], dtype=object)[columns[alert.column]]
    return answer.texts(columns, alert.column) if kind in ("word", "label") else columns[alert.column]
