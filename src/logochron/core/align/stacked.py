"""Rows that were lined up apart, below each other: their sums then come from one pass of the records."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.align import Alignment
from logochron.core.align.base_spans import BaseSpans, ValueSpans
from logochron.core.notes import Noted


def stacked(alignments: Sequence[Alignment]) -> Alignment:
    """The rows of several alignments, in their order; bases of fewer parts than others get empty ones.

    Parameters
    ----------
    alignments
        One or more; a mean among them is of as many parts as it has.
    """
    first = alignments[0]
    if len(alignments) == 1:
        return first
    many = max(len(one.part_known) for one in alignments)

    def below(*columns: NDArray[Any]) -> NDArray[Any]:
        return np.concatenate(columns)

    def padded(columns: Sequence[NDArray[Any]], fill: Any) -> NDArray[Any]:
        laid = np.full((many, sum(column.shape[1] for column in columns)), fill, dtype=columns[0].dtype)
        left = 0
        for column in columns:
            right = left + column.shape[1]
            laid[: len(column), left:right] = column
            left = right
        return laid

    def of_parts(name: str, fill: Any) -> NDArray[Any]:
        return padded([getattr(one.parts, name) for one in alignments], fill)

    return Alignment(
        rows=ValueSpans(*map(below, *(one.rows for one in alignments))),
        parts=BaseSpans(
            of_parts("starts", 0),
            of_parts("own_starts", 0),
            of_parts("ends", -1),
            of_parts("found", False),
            of_parts("uncut", False),
            of_parts("labels", None),
            _notes([one.parts.notes for one in alignments], [one.size for one in alignments]),
        ),
        starts=below(*(one.starts for one in alignments)),
        ends=below(*(one.ends for one in alignments)),
        status=below(*(one.status for one in alignments)),
        value_known=below(*(one.value_known for one in alignments)),
        base_labels=below(*(one.base_labels for one in alignments)),
        base_starts=padded([one.base_starts for one in alignments], 0),
        base_ends=padded([one.base_ends for one in alignments], -1),
        part_known=padded([one.part_known for one in alignments], False),
        base_known=below(*(one.base_known for one in alignments)),
        notes=_notes([one.notes for one in alignments], [one.size for one in alignments]),
    )


def _notes(noted: Sequence[tuple[Noted, ...]], sizes: Sequence[int]) -> tuple[Noted, ...]:
    """The notes of each on its own rows, in the order in which each has them."""
    starts = np.cumsum([0, *sizes])
    return tuple(_on(note, int(start), int(starts[-1])) for notes, start in zip(noted, starts) for note in notes)


def _on(note: Noted, start: int, size: int) -> Noted:
    """A note on rows from `start` on, of so many in all."""
    n = len(note.rows)

    def laid(values: NDArray[Any]) -> NDArray[Any]:
        return np.pad(values, (start, size - start - n), mode="edge") if n else np.resize(values, size)

    rows = np.zeros(size, dtype=bool)
    rows[start : start + n] = note.rows
    return Noted(rows, note.code, tuple(laid(a) if isinstance(a, np.ndarray) else a for a in note.args))
