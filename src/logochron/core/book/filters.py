"""Which items a filter takes."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.errors import QuestionError
from logochron.core.said import Said, both, either

#: For each dimension or column the items wanted: one, several, or `Not(...)`.
Where = Mapping[str, Any]


@dataclass(frozen=True, init=False, repr=False)
class Not:
    """All items but these.

    >>> Not("online", "counter")
    Not('online', 'counter')
    """

    labels: tuple[str, ...]

    def __init__(self, *labels: object) -> None:
        flat = _parts(labels[0]) if len(labels) == 1 else labels
        object.__setattr__(self, "labels", tuple(str(label) for label in flat))

    def __repr__(self) -> str:
        return f"Not({', '.join(map(repr, self.labels))})"

    def __str__(self) -> str:
        return "not " + " or ".join(self.labels)


def check_where(where: Where, of: str = "`where`") -> None:
    """Refuse a filter that names nothing: it would take every row, or none.

    Raises
    ------
    QuestionError
        Naming the column.

    >>> check_where({"harbor": []})
    Traceback (most recent call last):
    ...
    logochron.core.errors.QuestionError: `where`: 'harbor' names no item to take; name some, or leave 'harbor' out
    """
    for name, wanted in where.items():
        parts = _parts(wanted)
        if not parts or any(one is None or (isinstance(one, Not) and not one.labels) for one in parts):
            raise QuestionError("{0}: {1!r} names no item to take; name some, or leave {1!r} out", of, name)


def _parts(wanted: Any) -> list[Any]:
    """What a filter says of one column: labels, or `Not` of some."""
    return list(wanted) if isinstance(wanted, Iterable) and not isinstance(wanted, (str, bytes)) else [wanted]


def labels_named(wanted: Any) -> tuple[str, ...]:
    """The labels a filter names, whether it takes them or leaves them out."""
    return tuple(label for side in split(wanted) for label in side)


def split(wanted: Any) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """What a filter takes (nothing but what is left out named: everything else) and what it leaves out."""
    taken: list[str] = []
    left_out: list[str] = []
    for one in _parts(wanted):
        if isinstance(one, Not):
            left_out += one.labels
        else:
            taken.append(str(one))
    return tuple(taken), tuple(left_out)


def holds(labels: NDArray[np.object_], wanted: Any) -> NDArray[np.bool_]:
    """Whether the filter takes each label."""
    taken, left_out = split(wanted)
    held = np.isin(labels.astype(str), taken) if taken else np.ones(len(labels), dtype=bool)
    return held & ~np.isin(labels.astype(str), left_out)


class Condition(NamedTuple):
    """What a filter asks of one column: the labels taken (none named: all) but for those left out."""

    column: str
    taken: tuple[str, ...]
    left_out: tuple[str, ...]


def conditions(where: Where) -> tuple[Condition, ...]:
    """A filter as conditions, all of which must hold.

    >>> conditions({"line": ["hire", "gear"], "channel": Not("online")})[0]
    Condition(column='line', taken=('hire', 'gear'), left_out=())
    """
    return tuple(Condition(name, *split(wanted)) for name, wanted in where.items())


def in_words(selection: Where) -> tuple[str, ...]:
    """A filter as people read it.

    >>> in_words({"line": ["hire", "gear"], "channel": Not("online")})
    ('line hire or gear', 'channel not online')
    """
    words = []
    for name, wanted in selection.items():
        taken, left_out = (tuple(label or Said("(empty)") for label in side) for side in split(wanted))
        parts = ([either(taken)] if taken else []) + ([Said("not {0}", either(left_out))] if left_out else [])
        words.append(Said("{0} {1}", name, both(parts)))
    return tuple(words)
