"""What is said, in the reader's language: messages from catalogs, one file a language. Nothing is made by gluing."""

from __future__ import annotations

from functools import cache
from gettext import NullTranslations, translation
from pathlib import Path
from typing import Any

DOMAIN = "logochron"
FOLDER = Path(__file__).parent / "words" / "catalogs"


def languages() -> tuple[str, ...]:
    """The languages that have a catalog.

    >>> languages()
    ('de', 'en')
    """
    return tuple(sorted(path.parent.parent.name for path in FOLDER.glob(f"*/LC_MESSAGES/{DOMAIN}.mo")))


@cache
def messages(language: str = "en") -> NullTranslations:
    """The messages of a language, English where it has none."""
    return translation(DOMAIN, FOLDER, languages=[language, "en"])


def message(text: str) -> str:
    """Marks a text as a message that is looked up later."""
    return text


#: A rank, by the last figure of its number.
_ORDINALS = (message("{n}th"), message("{n}st"), message("{n}nd"), message("{n}rd"))


def said(language: str, text: str, **fields: Any) -> str:
    """A message with its fields put in.

    >>> said("en", "all {nouns}", nouns="harbors")
    'all harbors'
    """
    return translated(language, text).format(**fields)


@cache
def translated(language: str, text: str) -> str:
    """A message in a language, its fields not yet put in."""
    return messages(language).gettext(text)


def counted(language: str, n: int, one: str, many: str, **fields: Any) -> str:
    """A message that changes with a number; ``{n}`` is the number as it is written.

    >>> counted("en", 1, "{n} finding", "{n} findings", n_written="1")
    '1 finding'
    """
    text = messages(language).ngettext(one, many, n)
    text = translated(language, text) if text in (one, many) else text  # where they are two messages
    return text.format(n=fields.pop("n_written", n), **fields)


def in_context(language: str, context: str, text: str) -> str:
    """A word as a context calls it; the word itself where the catalog does not know it there."""
    return messages(language).pgettext(context, text)


def plural(noun: str, language: str = "en") -> str | None:
    """The plural of a noun; None where the catalog does not know the noun.

    >>> plural("harbor"), plural("category"), plural("line of goods")
    ('harbors', 'categories', None)
    """
    for written in dict.fromkeys((noun, noun.casefold())):
        text = in_context(language, "plural", written)
        if text != written:
            return text
    return None


def everything(noun: str, language: str = "en") -> str:
    """All items of a dimension.

    >>> everything("harbor"), everything("SALESORG")
    ('all harbors', 'all SALESORG')
    """
    return said(language, "all {nouns}", nouns=plural(noun, language) or noun)


def ordinal(n: int, language: str = "en") -> str:
    """A rank as it is read.

    >>> [ordinal(n) for n in (1, 2, 3, 4, 11, 22)], ordinal(3, "de")
    (['1st', '2nd', '3rd', '4th', '11th', '22nd'], '3.')
    """
    return said(language, _ORDINALS[0 if 10 <= n % 100 <= 20 or n % 10 > 3 else n % 10], n=n)
