"""Labels that say they are totals."""

from __future__ import annotations

import re
from functools import cache

_ALONE = (
    r"(?:grand|overall|running|year|report)[ -]?totals?|(?:sub|zwischen)[ -]?(?:totals?|summen?)|totals?|sum|summen?"
    r"|(?:gesamt|end)[ -]?(?:summe|ergebnis)|gesamt|insgesamt|ergebnis|somme|totale|totaal|suma|all|alle|overall"
)
#: What such a label looks like where it stands alone; Python and the engine both read it, whatever the case.
TOTAL = rf"(?:(?:19|20)\d\d )?(?:{_ALONE})(?: (?:19|20)\d\d)?:?"
#: One of these is in each of those words.
PARTS = ("tot", "sum", "som", "gesamt", "ergebnis", "all")
#: The words that stand beside the name of an item as well.
_BESIDE = (
    r"(?:(?:sub|grand)[ -]?totals?|totals?|sum|(?:zwischen|gesamt)?summe|gesamt|ergebnis|somme|totale|totaal|suma)"
)
_NUMBERED = rf"(?:{_ALONE}) ?\d+"
_BEFORE = rf"{_BESIDE}(?:[ :\-]+(?:of |for |von |für |de )?)(?P<item>\S.*)"
_BEHIND = rf"(?P<item>.*\S)[ :\-]+{_BESIDE}:?"


def is_total(text: str) -> bool:
    """Whether a label says that it is a total of others.

    >>> is_total("Grand total"), is_total("Total Wine")
    (True, False)
    """
    return _has_part(text) and _matched(TOTAL, " ".join(text.split())) is not None


def item_totalled(text: str) -> str | None:
    """The item of which a label says that it is the total: empty where it names none, None where it is no such label.

    Whether there is such an item is not known here: ``Total Wine`` may be a shop.

    >>> item_totalled("North Total"), item_totalled("Summe: Nord"), item_totalled("Total"), item_totalled("Alpha")
    ('North', 'Nord', '', None)
    """
    if not _has_part(text):
        return None
    plain = " ".join(text.split())
    if _matched(TOTAL, plain) or _matched(_NUMBERED, plain):
        return ""
    match = _matched(_BEFORE, plain) or _matched(_BEHIND, plain)
    return match["item"] if match else None


def _has_part(text: str) -> bool:
    """Whether a label has a part of one of the words: most have none, and are told at once."""
    return _compiled("|".join(PARTS)).search(text) is not None


@cache
def _compiled(pattern: str) -> re.Pattern[str]:
    return re.compile(pattern, re.IGNORECASE)


def _matched(pattern: str, text: str) -> re.Match[str] | None:
    return _compiled(pattern).fullmatch(text)
