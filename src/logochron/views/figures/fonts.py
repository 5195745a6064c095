"""Letters that the figures' font lacks: an installed font that has them, or one warning that none has."""

from __future__ import annotations

import logging
import re
import unicodedata
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path

from matplotlib.font_manager import FontEntry, FontProperties, findfont, findSystemFonts, fontManager, get_font
from matplotlib.textpath import text_to_path

from logochron.core.said import Said

FAMILY = "DejaVu Sans"
#: The size in which words are measured.
_LARGE = 100.0
#: Fonts whose letters stand at places of their own, or that have boxes for every letter.
_NONE_OF = ("cm", "LastResort", "Adobe Blank")
_LOG = logging.getLogger("logochron")
_warned: set[str] = set()


def drawable(sign: str) -> bool:
    """Whether the figures' own font has every character of a sign."""
    return not lacking(sign)


def lacking(text: str) -> frozenset[str]:
    """The letters of a text that the figures' own font lacks."""
    return frozenset(letter for letter in set(text) if _is_drawn(letter) and not _own().get_char_index(ord(letter)))


def _is_drawn(letter: str) -> bool:
    """Whether a letter leaves a mark: spaces and what steers the direction of writing do not."""
    return not letter.isspace() and unicodedata.category(letter) != "Cf"


@cache
def _own():  # type: ignore[no-untyped-def]
    return get_font(findfont(FAMILY))


def families(texts: str) -> tuple[str, ...]:
    """The fonts that have all letters of some texts, the figures' own first; what no font has is warned of, once."""
    missing = lacking(texts)
    if not missing:
        return (FAMILY,)
    fallbacks, left = _fallbacks(missing)
    new = left - _warned
    if new:
        _warned.update(new)
        named = ", ".join(f"{letter} (U+{ord(letter):04X})" for letter in sorted(new)[:10])
        more = Said(" and {0:,} more", len(new) - 10) if len(new) > 10 else ""
        said = "no installed font has {0}{1}: drawn as boxes; install a font of that script"
        _LOG.warning(Said(said, named, more))
    return (FAMILY, *fallbacks)


@cache
def _fallbacks(missing: frozenset[str]) -> tuple[tuple[str, ...], frozenset[str]]:
    """Installed fonts that have these letters, and the letters that none has."""
    names: list[str] = []
    left = set(missing)
    for entries in (list(fontManager.ttflist), None):
        if left and entries is None:
            entries = _newly_installed()
        while left and entries:
            best = max(entries, key=lambda entry: len(_has(entry.fname) & left))
            gained = _has(best.fname) & left
            if not gained:
                break
            names.append(best.name)
            left -= gained
    return tuple(names), frozenset(left)


def _newly_installed() -> list[FontEntry]:
    """Fonts that came after the list of fonts was made."""
    known = {entry.fname for entry in fontManager.ttflist}
    for path in sorted(set(findSystemFonts()) - known):
        try:
            fontManager.addfont(path)
        except (OSError, RuntimeError):  # a file that is no font
            continue
    return [entry for entry in fontManager.ttflist if entry.fname not in known]


@cache
def _has(path: str) -> frozenset[str]:
    """The letters of a font, as far as they may be asked for."""
    if Path(path).stem.startswith(_NONE_OF):
        return frozenset()
    try:
        return frozenset(map(chr, get_font(path).get_charmap()))
    except (OSError, RuntimeError, ValueError):
        return frozenset()


def _weightless(record: logging.LogRecord) -> bool:
    return "font weight" not in record.getMessage()


@contextmanager
def quietly() -> Iterator[None]:
    """What the drawing library has to say of letters is told by ourselves, once; a font without a bold face is fine."""
    log = logging.getLogger("matplotlib.font_manager")
    log.addFilter(_weightless)
    try:
        with warnings.catch_warnings():
            warnings.filterwarnings("ignore", "Glyph .* missing from font")
            yield
    finally:
        log.removeFilter(_weightless)


@cache
def measure(text: str, size: float = 9.0, bold: bool = False) -> float:
    """How wide a text is drawn, in points."""
    named = families(text)
    if named == (FAMILY,):  # words and figures come again and again: each is measured once
        return size * sum(_word(one, bold=bold) for one in _WORDS.findall(text))
    with quietly():
        return _drawn(text, named, size, bold=bold)


#: Words of two letters or more, which may stand closer than their letters by themselves; all else sign by sign.
_WORDS = re.compile(r"[^\W\d_]{2,}|.", re.DOTALL)


@cache
def _word(word: str, *, bold: bool) -> float:
    """How wide a word or a sign of the figures' own font is, in points of type of one point."""
    return _drawn(word, (FAMILY,), _LARGE, bold=bold) / _LARGE


def _drawn(text: str, named: tuple[str, ...], size: float, *, bold: bool) -> float:
    width, _, _ = text_to_path.get_text_width_height_descent(text, _font(named, size, bold=bold), ismath=False)
    return float(width)


@cache
def _font(named: tuple[str, ...], size: float, *, bold: bool) -> FontProperties:
    return FontProperties(family=list(named), size=size, weight="bold" if bold else "normal")
