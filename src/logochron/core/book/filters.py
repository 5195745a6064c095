"""Which items a filter takes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

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
        flat = labels[0] if len(labels) == 1 and isinstance(labels[0], (list, tuple)) else labels
        object.__setattr__(self, "labels", tuple(str(label) for label in flat))

    def __repr__(self) -> str:
        return f"Not({', '.join(map(repr, self.labels))})"

    def __str__(self) -> str:
        return "not " + " or ".join(self.labels)


def labels_named(wanted: Any) -> tuple[str, ...]:
    """The labels a filter names, whether it takes them or leaves them out."""
    if isinstance(wanted, Not):
        return wanted.labels
    if isinstance(wanted, Sequence) and not isinstance(wanted, str):
        return tuple(label for one in wanted for label in labels_named(one))
    return (str(wanted),)


def split(wanted: Any) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """What a filter takes (nothing named: everything) and what it leaves out."""
    parts = wanted if isinstance(wanted, Sequence) and not isinstance(wanted, str) else [wanted]
    taken = [label for one in parts if not isinstance(one, Not) for label in labels_named(one)]
    left_out = [label for one in parts if isinstance(one, Not) for label in one.labels]
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
        taken, left_out = (tuple(label or "(empty)" for label in side) for side in split(wanted))
        parts = ([" or ".join(taken)] if taken else []) + ([f"not {' or '.join(left_out)}"] if left_out else [])
        words.append(f"{name} {' and '.join(parts)}")
    return tuple(words)
