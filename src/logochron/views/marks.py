"""Marks: signs of a direction, beside its figure, before or after it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property

from rich.cells import cell_len

from logochron.core.choices import DIRECTIONS, VERDICTS, MarksOf
from logochron.core.judge.judging import Judging
from logochron.views.formats import Formats

#: Signs of rising, falling, level and unknown; thumbs, which judge, of favorable, adverse, neutral and unknown.
SETS: Mapping[str, tuple[str, str, str, str]] = {
    "triangles": ("▲", "▼", "=", "·"),
    "arrows": ("↗", "↘", "→", "·"),
    "thumbs": ("👍", "👎", "👉", "❔"),
    "words": DIRECTIONS,
    "ascii": ("+", "-", "=", "."),
}


@dataclass(frozen=True)
class Marks:
    """The signs of one judging: by direction or by verdict, and by band where that has its own."""

    signs: Mapping[str, str]
    of_bands: Mapping[str, str]
    after: bool
    tell: MarksOf = "direction"

    def sign(self, direction: str, verdict: str, band: str | None = None) -> str:
        """The sign of a row."""
        return self.of_bands.get(band or "", "") or self.signs[verdict if self.tell == "verdict" else direction]

    def beside(self, sign: str, figure: str) -> str:
        """A figure with its sign."""
        return f"{figure} {sign}" if self.after else f"{sign} {figure}"

    def cell(self, sign: str, figure: str, width: int) -> str:
        """The same as a cell of a column: signs below signs, figures of a width below figures."""
        space = " " * (self.width - cell_len(sign))
        return self.beside(sign + space, f"{figure:>{width}}").rstrip()

    @cached_property
    def width(self) -> int:
        """The cells that the widest sign takes."""
        return max(map(cell_len, (*self.signs.values(), *self.of_bands.values())))


def marks_of(judging: Judging, formats: Formats, drawable: Callable[[str], bool] | None = None) -> Marks:
    """The signs that a judging chooses: ASCII where nothing else can be shown, triangles where they cannot be drawn.

    Parameters
    ----------
    drawable
        Tells whether a picture's font has a sign; all where None.
    """
    signs = SETS[judging.marks] if isinstance(judging.marks, str) else tuple(judging.marks)
    able = (lambda sign: sign.isascii()) if formats.plain else drawable or (lambda sign: True)
    tell = judging.marks_tell
    if not all(map(able, signs)):
        signs, tell = SETS["ascii" if formats.plain else "triangles"], "direction"
    of_bands = {band.name: band.mark for band in judging.bands if band.mark and able(band.mark)}
    named = VERDICTS if tell == "verdict" else DIRECTIONS
    return Marks(dict(zip(named, signs)), of_bands, judging.marks_place == "after", tell)
