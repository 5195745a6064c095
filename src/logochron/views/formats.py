"""Numbers, dates and marks as people read them: pure functions of a value and a `Formats`."""

from __future__ import annotations

import math
import re
import unicodedata
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from decimal import Context, Decimal, localcontext
from functools import cache
from typing import Any, NamedTuple

import numpy as np
from babel import Locale, UnknownLocaleError
from babel.numbers import UnknownCurrencyError, format_scientific, validate_currency
from numpy.typing import NDArray

from logochron.core.choices import OTHERS
from logochron.core.days import as_date
from logochron.core.errors import QuestionError, brief, visible
from logochron.views import catalog
from logochron.views.decimals import told_apart
from logochron.views.locale_texts import by_skeleton, compacted, dated, grouped, locale_of

#: As many digits as a float may have before and after its point.
_ANY_SIZE = Context(prec=400)
#: Where a number of so many last digits lies near the middle of two, or is larger, its own decimals decide.
_CLEAR, _NEAR = 2.0**40, 1e-3
#: The same of an amount that is shortened, as a part of its last digit.
_BETWEEN = 1e-6
#: Fewer numbers are written one by one.
_FEW = 40
MINUS, DASH = "\N{MINUS SIGN}", "\N{EN DASH}"


@dataclass(frozen=True, kw_only=True)
class Formats:
    """How figures are written.

    Parameters
    ----------
    locale
        A locale such as ``en_GB`` or ``de``.
    currency
        A currency code, shown once as the unit.
    decimals
        Of amounts; chosen from their size where None.
    plain
        ASCII signs only.
    spreadsheet_safe
        Whether texts of .csv that a spreadsheet would take for a formula get an apostrophe before them.

    Raises
    ------
    QuestionError
        Where the locale or the currency is unknown.
    """

    locale: str = "en"
    currency: str | None = None
    decimals: int | None = None
    plain: bool = False
    spreadsheet_safe: bool = False

    def __post_init__(self) -> None:
        try:
            Locale.parse(self.locale.replace("-", "_"))
            object.__setattr__(self, "locale", self.locale.replace("-", "_"))
        except (UnknownLocaleError, ValueError):
            raise QuestionError(
                "`locale` must be a locale such as en_GB or de_DE; got {0}", brief(self.locale)
            ) from None
        if self.currency is not None and not is_currency(self.currency):
            raise QuestionError("`currency` must be a currency code such as EUR; got {0}", brief(self.currency))
        if self.decimals is not None and not 0 <= self.decimals <= 9:
            raise QuestionError("`decimals` must be from 0 to 9; got {0}", brief(self.decimals))

    @property
    def locale_tag(self) -> str:
        """The locale as pages name it."""
        return self.locale.replace("_", "-")

    @property
    def language(self) -> str:
        """The language of words, that of the locale."""
        return _language(self.locale)

    def say(self, text: str, **fields: Any) -> str:
        """A message in the language of the locale, with its fields put in."""
        return catalog.said(self.language, text, **fields)

    def count(self, n: int, one: str, many: str, **fields: Any) -> str:
        """A message that changes with a number, which is written as the locale has it."""
        return catalog.counted(self.language, n, one, many, n_written=self.number(n, 0), **fields)

    @property
    def dash(self) -> str:
        """What stands for an empty figure."""
        return "-" if self.plain else DASH

    @property
    def dot(self) -> str:
        """What parts the sayings of one line."""
        return " | " if self.plain else " · "

    def _signs(self, text: str) -> str:
        if not self.plain:
            return text.replace("-", MINUS)
        return text.replace(MINUS, "-").replace("\u202f", " ").replace("\xa0", " ")

    def number(self, value: float, decimals: int, *, signed: bool = False) -> str:
        """A number with grouping; an en dash where it is not finite.

        >>> Formats().number(-14643.2, 0)
        '−14,643'
        """
        if not math.isfinite(value):
            return self.dash
        scaled = abs(value) * 10.0**decimals
        if scaled < _CLEAR and abs(scaled - math.floor(scaled) - 0.5) > _NEAR:
            rounded = round(scaled)
            nothing, text = not rounded, _written(rounded, decimals, self.locale)
        else:
            with localcontext(_ANY_SIZE):
                exact = round(Decimal(repr(float(value))), decimals)
                nothing, text = not exact, grouped(abs(exact), decimals, self.locale)
        # a change that rounds to nothing keeps its sign
        sign = "-" if value < 0 and (not nothing or signed) else "+" if signed and value > 0 else ""
        return self._signs(sign) + (text if not self.plain else self._signs(text))

    def growth(self, value: float, decimals: int = 1) -> str:
        """A growth as a signed percentage; ``level`` where it is exactly 0.

        >>> Formats().growth(0.0631), Formats().growth(0.0)
        ('+6.3 %', 'level')
        """
        if not math.isfinite(value * 100):
            return self.dash
        if value == 0:
            return self.say("level")
        return f"{self.number(value * 100, decimals, signed=True)} %"

    def part(self, value: float, decimals: int = 1) -> str:
        """A share as a percentage."""
        return f"{self.number(value * 100, decimals)} %" if math.isfinite(value * 100) else self.dash

    def compact(self, value: float, *, signed: bool = False) -> str:
        """A number in three digits or so: 1.24M.

        >>> Formats().compact(1_240_000)
        '1.24M'
        """
        if not math.isfinite(value):
            return self.dash
        size = abs(value)
        digits = 0 if size < 1000 else 2 - int(math.floor(math.log10(size))) % 3
        if size < 1000:
            decimals = 0 if float(size).is_integer() or size >= 100 else 2
            if 0 < size < 0.1:
                decimals = 1 - int(math.floor(math.log10(size)))
            if decimals < 9:
                return self.number(value, decimals, signed=signed)
        if size < 1 or size >= 1e15:  # the locale has no words for so small and so large ones
            return self._power(value, signed=signed)
        return _shortened(self, value, signed=signed) or self._asked(value, digits, signed=signed)

    def compacts(self, values: Sequence[float], unit: str = "", *, signed: bool = False) -> list[str]:
        """Numbers that stand beside each other: of one size and with the same decimals, in as many as tell them apart.

        Where the smallest could not be seen beside the largest each is written for itself.

        >>> Formats().compacts([59_400, 57_000]), Formats().compacts([31_640, 31_609])
        (['59.4K', '57.0K'], ['31,640', '31,609'])
        >>> Formats().compacts([31.05, 542.0], signed=True), Formats().compacts([0.5004, 0.4996], "%")
        (['+31', '+542'], ['50.04 %', '49.96 %'])
        """
        known = np.array([value for value in values if math.isfinite(value)], dtype=np.float64)
        if unit == "%":
            decimals = told_apart(known * 100, 1, _MOST_APART)
            return [self.part(value, decimals) for value in values]
        size = float(np.abs(known).max(initial=0.0))
        power = int(math.floor(math.log10(size))) if size else 0
        smallest = float(np.abs(known[known != 0]).min(initial=math.inf))
        if size >= 1e15 or size < 1 or smallest < size / _SEEN_BESIDE:
            return [self.compact(value, signed=signed) for value in values]
        if size < 1000:
            whole = not (known % 1).any() or size >= 100
            decimals = told_apart(known, 0 if whole else 2 - power if power < 2 else 0, _MOST_APART)
            return [self.number(value, decimals, signed=signed) for value in values]
        digits, scale = 2 - power % 3, 10.0 ** (power - power % 3)
        scaled = known / scale
        short = _short(self, power)
        if short is None or told_apart(scaled, digits, _MOST_APART) > digits:  # what tells them apart is told in full
            decimals = told_apart(known, 0, _MOST_APART)
            return [self.number(value, decimals, signed=signed) for value in values]
        while digits and not (np.rint(scaled * 10.0**digits) % 10).any():  # no zeros that all have
            digits -= 1
        written = [self.number(value / scale, digits, signed=signed) for value in values]
        return [short.around(text) if math.isfinite(value) else text for text, value in zip(written, values)]

    def _asked(self, value: float, digits: int, *, signed: bool) -> str:
        """A number as the locale itself shortens it."""
        text = compacted(float(abs(value)), digits, self.locale)
        if not any(sign.isalpha() for sign in text):  # the locale does not shorten numbers of this size
            return self.number(value, 0, signed=signed)
        text = self._signs(text) if self.plain else text
        return self._signs("-" if value < 0 else "+" if signed else "") + text

    def _power(self, value: float, *, signed: bool) -> str:
        text = str(format_scientific(abs(value), format="0.00E0", locale=self.locale))
        return self._signs("-" if value < 0 else "+" if signed else "") + self._signs(text)

    def amount(self, value: float, unit: str = "", *, signed: bool = False) -> str:
        """A compact amount with its unit, where the locale has it: before the figure or behind.

        >>> Formats().amount(44_412, "EUR"), Formats(locale="de").amount(44_412, "EUR"), Formats().amount(12, "boats")
        ('EUR 44.4K', '44.412 EUR', '12 boats')
        >>> Formats().amount(0.489, "%"), Formats().amount(0.005, "%", signed=True)
        ('48.9 %', '+0.5 points')
        """
        if unit == "%":
            return self.points_told(value, signed=True) if signed else self.part(value)
        return self.with_unit(self.compact(value, signed=signed), value, unit)

    def with_unit(self, text: str, value: float, unit: str) -> str:
        """A value that is written already, with its unit; what is not known has none."""
        if not unit or not math.isfinite(value):
            return text
        before = is_currency(unit) and locale_of(self.locale).currency_formats["standard"].pattern.startswith("¤")
        return f"{unit} {text}" if before else f"{text} {unit}"

    def amounts(self, values: NDArray[np.float64], unit: str = "", *, signed: bool = False) -> list[str]:
        """A column of compact amounts, each as `amount` writes it.

        >>> Formats().amounts(np.array([44_412.0, 1_240_000.0, 12.5]), "EUR")
        ['EUR 44.4K', 'EUR 1.24M', 'EUR 12.50']
        """
        values = np.asarray(values, dtype=np.float64)
        if unit == "%":
            return [self.amount(value, unit, signed=signed) for value in values.tolist()]
        texts = np.array([None] * len(values), dtype=object)
        if len(values) >= _FEW:
            _shorten(self, values, unit, texts, signed=signed)
        for place in np.flatnonzero(texts == None).tolist():  # noqa: E711  element by element
            texts[place] = self.amount(float(values[place]), unit, signed=signed)
        return texts.tolist()

    def numbers(self, values: NDArray[np.float64], decimals: int, *, signed: bool = False) -> list[str]:
        """A column of numbers, each as `number` writes it.

        >>> Formats().numbers(np.array([1234.5, np.nan, -0.4]), 0, signed=True)
        ['+1,234', '–', '−0']
        """
        if len(values) < _FEW:
            return [self.number(value, decimals, signed=signed) for value in values.tolist()]
        with np.errstate(over="ignore", invalid="ignore"):
            scaled = np.abs(values) * 10.0**decimals
            clear = (scaled < _CLEAR) & (np.abs(scaled - np.floor(scaled) - 0.5) > _NEAR)
        rounded = np.where(clear, np.rint(scaled), 0).astype(np.int64)
        wholes, rests = np.divmod(rounded, 10**decimals)
        written = "{:,}" + (".{:0" + str(decimals) + "d}" if decimals else "")
        symbols = locale_of(self.locale).number_symbols["latn"]
        signs = str.maketrans({",": symbols["group"], ".": symbols["decimal"]})
        texts = "\n".join(map(written.format, wholes.tolist(), rests.tolist())).translate(signs)
        minus = (values < 0) & ((rounded > 0) | signed)
        before = np.where(minus, self._signs("-"), np.where((values > 0) & signed, "+", "")).tolist()
        column = list(map(str.__add__, before, (self._signs(texts) if self.plain else texts).split("\n")))
        for place in np.flatnonzero(~clear).tolist():
            column[place] = self.number(float(values[place]), decimals, signed=signed)
        return column[: len(values)]

    def parts(self, values: NDArray[np.float64], decimals: int = 1) -> list[str]:
        """A column of shares, each as `part` writes it."""
        return self._percent(values, self.numbers(_times_100(values), decimals))

    def growths(self, values: NDArray[np.float64]) -> list[str]:
        """A column of growths, each as `growth` writes it."""
        texts = self._percent(values, self.numbers(_times_100(values), 1, signed=True))
        for place in np.flatnonzero(values == 0).tolist():
            texts[place] = self.say("level")
        return texts

    @staticmethod
    def _percent(values: NDArray[np.float64], texts: list[str]) -> list[str]:
        return list(map(str.__add__, texts, np.where(np.isfinite(_times_100(values)), " %", "").tolist()))

    def day(self, day: int, *, year: bool = True) -> str:
        """A day in words.

        >>> Formats().day(20379)
        '18 Oct 2025'
        """
        return self._date(day, "d MMM y" if year else "d MMM")

    def long_day(self, day: int, *, year: bool = True) -> str:
        """A day with the name of its month written out.

        >>> Formats().long_day(20379), Formats(locale="de").long_day(20379)
        ('18 October 2025', '18. Oktober 2025')
        """
        return self._date(day, "d MMMM y" if year else "d MMMM")

    def _date(self, day: int, pattern: str) -> str:
        """A day in one order in all of English, else as the locale has it."""
        if self.language == "en":
            return dated(day, pattern, self.locale)
        if pattern == "d MMMM y":
            return dated(day, "long", self.locale)
        return by_skeleton("".join(reversed(pattern.split())), day, self.locale)

    def long_month(self, day: int) -> str:
        """The month that holds a day, written out.

        >>> Formats().long_month(20379)
        'October 2025'
        """
        return by_skeleton("yMMMM", day, self.locale)

    def short_month(self, day: int) -> str:
        """The month that holds a day, short.

        >>> Formats().short_month(20379)
        'Oct 2025'
        """
        return by_skeleton("yMMM", day, self.locale)

    def quarter(self, day: int) -> str:
        """The quarter of the civil year that holds a day.

        >>> Formats().quarter(20379)
        'Q4 2025'
        """
        return by_skeleton("yQQQ", day, self.locale)

    def month(self, day: int) -> str:
        """The short name of a day's month.

        >>> Formats().month(0)
        'Jan'
        """
        return dated(day, "LLL", self.locale)

    def weekday(self, day: int) -> str:
        """The short name of a day's weekday.

        >>> Formats().weekday(0)
        'Thu'
        """
        return dated(day, "EEE", self.locale)

    def span(self, first: int, last: int, *, year: bool = True) -> str:
        """Days from first to last in words, as short as they are clear.

        >>> Formats().span(20362, 20379)
        '1–18 Oct 2025'
        """
        return self._span(first, last, self.day, "MMM", year=year, apart="{first} {dash} {last}")

    def long_span(self, first: int, last: int) -> str:
        """Days from first to last with the names of months written out.

        >>> Formats().long_span(20362, 20379), Formats(locale="de").long_span(20362, 20379)
        ('1–18 October 2025', '1.–18. Oktober 2025')
        >>> Formats().long_span(20089, 20379)
        '1 January to 18 October 2025'
        """
        return self._span(first, last, self.long_day, "MMMM", year=True, apart="{first} to {last}")

    def _span(self, first: int, last: int, day: Callable[..., str], month: str, *, year: bool, apart: str) -> str:
        start, end = as_date(first), as_date(last)
        if first == last:
            return day(last, year=year)
        if (start.year, start.month) != (end.year, end.month):
            opening = day(first, year=start.year != end.year)
            return self.say(apart, first=opening, last=day(last, year=year or start.year != end.year), dash=self.dash)
        if self.language == "en":
            return f"{start.day}{self.dash}{day(last, year=year)}"
        known = locale_of(self.locale).interval_formats.get("yMMMd" if year else "MMMd", {}).get("d")
        if known is None:
            return self.say("{first} {dash} {last}", first=start.day, last=day(last, year=year), dash=self.dash)
        text = "".join(dated(of, part.replace("MMM", month), self.locale) for of, part in zip((first, last), known))
        return self._signs(text) if self.plain else text

    def bar(self, share: float, cells: int = 8) -> str:
        """A share as a bar, cut to the part of 0 to 1 that can be shown.

        >>> Formats().bar(0.5, 4), Formats(plain=True).bar(0.5, 4)
        ('██', '##')
        """
        if not math.isfinite(share):
            return ""
        eighths = round(min(max(share, 0.0), 1.0) * cells * 8)
        if self.plain:
            return "#" * round(eighths / 8)
        return "█" * (eighths // 8) + ("", *"▏▎▍▌▋▊▉")[eighths % 8]

    def points(self, part: float) -> str:
        """A part of growth in percentage points.

        >>> Formats().points(0.0213)
        '+2.1'
        """
        return self.number(part * 100, 1, signed=True)

    def points_told(self, part: float, *, signed: bool = False) -> str:
        """A difference of parts with its unit; as many decimals as it takes to see it, three at most.

        >>> Formats().points_told(0.0051), Formats().points_told(-0.0002, signed=True)
        ('0.5 points', '−0.02 points')
        """
        if not math.isfinite(part * 100):
            return self.dash
        decimals = next((n for n in (1, 2, 3) if not part or abs(part) * 100 >= 0.5 * 10**-n), 3)
        return self.say("{n} points", n=self.number(part * 100, decimals, signed=signed))


#: More digits after the point than this tell nothing; what is smaller than such a part of the largest is not seen.
_MOST_APART, _SEEN_BESIDE = 15, 2000


class _Short(NamedTuple):
    """What stands around the figures of amounts that are divided by a power of a thousand."""

    before: str
    behind: str

    def around(self, text: str) -> str:
        """Figures with what shortens them, the sign before all."""
        sign = text[:1] if text[:1] in "+-−" else ""
        return f"{sign}{self.before}{text[len(sign) :]}{self.behind}"


_FIGURES = re.compile(r"\d[\d.,\s\u00a0\u202f’'٬٫]*\d|\d")


def _shortened(formats: Formats, value: float, *, signed: bool) -> str:
    """A number shortened as the locale shortens others of its size; empty where that must be asked of the locale."""
    size = abs(value)
    power = int(math.floor(math.log10(size)))
    short = _short(formats, power)
    if short is None:
        return ""
    digits, thousands = 2 - power % 3, power - power % 3
    steps = size / 10.0**thousands * 10.0**digits
    near = abs(steps - math.floor(steps) - 0.5) <= _BETWEEN
    if near or round(steps) >= 10 ** (digits + power % 3 + 1) or round(steps) == 10**digits:
        return ""  # or it may round up to the next power, or to one
    return short.around(_unzeroed(formats.number(value / 10.0**thousands, digits, signed=signed), digits))


def _shorten(formats: Formats, values: NDArray[np.float64], unit: str, texts: NDArray[Any], *, signed: bool) -> None:
    """Fill in the texts of those amounts of a column that are shortened as others of their size."""
    with np.errstate(divide="ignore", invalid="ignore"):
        powers, whole = np.floor(np.log10(np.abs(values))), values % 1 == 0
    before, behind = formats.amount(1.0, unit).split("1", 1)
    sizes = np.abs(values)
    small = ((whole | (sizes >= 100)) & (sizes < 1000), 0), (~whole & (sizes >= 0.1) & (sizes < 100), 2)
    for of_size, decimals in small:
        plain = formats.numbers(values[of_size], decimals, signed=signed)
        texts[of_size] = [f"{before}{text}{behind}" for text in plain]
    for power in range(3, 15):
        of = np.flatnonzero(powers == power)
        short = _short(formats, power) if len(of) else None
        if short is None:
            continue
        digits = 2 - power % 3
        scaled = values[of] / 10.0 ** (power - power % 3)
        steps = np.abs(scaled) * 10.0**digits
        clear = (np.rint(steps) < 10 ** (digits + power % 3 + 1)) & (np.rint(steps) != 10**digits)
        clear &= np.abs(steps - np.floor(steps) - 0.5) > _BETWEEN
        of, scaled = of[clear], scaled[clear]
        written = (_unzeroed(text, digits) for text in formats.numbers(scaled, digits, signed=signed))
        texts[of] = [f"{before}{short.around(text)}{behind}" for text in written]


def _unzeroed(text: str, digits: int) -> str:
    """Figures without the zeros at their end behind the point."""
    if not digits or text[-1] != "0":
        return text
    text = text.rstrip("0")
    return text if text[-1:].isdigit() else text[:-1]


@cache
def _short(formats: Formats, power: int) -> _Short | None:
    """How amounts of a power of ten are shortened; None where it depends on the amount, or they are not."""
    digits = 2 - power % 3
    forms = set()
    for lead in (2.22, 3.33, 7.77):
        text = formats._asked(round(lead * 10.0**power), digits, signed=False)
        figures = _FIGURES.search(text)
        if figures is None or not any(letter.isalpha() for letter in text):
            return None
        if list(map(len, re.split(r"\D", figures[0]))) != [power % 3 + 1, digits][: 2 if digits else 1]:
            return None  # shortened otherwise than by thousands
        forms.add(_Short(text[: figures.start()], text[figures.end() :]))
    return forms.pop() if len(forms) == 1 else None


def _written(rounded: int, decimals: int, locale: str) -> str:
    """So many of the last digits, grouped as a locale has it."""
    group, point = _marks(locale)
    if not decimals:
        return f"{rounded:,}".replace(",", group)
    whole, rest = divmod(rounded, 10**decimals)
    return f"{whole:,}".replace(",", group) + f"{point}{rest:0{decimals}d}"


@cache
def _language(locale: str) -> str:
    return str(locale_of(locale).language)


@cache
def _marks(locale: str) -> tuple[str, str]:
    """What parts thousands and decimals."""
    symbols = locale_of(locale).number_symbols["latn"]
    return str(symbols["group"]), str(symbols["decimal"])


def _times_100(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Parts as percent; what is not finite then is written as unknown."""
    with np.errstate(over="ignore"):
        return values * 100


@cache
def is_currency(unit: str) -> bool:
    """Whether a unit is the code of a currency.

    >>> is_currency("EUR"), is_currency("kg")
    (True, False)
    """
    try:
        validate_currency(unit)
    except UnknownCurrencyError:
        return False
    return True


def words(name: str) -> str:
    """A name as it stands in a title: underscores as spaces."""
    return name.replace("_", " ").strip() or name


def noun(name: str, language: str = "en") -> str:
    """A dimension as it stands within a title: one that is written ``Region`` and one written ``region`` read alike.

    >>> noun("Sales_Region"), noun("region"), noun("SALESORG"), noun("region", "de")
    ('sales region', 'region', 'SALESORG', 'Region')
    """
    text = words(name)
    if language == "de":
        return capital(text)
    return " ".join(word.lower() if word[1:].islower() else word for word in text.split(" "))


def capital(text: str) -> str:
    """The text with its first letter large."""
    return text[:1].upper() + text[1:]


def isolated(label: str) -> str:
    """A label that is written from the right, kept from turning the figures beside it (UAX #9, isolates).

    >>> isolated("Cold Pier")
    'Cold Pier'
    """
    turns = any(unicodedata.bidirectional(letter) in ("R", "AL", "AN") for letter in label)
    return f"\N{FIRST STRONG ISOLATE}{label}\N{POP DIRECTIONAL ISOLATE}" if turns else label


def item_name(labels: Iterable[str]) -> str:
    """What an item of several dimensions is called, each label cut where it is too long; what gathers others once.

    >>> item_name(("Cold Pier", "hire")), item_name(("all others", "all others"))
    ('Cold Pier / hire', 'all others')
    """
    labels = list(labels)
    return OTHERS if labels and set(labels) == {OTHERS} else " / ".join(map(shortened, labels))


def shortened(label: str, most: int = 28) -> str:
    """A label cut with an ellipsis where it is too long; an empty one said so, line ends and the like escaped."""
    text = " ".join(visible(label).split()) if label.strip() else "(empty)"
    return text if len(text) <= most else text[: most - 1].rstrip() + "…"


#: Signs with which a text begins that a spreadsheet takes for a formula, those of full width too.
FORMULA_SIGNS = ("=", "+", "-", "@", "\t", "\r", "\n", "\uff1d", "\uff0b", "\uff0d", "\uff20")


def harmless(text: str | None) -> str | None:
    """A text that no spreadsheet takes for a formula: with an apostrophe before it where it would.

    >>> harmless("=1+1"), harmless("Cold Pier")
    ("'=1+1", 'Cold Pier')
    """
    return f"'{text}" if text is not None and text.startswith(FORMULA_SIGNS) else text
