"""Labels that say they are totals."""

from __future__ import annotations

import re

#: What such a label looks like; Python and the engine both read it, whatever the case.
TOTAL = (
    r"(?:(?:19|20)\d\d )?(?:(?:grand|overall|running|year)[ -]|sub[ -]?)?"
    r"(?:totals?|sum|summe|gesamt|gesamtsumme|somme|totale|totaal|suma)(?: (?:19|20)\d\d)?:?"
)
#: One of these is in each of those words.
_PARTS = ("tot", "sum", "som", "gesamt")
_TOTAL = re.compile(TOTAL, re.IGNORECASE)


def is_total(text: str) -> bool:
    """Whether a label says that it is a total of others.

    >>> is_total("Grand total"), is_total("Total Wine")
    (True, False)
    """
    folded = text.casefold()
    if not any(part in folded for part in _PARTS):  # most labels, told at once
        return False
    return bool(_TOTAL.fullmatch(" ".join(text.split())))
