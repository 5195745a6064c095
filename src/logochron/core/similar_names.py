"""Names that are nearly the same."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

#: Names shorter or longer than these are not held against others letter by letter; so many names are looked at.
_LEAST_LENGTH, _LONGEST, _MOST = 5, 500, 20_000
#: So many names without a letter are looked at at once.
_AT_ONCE = 1_000_000
#: An odd number, and what undoes its product modulo 2**64.
_ODD = np.uint64(0x9E3779B97F4A7C15)
_INVERSE = np.uint64(pow(int(_ODD), -1, 2**64))


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
    groups: dict[str, list[str]] = {}
    for name in names[:_MOST]:
        groups.setdefault(_bare(name) or name, []).append(name)
    pairs = [(same[0], other) for same in groups.values() for other in same[1:]]
    bare = [name for name in groups if len(name) >= _LEAST_LENGTH]
    digits = ["".join(filter(str.isdigit, name)) for name in bare]
    pairs += [
        (groups[bare[one]][0], groups[bare[other]][0])
        for one, other in _one_letter_apart(bare)
        if digits[one] == digits[other]
    ]
    return pairs


def _one_letter_apart(names: Sequence[str]) -> list[tuple[int, int]]:
    """Pairs of different names, by their places, one of which becomes the other by one letter put in, out or changed.

    Such names are the same without that letter (deletion neighborhoods: Bocek, Hunt and Stiller 2007). What is left
    without each letter is told by a sum of letters times powers of an odd number, modulo 2**64, from sums up to the
    letter; names of which it is the same are then looked at.
    """
    lengths = np.array([len(name) for name in names], dtype=np.int64)
    pairs: set[tuple[int, int]] = set()
    shorter, shorter_at = np.zeros(0, dtype=np.uint64), np.zeros(0, dtype=np.int64)
    for length in np.unique(lengths[lengths <= _LONGEST]).tolist():
        at = np.flatnonzero(lengths == length)
        written = np.array([names[place] for place in at.tolist()], dtype=f"U{length}")
        letters = written.view(np.uint32).reshape(len(at), length).astype(np.uint64)
        letters *= np.cumprod(np.r_[np.uint64(1), np.full(length - 1, _ODD)])
        up_to = np.cumsum(letters, axis=1)
        order = np.argsort(up_to[:, -1])
        whole, whole_at = up_to[order, -1], at[order]
        is_next = len(shorter_at) and len(names[shorter_at[0]]) == length - 1
        wide = max(_AT_ONCE // len(at), 1)
        for first in range(0, length, wide):
            columns = slice(first, first + wide)
            rest = up_to[:, columns] - letters[:, columns] + (up_to[:, -1:] - up_to[:, columns]) * _INVERSE
            # the same rest without the same place
            placed = (rest * _ODD + np.arange(first, first + rest.shape[1], dtype=np.uint64)).ravel()
            order = np.argsort(placed)
            same = np.flatnonzero(placed[order][1:] == placed[order][:-1])
            pairs |= _all_pairs(at[order // rest.shape[1]], same)
            if is_next:
                places = np.searchsorted(shorter, rest).clip(max=len(shorter) - 1)
                near, _ = hits = np.nonzero(shorter[places] == rest)
                pairs |= set(zip(shorter_at[places[hits]].tolist(), at[near].tolist()))
        shorter, shorter_at = whole, whole_at
    ordered = sorted((min(pair), max(pair)) for pair in pairs)
    return [pair for pair in dict.fromkeys(ordered) if _differ_by_one(names[pair[0]], names[pair[1]])]


def _all_pairs(places: NDArray[np.int64], same: NDArray[np.int64]) -> set[tuple[int, int]]:
    """The pairs of places in runs whose neighbors are the same; `same`: which are as the next."""
    pairs = set()
    for run in np.split(same, np.flatnonzero(np.diff(same) != 1) + 1):
        if len(run):
            pairs |= set(combinations(places[run[0] : run[-1] + 2].tolist(), 2))
    return pairs


def _differ_by_one(one: str, other: str) -> bool:
    """Whether what stands between the same first and last letters is one letter at most on each side."""
    first = next((i for i, (a, b) in enumerate(zip(one, other)) if a != b), min(len(one), len(other)))
    return one != other and (
        one[first + 1 :] == other[first + 1 :] or one[first + 1 :] == other[first:] or one[first:] == other[first + 1 :]
    )
