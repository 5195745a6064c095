"""Amounts as people write them, as Python's decimals, and as doubles that are whole numbers of a unit."""

from __future__ import annotations

import re
import sys
import unicodedata
from collections.abc import Iterable, Mapping, Sequence
from decimal import Decimal
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.errors import QuestionError, brief
from logochron.core.said import Said

#: What may stand around and between digits.
SPACES = " \t\u00a0\u2007\u2009\u202f"
MINUS = "-\u2212\u2013\u2012\ufe63\uff0d"
MINUSES = "\\" + MINUS  # within the brackets of a pattern
APOSTROPHES = "'\u2019"
_MARKS = {".": "point", ",": "comma"}
_BETWEEN = {"": "", ".": "points", ",": "commas", " ": "spaces", "'": "apostrophes"}
#: Signs of letters that are no code of a currency.
_LETTERS = frozenset({"kr", "kr.", "Kč", "zł", "Ft", "lei", "лв", "лв.", "Fr", "Fr.", "Rs", "Rs."})
_SAME_CURRENCY = {"€": "EUR", "£": "GBP", "₹": "INR"}
_GROUPED = re.compile(r"[+-]?[1-9]\d{0,2}(?:\.\d{3})+")
PLAIN = re.compile(r"\s*[+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?\s*", re.ASCII)


#: What may stand behind the digits of an amount in units, and the power of ten that it means.
UNITS = {"k": 3, "K": 3, "Tsd": 3, "Mio": 6, "mn": 6, "mln": 6, "bn": 9, "Mrd": 9, "T": 3}
_CURRENCIES = r"€|EUR|CHF|USD|GBP|\$|£"
#: The same with what stands around it; a T is of thousands only before a currency. Python and the engine read both.
UNIT_FORMS = (
    rf"([0-9][.,]?)[{SPACES}]?(k|K|Tsd|Mio|mn|mln|bn|Mrd)[.]?([^A-Za-z0-9]*(?:[A-Z]{{3}}[^A-Za-z0-9]*)?)$",
    rf"([0-9][.,]?)[{SPACES}]?(T)((?:{_CURRENCIES})[^A-Za-z0-9]*)$",
)


#: How people call powers of ten; what is said of a unit that was read.
POWERS = {3: Said("thousands"), 6: Said("millions"), 9: Said("thousand millions")}
UNITS_READ = "column {0!r}: {1} behind an amount is read as {2}"
_IN_HEADER = {
    3: re.compile(
        r"T€|TEUR|\bk€|\bkEUR|'000|\b000s?\b|\bin (?:thousands?|Tsd|Tausend|T\b|k\b)|\(Tsd|\(k\)", re.IGNORECASE
    ),
    6: re.compile(r"\bin (?:millions?|Mio|mn|mln)|\((?:Mio|mn|mln)|M€|MEUR", re.IGNORECASE),
    9: re.compile(r"\bin (?:billions?|Mrd|bn)|\((?:Mrd|bn)", re.IGNORECASE),
}


def unit_in_header(name: str) -> int:
    """The power of ten in which the name of a column says that its amounts are; 0 where it says none.

    >>> unit_in_header("Umsatz (T€)"), unit_in_header("Revenue in millions"), unit_in_header("Revenue")
    (3, 6, 0)
    """
    return next((power for power, form in _IN_HEADER.items() if form.search(name)), 0)


def part_unit(text: str) -> tuple[str, int]:
    """An amount without the unit behind it, and the power of ten that this means; 0 where there is none.

    >>> part_unit("9.1k"), part_unit("0,3 Mio. EUR"), part_unit("12 T€"), part_unit("5 kg")
    (('9.1', 3), ('0,3 EUR', 6), ('12€', 3), ('5 kg', 0))
    """
    for form in UNIT_FORMS:
        if match := re.search(form, text):
            return text[: match.start()] + match[1] + match[3], UNITS[match[2]]
    return text, 0


class Style(NamedTuple):
    """A way to write numbers: the decimal mark, what parts thousands, and the signs of one currency."""

    decimal: str = "."
    thousands: str = ""
    currency: tuple[str, ...] = ()

    @property
    def words(self) -> str:
        """How a message calls it."""
        between = Said(" and {0} between thousands", Said(_BETWEEN[self.thousands])) if self.thousands else ""
        return Said("with a decimal {0}{1}", Said(_MARKS[self.decimal]), between)

    def reads(self, text: str) -> bool:
        """Whether a text is a number written so."""
        return bool(_compiled(self).fullmatch(text))

    def pattern(self) -> str:
        """What a number written so looks like; Python and the engine both read it."""
        space = f"[{SPACES}]*"
        part = {" ": f"[{SPACES}]", "'": f"[{APOSTROPHES}]"}.get(self.thousands, re.escape(self.thousands))
        whole = "[0-9]+"
        if part:
            whole = f"(?:[1-9][0-9]{{0,2}}(?:{part}[0-9]{{3}})+|{whole})"
        if self.thousands == ",":  # 12,34,567 as well
            whole = f"(?:[1-9][0-9]?(?:,[0-9]{{2}})+,[0-9]{{3}}|{whole})"
        mark = re.escape(self.decimal)
        number = f"(?:{whole}(?:{mark}[0-9]*)?|{mark}[0-9]+)(?:[eE][+-]?[0-9]+)?"
        sign = "(?:" + "|".join(map(re.escape, self.currency)) + ")?" if self.currency else ""
        body = f"{sign}{space}{number}{space}{sign}"
        minus = f"[{MINUSES}]"
        forms = (
            f"[{MINUSES}+]?{space}{body}",
            rf"\({space}{body}{space}\)",
            f"{sign}{space}{minus}{space}{number}",
            f"{body}{space}{minus}{space}{sign}",
        )
        return f"{space}(?:{'|'.join(forms)}){space}"

    def decimals(self, shape: str) -> int:
        """How many decimals a shape has, read so, whatever sign or code stands beside its digits."""
        digits = re.split("[eE]", without(shape, self.currency))[0].rpartition(self.decimal)
        return sum(c.isdigit() for c in digits[2]) if digits[1] else 0


def without(shape: str, signs: Sequence[str]) -> str:
    """A shape without the signs of currencies, the longest first: ``kr.`` before ``kr``.

    >>> without("EUR 9.999", ["EUR"]), without("9 kr.", ["kr", "kr."])
    (' 9.999', '9 ')
    """
    for sign in sorted(signs, key=len, reverse=True):
        shape = shape.replace(sign, "")
    return shape


@lru_cache(64)
def _compiled(style: Style) -> re.Pattern[str]:
    return re.compile(style.pattern())


class StatedWriting(NamedTuple):
    """What the user says about the writing of amounts."""

    decimal: str | None = None
    thousands: str | None = None


def check_stated(decimal: str | None, thousands: str | None) -> StatedWriting:
    """The two options, checked.

    Raises
    ------
    QuestionError
        Where either is none of the marks we know, or both are the same.
    """
    thousands = {"space": " ", "none": "", "apostrophe": "'"}.get(thousands or "", thousands)
    if decimal is not None and decimal not in _MARKS:
        raise QuestionError("`decimal` must be '.' or ','; got {0}", brief(decimal))
    if thousands is not None and thousands not in _BETWEEN:
        raise QuestionError(
            "`thousands` must be ',' or '.' or ' ' (space) or \"'\" (apostrophe) or '' (none); got {0}", repr(thousands)
        )
    if decimal is not None and decimal == thousands:
        raise QuestionError("`decimal` and `thousands` are both {0!r}: they must differ", decimal)
    return StatedWriting(decimal, thousands)


def is_amount(text: str) -> bool:
    """Whether a text is a number in some writing."""
    text, _ = part_unit(text)
    return bool(PLAIN.fullmatch(text)) or any(
        style.reads(text) for style in styles(StatedWriting(), tuple(currency_signs([text])))
    )


def as_number(text: str) -> float | None:
    """The number of a text in the likeliest writing; None where it is none.

    >>> as_number("1,234.5"), as_number("12,5 EUR"), as_number("n/a")
    (1234.5, 12.5, None)
    """
    if PLAIN.fullmatch(text):
        return float(text)
    text, power = part_unit(text)
    signs = tuple(currency_signs([text]))
    style = next((style for style in styles(StatedWriting(), signs) if style.reads(text)), None)
    if style is None:
        return None
    number = without(text, signs)
    negative = "(" in number or bool(re.search(rf"[{MINUSES}]", number))
    digits = re.sub(rf"[^0-9{re.escape(style.decimal)}]", "", number).replace(style.decimal, ".")
    return (-1 if negative else 1) * float(digits) * 10**power


def settled(texts: Sequence[str]) -> bool:
    """Whether texts show that a point is the decimal mark: one of them cannot part thousands."""
    return any("." in text and PLAIN.fullmatch(text) and not _GROUPED.fullmatch(text.strip()) for text in texts)


def written_plainly(texts: Sequence[str]) -> bool:
    """Whether all filled texts are numbers that need no reading, and none has a point that may part thousands."""
    filled = [text for text in texts if text.strip()]
    return all(PLAIN.fullmatch(text) for text in filled) and (
        settled(filled) or not any("." in text for text in filled)
    )


def styles(stated: StatedWriting, currency: tuple[str, ...]) -> list[Style]:
    """The ways of writing to try, the plainest first."""
    styles = []
    for decimal in _MARKS if stated.decimal is None else (stated.decimal,):
        for thousands in _BETWEEN if stated.thousands is None else (stated.thousands,):
            if thousands != decimal:
                styles.append(Style(decimal, thousands, currency))
    return styles


def currency_of(sign: str) -> str:
    """The currency that a sign stands for; one sign for all ways to write it.

    >>> currency_of("€"), currency_of("kr.")
    ('EUR', 'kr')
    """
    return _SAME_CURRENCY.get(sign, sign.rstrip("."))


def currency_signs(shapes: Mapping[str, int] | Sequence[str]) -> dict[str, str]:
    """The signs of currencies that shapes bear, each with its first shape."""
    signs: dict[str, str] = {}
    for shape in filter(re.compile(r"\d").search, shapes):
        around = re.sub(rf"[\d{SPACES}()+{MINUSES}{APOSTROPHES}]|(?<![A-Za-z])[.,]", "", shape).rstrip(",")
        if around and around not in signs and _is_currency(around):
            signs[around] = shape
    return signs


def _is_currency(token: str) -> bool:
    if any(unicodedata.category(c) == "Sc" for c in token):
        return bool(re.fullmatch(r"[A-Za-z]{0,3}\W", token))
    if token in _LETTERS:
        return True
    if not re.fullmatch("[A-Z]{3}", token):
        return False
    from babel.numbers import list_currencies

    return token in list_currencies()


_DECIMAL = re.compile(r"-?\d+(?:\.\d+)?(?:E[+-]?\d+)?")


def first_value(column: Any) -> Any:
    """The first value of a pandas column that is there."""
    return column.iloc[column.notna().to_numpy().argmax()] if len(column) else None


def is_plain_decimal(value: Any) -> bool:
    """Whether a value is one of Python's decimals, or its text."""
    return isinstance(value, Decimal) or (isinstance(value, str) and bool(_DECIMAL.fullmatch(value)))


def as_decimals(column: Any) -> Any:
    """A column of Python's decimals as one of the engine's; as it is where those do not hold them."""
    import pyarrow

    pd = sys.modules["pandas"]
    numbers = column.where(column.notna(), None)
    if pd.api.types.infer_dtype(numbers, skipna=True) != "decimal":
        numbers = numbers.map(lambda v: Decimal(repr(float(v))) if isinstance(v, (float, np.floating)) else v)
    try:
        lying = pyarrow.array(numbers.to_numpy())
    except (pyarrow.ArrowException, TypeError):  # an endless one, one of too many digits, or a text between them
        lying = None
    if lying is None or not pyarrow.types.is_decimal128(lying.type):  # the engine's own have 38 digits
        return numbers.map(lambda v: f"{v:E}" if isinstance(v, Decimal) else v)  # which reads in one way only
    return pd.Series(pd.arrays.ArrowExtensionArray(lying), index=column.index)


#: Amounts looked at together: what is worked out of them stays near the processor.
_BLOCK = 1 << 15


class Reach(NamedTuple):
    """The largest size of amounts in units, 0.0 of none; and whether any is negative."""

    largest: float
    falls: bool


def reach_of(amounts: Iterable[NDArray[Any]], per_unit: int) -> Reach | None:
    """How far amounts reach in units; None where one is no whole number of them.

    An amount counts as one that is the double next to a whole number divided by `per_unit` (cents: 100).
    """
    least, most, divisor = 0.0, 0.0, float(per_unit)
    with np.errstate(over="ignore", invalid="ignore"):
        for part in amounts:
            for start in range(0, len(part), _BLOCK):
                block = part[start : start + _BLOCK]
                units = block * divisor
                np.rint(units, out=units)
                least, most = min(least, units.min()), max(most, units.max())
                np.divide(units, divisor, out=units)
                if not (units == block).all():
                    return None
    largest = float(max(most, -least))
    return Reach(largest, bool(least < 0)) if np.isfinite(largest) else None


def sums_are_exact(most: int, largest: float) -> bool:
    """Whether any sum of so many amounts, added up as doubles in any order, rounds to their true sum in units.

    Each amount is off by half a place in the last at most, and each addition and the scaling add as much: with
    u = 2**-53 a sum is off by less than most * (most + 2) * u * largest units, which half a unit has to exceed
    (Higham, Accuracy and Stability of Numerical Algorithms, 2nd ed., section 4.2). Half of that is allowed.
    """
    return most * (most + 2.0) * largest < 2.0**51
