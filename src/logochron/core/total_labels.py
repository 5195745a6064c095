"""Labels that say they are totals."""

from __future__ import annotations

import re

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
_TOTAL = re.compile(TOTAL, re.IGNORECASE)
_NUMBERED = re.compile(rf"(?:{_ALONE}) ?\d+", re.IGNORECASE)
_BEFORE = re.compile(rf"{_BESIDE}(?:[ :\-]+(?:of |for |von |für |de )?)(?P<item>\S.*)", re.IGNORECASE)
_BEHIND = re.compile(rf"(?P<item>.*\S)[ :\-]+{_BESIDE}:?", re.IGNORECASE)


def is_total(text: str) -> bool:
    """Whether a label says that it is a total of others.

    >>> is_total("Grand total"), is_total("Total Wine")
    (True, False)
    """
    folded = text.casefold()
    if not any(part in folded for part in PARTS):  # most labels, told at once
        return False
    return bool(_TOTAL.fullmatch(" ".join(text.split())))


def item_totalled(text: str) -> str | None:
    """The item of which a label says that it is the total: empty where it names none, None where it is no such label.

    Whether there is such an item is not known here: ``Total Wine`` may be a shop.

    >>> item_totalled("North Total"), item_totalled("Summe: Nord"), item_totalled("Total"), item_totalled("Alpha")
    ('North', 'Nord', '', None)
    """
    if is_total(text):
        return ""
    folded = text.casefold()
    if not any(part in folded for part in PARTS):
        return None
    plain = " ".join(text.split())
    if _NUMBERED.fullmatch(plain):
        return ""
    match = _BEFORE.fullmatch(plain) or _BEHIND.fullmatch(plain)
    return match["item"] if match else None
