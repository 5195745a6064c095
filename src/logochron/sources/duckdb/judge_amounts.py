"""How the text amounts of a source are written, judged on the shapes of its texts by the engine; then its roll-up."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from logochron.core.errors import IntakeError, Remedy
from logochron.core.said import Said, both
from logochron.sources.duckdb.connection import Engine
from logochron.sources.duckdb.rollup import RollUp, roll_up
from logochron.sources.duckdb.sql import MOST_DECIMALS, Amount, Plans, Query, Summing, condition, quoted
from logochron.sources.rolled_source import Priced, ReadingSpec, check_currencies
from logochron.sources.values.amounts import (
    APOSTROPHES,
    MINUS,
    MINUSES,
    PLAIN,
    POWERS,
    SPACES,
    UNIT_FORMS,
    UNITS,
    UNITS_READ,
    StatedWriting,
    Style,
    currency_of,
    currency_signs,
    part_unit,
    styles,
)

_MOST_SHAPES = 20_000
_ZERO = "\x01"  # stands for a leading 0 in a shape
#: Where the first row with a text is: told its column's expression and the text, gives words for a message.
Finder = Callable[[str, str], str]


def judged_roll_up(
    engine: Engine,
    name: str,
    query: Query,
    plans: Plans,
    spec: ReadingSpec,
    find: Callable[[Query, str, str], str],
    *,
    plain: bool,
) -> tuple[RollUp, tuple[str, ...]]:
    """The roll-up, with the writing of text amounts judged where it must be, and what was recognised of it.

    Parameters
    ----------
    find
        Says where the first row stands whose expression is a text, should a message need it.
    plain
        Whether the amounts seem to need no reading; else they are judged before the first pass.
    """
    said: list[str] = []
    priced: list[Priced] = []

    def judged(query: Query, plans: Plans) -> tuple[Query, Plans]:
        def found(expression: str, sought: str) -> str:
            return find(query, expression, sought)

        asked = judge(engine, query, plans, spec.writing, name, found, several=bool(spec.signed))
        said.extend(asked.guesses)
        priced.extend(asked.priced)
        return asked.query, asked.plans

    if plain and spec.writing == StatedWriting():
        rolled = roll_up(engine, query, plans, name, judged)
    else:
        rolled = roll_up(engine, *judged(query, plans), name)
    return rolled._replace(priced=tuple(priced)), tuple(said)


class _Judged(NamedTuple):
    """A query whose amounts are read as they are written, its plans, what was recognised, the currencies met."""

    query: Query
    plans: Plans
    guesses: tuple[str, ...]
    priced: tuple[Priced, ...]


class _Way(NamedTuple):
    """How a column is written, how many decimals it has, whether its numbers need no reading, its currencies, and the
    units that stand behind amounts.
    """

    style: Style
    decimals: int
    bare: bool
    priced: tuple[Priced, ...]
    units: tuple[str, ...] = ()


def judge(
    engine: Engine,
    query: Query,
    plans: Plans,
    stated: StatedWriting,
    name: str,
    find: Finder,
    *,
    several: bool = False,
) -> _Judged:
    """The reading of each text amount over the whole source.

    `several`: signs of several currencies may stand beside the amounts of a column, which are converted.

    Raises
    ------
    IntakeError
        Where amounts read in two ways, or bear signs of several currencies.
    """
    amounts, bettered, guesses = [], dict(plans), []
    styles_of: dict[str, _Way] = {}
    for amount in query.amounts:
        if amount.is_text:
            if amount.column not in styles_of:
                styles_of[amount.column] = _style_of(engine, query, amount, stated, name, find, several)
            style, decimals, bare, _, units = styles_of[amount.column]
            plain = bare and style == Style() and stated == StatedWriting() and not units
            number = in_units(style, amount.raw, units) if units else plain_number(style, amount.raw)
            amount = amount._replace(sql=amount.raw if plain else number, form=style.words, maybe_grouped=False)
            bettered[amount.key] = Summing("whole", min(decimals, MOST_DECIMALS))
            guesses += [Said("{0}: {1}", name, said) for said in _said(amount.column, style, stated, units)]
        amounts.append(amount)
    priced = () if several else tuple(one for way in styles_of.values() for one in way.priced)
    return _Judged(query._replace(amounts=amounts), bettered, tuple(dict.fromkeys(guesses)), priced)


def _said(column: str, style: Style, stated: StatedWriting, units: Sequence[str]) -> list[str]:
    said: list[str] = [Said(UNITS_READ, column, unit, POWERS[UNITS[unit]]) for unit in units]
    if (style.decimal, style.thousands) != (stated.decimal or ".", stated.thousands or ""):
        said.append(Said("column {0!r}: amounts read {1} (decimal= and thousands= state it)", column, style.words))
    if style.currency:
        said.append(Said("column {0!r}: the currency sign {1!r} is left out", column, style.currency[0]))
    return said


def _shapes(engine: Engine, query: Query, amount: Amount, name: str) -> dict[str, int]:
    """The shapes of the filled texts that any measure takes, with their rows: every digit a 9, but for a leading 0."""
    leading = rf"regexp_replace({amount.raw}, '^([^0-9]*)0', '\1{_ZERO}')"
    shape = f"translate({leading}, '012345678', '999999999')"
    taken = " OR ".join(f"({one.taken or 'true'})" for one in query.amounts if one.column == amount.column)
    counting = f"{condition(query.where, query.conditions)} AND ({taken})"
    rows = engine.rows(
        f"SELECT s, count(*) AS n FROM (SELECT {shape} AS s FROM {query.relation} WHERE {counting}) "
        f"WHERE trim(s) <> '' GROUP BY s ORDER BY n DESC, s LIMIT {_MOST_SHAPES}",
        name,
    )
    return {shape.replace(_ZERO, "0"): int(n) for shape, n in rows}


def _style_of(
    engine: Engine, query: Query, amount: Amount, stated: StatedWriting, name: str, find: Finder, several: bool
) -> _Way:
    """The way a column is written."""
    whole = _shapes(engine, query, amount, name)
    shapes: dict[str, int] = {}  # without units
    powers: dict[str, int] = {}
    written: dict[str, str] = {}
    for shape, many in whole.items():
        bare, power = part_unit(shape)
        shapes[bare] = shapes.get(bare, 0) + many
        powers[bare] = min(powers.get(bare, power), power)
        written.setdefault(bare, shape)
    units = tuple(unit for unit in UNITS if any(unit == _unit_of(shape) for shape in whole))

    def example(shape: str) -> tuple[str, str]:
        """A text of this shape, and where it stands."""
        like = re.escape(written.get(shape, shape)).replace("9", "[0-9]")
        sql = f"SELECT {amount.raw} FROM {query.relation} WHERE regexp_full_match({amount.raw}, {quoted(like)}) LIMIT 1"
        ((text,),) = engine.rows(sql, name)
        return text, find(amount.raw, text)

    tokens = currency_signs(shapes)
    priced: dict[str, str] = {}  # each currency with its first shape
    for token, shape in tokens.items():
        priced.setdefault(currency_of(token), shape)
    seen = [Priced(amount.column, currency, *example(shape), name) for currency, shape in priced.items()]
    if not several:
        check_currencies(seen)
    tried = styles(stated, tuple(tokens))
    read = {style: {s: style.decimals(s) for s in shapes if style.reads(s)} for style in tried}
    rows = {style: sum(shapes[s] for s in read[style]) for style in tried}
    best = max(tried, key=lambda style: rows[style])
    for other in tried:
        differing = [s for s in read[best] if read[other].get(s, read[best][s]) != read[best][s]]
        only = [s for s in read[other] if s not in read[best]]
        # the reading of most rows is not enough where some rows read both ways, and some only the other way
        if not (differing or only) or (rows[other] < rows[best] and not (differing and only)):
            continue
        ask = Said(
            "state it by decimal={0!r} or decimal={1!r} (--decimal {0} or --decimal {1})", best.decimal, other.decimal
        )
        remedies: list[Remedy] = [{"decimal": best.decimal}, {"decimal": other.decimal}]
        if not only:
            text, place = example(differing[0])
            raise IntakeError(
                "{0}: the amounts of column {1!r} read two ways: {2!r} ({3}) {4} or {5}; {6}",
                name,
                amount.column,
                text,
                place,
                best.words,
                other.words,
                ask,
                remedies=remedies,
            )
        shown = [
            Said("{0!r} ({1})", text, place) for text, place in map(example, (_only(read[best], read[other]), only[0]))
        ]
        raise IntakeError(
            "{0}: column {1!r} holds amounts in two ways of writing: {2}; {3}",
            name,
            amount.column,
            both(shown),
            ask,
            remedies=remedies,
        )
    decimals = max((max(many - powers[shape], 0) for shape, many in read[best].items()), default=0)
    return _Way(best, decimals, all(map(PLAIN.fullmatch, read[best])), tuple(seen), units)


def _unit_of(shape: str) -> str:
    """The unit behind a shape; empty where there is none."""
    return next((match[2] for form in UNIT_FORMS if (match := re.search(form, shape))), "")


def _only(shapes: Mapping[str, int], others: Mapping[str, int]) -> str:
    return next(shape for shape in shapes if shape not in others)


def in_units(style: Style, sql: str, units: Sequence[str]) -> str:
    """The engine's expression for the number in plain writing, in ones, of amounts in units."""
    bare = sql
    for form in UNIT_FORMS:
        bare = rf"regexp_replace({bare}, {quoted(form)}, '\1\3')"
    unit = " ".join(
        rf"WHEN regexp_extract({sql}, {quoted(form)}, 2) = {quoted(unit)} THEN {10 ** UNITS[unit]}"
        for unit in units
        for form in UNIT_FORMS
    )
    number = plain_number(style, bare)
    return f"CAST(TRY_CAST({number} AS DECIMAL(27, 9)) * CAST(CASE {unit} ELSE 1 END AS DECIMAL(10, 0)) AS VARCHAR)"


def plain_number(style: Style, sql: str) -> str:
    """The engine's expression for the number in plain writing; NULL where the text is none."""
    bare = sql
    for token in sorted(style.currency, key=len, reverse=True):
        bare = f"replace({bare}, {quoted(token)}, '')"
    negative = rf"regexp_matches({bare}, '^[{SPACES}]*[{MINUSES}(]|[{MINUSES}][{SPACES}]*$')"
    number = f"trim({bare}, {quoted(SPACES + MINUS + '()+')})"
    for sign in {" ": SPACES, "'": APOSTROPHES}.get(style.thousands, style.thousands):
        number = f"replace({number}, {quoted(sign)}, '')"
    if style.decimal != ".":
        number = f"replace({number}, ',', '.')"
    matches = f"regexp_full_match({sql}, {quoted(style.pattern())})"
    return f"CASE WHEN {matches} THEN CASE WHEN {negative} THEN '-' ELSE '' END || {number} END"
