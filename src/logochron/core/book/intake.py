"""What only the single records of a source show."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from logochron.core.errors import Remedy
from logochron.core.said import Joined, Said

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True)
class Fact:
    """An oddity: found by the sources, worded by a review.

    `effect`: what it does to a comparison, and the option that settles it, where that is not said of its kind;
    `remedy`: that option.
    """

    kind: str
    column: str
    count: int
    example: str
    effect: str = ""
    remedy: Remedy | None = None


_SHOWN = 10
#: Why a row without an amount is refused.
EMPTY_AMOUNT = Said("an empty amount (empty='zero' takes it as 0)")
#: Why a row that is not as wide as the header is refused.
FEWER_FIELDS, MORE_FIELDS = Said("fewer fields than the header"), Said("more fields than the header")


@dataclass(frozen=True)
class Refusal:
    """One refused row: its file, its physical line (or row number), the column, its text, and why.

    `row`: what it holds in its other columns, where nothing numbers it; `many`: it is the first of so many rows that
    are refused alike.
    """

    line: int
    column: str
    text: str
    reason: str
    file: str = ""
    unit: str = "line"
    row: str = ""
    many: int = 1

    def __str__(self) -> str:
        return self.said()

    def said(self) -> Said:
        """The row and why, as a line."""
        row = self.row or (Said("{0} {1:,}", Said(self.unit), self.line) if self.line else "")
        column = Said("column {0!r}", self.column) if self.column else ""
        text = self.text if len(self.text) <= 60 else self.text[:57] + "..."
        return Said("{0}: {1!r} - {2}", Joined(filter(None, (self.file, row, column))), text, self.reason)


def row_of(fields: Iterable[tuple[str, str]]) -> str:
    """A row told by what it holds: the first of its filled fields, by column.

    >>> row_of([("day", "2026-05-01"), ("harbor", ""), ("line", "hire")])
    "the row of day '2026-05-01', line 'hire'"
    """
    days = ((name, text.removesuffix(" 00:00:00")) for name, text in fields)
    filled = [(name, text if len(text) <= 30 else text[:27] + "...") for name, text in days if text.strip()]
    shown = ", ".join(f"{name} {text!r}" for name, text in filled[:_FIELDS])
    return Said("the row of {0}", shown) if shown else Said("a row without anything else")


@dataclass(frozen=True)
class Intake:
    """The account of a reading: read = counted + refused + set_aside + blank.

    Attributes
    ----------
    read, counted, refused, set_aside, blank
        Numbers of records.
    facts
        What single rows show that a sum may be misled by.
    refused_rows
        The refused rows that are listed (the first `LISTED` at most).
    warnings, guesses
        What the reader should know, and what was recognised rather than stated.
    sources
        The names of the files read.
    """

    read: int = 0
    counted: int = 0
    refused: int = 0
    set_aside: int = 0
    blank: int = 0
    refused_rows: tuple[Refusal, ...] = ()
    warnings: tuple[str, ...] = ()
    guesses: tuple[str, ...] = ()
    sources: tuple[str, ...] = ()
    facts: tuple[Fact, ...] = ()

    def lines(self) -> list[str]:
        """What was guessed, what should be known, and the first of the rows left out, as lines of a message each."""
        lines = [*self.guesses, *self.warnings]
        if self.refused:
            head = Said("{0:,} of {1:,} rows are refused and left out:", self.refused, self.read)
            lines.append(Joined([head, *(refusal.said() for refusal in self.refused_rows[:_SHOWN])], "\n  "))
        return lines

    @property
    def refusals(self) -> pd.DataFrame:
        """The listed refused rows: `line, column, text, reason`, and `file` last."""
        import pandas as pd

        names = ["line", "column", "text", "reason", "file"]
        return pd.DataFrame([[getattr(r, n) for n in names] for r in self.refused_rows], columns=names)


#: How many refused rows are listed one by one; all of them are counted.
LISTED = 1000
#: So many of its fields tell a row.
_FIELDS = 6
