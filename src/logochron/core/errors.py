"""The errors of the package: each says what is wrong, where, what was expected and what to do."""

from __future__ import annotations

from collections.abc import Iterable

__all__ = [
    "CalendarError",
    "IntakeError",
    "LogochronError",
    "QuestionError",
    "ReportError",
    "nearest",
    "no_such",
    "pointed",
]


class LogochronError(Exception):
    """Anything that Logochron refuses to do."""


class IntakeError(LogochronError):
    """What a source holds cannot be read without losing or guessing something."""


class CalendarError(LogochronError):
    """A calendar that cannot be, or a day that none of its periods holds."""


class ReportError(LogochronError):
    """A study file that cannot be carried out."""


class QuestionError(LogochronError, ValueError):
    """A question that cannot be answered as it was put: an option, a path, a name."""


def nearest(name: str, names: Iterable[str]) -> str | None:
    """The one of `names` that `name` was probably meant to be, or None.

    >>> nearest("revenu", ["revenue", "units"])
    'revenue'
    """
    from difflib import get_close_matches  # only when something is wrong

    by_folded: dict[str, str] = {}
    for known in names:
        by_folded.setdefault(known.strip().casefold(), known)
    found = get_close_matches(name.strip().casefold(), by_folded, n=1, cutoff=0.6)
    return by_folded[found[0]] if found else None


def pointed(text: str, at: int) -> str:
    """A text with a caret below a place in it, as the lines of a message.

    >>> print("a sign is missing:" + pointed("growth 5", 7))
    a sign is missing:
      growth 5
             ^
    """
    return f"\n  {text}\n  {' ' * at}^"


def no_such(kind: str, name: str, names: Iterable[str], where: str = "") -> str:
    """The message for a name that is not there, with the nearest one or the first few offered.

    >>> no_such("column", "revenu", ["revenue", "units"], where="sales.csv")
    "sales.csv has no column 'revenu'. Did you mean 'revenue'? There are: revenue, units"
    """
    known = list(names)
    hint = nearest(name, known)
    listed = ", ".join(known[:12]) + (f" and {len(known) - 12:,} more" if len(known) > 12 else "")
    return (
        f"{where + ' has' if where else 'there is'} no {kind} {name!r}."
        + (f" Did you mean {hint!r}?" if hint is not None else "")
        + (f" There are: {listed}" if known else f" There is no {kind} at all")
    )
