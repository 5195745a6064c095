"""How a value is spelled as a label, whichever source it comes from: as the engine has it in its texts.

A whole number that lies as a double, as pandas has it where some are missing, is spelled as a whole number. So a plan,
or an earlier report from another source, meets it.
"""

from __future__ import annotations

import datetime as dt
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.errors import IntakeError

#: What is cut off the text of a double.
WHOLE = r"\.0$"
#: Past this doubles do not hold every whole number, and two different ones may be the same.
ALIKE = 2**53


def spelled(value: Any) -> str:
    """A value as a label; empty where there is none.

    >>> spelled(True), spelled(2.0), spelled(1e20), spelled(np.float32(0.1)), spelled(dt.time(5, 0, 0, 250000))
    ('true', '2', '1e+20', '0.1', '05:00:00.25')
    """
    if isinstance(value, str):
        return value
    if value is None or value is np.ma.masked:
        return ""
    if isinstance(value, (bool, np.bool_)):
        return str(value).lower()
    if isinstance(value, np.float32):
        value = float(str(value))  # the shortest decimal of 32 bits
    if isinstance(value, (float, np.floating)):
        return repr(float(value)).removesuffix(".0")
    if isinstance(value, np.datetime64):
        value = None if np.isnat(value) else value.astype("datetime64[us]").item()
        return spelled(value)
    if isinstance(value, dt.datetime):
        if value.tzinfo is None:
            return _short(value.isoformat(" "))
        return _short(value.astimezone(dt.UTC).replace(tzinfo=None).isoformat(" ")) + "+00"
    if isinstance(value, dt.time):
        return _short(value.isoformat())
    return str(value)


def check_apart(name: str, column: str, some_missing: bool, all_whole: bool, largest: float) -> None:
    """Refuse whole numbers that lie as doubles for want of some, and are too large to be told apart there.

    Raises
    ------
    IntakeError
        Naming the column, and how it can be read.
    """
    if some_missing and all_whole and largest >= ALIKE:
        raise IntakeError(
            "{0}, column {1!r}: its whole numbers lie as doubles, as some are missing, and past "
            "{2:,} different ones may have become the same there: have it read as texts, or as "
            "whole numbers that may be missing (Int64 in pandas)",
            name,
            column,
            ALIKE,
        )


def _short(text: str) -> str:
    """A time without zeros that say nothing."""
    return text.rstrip("0").rstrip(".") if "." in text else text


def value_of(label: str, kind: type) -> Any:
    """The value of a kind that is spelled as a label; None where none is.

    >>> value_of("2", float), value_of("2.0", float), value_of("true", bool)
    (2.0, None, True)
    """
    ways: dict[type, Any] = {
        bool: {"true": True, "false": False}.get,
        float: float,
        np.float32: np.float32,
        dt.time: dt.time.fromisoformat,
        dt.datetime: dt.datetime.fromisoformat,
    }
    try:
        value = ways[kind](label)
    except ValueError:
        return None
    return value if spelled(value) == label else None


class CodedTexts(NamedTuple):
    """Texts as codes: the different ones in order, and the code of each."""

    known: NDArray[np.object_]
    codes: NDArray[np.int64]

    @property
    def filled(self) -> NDArray[np.bool_]:
        """Which texts hold more than spaces."""
        return np.array([bool(text.strip()) for text in self.known], dtype=bool)[self.codes]


def coded(texts: NDArray[np.object_]) -> CodedTexts:
    """Texts as codes, whatever their lengths: an array of fixed width takes many times the room.

    >>> coded(np.array(["b", "", "b"], dtype=object)).codes.tolist()
    [1, 0, 1]
    """
    import pandas as pd  # only where labels are looked at one by one

    codes, known = pd.factorize(texts, sort=True)
    return CodedTexts(np.asarray(known, dtype=object), codes.astype(np.int64))
