"""Texts that know what they are made of, so that whoever shows them can say them in another language."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any


class Said(str):
    """A text in English, with the message that it is made of and what stands in it.

    Attributes
    ----------
    template, args, fields
        The message with its braces, and what is put into them: numbers, days, texts, other messages. A message with
        nothing to put in is taken as it is.

    >>> line = Said("{label} is only partly covered", label="2026-10")
    >>> line, line.template
    ('2026-10 is only partly covered', '{label} is only partly covered')
    """

    template: str
    args: tuple[Any, ...]
    fields: Mapping[str, Any]

    __slots__ = ("args", "fields", "template")

    def __new__(cls, template: str, /, *args: Any, **fields: Any) -> Said:
        """The text of a message with all put in; a text that knows what it is made of as it is."""
        if isinstance(template, Said) and not (args or fields):
            return template
        text = super().__new__(cls, template.format(*args, **fields) if args or fields else template)
        text.template, text.args, text.fields = template, args, fields
        return text

    def __reduce__(self) -> tuple[Any, ...]:
        return _made, (self.template, self.args, dict(self.fields))


def _made(template: str, args: tuple[Any, ...], fields: dict[str, Any]) -> Said:
    return Said(template, *args, **fields)


class Joined(Said):
    """Texts in a row, with a sign or a word between them."""

    apart: str
    __slots__ = ("apart",)

    def __new__(cls, texts: Iterable[str], apart: str = ", ") -> Joined:
        """The texts as one."""
        parts = tuple(texts)
        made: Joined = super().__new__(cls, apart.join("{}" for _ in parts), *parts)  # type: ignore[assignment]
        made.apart = apart
        return made

    def __reduce__(self) -> tuple[Any, ...]:
        return Joined, (self.args, self.apart)


class Hinted(Joined):
    """A text, and behind it what whoever asked may say to have it otherwise: who only reads gets the text alone."""

    __slots__ = ()

    def __new__(cls, text: str, hint: str) -> Hinted:
        """The text with its hint; one that has a hint already keeps both."""
        made: Hinted = super().__new__(cls, (text, hint), "")  # type: ignore[assignment]
        return made

    def __reduce__(self) -> tuple[Any, ...]:
        return Hinted, self.args


def for_readers(text: str) -> str:
    """A text without what only whoever asked can act on.

    >>> for_readers(Hinted(Said("March is cut"), Said("; say until=")))
    'March is cut'
    """
    return text.args[0] if isinstance(text, Hinted) else text


def either(texts: Iterable[str]) -> Joined:
    """Texts of which one holds.

    >>> either(["day", "week"])
    'day or week'
    """
    return Joined(texts, Said(" or "))


def both(texts: Iterable[str]) -> Joined:
    """Texts that all hold.

    >>> both(["day", "week"])
    'day and week'
    """
    return Joined(texts, Said(" and "))


class DayInWords(str):
    """A day in English words, with its number."""

    number: int
    __slots__ = ("number",)

    def __new__(cls, text: str, number: int) -> DayInWords:
        """A day that is written already."""
        made = super().__new__(cls, text)
        made.number = number
        return made

    def __reduce__(self) -> tuple[Any, ...]:
        return DayInWords, (str(self), self.number)


class HowMany(str):
    """A number of things in English, with the number and the word for one of them."""

    n: int
    word: str
    __slots__ = ("n", "word")

    def __new__(cls, text: str, n: int, word: str) -> HowMany:
        """A number of things that is written already."""
        made = super().__new__(cls, text)
        made.n, made.word = n, word
        return made

    def __reduce__(self) -> tuple[Any, ...]:
        return HowMany, (str(self), self.n, self.word)
