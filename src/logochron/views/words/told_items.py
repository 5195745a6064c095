"""The items that a sentence names: those that moved most, each way first; and what leads the first of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.measures import Measure
from logochron.core.errors import QuestionError, no_such
from logochron.core.judge.judging import SLACK
from logochron.core.options import DIRECTIONS
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.figures import Floats
from logochron.views.formats import Formats, item_name, shortened
from logochron.views.words.movement import MOVED, Moved, item_words, tied_words


class ToldItems(NamedTuple):
    """The items of one period: their labels, and the columns of their rows."""

    labels: list[tuple[str, ...]]
    columns: Mapping[str, NDArray[Any]]
    codes: list[frozenset[str]]
    unit: str
    planned: bool

    @classmethod
    def of(cls, result: AlignedAnswer, measure: Measure, place: int, unit: str) -> ToldItems:
        """All those of an answer, those that `top` gathers too."""
        result = result.ungathered
        columns = result.of_measure(result.columns, measure).blocks[0].period(place)
        labels = list(zip(*(columns[name].tolist() for name in result.by)))
        known = [frozenset(note.code for note in notes) for notes in result.note_table]
        codes = [known[place] for place in columns["note"].tolist()] if result.type.has_column("note") else []
        return cls(labels, columns, codes, unit, result.plan is not None)

    def moved(self, i: int) -> Moved:
        """One of them beside its base."""
        value, base, change, growth = (float(self.columns[name][i]) for name in MOVED)
        return Moved(
            value,
            base,
            change,
            growth,
            DIRECTIONS[self.columns["direction"][i]],
            self.codes[i],
            self.unit,
            self.planned,
        )

    def tied(self, i: int) -> list[int]:
        """Those whose change is that of one of them: to the last digit of inexact sums."""
        changes = self.columns["change"]
        return np.flatnonzero(np.isclose(changes, changes[i], rtol=SLACK, atol=0.0)).tolist()

    def name(self, i: int) -> str:
        """What one of them is called."""
        return item_name(self.labels[i])


def told_order(changes: Floats, n: int) -> list[int]:
    """The places of the items to name: the one that rose most, the one that fell most, then by the size of the change.

    >>> told_order(np.array([1.0, 5.0, -2.0, 4.0, np.nan]), 3)
    [1, 2, 3]
    """
    known = np.flatnonzero(np.isfinite(changes))
    order = known[np.argsort(-np.abs(changes[known]), kind="stable")]
    up, down = order[changes[order] > 0][:1], order[changes[order] < 0][:1]
    first = np.concatenate([up, down])
    if n == 1:
        return order[:1].tolist()
    return list(dict.fromkeys([*first.tolist(), *order.tolist()]))[:n]


def regrouped(result: AlignedAnswer, by: Sequence[str]) -> AlignedAnswer:
    """The same answer split by other dimensions of its book."""
    if tuple(by) == result.by and result.top is None:
        return result
    return result.put_anew(replace(result.prepared, asked=replace(result.asked, by=tuple(by), top=None, sort=None)))


class Leaders:
    """Which item of another dimension moved each item most; the finer comparison is made once for all of them."""

    def __init__(self, result: AlignedAnswer, measure: Measure, place: int, then: str) -> None:
        self._finer = ToldItems.of(regrouped(result, [*result.by, then]), measure, place, "")
        self._under: dict[tuple[str, ...], list[int]] = {}
        for i, label in enumerate(self._finer.labels):
            self._under.setdefault(label[:-1], []).append(i)

    def of(self, label: tuple[str, ...], direction: str) -> tuple[str, float] | None:
        """Label and value of the one that moved most in the direction in which an item moved; None where none did."""
        if direction not in ("rising", "falling"):  # what stays level is led by nothing
            return None
        places = self._under.get(label, [])
        changes = np.nan_to_num(self._finer.columns["change"][places]) * (-1 if direction == "falling" else 1)
        if not len(changes) or changes.max() <= 0:
            return None
        best = places[int(changes.argmax())]
        return shortened(self._finer.labels[best][-1]), float(self._finer.columns["value"][best])


def check_then(result: AlignedAnswer, then: str | None) -> None:
    """Refuse a second dimension that the records are not split by, or that leaves no item to lead."""
    if then is None:
        return
    if not result.type.led:
        raise QuestionError("`then` goes with the answer of compare")
    if then not in result.book.dimensions:
        raise QuestionError(f"`then`: {no_such('dimension', then, result.book.dimensions, where='the book')}")
    if not [name for name in result.by if name != then]:
        raise QuestionError("`then` names what leads an item: compare by another dimension as well (by=, --by)")


def told_items(items: ToldItems, n: int, formats: Formats, leader: str = "") -> str:
    """What the items that moved most did, as one sentence; empty where there is nothing to tell of several."""
    if len(items.labels) < 2:
        return ""
    told: list[str] = []
    tied: list[int] = []
    for i in told_order(items.columns["change"], n):
        moved = items.moved(i)
        alike = items.tied(i) if not told and moved.gained_or_lost else []
        if len(alike) > 1:
            told.append(tied_words(moved, [items.name(one) for one in alike], formats))
            tied = alike
        elif i not in tied:
            most, led = not told, "" if told else leader
            told.append(item_words(moved, items.name(i), formats, most=most, leader=led))
    return "; ".join(told)
