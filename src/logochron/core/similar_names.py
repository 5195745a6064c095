"""Names that are nearly the same."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence

import numpy as np

_LEAST_LENGTH = 5
_MOST, _AT_ONCE = 20_000, 1_000


def _bare(name: str) -> str:
    """A name without case, accents, spaces and punctuation."""
    decomposed = unicodedata.normalize("NFKD", name.casefold())
    return re.sub(r"[\W_]+", "", "".join(c for c in decomposed if not unicodedata.combining(c)))


def similar_names(names: Sequence[str]) -> list[tuple[str, str]]:
    """Pairs of names that differ in case, accents, spaces and punctuation only, or by one letter.

    Digits tell names apart: `Pier 1` and `Pier 2` are not alike. One letter: an edit distance of 1 (Levenshtein 1966).

    >>> similar_names(["Cold Pier", "cold pier ", "Alderquay", "Alderqay", "Pier 1", "Pier 2"])
    [('Cold Pier', 'cold pier '), ('Alderquay', 'Alderqay')]
    """
    from rapidfuzz.distance import Levenshtein  # only for reviews
    from rapidfuzz.process import cdist

    groups: dict[str, list[str]] = {}
    for name in names[:_MOST]:
        groups.setdefault(_bare(name) or name, []).append(name)
    pairs = [(same[0], other) for same in groups.values() for other in same[1:]]
    bare = [name for name in groups if len(name) >= _LEAST_LENGTH]
    digits = ["".join(filter(str.isdigit, name)) for name in bare]
    for low in range(0, len(bare), _AT_ONCE):
        near = cdist(
            bare[low : low + _AT_ONCE], bare, scorer=Levenshtein.distance, score_cutoff=1, dtype=np.uint8, workers=-1
        )
        for one, other in np.argwhere(near == 1).tolist():
            one += low
            if one < other and digits[one] == digits[other]:
                pairs.append((groups[bare[one]][0], groups[bare[other]][0]))
    return pairs
