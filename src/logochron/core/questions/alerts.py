"""Alerts: conditions on the figures of one period, so that a scheduled run can call for help."""

from __future__ import annotations

import operator
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, NamedTuple, NoReturn

import numpy as np
from numpy.typing import NDArray

from logochron.core.errors import QuestionError, no_such, pointed
from logochron.core.rows.answer import Answer
from logochron.core.rows.result import TRUTHS

_SIGNS: dict[str, Callable[[Any, Any], Any]] = {
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
    "=": operator.eq,
    "!=": operator.ne,
}
SIGNS = tuple(_SIGNS)
#: Columns of days and of their names: `at` chooses those.
_NEVER = ("period", "start", "end", "base_start", "base_end")


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

    Examples
    --------
    >>> print(Alert("growth", "<", -0.05))
    growth < -0.05
    """

    column: str
    sign: str
    value: float | str
    text: str = ""

    def __str__(self) -> str:
        return self.text or f"{self.column} {self.sign} {self.value}"

    def fires(self, values: NDArray[Any]) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
        """Where it holds, and where it cannot be told since the figure is empty."""
        if values.dtype.kind == "f":
            unknown = np.isnan(values)
            return ~unknown & _SIGNS[self.sign](values, self.value), unknown
        unknown = np.asarray((values == None) | (values == "unknown"), dtype=bool)  # noqa: E711  element by element
        truth = {"true": True, "false": False}.get(str(self.value)) if self.column in TRUTHS else None
        same = np.asarray(values == (self.value if truth is None else truth), dtype=bool)
        told = same if self.value == "unknown" else ~unknown
        return told & (same if self.sign == "=" else ~same), unknown & ~told


class Fired(NamedTuple):
    """The rows of one kind for which an alert fires, or cannot be told; places in `columns`."""

    columns: Mapping[str, NDArray[Any]]
    rows: NDArray[np.int64]
    unknown: NDArray[np.int64]


def check_alert(alert: Alert, columns: tuple[str, ...], words: Mapping[str, tuple[str, ...]]) -> None:
    """Refuses an alert on a column that is not there, or on a word that the column never holds.

    Parameters
    ----------
    columns
        Of the answer.
    words
        The columns of words, each with all that it may hold (none: anything).
    """
    known = [name for name in columns if name not in _NEVER]
    if alert.column not in known:
        _refuse(alert, no_such("column", alert.column, known, where="the answer"), alert.column)
    if alert.column in words:
        if alert.sign not in ("=", "!=") or not isinstance(alert.value, str):
            _refuse(alert, f"{alert.column!r} holds words: compare it by = or != to a word", alert.sign)
        held = words[alert.column]
        if held and alert.value not in held:
            _refuse(alert, no_such("word", str(alert.value), held, where=alert.column), str(alert.value))
    elif isinstance(alert.value, str):
        _refuse(alert, f"{alert.column!r} holds figures: compare it to a number or a %", alert.value)


def _refuse(alert: Alert, what: str, at: str) -> NoReturn:
    """Says what is wrong with an alert, and where in it."""
    text = str(alert)
    place = text.find(at) if at == alert.column else text.rfind(at)
    raise QuestionError(f"alert: {what}{pointed(text, place)}")


def fired(alert: Alert, answer: Answer) -> list[Fired]:
    """For which items, subtotals and totals of the last period an alert fires."""
    kinds = [answer.columns, answer.subtotal_columns, answer.total_columns]
    found = []
    for columns in kinds[0 if answer.by else 2 :]:
        if not columns:
            continue
        rows = np.arange(len(columns["measure"]))
        if "period" in columns:
            rows = np.flatnonzero(columns["period"] == answer.place())
        if alert.column in answer.by:  # a total is of no item
            rows = rows[columns[alert.column][rows] != None]  # noqa: E711  element by element
        holds, unknown = alert.fires(columns[alert.column][rows])
        found.append(Fired(columns, rows[holds], rows[unknown]))
    return found
