"""Texts of the core as people read them: in their language, with numbers and days as their locale has them."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterable
from numbers import Real
from string import Formatter
from typing import Any

from logochron.core.errors import LogochronError
from logochron.core.notes import Note
from logochron.core.said import DayInWords, Hinted, HowMany, Joined, Said
from logochron.views import catalog
from logochron.views.formats import Formats

#: What notes say where their codes are hard to read.
_PLAIN = {
    "none in both": catalog.message("none in either period"),
    "none in base": catalog.message("none before"),
}


class _Fields(Formatter):
    """Puts fields into a message as a locale has them."""

    def __init__(self, formats: Formats) -> None:
        self.formats = formats

    def format_field(self, value: Any, format_spec: str) -> Any:
        """A number with its grouping, a day in words, a text in the language."""
        if isinstance(value, DayInWords):
            return self.formats.day(value.number)
        if isinstance(value, HowMany):
            context = "noun" if value.n == 1 else "plural"
            return f"{self.formats.number(value.n, 0)} {catalog.in_context(self.formats.language, context, value.word)}"
        if isinstance(value, LogochronError):
            value = value.said
        if isinstance(value, str):
            return super().format_field(told(value, self.formats), format_spec)
        if isinstance(value, dt.date):
            return self.formats.day(value.toordinal() - _EPOCH)
        if isinstance(value, Real) and (as_number := _NUMBER.fullmatch(format_spec)):
            return self.formats.number(float(value), int(as_number[2] or 0), signed=bool(as_number[1]))
        return super().format_field(value, format_spec)


_EPOCH = dt.date(1970, 1, 1).toordinal()
#: A number with grouping or with so many decimals.
_NUMBER = re.compile(r"(\+?)(?=[,.]),?(?:\.(\d+)f)?")


def told(text: str, formats: Formats) -> str:
    """A text of the core in the reader's language, as it is in English."""
    if formats.language == "en" or not isinstance(text, Said):
        return text
    if isinstance(text, Hinted):
        return Hinted(*(told(part, formats) for part in text.args))
    if isinstance(text, Joined):
        return told(text.apart, formats).join(told(part, formats) for part in text.args)
    message = catalog.translated(formats.language, text.template) if text.template else ""
    if not text.args and not text.fields:
        return message
    return _Fields(formats).vformat(message, text.args, text.fields)


def all_told(texts: Iterable[str], formats: Formats) -> tuple[str, ...]:
    """Several texts of the core."""
    return tuple(told(text, formats) for text in texts)


def notes_told(notes: Iterable[Note], formats: Formats) -> str:
    """The notes of a row as people read them."""
    return "; ".join(formats.say(_PLAIN[n.code]) if n.code in _PLAIN else told(n.said, formats) for n in notes)
