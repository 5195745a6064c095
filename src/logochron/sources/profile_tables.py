"""A table of shares of days, from a file or a frame, for the profile of a landing."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.days import Days
from logochron.core.errors import IntakeError
from logochron.core.questions.landing.profiles import ListedShares
from logochron.sources.small_tables import SmallTable, small_table


def listed_shares(source: Any) -> ListedShares:
    """The rows of a table of shares.

    Parameters
    ----------
    source
        A path, a data frame, or a mapping of columns: `date` and `share`; or `day` and `share`, and `days` where
        periods have several lengths.

    Raises
    ------
    IntakeError
        Naming the row and column of what is no day or no number, or the column that is missing.
    """
    table = small_table(source, ["share"], ["date", "day", "days"], what="profile", error=IntakeError)
    if ("date" in table.texts) == ("day" in table.texts):
        raise IntakeError(f"{table.name} must have a column `date` or a column `day` beside `share`")
    if not len(table.lines):
        raise IntakeError(f"{table.name} lists no shares")
    shares = np.array([_share(table, row) for row in range(len(table.lines))])
    if "date" in table.texts:
        return ListedShares(table.name, shares, dates=table.dates("date"))
    lengths = _numbers(table, "days") if "days" in table.texts else None
    return ListedShares(table.name, shares, numbers=_numbers(table, "day"), lengths=lengths)


def _share(table: SmallTable, row: int) -> float:
    """A number, maybe with a percent sign; a comma may be its decimal mark."""
    text = table.texts["share"][row].removesuffix("%").strip()
    try:
        share = float(text.replace(",", ".") if "." not in text else text)
    except ValueError:
        share = float("nan")
    if not np.isfinite(share):
        raise IntakeError(
            f"{table.where(row)}, column 'share': {table.texts['share'][row]!r} is no share; expected such as 0.032 or "
            "3.2"
        )
    return share


def _numbers(table: SmallTable, column: str) -> Days:
    found: NDArray[np.int64] = np.zeros(len(table.lines), dtype=np.int64)
    for row, text in enumerate(table.texts[column]):
        plain = text.removesuffix(".0")
        if not plain.isdecimal() or not 1 <= int(plain) <= 400:
            raise IntakeError(f"{table.where(row)}, column {column!r}: {text!r} is no number of a day or of days")
        found[row] = int(plain)
    return found
