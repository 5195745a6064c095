"""Texts of the core as people read them: in their language, with numbers and days as their locale has them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable
from numbers import Real
from string import Formatter
from typing import Any

from logochron.core.notes import Note
from logochron.core.said import DayInWords, HowMany, Said
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
        if isinstance(value, str):
            return super().format_field(told(value, self.formats), format_spec)
        if isinstance(value, dt.date):
            return self.formats.day(value.toordinal() - _EPOCH)
        if isinstance(value, Real):
            decimals = format_spec.partition(".")[2].removesuffix("f")
            if "," in format_spec or decimals.isdigit():
                return self.formats.number(float(value), int(decimals or 0), signed=format_spec.startswith("+"))
        return super().format_field(value, format_spec)


_EPOCH = dt.date(1970, 1, 1).toordinal()


def told(text: str, formats: Formats) -> str:
    """A text of the core in the reader's language, as it is in English."""
    if formats.language == "en" or not isinstance(text, Said):
        return text
    message = catalog.translated(formats.language, text.template) if text.template else ""
    return _Fields(formats).vformat(message, text.args, text.fields)


def all_told(texts: Iterable[str], formats: Formats) -> tuple[str, ...]:
    """Several texts of the core."""
    return tuple(told(text, formats) for text in texts)


def notes_told(notes: Iterable[Note], formats: Formats) -> str:
    """The notes of a row as people read them."""
    return "; ".join(formats.say(_PLAIN[n.code]) if n.code in _PLAIN else told(n.said, formats) for n in notes)
