"""Figures that a sentence holds against each other, with as many digits as they need to differ; names in a row."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from babel.lists import format_list

from logochron.views.formats import Formats
from logochron.views.locale_texts import locale_of

#: More digits after the point than this tell nothing.
_MOST = 15


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


def listed(names: Sequence[str], formats: Formats) -> str:
    """Names in a row.

    >>> listed(["a", "b", "c"], Formats())
    'a, b and c'
    """
    text = str(format_list(list(names), style="standard", locale=locale_of(formats.locale)))
    return text.replace(", and ", " and ")  # as all our sentences have it
