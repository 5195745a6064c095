"""The errors of the package: each says what is wrong, where, what was expected and what to do."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import Any

from logochron.core.said import Said

__all__ = [
    "CalendarError",
    "IntakeError",
    "LogochronError",
    "QuestionError",
    "OutputError",
    "OwnWord",
    "ReportError",
    "Remedy",
    "brief",
    "did_you_mean",
    "INSTEAD",
    "WORDS",
    "first_line",
    "instead",
    "nearest",
    "no_file_name",
    "no_such",
    "pointed",
    "shown_path",
    "visible",
]


#: So many signs of what is too long are shown.
_BEGINNING = 20
#: So many names are offered.
_LISTED = 12
#: A longer text is not shown whole where a place in it is pointed at.
_POINTED = 200


#: Options that settle what is refused, by their names in Python.
Remedy = Mapping[str, Any]


class OwnWord(dict[str, Any]):
    """A remedy that is offered even where more is missing: it says what was typed as it is called here."""


class LogochronError(Exception):
    """Anything that Logochron refuses to do.

    Parameters
    ----------
    template, args
        What it says, with braces where the other arguments stand; as it is where there are none.

    Attributes
    ----------
    said
        What it says: an error is said in another language by whoever shows it.
    remedies
        What settles it, the likelier first: options by their names in Python. The command line makes whole commands
        of them.
    """

    def __init__(self, template: str = "", /, *args: Any, remedies: Iterable[Remedy] = ()) -> None:
        self.said = Said(template, *args)
        super().__init__(self.said)
        self.remedies: tuple[Remedy, ...] = tuple(remedies)


class IntakeError(LogochronError):
    """What a source holds cannot be read without losing or guessing something."""


class CalendarError(LogochronError):
    """A calendar that cannot be, or a day that none of its periods holds."""


class ReportError(LogochronError):
    """A report file that cannot be carried out."""


class QuestionError(LogochronError, ValueError):
    """A question that cannot be answered as it was put: an option, a path, a name."""


class OutputError(LogochronError):
    """An answer that could not be written to the end where it should go: a full disk, a limit, a lost place."""


def brief(value: object) -> str:
    """What came, for a message: as it is written, or how it begins, or only its kind where that takes long.

    >>> brief("x" * 1000), brief([1, 2])
    ("'xxxxxxxxxxxxxxxxxxxx...' (1,000 letters)", '[1, 2]')
    >>> brief(10**5000)
    '10000000000000000000... (5,001 digits)'
    """
    if isinstance(value, str) and len(value) > 80:
        return Said("{0!r} ({1:,} letters)", value[:_BEGINNING] + "...", len(value))
    if isinstance(value, int) and abs(value) >= 10**80:
        from decimal import Decimal

        digits = Decimal(value).adjusted() + 1  # Python writes no whole number of so many digits
        return Said("{0}{1}... ({2:,} digits)", "-" * (value < 0), abs(value) // 10 ** (digits - _BEGINNING), digits)
    shown = repr(value)
    if len(shown) <= 80 and "\n" not in shown:
        return shown
    size = Said(" of {0:,}", len(value)) if hasattr(value, "__len__") else ""
    return Said("a {0}{1}", type(value).__name__, size)


def first_line(error: BaseException) -> str:
    """The first line of what an error says, or its kind where it says nothing.

    >>> first_line(OSError(" no room\\n at all ")), first_line(KeyError())
    ('no room', 'KeyError')
    """
    return next(filter(None, map(str.strip, str(error).splitlines())), type(error).__name__)


def nearest(name: str, names: Iterable[str], at_least: float = 0.6) -> str | None:
    """The one of `names` that `name` was probably meant to be, or None; `at_least`: how alike they are, from 0 to 1.

    >>> nearest("revenu", ["revenue", "units"])
    'revenue'
    """
    from difflib import get_close_matches  # only when something is wrong

    by_folded: dict[str, str] = {}
    for known in names:
        by_folded.setdefault(known.strip().casefold(), known)
    matches = get_close_matches(name.strip().casefold(), by_folded, n=1, cutoff=at_least)
    return by_folded[matches[0]] if matches else None


#: The keys of a remedy that puts another word in the place of one that was typed, and that is a whole command.
INSTEAD, WORDS = "instead", "words"


def instead(name: str, names: Iterable[str]) -> list[Remedy]:
    """What settles a mistyped name: the nearest one in its place; nothing where none is near.

    >>> instead("revenu", ["revenue", "units"])
    [{'instead': ('revenu', 'revenue')}]
    """
    hint = nearest(name, names)
    return [] if hint is None else [{INSTEAD: (name, hint)}]


def visible(text: str, *, lines: bool = False) -> str:
    """A text as it may be shown to people: control and bidi characters, and halves of characters, are escaped.

    `lines`: ends of lines stay.

    >>> visible("Cold\\x1b[31m Pier")
    'Cold\\\\x1b[31m Pier'
    """
    if text.isascii() and text.isprintable():
        return text
    return _HIDDEN.sub(lambda one: one[0] if lines and one[0] == "\n" else _escaped(one[0]), text)


#: Control characters, ends of lines and paragraphs, marks that turn the direction of text, halves of characters, and
#: what is no character at all.
_HIDDEN = re.compile(
    r"[\x00-\x1f\x7f-\x9f\u2028\u2029\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069\ud800-\udfff\ufdd0-\ufdef\ufffe\uffff]"
)


def _escaped(one: str) -> str:
    return one.encode("unicode_escape").decode("ascii")


def shown_path(path: object) -> str:
    """A path as messages call it: escaped, and cut where it is longer than any name.

    >>> shown_path("a\\x1b.csv"), shown_path("h" * 300)[-4:]
    ('a\\\\x1b.csv', 'h...')
    """
    text = str(path)
    return visible(text if len(text) < 300 else f"{text[:60]}...")


def no_file_name(path: object) -> QuestionError:
    """What is said of a path that the system takes for no name at all."""
    return QuestionError("no file can be called {0}: it holds a NUL, or half a character", brief(str(path)))


def pointed(text: str, at: int) -> str:
    """A text with a caret below a place in it, as the lines of a message.

    >>> print("a sign is missing:" + pointed("growth 5", 7))
    a sign is missing:
      growth 5
             ^
    """
    if len(text) > _POINTED:  # what stands around it
        first = max(at - _BEGINNING, 0)
        text, at = f"{text[first : first + 3 * _BEGINNING]}...", at - first
    return f"\n  {text}\n  {' ' * at}^"


def did_you_mean(hint: object | None, *, ends: bool = False) -> str:
    """The question behind a message, or nothing where nothing is near; `ends`: it ends the sentence before it too."""
    if hint is None:
        return ""
    return Said(". Did you mean {0!r}?", hint) if ends else Said(" Did you mean {0!r}?", hint)


def no_such(kind: str, name: str, names: Iterable[str], where: str = "") -> Said:
    """The message for a name that is not there, with the nearest one or the first few offered.

    >>> no_such("column", "revenu", ["revenue", "units"], where="sales.csv")
    "sales.csv has no column 'revenu'. Did you mean 'revenue'? There are: revenue, units"
    """
    known = list(names)
    hint = nearest(name, known)
    listed = ", ".join(map(visible, known[:_LISTED]))
    if len(known) > _LISTED:
        listed = Said("{0} and {1:,} more", listed, len(known) - _LISTED)
    kind = Said(kind)
    return Said(
        "{where} has no {kind} {name!r}.{hint}{rest}" if where else "there is no {kind} {name!r}.{hint}{rest}",
        where=Said(where), kind=kind, name=name, hint=did_you_mean(hint),
        rest=Said(" There are: {0}", listed) if known else Said(" There is no {0} at all", kind),
    )  # fmt: skip
