"""Whole columns of compact amounts: what `Formats.amount` writes, without asking the locale for each of them."""

from __future__ import annotations

import re
from functools import cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.views.formats import Formats

_FIGURES = re.compile(r"\d[\d.,\s\u00a0\u202f’'٬٫]*\d|\d")


class _Short(NamedTuple):
    """What stands around the figures of amounts that are divided by a power of a thousand."""

    before: str
    behind: str


def amounts(values: NDArray[np.float64], unit: str, formats: Formats, *, signed: bool = False) -> list[str]:
    """A column of amounts, each as `Formats.amount` writes it.

    >>> amounts(np.array([44_412.0, 1_240_000.0, 12.5]), "EUR", Formats())
    ['EUR 44.4K', 'EUR 1.24M', 'EUR 12.50']
    """
    values = np.asarray(values, dtype=np.float64)
    sizes = np.abs(values)
    with np.errstate(divide="ignore", invalid="ignore"):
        powers = np.floor(np.log10(sizes))
    texts = np.empty(len(values), dtype=object)
    before, behind = formats.amount(1.0, unit).split("1", 1)
    left = np.ones(len(values), dtype=bool)
    for power in range(3, 15):
        of = np.flatnonzero(powers == power)
        short = _short(formats, power) if len(of) else None
        if short is None:
            continue
        digits = 2 - power % 3
        scaled = values[of] / 10.0 ** (power - power % 3)
        # what may round up to the next power, to one, or lies between two figures is asked one by one
        steps = np.abs(scaled) * 10.0**digits
        clear = (np.rint(steps) < 10 ** (digits + power % 3 + 1)) & (np.rint(steps) != 10**digits)
        clear &= np.abs(steps - np.floor(steps) - 0.5) > 1e-6
        of, scaled = of[clear], scaled[clear]
        written = formats.numbers(scaled, digits, signed=signed)
        if digits:
            zeros = re.compile(rf"[^\d]?0{{1,{digits}}}$")
            written = [zeros.sub("", text) if text[-1] == "0" else text for text in written]
        texts[of] = [f"{before}{_inside(text, short)}{behind}" for text in written]
        left[of] = False
    for place in np.flatnonzero(left).tolist():
        texts[place] = formats.amount(float(values[place]), unit, signed=signed)
    return texts.tolist()


def _inside(text: str, short: _Short) -> str:
    """Figures with what shortens them, the sign before all."""
    sign = text[:1] if text[:1] in "+-−" else ""
    return f"{sign}{short.before}{text[len(sign) :]}{short.behind}"


@cache
def _short(formats: Formats, power: int) -> _Short | None:
    """How amounts of a power of ten are shortened; None where it depends on the amount, or they are not."""
    digits = 2 - power % 3
    found = set()
    for lead in (2.22, 3.33, 7.77):
        text = formats.compact(round(lead * 10.0**power))
        figures = _FIGURES.search(text)
        if figures is None or not any(letter.isalpha() for letter in text):
            return None
        if list(map(len, re.split(r"\D", figures[0]))) != [power % 3 + 1, digits][: 2 if digits else 1]:
            return None  # shortened otherwise than by thousands
        found.add(_Short(text[: figures.start()], text[figures.end() :]))
    return found.pop() if len(found) == 1 else None
