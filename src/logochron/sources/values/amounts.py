"""How the amounts of a text column are written: one reading for the whole column, judged on the shapes of its texts."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache
from typing import NamedTuple

from logochron.core.errors import IntakeError, QuestionError
from logochron.sources.engine.connection import Engine
from logochron.sources.engine.sql import Amount, Plan, Query, condition, quoted

#: What may stand around and between digits.
SPACES = " \t\u00a0\u2007\u2009\u202f"
_MINUS = "-\u2212\u2013\u2012\ufe63\uff0d"
_MINUSES = "\\" + _MINUS  # within the brackets of a pattern
_APOSTROPHES = "'\u2019"
_MARKS = {".": "point", ",": "comma"}
_BETWEEN = {"": "", ".": "points", ",": "commas", " ": "spaces", "'": "apostrophes"}
#: Signs of letters that are no code of a currency.
_LETTERS = frozenset({"kr", "kr.", "Kč", "zł", "Ft", "lei", "лв", "лв.", "Fr", "Fr.", "Rs", "Rs."})
_SAME = {"€": "EUR", "£": "GBP", "₹": "INR"}
_GROUPED = re.compile(r"[+-]?[1-9]\d{0,2}(?:\.\d{3})+")
_PLAIN = re.compile(r"\s*[+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?\s*", re.ASCII)
_MOST_SHAPES = 20_000
_ZERO = "\x01"  # stands for a leading 0 in a shape

#: Where the first row with a text is: told its column's expression and the text, gives words for a message.
Finder = Callable[[str, str], str]


class Style(NamedTuple):
    """A way to write numbers: the decimal mark, what parts thousands, and the signs of one currency."""

    decimal: str = "."
    thousands: str = ""
    currency: tuple[str, ...] = ()

    @property
    def words(self) -> str:
        """How a message calls it."""
        between = f" and {_BETWEEN[self.thousands]} between thousands" if self.thousands else ""
        return f"with a decimal {_MARKS[self.decimal]}{between}"

    def reads(self, text: str) -> bool:
        """Whether a text is a number written so."""
        return bool(_compiled(self).fullmatch(text))

    def pattern(self) -> str:
        """What a number written so looks like; Python and the engine both read it."""
        space = f"[{SPACES}]*"
        part = {" ": f"[{SPACES}]", "'": f"[{_APOSTROPHES}]"}.get(self.thousands, re.escape(self.thousands))
        whole = "[0-9]+"
        if part:
            whole = f"(?:[1-9][0-9]{{0,2}}(?:{part}[0-9]{{3}})+|{whole})"
        if self.thousands == ",":  # 12,34,567 as well
            whole = f"(?:[1-9][0-9]?(?:,[0-9]{{2}})+,[0-9]{{3}}|{whole})"
        mark = re.escape(self.decimal)
        number = f"(?:{whole}(?:{mark}[0-9]*)?|{mark}[0-9]+)(?:[eE][+-]?[0-9]+)?"
        sign = "(?:" + "|".join(map(re.escape, self.currency)) + ")?" if self.currency else ""
        body = f"{sign}{space}{number}{space}{sign}"
        minus = f"[{_MINUSES}]"
        forms = (
            f"[{_MINUSES}+]?{space}{body}",
            rf"\({space}{body}{space}\)",
            f"{sign}{space}{minus}{space}{number}",
            f"{body}{space}{minus}{space}{sign}",
        )
        return f"{space}(?:{'|'.join(forms)}){space}"

    def plain(self, sql: str) -> str:
        """The engine's expression for the number in plain writing; NULL where the text is none."""
        bare = sql
        for token in self.currency:
            bare = f"replace({bare}, {quoted(token)}, '')"
        negative = rf"regexp_matches({bare}, '^[{SPACES}]*[{_MINUSES}(]|[{_MINUSES}][{SPACES}]*$')"
        number = f"trim({bare}, {quoted(SPACES + _MINUS + '()+')})"
        for sign in {" ": SPACES, "'": _APOSTROPHES}.get(self.thousands, self.thousands):
            number = f"replace({number}, {quoted(sign)}, '')"
        if self.decimal != ".":
            number = f"replace({number}, ',', '.')"
        matches = f"regexp_full_match({sql}, {quoted(self.pattern())})"
        return f"CASE WHEN {matches} THEN CASE WHEN {negative} THEN '-' ELSE '' END || {number} END"

    def decimals(self, shape: str) -> int:
        """How many decimals a shape has, read so."""
        digits = re.split("[eE]", shape)[0].rpartition(self.decimal)
        return sum(c.isdigit() for c in digits[2]) if digits[1] else 0


@lru_cache(64)
def _compiled(style: Style) -> re.Pattern[str]:
    return re.compile(style.pattern())


class Stated(NamedTuple):
    """What the user says about the writing of amounts."""

    decimal: str | None = None
    thousands: str | None = None


def check_stated(decimal: str | None, thousands: str | None) -> Stated:
    """The two options, checked.

    Raises
    ------
    QuestionError
        Where either is none of the marks we know, or both are the same.
    """
    thousands = {"space": " ", "none": "", "apostrophe": "'"}.get(thousands or "", thousands)
    if decimal is not None and decimal not in _MARKS:
        raise QuestionError(f"`decimal` must be '.' or ','; got {decimal!r}")
    if thousands is not None and thousands not in _BETWEEN:
        raise QuestionError(
            "`thousands` must be ',' or '.' or ' ' (space) or \"'\" (apostrophe) or '' (none); got " + repr(thousands)
        )
    if decimal is not None and decimal == thousands:
        raise QuestionError(f"`decimal` and `thousands` are both {decimal!r}: they must differ")
    return Stated(decimal, thousands)


def is_amount(text: str) -> bool:
    """Whether a text is a number in some writing."""
    return any(style.reads(text) for style in _styles(Stated(), tuple(_tokens([text]))))


def settled(texts: Sequence[str]) -> bool:
    """Whether texts show that a point is the decimal mark: one of them cannot part thousands."""
    return any("." in text and _PLAIN.fullmatch(text) and not _GROUPED.fullmatch(text.strip()) for text in texts)


def written_plainly(texts: Sequence[str]) -> bool:
    """Whether all filled texts are numbers that need no reading, and none has a point that may part thousands."""
    filled = [text for text in texts if text.strip()]
    return all(_PLAIN.fullmatch(text) for text in filled) and (
        settled(filled) or not any("." in text for text in filled)
    )


def judge(
    engine: Engine, query: Query, plans: Mapping[str, Plan], stated: Stated, name: str, find: Finder
) -> tuple[Query, dict[str, Plan], tuple[str, ...]]:
    """The reading of each text amount over the whole source, with its plan and what was recognised.

    Raises
    ------
    IntakeError
        Where amounts read in two ways, or bear signs of several currencies.
    """
    amounts, bettered, guesses = [], dict(plans), []
    found: dict[str, tuple[Style, int, bool]] = {}
    for amount in query.amounts:
        if amount.is_text:
            if amount.column not in found:
                found[amount.column] = _style_of(engine, query, amount, stated, name, find)
            style, decimals, bare = found[amount.column]
            plain = bare and style == Style() and stated == Stated()
            amount = amount._replace(
                sql=amount.raw if plain else style.plain(amount.raw), form=style.words, maybe_grouped=False
            )
            bettered[amount.key] = Plan("whole", min(decimals, 6))
            guesses += [f"{name}: {said}" for said in _said(amount.column, style, stated)]
        amounts.append(amount)
    return query._replace(amounts=amounts), bettered, tuple(dict.fromkeys(guesses))


def _said(column: str, style: Style, stated: Stated) -> list[str]:
    said = []
    if (style.decimal, style.thousands) != (stated.decimal or ".", stated.thousands or ""):
        said.append(f"column {column!r}: amounts read {style.words} (decimal= and thousands= state it)")
    if style.currency:
        said.append(f"column {column!r}: the currency sign {style.currency[0]!r} is left out")
    return said


def _shapes(engine: Engine, query: Query, amount: Amount, name: str) -> dict[str, int]:
    """The shapes of the filled texts that any measure takes, with their rows: every digit a 9, but for a leading 0."""
    leading = rf"regexp_replace({amount.raw}, '^([^0-9]*)0', '\1{_ZERO}')"
    shape = f"translate({leading}, '012345678', '999999999')"
    taken = " OR ".join(f"({one.taken or 'true'})" for one in query.amounts if one.column == amount.column)
    wanted = f"{condition(query.where, query.conditions)} AND ({taken})"
    found = engine.rows(
        f"SELECT s, count(*) AS n FROM (SELECT {shape} AS s FROM {query.relation} WHERE {wanted}) "
        f"WHERE trim(s) <> '' GROUP BY s ORDER BY n DESC, s LIMIT {_MOST_SHAPES}",
        name,
    )
    return {shape.replace(_ZERO, "0"): int(n) for shape, n in found}


def _style_of(
    engine: Engine, query: Query, amount: Amount, stated: Stated, name: str, find: Finder
) -> tuple[Style, int, bool]:
    """The way a column is written, how many decimals it has, and whether its numbers need no reading at all."""
    shapes = _shapes(engine, query, amount, name)

    def example(shape: str) -> tuple[str, str]:
        """A text of this shape, and where it stands."""
        like = re.escape(shape).replace("9", "[0-9]")
        sql = f"SELECT {amount.raw} FROM {query.relation} WHERE regexp_full_match({amount.raw}, {quoted(like)}) LIMIT 1"
        ((text,),) = engine.rows(sql, name)
        return text, find(amount.raw, text)

    tokens = _tokens(shapes)
    kinds = {_SAME.get(token, token) for token in tokens}
    if len(kinds) > 1:
        shown = [example(shape) for shape in list(tokens.values())[:2]]
        raise IntakeError(
            f"{name}: column {amount.column!r} holds amounts of several currencies: "
            + " and ".join(f"{text!r} ({place})" for text, place in shown)
            + "; bring them to one, or choose rows of one by where= (--where)"
        )
    styles = _styles(stated, tuple(tokens))
    read = {style: {s: style.decimals(s) for s in shapes if style.reads(s)} for style in styles}
    rows = {style: sum(shapes[s] for s in read[style]) for style in styles}
    best = max(styles, key=lambda style: rows[style])
    for other in styles:
        both = [s for s in read[best] if read[other].get(s, read[best][s]) != read[best][s]]
        only = [s for s in read[other] if s not in read[best]]
        # the reading of most rows is not enough where some rows read both ways, and some only the other way
        if not (both or only) or (rows[other] < rows[best] and not (both and only)):
            continue
        ask = (
            f"state it by decimal={best.decimal!r} or decimal={other.decimal!r} "
            f"(--decimal {best.decimal} or --decimal {other.decimal})"
        )
        if not only:
            text, place = example(both[0])
            raise IntakeError(
                f"{name}: the amounts of column {amount.column!r} read two ways: {text!r} ({place}) {best.words} "
                f"or {other.words}; {ask}"
            )
        told = [f"{text!r} ({place})" for text, place in map(example, (_only(read[best], read[other]), only[0]))]
        raise IntakeError(
            f"{name}: column {amount.column!r} holds amounts in two ways of writing: {' and '.join(told)}; {ask}"
        )
    return best, max(read[best].values(), default=0), all(map(_PLAIN.fullmatch, read[best]))


def _only(shapes: Mapping[str, int], others: Mapping[str, int]) -> str:
    return next(shape for shape in shapes if shape not in others)


def _styles(stated: Stated, currency: tuple[str, ...]) -> list[Style]:
    """The ways of writing to try, the plainest first."""
    styles = []
    for decimal in _MARKS if stated.decimal is None else (stated.decimal,):
        for thousands in _BETWEEN if stated.thousands is None else (stated.thousands,):
            if thousands != decimal:
                styles.append(Style(decimal, thousands, currency))
    return styles


def _tokens(shapes: Mapping[str, int] | Sequence[str]) -> dict[str, str]:
    """The signs of currencies that shapes bear, each with its first shape."""
    found: dict[str, str] = {}
    for shape in filter(re.compile(r"\d").search, shapes):
        around = re.sub(rf"[\d{SPACES}()+{_MINUSES}{_APOSTROPHES}]|(?<![A-Za-z])[.,]", "", shape).rstrip(",")
        if around and around not in found and _is_currency(around):
            found[around] = shape
    return found


def _is_currency(token: str) -> bool:
    if any(unicodedata.category(c) == "Sc" for c in token):
        return bool(re.fullmatch(r"[A-Za-z]{0,3}\W", token))
    if token in _LETTERS:
        return True
    if not re.fullmatch("[A-Z]{3}", token):
        return False
    from babel.numbers import list_currencies

    return token in list_currencies()
