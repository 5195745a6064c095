"""One figure of a comparison with its periods across: a row an item, a column a period."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, ClassVar, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.items import places_of
from logochron.core.book.measures import Measure
from logochron.core.choices import AcrossFigure, check
from logochron.core.errors import QuestionError
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.question_types import COLUMNS, DIMENSIONS, QuestionType, question_type
from logochron.core.rows.result import Blocks, Result, RowBlock

#: What tells how a figure is to be read.
_BESIDE = ("value", "change", "growth", "share", "direction", "verdict", "band")


class AcrossRows(NamedTuple):
    """The rows of one measure: labels by dimension (None: added up), and figures of shape (rows, periods) by name."""

    labels: tuple[NDArray[np.object_], ...]
    figures: Mapping[str, NDArray[Any]]

    @property
    def size(self) -> int:
        """How many rows there are."""
        return len(self.figures["value"])


@dataclass(frozen=True, repr=False, eq=False)
class Across(Result):
    """One figure with periods across.

    Attributes
    ----------
    table
        One row per measure and item, with its subtotals and the total: `measure`, the dimensions (NA where they are
        added up), and a column for each period.
    figure, answer
        Which figure it is, and the comparison it is of.
    rows_of
        The rows by measure, with all that is known beside the figure.
    """

    figure: AcrossFigure
    answer: AlignedAnswer = field(repr=False)
    rows_of: Mapping[str, AcrossRows] = field(repr=False)
    kind: ClassVar[str] = "across"

    @cached_property
    def type(self) -> QuestionType:
        """The row of its question, with the columns of its periods."""
        column = COLUMNS[self.figure]
        own = tuple(column._replace(name=label, heading=label) for label in self.periods)
        return replace(question_type(self.kind), columns=("measure", DIMENSIONS, *self.periods), own=own)

    @property
    def told(self) -> Result:
        """The comparison: its sentences and figures are those of this answer too."""
        return self.answer

    @property
    def by(self) -> tuple[str, ...]:
        """The dimensions it is split by."""
        return self.answer.by

    @property
    def measures(self) -> tuple[Measure, ...]:
        """The measures it is of."""
        return self.answer.measures


def across(answer: AlignedAnswer, figure: AcrossFigure) -> Across:
    """A comparison with its periods across: see `Comparison.across`."""
    check("figure", figure, AcrossFigure)
    if not answer.periods:
        raise QuestionError("there is no period to lay across: the answer is empty")
    for name in answer.by:
        if name in answer.periods:
            raise QuestionError("`by`: a dimension is called like the period {0!r}: read it under another name", name)
    rows_of = {measure.name: _rows(answer, measure) for measure in answer.measures}
    parts = list(rows_of.values())
    sizes = [part.size for part in parts]
    columns: dict[str, NDArray[Any]] = {"measure": np.repeat(np.array(list(rows_of), dtype=object), sizes)}
    columns |= {name: np.concatenate([part.labels[n] for part in parts]) for n, name in enumerate(answer.by)}
    for place, label in enumerate(answer.periods):
        columns[label] = np.concatenate([part.figures[figure][:, place] for part in parts])
    total = np.cumsum(sizes) - 1
    return Across(
        columns=Blocks.plain(columns),
        total_columns=Blocks.plain({name: values[total] for name, values in columns.items()}),
        periods=answer.periods,
        notes=answer.notes,
        figure=figure,
        answer=answer,
        rows_of=rows_of,
    )


def _rows(answer: AlignedAnswer, measure: Measure) -> AcrossRows:
    """Items below their subtotals, in the order of the last period; the total last."""
    (items,), (total,) = (answer.of_measure(c, measure).blocks for c in (answer.columns, answer.total_columns))
    by = answer.by
    tree = len(by) > 1 and answer.top is None  # the largest alone are no parts of what stands above them
    sums = answer.of_measure(answer.subtotal_columns, measure).blocks if tree and answer.subtotal_columns else ()
    blocks = [*sums, *([items] if by else []), total]
    labels = [_labels(block, by) for block in blocks]
    keys: list[NDArray[Any]] = []
    for level in range(len(sums) + 1 if by else 0):  # the place of each row's parent at this level, then its own
        of, shown = blocks[level], labels[level]
        ranks = np.full(of.shape[1] + 1, -1)
        order = of.shown(of.shape[0] - 1)
        ranks[order] = np.arange(len(order))
        width = level + 1 if tree else len(by)
        keys.append(np.concatenate([_places(shown[:width], one[:width], ranks) for one in labels]))
    kinds = np.repeat(np.arange(len(blocks)), [block.shape[1] for block in blocks])
    last = kinds == len(blocks) - 1
    chosen = np.lexsort((*keys[::-1], last)) if keys else np.arange(len(last))
    if keys:  # items that have no row, as what gathers ids
        without = (keys[-1] < 0) & (kinds == len(blocks) - 2)
        chosen = chosen[~without[chosen]]
    figures = {name: _laid(blocks, name)[chosen] for name in _BESIDE}
    joined = tuple(np.concatenate(column)[chosen] for column in zip(*labels)) if by else ()
    return AcrossRows(joined, figures)


def _labels(block: RowBlock, by: Sequence[str]) -> tuple[NDArray[np.object_], ...]:
    return tuple(np.broadcast_to(block.columns[name], (1, block.shape[1]))[0].astype(object) for name in by)


def _places(
    known: Sequence[NDArray[np.object_]], labels: Sequence[NDArray[np.object_]], ranks: NDArray[Any]
) -> NDArray[Any]:
    """The rank of each row's parent among those known; -1 for rows that stand above them."""
    below = np.ones(len(labels[0]), dtype=bool)
    for one in labels:
        below &= np.array([label is not None for label in one.tolist()], dtype=bool)
    places = np.full(len(below), -1)
    places[below] = ranks[places_of(known, [one[below] for one in labels])]
    return places


def _laid(blocks: Sequence[RowBlock], name: str) -> NDArray[Any]:
    """A column of several blocks, shape (rows, periods)."""
    return np.concatenate([np.broadcast_to(block.columns[name], block.shape).T for block in blocks])
