"""How many rows a form has room for: too many are refused before they are worked out."""

from __future__ import annotations

from logochron.core.errors import QuestionError
from logochron.core.rows.result import Result

#: So many rows has a page at most.
MOST_OF_PAGE = 200_000
#: What people are shown at most, and what a workbook holds that is made in a memory of 1.5 GB.
_MOST = {"a page": MOST_OF_PAGE, "a table of text": 200_000, "a workbook": 500_000}


def check_room(result: Result, form: str, periods: int | None = None) -> None:
    """Refuse an answer of more rows than a form has room for.

    Parameters
    ----------
    periods
        Only so many are shown; all where None.

    Raises
    ------
    QuestionError
        With both numbers, and how to ask for fewer.
    """
    rows = result.rows
    if periods is not None and len(result.periods) > periods:
        rows = rows * periods // len(result.periods)
    if rows > _MOST[form]:
        raise QuestionError(
            f"{rows:,} rows are more than {form} has room for, {_MOST[form]:,}: ask for fewer items by `top` (--top), "
            "for fewer periods by `last` (--last), or write .csv or .parquet, which hold them all"
        )
