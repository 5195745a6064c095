"""How months are called."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache

_LOCALES = ("en", "de", "fr", "es", "it", "pt", "nl", "sv", "da", "nb", "fi", "pl", "cs")
#: Short names that spreadsheets write and no locale lists.
_MORE = {"sept": 9, "mrz": 3}


@cache
def month_names() -> Mapping[str, int]:
    """The months by their names and short names in the languages we know, where only one is meant."""
    from babel.dates import get_month_names

    names: dict[str, set[int]] = {name: {number} for name, number in _MORE.items()}
    for locale in _LOCALES:
        for width in ("wide", "abbreviated"):
            for context in ("format", "stand-alone"):
                for number, name in get_month_names(width, context, locale).items():
                    names.setdefault(name.strip(".").casefold(), set()).add(number)
    return {name: next(iter(months)) for name, months in names.items() if len(months) == 1 and not name.isdigit()}
