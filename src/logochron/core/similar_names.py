"""Names that are nearly the same."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence

_LEAST_LENGTH = 5
_MOST = 20_000


def _bare(name: str) -> str:
    """A name without case, accents, spaces and punctuation."""
    decomposed = unicodedata.normalize("NFKD", name.casefold())
    return re.sub(r"[\W_]+", "", "".join(c for c in decomposed if not unicodedata.combining(c)))


def alike(names: Sequence[str]) -> list[tuple[str, str]]:
    """Pairs of names that differ in case, accents, spaces and punctuation only, or by one letter.

    Digits tell names apart: `Pier 1` and `Pier 2` are not alike.

    >>> alike(["Cold Pier", "cold pier ", "Alderquay", "Alderqay", "Pier 1", "Pier 2"])
    [('Cold Pier', 'cold pier '), ('Alderquay', 'Alderqay')]
    """
    groups: dict[str, list[str]] = {}
    for name in names[:_MOST]:
        groups.setdefault(_bare(name) or name, []).append(name)
    pairs = [(same[0], other) for same in groups.values() for other in same[1:]]
    # two names one letter apart share what is left where one letter is left out of either
    shortened: dict[str, str] = {}
    for bare, same in groups.items():
        if len(bare) < _LEAST_LENGTH:
            continue
        digits = "".join(filter(str.isdigit, bare))
        for key in {bare, *(bare[:i] + bare[i + 1 :] for i in range(len(bare)))}:
            other = shortened.setdefault(f"{digits}:{key}", bare)
            if other != bare and (pair := (groups[other][0], same[0])) not in pairs and _one_apart(other, bare):
                pairs.append(pair)
    return pairs


def _one_apart(one: str, other: str) -> bool:
    """Whether one letter put in, left out or changed turns one name into the other."""
    if len(one) == len(other):
        return sum(a != b for a, b in zip(one, other)) == 1
    long, short = sorted((one, other), key=len, reverse=True)
    return len(long) == len(short) + 1 and any(long[:i] + long[i + 1 :] == short for i in range(len(long)))
