"""Alerts, measures, bands and marks said in a line of text: read, checked, told where they fire."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import replace
from fractions import Fraction
from typing import Any, NamedTuple, NoReturn

from logochron.core.book.filters import Not
from logochron.core.book.measures import Measure
from logochron.core.choices import BOUNDS, Better, LevelAs, rational, values
from logochron.core.errors import QuestionError, brief, pointed
from logochron.core.judge.judging import Band, Judging
from logochron.core.questions.alerts import SIGNS, Alert, check_alert, fired
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.question_types import question_type
from logochron.core.said import Said
from logochron.views.formats import Formats

_TOKEN = re.compile(
    r"""\s*(?:
        "(?P<double>[^"]*)" | '(?P<single>[^']*)'
      | (?P<sign>!=|<=|>=|[=<>,/:-])
      | (?P<word>[^\s"'!=<>,/:-]+)
    )""",
    re.VERBOSE,
)


_QUOTES = Said("names with spaces or dashes stand in quotes")


class _Token(NamedTuple):
    """A word, a quoted name or a sign, and where it stands."""

    kind: str  # word, quoted, sign, end
    text: str
    at: int


class _Reader:
    """Reads a text from the left; what does not fit is shown with a caret below it."""

    def __init__(self, text: str, option: str, form: str) -> None:
        self.text, self.option, self.form = text, option, form
        self.at = 0
        self.next = self._read()

    def _read(self) -> _Token:
        if not self.text[self.at :].strip():
            return _Token("end", "", len(self.text.rstrip()))
        token = _TOKEN.match(self.text, self.at)
        if not token:
            place = self.at + len(self.text[self.at :]) - len(self.text[self.at :].lstrip())
            quote = self.text[place] in "\"'"
            self.refuse(Said("this quote is not closed") if quote else Said("this sign has no meaning here"), place)
        self.at = token.end()
        for kind in ("double", "single"):
            if token[kind] is not None:
                return _Token("quoted", token[kind], token.start(kind) - 1)
        kind = "sign" if token["sign"] else "word"
        return _Token(kind, token[kind], token.start(kind))

    def refuse(self, what: str, at: int | None = None) -> NoReturn:
        """Say what is wrong, and where."""
        at = self.next.at if at is None else at
        raise QuestionError("{0}: {1}{2}\n  expected: {3}", self.option, what, pointed(self.text, at), self.form)

    def take(self) -> _Token:
        """The next token."""
        token = self.next
        self.next = self._read()
        return token

    def name(self, what: str) -> _Token:
        """A name: a word, or anything in quotes."""
        if self.next.kind not in ("word", "quoted") or not self.next.text.strip():
            self.refuse(
                Said("{0} is missing here", what) if self.next.kind == "end" else Said("{0} must stand here", what)
            )
        return self.take()

    def anything(self, what: str) -> _Token:
        """Whatever stands here."""
        if self.next.kind == "end":
            self.refuse(Said("{0} is missing here", what))
        return self.take()

    def sign(self, *signs: str) -> str:
        """One of some signs, or nothing."""
        return self.take().text if self.next.kind == "sign" and self.next.text in signs else ""

    def word(self, *words: str) -> str:
        """One of some words, not in quotes, or nothing."""
        return self.take().text if self.next.kind == "word" and self.next.text in words else ""

    def number(self, what: str) -> Fraction:
        """A number, maybe negative, maybe in percent."""
        at = self.next.at
        minus = self.sign("-")
        token = self.name(what)
        text = token.text.removesuffix("%")
        percent = text != token.text or bool(self.word("%"))
        if token.kind == "quoted" or not re.fullmatch(r"[+\N{MINUS SIGN}]?(\d+(\.\d*)?|\.\d+)", text):
            self.refuse(Said("{0} must be a number such as -5% or 0.08", what), at)
        try:
            number = rational(text) / (100 if percent else 1)
        except ValueError:
            self.refuse(Said("{0} must be {1}; got {2}", what, BOUNDS, brief(text)), at)
        return -number if minus else number

    def end(self, hint: str = _QUOTES) -> None:
        """Nothing more may follow."""
        if self.next.kind != "end":
            self.refuse(Said("this is too much; {0}", hint))


_MEASURE = Said(
    "NAME=COL, NAME=count, NAME=distinct COL, NAME=A-B or NAME=A/B, each maybe: where COL=VALUE[,VALUE] or COL!=VALUE; "
    "amounts maybe: rates PERIOD"
)
_ALERT = Said("COLUMN SIGN VALUE, such as growth < -5% or verdict = adverse; signs are {0}", " ".join(SIGNS))
_BAND = Said(
    "NAME [from LIMIT] [below LIMIT] [favorable|adverse|neutral] [mark SIGN] [: ADVICE], "
    "such as behind below -3% adverse: ring the harbor office"
)


def measure(text: str, lower: list[str]) -> Measure:
    """A measure as ``--measure`` writes it.

    Parameters
    ----------
    lower
        The measures of which less is favorable.

    Raises
    ------
    QuestionError
        Where the text is none: with a caret below the place.

    Examples
    --------
    >>> measure("price = revenue / units", []).per
    'units'
    >>> measure("costs=amount where account=costs", ["costs"]).better
    'lower'
    """
    reader = _Reader(text, "--measure", _MEASURE)
    name = reader.name(Said("the name of the measure")).text
    if not reader.sign("="):
        reader.refuse(Said("an = must stand between the name and what it is; {0}", _QUOTES))
    parts: dict[str, Any] = {}
    first = reader.name(Said("a column, a measure, count or distinct"))
    if (first.kind, first.text) == ("word", "count"):
        parts["count"] = True
        if reader.next.kind in ("word", "quoted") and (reader.next.kind, reader.next.text) != ("word", "where"):
            reader.refuse(Said("count is of records; for different ids say {0}=distinct {1}", name, reader.next.text))
    elif (first.kind, first.text) == ("word", "distinct") and reader.next.kind in ("word", "quoted"):
        parts["distinct"] = reader.take().text
    elif sign := reader.sign("-", "/"):
        parts |= {"of": first.text, "less" if sign == "-" else "per": reader.name(Said("a column or a measure")).text}
    else:
        parts["column"] = first.text
    while word := reader.word(*(word for word, part in _PARTS.items() if part not in parts)):
        parts[_PARTS[word]] = _where(reader) if word == "where" else _period(reader)
    reader.end()
    return Measure(name, better=better_of(name, lower), **parts)


#: What may follow what a measure is made of.
_PARTS = {"where": "where", "rates": "rates_at"}


def _period(reader: _Reader) -> str:
    """A period or a day, whose name may hold dashes and slashes."""
    text = reader.name(Said("a period")).text
    while sign := reader.sign("-", "/"):
        text += sign + reader.name(Said("a period")).text
    return text


def _where(reader: _Reader) -> dict[str, list[Any]]:
    column = reader.name(Said("a column")).text
    sign = reader.sign("=", "!=")
    if not sign:
        reader.refuse(Said("an = or != must stand between the column and its values"))
    labels = [reader.name(Said("a value")).text]
    while reader.sign(","):
        labels.append(reader.name(Said("a value")).text)
    return {column: [Not(*labels)] if sign == "!=" else list(labels)}


def parsed_alert(text: str, option: str = "--alert") -> Alert:
    """An alert as ``--alert`` writes it; `option`: what holds it.

    >>> parsed_alert("growth < -5%").value
    -0.05
    """
    reader = _Reader(text, option, _ALERT)
    column = _column(reader)
    sign = reader.sign(*SIGNS)
    if not sign:
        reader.refuse(Said("a sign must stand between the column and the value"))
    value: float | str
    if reader.next.kind == "sign" or re.match(r"[+.\d\N{MINUS SIGN}]", reader.next.text) and reader.next.kind == "word":
        value = float(reader.number(Said("the value")))
    else:
        value = reader.name(Said("the value")).text
    reader.end()
    return Alert(column, sign, value, " ".join(text.split()))


def _column(reader: _Reader) -> str:
    """The name of a column or a heading of several words, behind the window and the basis that it may be of."""
    token = reader.name(Said("a column"))
    column = token.text
    while True:
        joined = (
            reader.next.kind == "sign" and reader.next.text in "-:" and reader.next.at == token.at + len(token.text)
        )
        more = reader.next.kind == "word" and not re.match(r"[+.\d]", reader.next.text)
        if not (joined or more or column.endswith(("-", ":"))) or reader.next.kind == "end":
            return column
        apart = "" if joined or column.endswith(("-", ":")) else " "
        token = reader.take()
        column += apart + token.text


def _of_rows(column: str, answer: str) -> tuple[str, dict[str, str]]:
    """A column behind a window and a basis, where the answer has such: ``year plan growth``."""
    if not question_type(answer).has_column("window"):
        return column, {}
    from logochron.core.align.bases import parse_basis
    from logochron.core.align.overview_windows import OverviewWindow

    of: dict[str, str] = {}
    readers: dict[str, Callable[[str], Any]] = {"window": OverviewWindow.of, "basis": parse_basis}
    for kind, read in readers.items():
        first, _, rest = column.partition(" ")
        if rest:
            try:
                of[kind] = str(read(first))
            except QuestionError:
                continue
            column = rest
    return column, of


def band(text: str) -> Band:
    """A band as ``--band`` writes it.

    >>> band("on course from -3% below 8%: carry on").advice
    'carry on'
    """
    reader = _Reader(text, "--band", _BAND)
    keys = ("from", "below", "mark", *values(LevelAs))
    names = [reader.name(Said("the name of the band")).text]
    while reader.next.kind in ("word", "quoted") and not (reader.next.kind == "word" and reader.next.text in keys):
        names.append(reader.take().text)
    parts: dict[str, Any] = {}
    while key := reader.word(*keys):
        option = {"from": "from_", "below": "below", "mark": "mark"}.get(key, "verdict")
        if option in parts:
            reader.refuse(Said("{0!r} comes after another word of the same kind", key))
        if key in ("from", "below"):
            parts[option] = reader.number(Said("the limit"))
        else:
            parts[option] = key if option == "verdict" else reader.anything(Said("the sign")).text
    if reader.next.kind == "sign" and reader.next.text == ":":
        parts["advice"] = text[reader.next.at + 1 :].strip()
    else:
        reader.end(Said("the advice stands after a colon"))
    return Band(" ".join(names), **parts)


def better_of(name: str, lower: list[str]) -> Better:
    """Which direction of a measure is favorable."""
    return "lower" if name in lower else "higher"


def signs(text: str) -> Any:
    """The name of a set of marks, or four signs of the user's own by comma.

    >>> signs("up, down, same, ?")
    ('up', 'down', 'same', '?')
    """
    own = tuple(sign.strip() for sign in text.split(","))
    return own if len(own) > 1 else text.strip()


def alerts_of(
    texts: Sequence[str],
    answer: str,
    dimensions: Collection[str],
    judging: Judging,
    headings: Mapping[str, str],
    option: str = "--alert",
) -> list[Alert]:
    """The alerts that texts ask for.

    Parameters
    ----------
    headings
        Headings of the user's own, and the columns they stand for.
    option
        What the texts are called that hold them.

    Raises
    ------
    QuestionError
        Where one is malformed, or of a column or a word that the answer does not have.
    """
    alerts = [parsed_alert(text, option) for text in texts]
    known = {**headings, **{name: name for name in dimensions}}
    of_answer = question_type(answer)
    parted = [(alert, *_of_rows(alert.column, answer)) for alert in alerts]
    alerts = [replace(alert, column=of_answer.column_named(name, known), of=of) for alert, name, of in parted]
    bands = tuple(band.name for band in judging.bands)
    for alert in alerts:
        if alert.column == "band" and not bands and of_answer.has_column("band"):
            named = "--band" if option == "--alert" else "[[judging.band]]"
            raise QuestionError(
                "{0} {1!r} is about bands, and none is named: name them by {2}", option, str(alert), named
            )
        check_alert(alert, answer, dimensions, bands)
    return alerts


def alert_lines_of(alerts: Sequence[Alert], answer: AlignedAnswer, formats: Formats) -> tuple[list[str], bool]:
    """For which rows alerts fire, or cannot be told, in lines; whether any fired."""
    if not alerts:
        return [], False
    from logochron.views.words.sentences import alert_lines

    lines: list[str] = []
    any_fired = False
    for alert in alerts:
        kinds = fired(alert, answer)
        any_fired |= any(len(kind.rows) for kind in kinds)
        lines += alert_lines(alert, kinds, answer, formats)
    return lines, any_fired
