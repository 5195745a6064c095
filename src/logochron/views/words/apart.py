"""Figures that a sentence holds against each other, with as many digits as they need to differ; names in a row."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Sequence

from babel.lists import format_list

from logochron.core.errors import visible
from logochron.core.questions.relate import JOINED
from logochron.views.formats import Formats, item_name
from logochron.views.locale_texts import locale_of

#: More digits after the point than this tell nothing.
_MOST = 15
#: The letters of a label that is cut, and those of its end.
_LONG, _END = 28, 12


def amounts_apart(values: Sequence[float], unit: str, formats: Formats) -> list[str]:
    """Amounts with their unit: compact where that tells them apart.

    >>> amounts_apart([31_640.0, 31_609.0], "", Formats()), amounts_apart([31_640.0, 30_000.0], "", Formats())
    (['31,640', '31,609'], ['31.6K', '30K'])
    """
    texts = _apart(values, [formats.compact(value) for value in values], formats.number, 0)
    return [formats.with_unit(text, value, unit) for text, value in zip(texts, values)]


def parts_apart(values: Sequence[float], formats: Formats) -> list[str]:
    """Shares as percentages.

    >>> parts_apart([0.5004, 0.4996], Formats())
    ['50.04 %', '49.96 %']
    """
    return _apart(values, [formats.part(value) for value in values], formats.part, 2)


def _apart(values: Sequence[float], texts: list[str], written: Callable[[float, int], str], start: int) -> list[str]:
    """The texts where as many differ as values do, else those of so many decimals as they need."""
    known = [value for value in values if math.isfinite(value)]
    for decimals in range(start, _MOST + 1):
        if len({text for text, value in zip(texts, values) if math.isfinite(value)}) >= len(set(known)):
            break
        texts = [written(value, decimals) for value in values]
    return texts


def names_apart(items: Sequence[Sequence[str]]) -> list[str]:
    """What items are called side by side: each label cut where it is too long, in its middle where two would be alike.

    >>> names_apart([("Cold Pier", "hire"), ("all others", "all others")])
    ['Cold Pier / hire', 'all others']
    """
    names = list(map(item_name, items))
    met = Counter(names)
    for n, labels in enumerate(items):
        if met[names[n]] > 1:
            names[n] = JOINED.join(_cut_inside(" ".join(visible(label).split())) for label in labels)
    seen: Counter[str] = Counter()
    for n, name in enumerate(names):  # alike in both ends as well
        seen[name] += 1
        names[n] = name if seen[name] == 1 else f"{name} ({seen[name]})"
    return names


def _cut_inside(label: str) -> str:
    return label if len(label) <= _LONG else f"{label[: _LONG - _END - 1].rstrip()}…{label[-_END:].lstrip()}"


def listed(names: Sequence[str], formats: Formats) -> str:
    """Names in a row.

    >>> listed(["a", "b", "c"], Formats())
    'a, b and c'
    """
    text = str(format_list(list(names), style="standard", locale=locale_of(formats.locale)))
    return text.replace(", and ", " and ")  # as all our sentences have it
