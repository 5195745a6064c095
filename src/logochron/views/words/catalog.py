"""Words that change with their number, from a catalog of messages: none is made by gluing letters on."""

from __future__ import annotations

from functools import cache
from gettext import NullTranslations, translation
from pathlib import Path

DOMAIN = "logochron"
FOLDER = Path(__file__).parent / "catalogs"


@cache
def messages(language: str = "en") -> NullTranslations:
    """The messages of a language, English where it has none."""
    return translation(DOMAIN, FOLDER, languages=[language, "en"])


def plural(noun: str) -> str | None:
    """The plural of a noun; None where the catalog does not know the noun.

    >>> plural("harbor"), plural("category"), plural("line of goods")
    ('harbors', 'categories', None)
    """
    found = messages().pgettext("plural", noun)
    return None if found == noun else found


def everything(noun: str) -> str:
    """All items of a dimension.

    >>> everything("harbor"), everything("line of goods")
    ('all harbors', 'every line of goods')
    """
    many = plural(noun)
    return messages().gettext("every {noun}").format(noun=noun) if many is None else (
        messages().gettext("all {nouns}").format(nouns=many))  # fmt: skip


def ordinal(n: int) -> str:
    """A rank as it is read.

    >>> [ordinal(n) for n in (1, 2, 3, 4, 11, 22)]
    ['1st', '2nd', '3rd', '4th', '11th', '22nd']
    """
    ending = "th" if 10 <= n % 100 <= 20 else {1: "st", 2: "nd", 3: "rd"}.get(n % 10, "th")
    return f"{n}{ending}"


def how_many(n: int, number: str, one: str, many: str) -> str:
    """A number of things: `one` and `many` are messages with ``{n}`` for the number as it is written.

    >>> how_many(1, "1", "{n} finding", "{n} findings")
    '1 finding'
    """
    return messages().ngettext(one, many, n).format(n=number)
